import type { Problem } from '@contract/run';
import { groupBy } from '@core/base';
import { and, desc, eq, inArray, isNull, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  among,
  type Ids,
  account,
  freeKey,
  insertRecord,
  insertTraces,
  needBuild,
  needRecord,
  recordFields,
  recordRows,
  records,
  write,
  type Actor,
  type Db,
  type ListSource,
  type Tx,
} from '../base';
import { needRequirement, tracedTo } from '../specify';
import { needRun } from './store';
import { problemDetails, problems, runs } from './tables';

export const problemRows = account({
  name: 'problems',
  table: problems,
  id: problems.id,
  project: problems.projectId,
  columns: [
    ['description', problems.description],
    ['blocking', problems.blocking],
    ['runId', problems.runId],
    ['step', problems.step],
    ['caseId', problems.caseId],
    ['buildId', problems.buildId],
    ['fixedInId', problems.fixedInId],
    ['closedReason', problems.closedReason],
  ],
});

const runRecord = alias(records, 'run_record');
const caseRecord = alias(records, 'case_record');
const buildRecord = alias(records, 'build_record');
const fixedRecord = alias(records, 'fixed_record');
const claimedRecord = alias(records, 'claimed_record');

/** Problem reports by their ids. */
export async function problemsById(db: Db | Tx, ids: Ids): Promise<(Problem & { id: number })[]> {
  const rows = await db
    .select({
      record: records,
      row: problems,
      run: runRecord.key,
      caseKey: caseRecord.key,
      build: buildRecord.key,
      fixedIn: fixedRecord.key,
      claimedIn: claimedRecord.key,
      details: problemDetails,
    })
    .from(problems)
    .innerJoin(records, eq(records.id, problems.id))
    .innerJoin(buildRecord, eq(buildRecord.id, problems.buildId))
    .leftJoin(runRecord, eq(runRecord.id, problems.runId))
    .leftJoin(caseRecord, eq(caseRecord.id, problems.caseId))
    .leftJoin(fixedRecord, eq(fixedRecord.id, problems.fixedInId))
    .leftJoin(problemDetails, eq(problemDetails.id, problems.id))
    .leftJoin(claimedRecord, eq(claimedRecord.id, problemDetails.claimedInId))
    .where(among(problems.id, ids));
  const shown = await shownOn(
    db,
    rows.flatMap(({ record, row, details }) => {
      const build = row.fixedInId ?? details?.claimedInId ?? null;
      return row.caseId !== null && build !== null ? [{ id: record.id, caseId: row.caseId, buildId: build }] : [];
    }),
  );
  const against = groupBy(
    await tracedTo(
      db,
      'foundAgainst',
      rows.map(({ record }) => record.id),
    ),
    (t) => t.from,
  );
  return rows.map(({ record, row, run, caseKey, build, fixedIn, claimedIn, details }) => ({
    id: record.id,
    key: record.key,
    title: record.title,
    description: row.description,
    blocking: row.blocking,
    state: record.state as Problem['state'],
    run,
    step: row.step,
    caseKey,
    build,
    fixedIn: fixedIn ?? claimedIn,
    severity: details?.severity ?? '',
    priority: details?.priority ?? '',
    area: details?.area ?? '',
    assigned: details?.assigned ?? null,
    due: details?.due ?? null,
    // One that nobody moved stands where the life begins, or where it ends.
    stage: details?.stage ?? (record.state === 'closed' ? 'closed' : 'open'),
    shownBy: shown.get(record.id) ?? [],
    requirements: (against.get(record.id) ?? []).map((t) => t.key),
    own: { ...record.own } as Problem['own'],
    revision: record.revision,
    raisedBy: record.createdBy,
    raisedAt: record.createdAt,
    closedReason: row.closedReason,
  }));
}

/** The runs of the case that showed a problem, on the build that has the fix: what shows whether it is gone. */
async function shownOn(
  db: Db | Tx,
  asked: readonly { readonly id: number; readonly caseId: number; readonly buildId: number }[],
): Promise<Map<number, Problem['shownBy']>> {
  if (!asked.length) return new Map();
  const rows = await db
    .select({ caseId: runs.caseId, buildId: runs.buildId, key: records.key, verdict: runs.verdict })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(
      and(
        inArray(
          runs.caseId,
          asked.map(({ caseId }) => caseId),
        ),
        inArray(
          runs.buildId,
          asked.map(({ buildId }) => buildId),
        ),
        isNull(runs.withdrawnAt),
        isNull(runs.supersededById),
      ),
    )
    .orderBy(desc(runs.id));
  return new Map(
    asked.map(({ id, caseId, buildId }) => [
      id,
      rows.filter((row) => row.caseId === caseId && row.buildId === buildId).map(({ key, verdict }) => ({ key, verdict })),
    ]),
  );
}

