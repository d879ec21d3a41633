import type { RoundDetail, RoundPreview } from '@contract/run';
import { caseFormat, expandRound, inDependenceOrder, type CaseRow, type ExpandedRound, type PassedRun } from '@core/design';
import { runPasses } from '@core/prove';
import { doneByProgram, roundConfiguration } from '@core/run';
import { and, asc, eq, inArray, isNotNull, isNull, sql } from 'drizzle-orm';
import {
  freeKeys,
  insertMany,
  insertRecords,
  listTokens,
  memberships,
  needOpenBuild,
  needRecord,
  people,
  recordRows,
  records,
  recordsByKey,
  Refusal,
  whereOf,
  write,
  type Actor,
  type Db,
  type JobProgress,
  type StoredBuild,
  type Tx,
  type Writing,
} from '../base';
import {
  caseContent,
  caseList,
  whyNotRun,
  casesVerifying,
  frozenCase,
  groupCases,
  listCaseKinds,
  needCases,
  type StoredCase,
} from '../design';
import { requirementsOf } from '../specify';
import { insertRound, roundDetail } from './rounds';
import { runRows } from './rows';
import { selectRuns, type StoredRun } from './store';
import { runs } from './tables';

/** What decides which runs a round has, and whose they are. */
export interface RoundQuestion {
  readonly build: string;
  readonly configuration: string;
  readonly tester: string;
  /** Others among whom the runs are shared out. */
  readonly sharedWith?: readonly string[];
  readonly cases: readonly string[];
  /** Instead of keys: all cases that a list's question finds. What of them cannot be run is left out. */
  readonly filter?: string | undefined;
  /** Several configurations: a run of each case and row in each. */
  readonly configurations?: readonly string[];
  /** What pulls in its cases. */
  readonly from?: RoundFrom | undefined;
  /** Leave out what already passed on this build in this configuration, and still stands. */
  readonly leaveOut?: 'passed' | undefined;
}

export interface NewRound extends RoundQuestion {
  readonly title: string;
  readonly unit: string;
  readonly tools: string;
  /** Why what has a result already is planned again. */
  readonly reason?: string;
}

/** Beside cases that are named: what a round may be planned from. */
export interface RoundFrom {
  readonly requirements: readonly string[];
  readonly specification?: string | undefined;
  readonly groups: readonly string[];
  /** An earlier round: all of it, without what passed and stands, or only what failed or was blocked. */
  readonly round?: string | undefined;
  readonly part: 'all' | 'notPassed' | 'failed';
}

const mostCases = 2000;

