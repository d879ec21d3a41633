import type { Build } from '@contract/base';
import type { RoundDetail } from '@contract/run';
import { keyNumber, nextKey } from '@core/base';
import { caseFaults, expandRound, type CaseRow, type PassedRun } from '@core/design';
import { runPasses } from '@core/prove';
import { and, desc, eq, inArray, isNull } from 'drizzle-orm';
import { builds, memberships, needBuild, people, Refusal, write, type Actor, type Db, type Tx, type Writing } from '../base';
import { caseContent, frozenCase, needCase, type StoredCase } from '../design';
import { roundDetail } from './store';
import { rounds, runs } from './tables';

export function addBuild(db: Db, actor: Actor, told: { name: string; description: string }): Promise<Build> {
  return write(db, actor, async (w) => {
    await w.tx.insert(builds).values({ projectId: actor.projectId, ...told, createdAt: w.at });
    await w.log('build named', 'build', told.name, null, told);
    return { ...told, createdAt: w.at };
  });
}

/** The next key of a numbered kind; the chain's lock keeps two from taking the same. */
export async function freeNumber(tx: Tx, table: typeof runs | typeof rounds, projectId: number, prefix: string): Promise<string> {
  const [last] = await tx.select({ key: table.key }).from(table).where(eq(table.projectId, projectId)).orderBy(desc(table.id)).limit(1);
  return nextKey(prefix, last ? keyNumber(last.key) : 0);
}

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
}

type RunPlace = Pick<typeof runs.$inferInsert, 'round' | 'build' | 'configuration' | 'unit' | 'tools' | 'tester'>;

function needRow(c: StoredCase, name: string | null): CaseRow | undefined {
  if (name === null) return undefined;
  const row = c.rows?.find((candidate) => candidate.name === name);
  if (!row)
    throw new Refusal('stateForbids', { detail: `${c.key} has no data row ${name} any more: plan a round with the rows that it has now.` });
  return row;
}

/** Runs of these cases on a build that passed and are current. */
async function passedRuns(w: Writing, build: string, chosen: readonly StoredCase[]): Promise<PassedRun[]> {
  const revisions = new Map(chosen.map((c) => [c.key, c.revision]));
  const rows = await w.tx
    .select()
    .from(runs)
    .where(
      and(
        eq(runs.projectId, w.actor.projectId),
        eq(runs.build, build),
        inArray(runs.caseKey, [...revisions.keys(), '']),
        isNull(runs.supersededBy),
      ),
    );
  return rows
    .filter((run) => runPasses(run, revisions.get(run.caseKey) ?? 0))
    .map(({ key, caseKey, row, configuration }) => ({ key, caseKey, caseRevision: revisions.get(caseKey) ?? 0, row, configuration }));
}

/** Plans one run of a case, or of one of its rows, as it stands now: the frozen copy is taken here. */
export async function planRun(
  w: Writing,
  key: string,
  c: StoredCase,
  row: string | null,
  place: RunPlace,
  supersedes: string | null,
): Promise<void> {
  const frozen = await frozenCase(w.tx, w.actor.projectId, c.key, caseContent(c), needRow(c, row));
  await w.tx.insert(runs).values({
    projectId: w.actor.projectId,
    key,
    ...place,
    caseKey: c.key,
    caseRevision: c.revision,
    frozen,
    row,
    steps: frozen.steps.map(() => ({ verdict: null, observed: '', at: null })),
    seconds: 0,
    deviationAccepted: false,
    supersedes,
    revision: 1,
  });
}

/** Plans a round: a run for each case, or for each of its data rows. Cases that nobody can run (no steps, not approved) are refused, all named at once. */
export function addRound(db: Db, actor: Actor, told: NewRound): Promise<RoundDetail> {
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    await needBuild(w.tx, projectId, told.build);
    const [tester] = await w.tx
      .select({ login: people.login })
      .from(people)
      .innerJoin(
        memberships,
        and(eq(memberships.personId, people.id), eq(memberships.projectId, projectId), eq(memberships.role, 'tester')),
      )
      .where(eq(people.login, told.tester));
    if (!tester)
      throw new Refusal('invalid', { fields: [{ path: 'tester', text: `${told.tester || 'Nobody'} is not a tester in this project.` }] });
    const chosen: StoredCase[] = [];
    const faults: { path: string; text: string }[] = [];
    for (const key of new Set(told.cases)) {
      const c = await needCase(w.tx, projectId, key);
      const [fault] = caseFaults(caseContent(c));
      if (fault) faults.push({ path: 'cases', text: `${key} cannot be run. ${fault}` });
      else if (c.state !== 'approved') faults.push({ path: 'cases', text: `${key} is not approved: only approved cases are run.` });
      chosen.push(c);
    }
    if (faults.length) throw new Refusal('invalid', { detail: faults.map((f) => f.text).join(' '), fields: faults });
    const { runs: planned, leftOut } = expandRound(
      chosen.map((c) => ({
        key: c.key,
        revision: c.revision,
        approved: true,
        plannedMinutes: c.plannedMinutes,
        rows: (c.rows ?? []).map((row) => ({ name: row.name, row: row.values })),
      })),
      [told.configuration],
      [told.tester],
      told.leaveOut ? { passed: await passedRuns(w, told.build, chosen) } : {},
    );
    if (!planned.length)
      throw new Refusal('invalid', {
        detail: 'Nothing is left to plan: all of it passed on this build in this configuration, and still stands.',
      });
    const key = await freeNumber(w.tx, rounds, projectId, 'R');
    const { build, title, configuration, unit, tools } = told;
    await w.tx.insert(rounds).values({ projectId, key, build, title, configuration, unit, tools, createdBy: actor.login, createdAt: w.at });
    let number = keyNumber(await freeNumber(w.tx, runs, projectId, 'RUN')) - 1;
    const byKey = new Map(chosen.map((c) => [c.key, c]));
    for (const { caseKey, row } of planned)
      await planRun(
        w,
        nextKey('RUN', number++),
        byKey.get(caseKey) as StoredCase,
        row,
        { round: key, build, configuration, unit, tools, tester: told.tester },
        null,
      );
    await w.log('round planned', 'round', key, null, {
      build,
      title,
      configuration,
      unit,
      tools,
      tester: told.tester,
      cases: chosen.map((c) => `${c.key} revision ${c.revision}`),
      runs: planned.length,
      leftOut: leftOut.map((l) => `${l.caseKey}${l.row === null ? '' : ` row ${l.row}`}`),
    });
    return roundDetail(w.tx, projectId, key);
  });
}
