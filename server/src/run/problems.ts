import type { Problem } from '@contract/run';
import { envelope2, groupBy, recordFormat, textHash } from '@core/base';
import { and, desc, eq, inArray, isNull, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  account,
  changeRecord,
  freeKey,
  insertRecord,
  insertTraces,
  lockRecord,
  needBuild,
  needRecord,
  proveSigner,
  putSignature,
  recordFields,
  recordRows,
  records,
  Refusal,
  refuseStale,
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
export async function problemsById(db: Db | Tx, ids: readonly number[]): Promise<(Problem & { id: number })[]> {
  if (!ids.length) return [];
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
    .where(inArray(problems.id, [...ids]));
  const shown = await shownOn(
    db,
    rows.flatMap(({ record, row, details }) => {
      const build = row.fixedInId ?? details?.claimedInId ?? null;
      return row.caseId !== null && build !== null ? [{ id: record.id, caseId: row.caseId, buildId: build }] : [];
    }),
  );
  const against = groupBy(await tracedTo(db, 'foundAgainst', ids), (t) => t.from);
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
    from: sql`from ${records} join ${problems} on ${problems.id} = ${records.id} join ${records} br on br.id = ${problems.buildId}`,
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

export interface ProblemChange {
  readonly basedOn: number;
  readonly title: string;
  readonly description: string;
  readonly blocking: boolean;
  readonly state: 'open' | 'closed';
  readonly closedReason: string;
  readonly fixedIn?: string | null;
  readonly password?: string;
}

/** Changes, closes or reopens a problem report. Closed, or no longer blocking, while a run that showed it still fails: that is signed. */
export async function saveProblem(db: Db, actor: Actor, key: string, input: ProblemChange): Promise<Problem> {
  const { id } = await needRecord(db, actor.projectId, 'problem', key);
  const before = await problemNow(db, id);
  const [failing] = await db
    .select({ key: records.key })
    .from(problems)
    .innerJoin(runs, eq(runs.id, problems.runId))
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(eq(problems.id, id), eq(runs.verdict, 'failed'), sql`${runs.supersededById} is null and ${runs.withdrawnAt} is null`));
  const eased = before.blocking && before.state === 'open' && (input.state === 'closed' || !input.blocking);
  const mustSign = failing !== undefined && eased;
  if (mustSign && !input.password)
    throw new Refusal('invalid', {
      detail: `${failing.key}, which showed it, still fails: closing it, or taking away that it blocks, is signed.`,
      fields: [{ path: 'password', text: `${failing.key} still fails: sign with your password.` }],
    });
  const signer = mustSign ? await proveSigner(db, actor, input.password ?? '') : undefined;
  await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'problem', key);
    await refuseStale(record, input.basedOn, () => problemNow(w.tx, id));
    if (input.state === 'closed' && input.closedReason.trim().length < 3)
      throw new Refusal('invalid', { fields: [{ path: 'closedReason', text: 'Say why it can be closed.' }] });
    const fixedIn = input.fixedIn ? await needBuild(w.tx, actor.projectId, input.fixedIn) : undefined;
    const { title, description, blocking, state } = input;
    const closedReason = state === 'closed' ? input.closedReason : '';
    const revision = record.revision + 1;
    await changeRecord(w, record, { title, words: description, state, revision });
    await w.tx
      .update(problems)
      .set({ description, blocking, closedReason, fixedInId: state === 'closed' ? (fixedIn?.id ?? null) : null })
      .where(eq(problems.id, id));
    const against = await tracedTo(w.tx, 'foundAgainst', [id]);
    const [{ caseId }] = await w.tx.select({ caseId: problems.caseId }).from(problems).where(eq(problems.id, id));
    const content = { title, description, blocking, state, closedReason, fixedIn: fixedIn?.name ?? null };
    const hash = textHash(envelope2('problem', record.key, revision, content));
    w.log({
      action: record.state === state ? 'problem changed' : state === 'closed' ? 'problem closed' : 'problem reopened',
      kind: 'problem',
      key: record.key,
      before,
      after: { ...content, ...(signer ? { printedName: signer.printedName, hash } : {}) },
      touches: { requirements: against.map((r) => r.id), results: caseId === null ? [] : [caseId] },
    });
    w.snapshot({ recordId: id, revision, state, snapshot: content, hash });
    w.wrote(recordRows, id);
    w.wrote(problemRows, id);
    if (signer)
      await putSignature(w, signer, { recordId: id, revision, meaning: 'closed', format: recordFormat, hash, reason: input.closedReason });
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