export interface RunPlace {
  readonly roundId: number;
  readonly buildId: number;
  readonly configuration: string;
  readonly unit: string;
  readonly tools: string;
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
async function results(tx: Tx, build: StoredBuild, chosen: readonly StoredCase[]): Promise<StoredRun[]> {
  if (!chosen.length) return [];
  return selectRuns(
    tx,
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
  readonly tester: string;
  readonly supersedesId: number | null;
  /** Another configuration than that of its place. */
  readonly configuration?: string;
}

/** What runs of the same case and row begin with alike. */
type FrozenRun = Pick<typeof runs.$inferInsert, 'frozen' | 'steps' | 'format' | 'corrections'>;

/** Reports how many of many are there, now and then. */
function counting(
  progress: JobProgress | undefined,
  all: number,
  { from, to, words }: { readonly from: number; readonly to: number; readonly words: string },
): ((count: number) => Promise<void>) | undefined {
  return (
    progress &&
    (async (count) => (count % 2500 ? undefined : progress.report(from + ((to - from) * count) / all, `${count} of ${all} ${words}`)))
  );
}

/** Plans runs of cases, or of their rows, as they stand now: the frozen copies are taken here. Belongs to the entry logged before. */
export async function planRuns(w: Writing, place: RunPlace, planned: readonly PlannedRun[], progress?: JobProgress): Promise<string[]> {
  const { projectId } = w.actor;
  const keys = await freeKeys(w, 'RUN', planned.length);
  // The same case with the same row is the same text, in however many configurations it is run.
  const known = new Map<string, FrozenRun>();
  const frozen: FrozenRun[] = [];
  for (const { c, row } of planned) {
    const name = JSON.stringify([c.record.key, row]);
    let one = known.get(name);
    if (!one) {
      const content = await frozenCase(w.tx, projectId, c.record.key, caseContent(c), needRow(c, row));
      const steps = content.steps.map(() => ({ verdict: null, observed: '', at: null }));
      known.set(name, (one = { frozen: content, steps, format: caseFormat(content), corrections: [] }));
    }
    frozen.push(one);
  }
  const ids = await insertRecords(
    w,
    planned.map(({ c, row, configuration }, i) => ({
      kind: 'run' as const,
      key: keys[i],
      title: frozen[i].frozen.title,
      words: `${c.record.key} ${row ?? ''} ${configuration ?? place.configuration}`,
      state: 'planned',
    })),
    counting(progress, planned.length, { from: 0.15, to: 0.35, words: 'runs have their keys' }),
  );
  await insertMany(
    w.tx,
    runs,
    planned.map(({ c, row, tester, supersedesId, configuration }, i) => ({
      id: ids.get(keys[i]) ?? 0,
      projectId,
      ...place,
      configuration: configuration ?? place.configuration,
      caseId: c.record.id,
      caseRevision: c.record.revision,
      ...frozen[i],
      row,
      tester,
      seconds: 0,
      deviationAccepted: false,
      setAside: false,
      supersedesId,
    })),
    counting(progress, planned.length, { from: 0.35, to: 0.75, words: 'runs hold their case as it is now' }),
  );
  await progress?.report(0.75, 'The ledger accounts for them');
  w.wrote(recordRows, ...ids.values());
  w.wrote(runRows, ...ids.values());
  return keys;
}

/** Refuses who may not record here: a person who is a tester, or a program whose token lets it. */
export async function needTester(tx: Tx, projectId: number, login: string): Promise<void> {
  if (doneByProgram(login)) {
    if ((await programsOf(tx, projectId)).includes(login)) return;
    throw new Refusal('invalid', { fields: [{ path: 'tester', text: `There is no program ${login} that records here.` }] });
  }
  const [tester] = await tx
    .select({ login: people.login })
    .from(people)
    .innerJoin(memberships, and(eq(memberships.personId, people.id), eq(memberships.projectId, projectId), eq(memberships.role, 'tester')))
    .where(and(eq(people.login, login), eq(people.disabled, false)));
  if (!tester)
    throw new Refusal('invalid', { fields: [{ path: 'tester', text: `${login || 'Nobody'} is not a tester in this project.` }] });
}

/** The programs for which runs may be planned, as they are named in records. */
export async function programsOf(db: Db | Tx, projectId: number): Promise<string[]> {
  const now = new Date().toISOString();
  return (await listTokens(db as Db, projectId)).flatMap(({ name, roles, endedAt, expiresAt }) =>
    endedAt === null && expiresAt > now && roles.includes('tester') ? [`program:${name}`] : [],
  );
}

interface Refused {
  readonly key: string;
  readonly why: string;
}

/** A round as it would be. */
interface RoundPlan {
  readonly build: StoredBuild;
  readonly chosen: readonly StoredCase[];
  readonly expanded: ExpandedRound;
  readonly refused: readonly Refused[];
  /** Requirements that were asked for and that no case verifies. */
  readonly without: readonly string[];
  /** The run that stands for a planned one already. */
  before(planned: { readonly caseKey: string; readonly row: string | null; readonly configuration: string }): StoredRun | undefined;
}

async function keysFound(tx: Tx, projectId: number, filter: string): Promise<string[]> {
  const source = caseList(projectId);
  const where = await whereOf(tx, projectId, source, filter);
  const [rows] = (await tx.execute(
    sql`select ${records.key} as k ${source.from} where ${where} order by ${asc(records.keyPrefix)}, ${asc(records.keyNumber)} limit ${mostCases + 1}`,
  )) as unknown as [{ k: string }[]];
  if (rows.length > mostCases) throw new Refusal('tooLarge', { detail: `At most ${mostCases} cases at once.` });
  return rows.map(({ k }) => k);
}

/** Which runs a round would have: those of the chosen cases that can be run, shared out, without what passed and stands where that is asked. */
async function planRound(tx: Tx, projectId: number, input: RoundQuestion): Promise<RoundPlan> {
  const build = await needOpenBuild(tx, projectId, input.build);
  const testers = [...new Set([input.tester, ...(input.sharedWith ?? [])])];
  for (const tester of testers) await needTester(tx, projectId, tester);
  const pulled = input.from ? await pulledIn(tx, projectId, build, input.from) : { cases: [], without: [] };
  const named = input.filter === undefined ? input.cases : await keysFound(tx, projectId, input.filter);
  const keys = [...new Set([...named, ...pulled.cases])];
  if (keys.length > mostCases) throw new Refusal('tooLarge', { detail: `At most ${mostCases} cases at once.` });
  const configurations = input.configurations?.length ? [...new Set(input.configurations)] : [input.configuration];
  const all = inDependenceOrder(
    (await needCases(tx, projectId, keys)).map((c) => ({ ...c, key: c.record.key, dependsOn: c.details?.dependsOn ?? [] })),
  );
  const kinds = await listCaseKinds(tx, projectId);
  const refused = all.flatMap((c) => {
    const why = whyNotRun(c, kinds);
    return why === undefined ? [] : [{ key: c.record.key, why }];
  });
  const out = new Set(refused.map(({ key }) => key));
  const chosen = all.filter(({ record }) => !out.has(record.key));
  const standing = await results(tx, build, chosen);
  const passed = standing.filter(passes).map(({ record, run, caseKey, caseNow }): PassedRun => ({
    key: record.key,
    caseKey,
    caseRevision: caseNow,
    row: run.row,
    configuration: run.configuration,
  }));
  const expanded = expandRound(
    chosen.map(({ record, row }) => ({
      key: record.key,
      revision: record.revision,
      approved: true,
      plannedMinutes: row.plannedMinutes,
      rows: (row.rows ?? []).map((dataRow) => ({ name: dataRow.name, row: dataRow.values })),
    })),
    configurations,
    testers,
    input.leaveOut ? { passed } : {},
  );
  const here = new Map(standing.map((stored) => [`${stored.caseKey}\n${stored.run.row ?? ''}\n${stored.run.configuration}`, stored]));
  return {
    build,
    chosen,
    expanded,
    refused,
    without: pulled.without,
    before: ({ caseKey, row, configuration }) => here.get(`${caseKey}\n${row ?? ''}\n${configuration}`),
  };
}

/** The cases of requirements, a specification, groups or an earlier round; and the requirements that have none. */
async function pulledIn(
  tx: Tx,
  projectId: number,
  build: StoredBuild,
  { requirements: asked, specification, groups, round, part }: RoundFrom,
): Promise<{ cases: string[]; without: string[] }> {
  const found: string[] = [];
  const wanted = [...asked, ...(specification === undefined ? [] : await requirementsOf(tx, projectId, specification))];
  const without: string[] = [];
  if (wanted.length) {
    const ends = await recordsByKey(tx, projectId, [...new Set(wanted)]);
    const verifying = await casesVerifying(
      tx,
      [...ends.values()].map(({ id }) => id),
    );
    for (const key of wanted) {
      const mine = verifying.get(ends.get(key)?.id ?? 0) ?? [];
      if (mine.length) found.push(...mine);
      else without.push(key);
    }
  }
  for (const group of groups) found.push(...(await groupCases(tx, projectId, group)));
  if (round !== undefined) {
    const record = await needRecord(tx, projectId, 'round', round);
    const rows = await selectRuns(tx, and(eq(runs.roundId, record.id), isNull(runs.withdrawnAt)));
    const bad = (stored: StoredRun): boolean => stored.run.verdict === 'failed' || stored.run.verdict === 'blocked';
    const chosen = part === 'failed' ? rows.filter((stored) => bad(stored) && stored.run.supersededById === null) : rows;
    const keys = [...new Set(chosen.map(({ caseKey }) => caseKey))];
    // On another build nothing of it stands: there all that did not pass here is meant.
    const open = rows.filter((stored) => !passes(stored)).map(({ caseKey }) => caseKey);
    found.push(...(part === 'notPassed' && rows[0]?.run.buildId === build.id ? keys.filter((key) => open.includes(key)) : keys));
  }
  return { cases: [...new Set(found)], without: [...new Set(without)] };
}

const namedInPreview = 100;

/** What a round would be; nothing is written. */
export function previewRound(db: Db, projectId: number, input: RoundQuestion): Promise<RoundPreview> {
  return db.transaction(async (tx) => {
    const { chosen, expanded, refused, without, before } = await planRound(tx, projectId, input);
    const { runs: planned, leftOut, minutes, minutesOf } = expanded;
    const named = (caseKey: string, row: string | null): string => (row === null ? caseKey : `${caseKey} row ${row}`);
    const again = planned.filter((run) => before(run));
    const passed = leftOut.map(({ caseKey, row, why }) => ({
      key: named(caseKey, row),
      why: why.code === 'passed' ? `${why.run} passed and stands.` : 'It is not approved.',
    }));
    return {
      cases: chosen.length,
      runs: planned.length,
      minutes,
      people: [...minutesOf].map(([login, mine]) => ({
        login,
        minutes: mine,
        runs: planned.filter(({ person }) => person === login).length,
      })),
      refused: refused.slice(0, namedInPreview),
      refusedCount: refused.length,
      passed: passed.slice(0, namedInPreview),
      passedCount: passed.length,
      again: again.slice(0, namedInPreview).map(({ caseKey, row }) => named(caseKey, row)),
      againCount: again.length,
      without: without.slice(0, namedInPreview),
    };
  });
}

/**
 * Plans a round: a run for each case, or for each of its data rows. Of cases that were named, those that nobody can run (no steps, not
 * approved) are refused, all named at once; of those that a question found they are left out.
 */
export async function addRound(db: Db, actor: Actor, input: NewRound): Promise<RoundDetail> {
  const { key } = await writeRound(db, actor, input);
  return roundDetail(db, actor.projectId, key);
}

/** The same for whoever needs no more of it than its key and how many runs it has; tells how far it is. */
export function writeRound(
  db: Db,
  actor: Actor,
  input: NewRound,
  progress?: JobProgress,
): Promise<{ readonly key: string; readonly runs: number }> {
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    if (!input.cases.length && input.filter === undefined && !input.from)
      throw new Refusal('invalid', { fields: [{ path: 'cases', text: 'Choose at least one case.' }] });
    const { build, chosen, expanded, refused, before } = await planRound(w.tx, projectId, input);
    const { runs: planned, leftOut } = expanded;
    if (refused.length && input.filter === undefined) {
      const fields = refused.map(({ why }) => ({ path: 'cases', text: why }));
      throw new Refusal('invalid', { detail: fields.map((f) => f.text).join(' '), fields });
    }
    if (!planned.length)
      throw new Refusal('invalid', {
        detail: chosen.length
          ? 'Nothing is left to plan: all of it passed on this build in this configuration, and still stands.'
          : 'Nothing is left to plan: none of these cases can be run.',
      });
    const again = planned.filter((run) => before(run));
    if (again.length && (input.reason ?? '').trim().length < 3)
      throw new Refusal('invalid', {
        fields: [{ path: 'reason', text: `${again[0].caseKey} has a result here already: say why it is planned again.` }],
      });
    const { title, unit, tools, tester, sharedWith = [] } = input;
    const configurations = [...new Set(planned.map((run) => run.configuration))];
    const configuration = roundConfiguration(configurations);
    const byKey = new Map(chosen.map((c) => [c.record.key, c]));
    const { id: roundId, key: made } = await insertRound(
      w,
      { title, build, configuration, unit, tools },
      {
        unit,
        tools,
        tester,
        ...(sharedWith.length ? { sharedWith } : {}),
        cases: chosen.map(({ record }) => `${record.key} revision ${record.revision}`),
        runs: planned.length,
        leftOut: [...leftOut.map((l) => `${l.caseKey}${l.row === null ? '' : ` row ${l.row}`}`), ...refused.map((r) => r.key)],
        ...(again.length ? { plannedAgain: again.length, reason: input.reason } : {}),
      },
      { build: build.id, results: chosen.map(({ record }) => record.id) },
    );
    await planRuns(
      w,
      { roundId, buildId: build.id, configuration, unit, tools },
      planned.map((run) => ({
        c: byKey.get(run.caseKey) as StoredCase,
        row: run.row,
        tester: run.person,
        configuration: run.configuration,
        supersedesId: before(run)?.run.id ?? null,
      })),
      progress,
    );
    return { key: made, runs: planned.length };
  });
}
