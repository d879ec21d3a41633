import type { RoundDetail } from '@contract/run';
import { recordFormat } from '@core/base';
import { caseFaults, expandRound, type CaseContent, type CaseRow, type PassedRun } from '@core/design';
import { runPasses } from '@core/prove';
import { and, eq, inArray, isNotNull, isNull } from 'drizzle-orm';
import {
  freeKey,
  freeKeys,
  insertRecord,
  insertRecords,
  memberships,
  needOpenBuild,
  people,
  recordRows,
  Refusal,
  write,
  type Actor,
  type Db,
  type StoredBuild,
  type Tx,
  type Writing,
} from '../base';
import { caseContent, frozenCase, needCases, type StoredCase } from '../design';
import { roundRows, runRows } from './rows';
import { roundDetail, selectRuns, type StoredRun } from './store';
import { rounds, runs } from './tables';

export interface NewRound {
  readonly build: string;
  readonly title: string;
  readonly configuration: string;
  readonly unit: string;
  readonly tools: string;
  readonly tester: string;
  readonly cases: readonly string[];
  /** Leave out what already passed on this build in this configuration, and still stands. */
  readonly leaveOut?: 'passed' | undefined;
  /** Why what has a result already is planned again. */
  readonly reason?: string;
}

export interface RunPlace {
  readonly roundId: number;
  readonly buildId: number;
  readonly configuration: string;
  readonly unit: string;
  readonly tools: string;
  readonly tester: string;
}

function needRow({ record, row: { rows } }: StoredCase, name: string | null): CaseRow | undefined {
  if (name === null) return undefined;
  const row = rows?.find((candidate) => candidate.name === name);
  if (!row)
    throw new Refusal('stateForbids', {
      detail: `${record.key} has no data row ${name} any more: plan a round with the rows that it has now.`,
    });
  return row;
}

/** Finished runs of these cases on a build, superseded and withdrawn ones left out. */
async function results(w: Writing, build: StoredBuild, chosen: readonly StoredCase[]): Promise<StoredRun[]> {
  if (!chosen.length) return [];
  return selectRuns(
    w.tx,
    and(
      eq(runs.buildId, build.id),
      inArray(
        runs.caseId,
        chosen.map((c) => c.record.id),
      ),
      isNotNull(runs.finishedAt),
      isNull(runs.withdrawnAt),
      isNull(runs.supersededById),
    ),
  );
}

const passes = ({ run, caseNow }: StoredRun): boolean => runPasses({ ...run, returned: run.returnedAt !== null }, caseNow);

export interface PlannedRun {
  readonly c: StoredCase;
  readonly row: string | null;
  readonly supersedesId: number | null;
}

/** Plans runs of cases, or of their rows, as they stand now: the frozen copies are taken here. Belongs to the entry logged before. */
export async function planRuns(w: Writing, place: RunPlace, planned: readonly PlannedRun[]): Promise<string[]> {
  const { projectId } = w.actor;
  const keys = await freeKeys(w, 'RUN', planned.length);
  const frozen: CaseContent[] = [];
  for (const { c, row } of planned) frozen.push(await frozenCase(w.tx, projectId, c.record.key, caseContent(c), needRow(c, row)));
  const ids = await insertRecords(
    w,
    planned.map(({ c, row }, i) => ({
      kind: 'run' as const,
      key: keys[i],
      title: frozen[i].title,
      words: `${c.record.key} ${row ?? ''} ${place.configuration}`,
      state: 'planned',
    })),
  );
  for (let at = 0; at < planned.length; at += 200)
    await w.tx.insert(runs).values(
      planned.slice(at, at + 200).map(({ c, row, supersedesId }, i) => ({
        id: ids.get(keys[at + i]) ?? 0,
        projectId,
        ...place,
        caseId: c.record.id,
        caseRevision: c.record.revision,
        frozen: frozen[at + i],
        row,
        steps: frozen[at + i].steps.map(() => ({ verdict: null, observed: '', at: null })),
        seconds: 0,
        format: recordFormat,
        corrections: [],
        deviationAccepted: false,
        setAside: false,
        supersedesId,
      })),
    );
  w.wrote(recordRows, ...ids.values());
  w.wrote(runRows, ...ids.values());
  return keys;
}