/** How problem reports are asked for in lists. */
export function problemList(projectId: number): ListSource {
  return {
    from: sql`from ${records} left join ${problems} on ${problems.id} = ${records.id} left join ${records} br on br.id = ${problems.buildId}`,
    fields: {
      ...recordFields,
      blocking: { value: problems.blocking, type: 'yesNo' },
      build: { value: sql`br.record_key`, type: 'text' },
      severity: detail('severity'),
      priority: detail('priority'),
      area: detail('area'),
      assigned: detail('assigned'),
      due: detail('due'),
      stage: {
        value: sql`ifnull((select d.stage from problem_details d where d.id = ${records.id}), if(${records.state} = 'closed', 'closed', 'open'))`,
        type: 'text',
      },
      requirement: {
        value: sql`(select min(q.record_key) from traces t join records q on q.id = t.to_id where t.from_id = ${records.id} and t.kind = 'foundAgainst' and t.removed_at is null)`,
        type: 'text',
        list: sql`(select json_arrayagg(q.record_key) from traces t join records q on q.id = t.to_id where t.from_id = ${records.id} and t.kind = 'foundAgainst' and t.removed_at is null)`,
      },
    },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'problem')) as SQL,
    sort: '-createdAt',
  };
}

const detail = (name: string): ListSource['fields'][string] => ({
  value: sql`ifnull((select ${sql.raw(`d.${name}`)} from problem_details d where d.id = ${records.id}), '')`,
  type: 'text',
});

export async function problemNow(db: Db | Tx, id: number): Promise<Problem> {
  const [{ id: _, ...problem }] = await problemsById(db, [id]);
  return problem;
}

export interface NewProblem {
  readonly title: string;
  readonly description: string;
  readonly blocking: boolean;
  readonly run: string | null;
  readonly step: number | null;
  readonly build: string;
  readonly requirements: readonly string[];
}

/** Raises a problem report. One that comes from a run is linked to its case, build and the requirements that the case verifies. */
export async function addProblem(db: Db, actor: Actor, input: NewProblem): Promise<Problem> {
  const id = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const build = await needBuild(w.tx, projectId, input.build);
    const run = input.run === null ? undefined : await needRun(w.tx, projectId, input.run);
    const ends = new Map<number, Awaited<ReturnType<typeof needRequirement>>['record']>();
    const verified = run ? await tracedTo(w.tx, 'verifies', [run.run.caseId]) : [];
    for (const key of new Set([...input.requirements, ...verified.map((r) => r.key)])) {
      const { record } = await needRequirement(w.tx, projectId, key);
      ends.set(record.id, record);
    }
    const { title, description, blocking, step } = input;
    const key = await freeKey(w, 'PR');
    const made = await insertRecord(w, { kind: 'problem', key, title, words: description, state: 'open' });
    await w.tx.insert(problems).values({
      id: made,
      projectId,
      description,
      blocking,
      runId: run?.run.id ?? null,
      step,
      caseId: run?.run.caseId ?? null,
      buildId: run?.run.buildId ?? build.id,
      closedReason: '',
    });
    w.log({
      action: 'problem raised',
      kind: 'problem',
      key,
      after: { ...input, build: run?.build ?? build.name },
      touches: { requirements: [...ends.keys()], results: run ? [run.run.caseId] : [] },
    });
    w.snapshot({ recordId: made, revision: 1, state: 'open', snapshot: { title, description, blocking } });
    w.wrote(recordRows, made);
    w.wrote(problemRows, made);
    const from = { id: made, kind: 'problem' as const, key, title, revision: 1, state: 'open' };
    await insertTraces(
      w,
      'foundAgainst',
      [...ends.values()].map((to) => [from, { ...to, state: 'draft' }] as const),
    );
    return made;
  });
  return problemNow(db, id);
}

/** Says that a run shows a problem that is reported already. */
export async function linkProblem(db: Db, actor: Actor, key: string, runKey: string): Promise<Problem> {
  const id = await write(db, actor, async (w) => {
    const record = await needRecord(w.tx, actor.projectId, 'problem', key);
    const { record: run, run: row } = await needRun(w.tx, actor.projectId, runKey);
    w.log({
      action: 'problem shown again',
      kind: 'problem',
      key: record.key,
      after: { run: run.key },
      touches: { build: row.buildId, results: [row.caseId] },
    });
    await insertTraces(w, 'shownIn', [[record, run]]);
    return record.id;
  });
  return problemNow(db, id);
}