export async function needTester(tx: Tx, projectId: number, login: string): Promise<void> {
  const [tester] = await tx
    .select({ login: people.login })
    .from(people)
    .innerJoin(memberships, and(eq(memberships.personId, people.id), eq(memberships.projectId, projectId), eq(memberships.role, 'tester')))
    .where(and(eq(people.login, login), eq(people.disabled, false)));
  if (!tester)
    throw new Refusal('invalid', { fields: [{ path: 'tester', text: `${login || 'Nobody'} is not a tester in this project.` }] });
}

/** Plans a round: a run for each case, or for each of its data rows. Cases that nobody can run (no steps, not approved) are refused, all named at once. */
export async function addRound(db: Db, actor: Actor, input: NewRound): Promise<RoundDetail> {
  const key = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const build = await needOpenBuild(w.tx, projectId, input.build);
    await needTester(w.tx, projectId, input.tester);
    const chosen = await needCases(w.tx, projectId, input.cases);
    const faults = chosen.flatMap((c) => {
      const [fault] = caseFaults(caseContent(c));
      if (fault) return [{ path: 'cases', text: `${c.record.key} cannot be run. ${fault}` }];
      if (c.record.state === 'approved') return [];
      return [{ path: 'cases', text: `${c.record.key} is not approved: only approved cases are run.` }];
    });
    if (faults.length) throw new Refusal('invalid', { detail: faults.map((f) => f.text).join(' '), fields: faults });
    const standing = await results(w, build, chosen);
    const passed = standing.filter(passes).map(({ record, run, caseKey, caseNow }): PassedRun => ({
      key: record.key,
      caseKey,
      caseRevision: caseNow,
      row: run.row,
      configuration: run.configuration,
    }));
    const { runs: planned, leftOut } = expandRound(
      chosen.map(({ record, row }) => ({
        key: record.key,
        revision: record.revision,
        approved: true,
        plannedMinutes: row.plannedMinutes,
        rows: (row.rows ?? []).map((dataRow) => ({ name: dataRow.name, row: dataRow.values })),
      })),
      [input.configuration],
      [input.tester],
      input.leaveOut ? { passed } : {},
    );
    if (!planned.length)
      throw new Refusal('invalid', {
        detail: 'Nothing is left to plan: all of it passed on this build in this configuration, and still stands.',
      });
    const before = (caseKey: string, row: string | null): StoredRun | undefined =>
      standing.find((r) => r.caseKey === caseKey && r.run.row === row && r.run.configuration === input.configuration);
    const again = planned.filter(({ caseKey, row }) => before(caseKey, row));
    if (again.length && (input.reason ?? '').trim().length < 3)
      throw new Refusal('invalid', {
        fields: [{ path: 'reason', text: `${again[0].caseKey} has a result here already: say why it is planned again.` }],
      });
    const made = await freeKey(w, 'R');
    const { title, configuration, unit, tools, tester } = input;
    const roundId = await insertRecord(w, { kind: 'round', key: made, title, words: `${configuration} ${unit} ${tools}`, state: 'open' });
    await w.tx.insert(rounds).values({ id: roundId, projectId, buildId: build.id, configuration, unit, tools });
    const byKey = new Map(chosen.map((c) => [c.record.key, c]));
    w.log({
      action: 'round planned',
      kind: 'round',
      key: made,
      after: {
        build: build.name,
        title,
        configuration,
        unit,
        tools,
        tester,
        cases: chosen.map(({ record }) => `${record.key} revision ${record.revision}`),
        runs: planned.length,
        leftOut: leftOut.map((l) => `${l.caseKey}${l.row === null ? '' : ` row ${l.row}`}`),
        ...(again.length ? { plannedAgain: again.length, reason: input.reason } : {}),
      },
      touches: { results: chosen.map(({ record }) => record.id) },
    });
    w.wrote(recordRows, roundId);
    w.wrote(roundRows, roundId);
    await planRuns(
      w,
      { roundId, buildId: build.id, configuration, unit, tools, tester },
      planned.map(({ caseKey, row }) => ({
        c: byKey.get(caseKey) as StoredCase,
        row,
        supersedesId: before(caseKey, row)?.run.id ?? null,
      })),
    );
    return made;
  });
  return roundDetail(db, actor.projectId, key);
}
