import type { ResultDetail, ResultRuleRow, ResultUpload } from '@contract/run';
import type { ResultRule } from '@core/run';
import { and, asc, desc, eq, inArray, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { needBuild, projectKey, records, Refusal, write, type Actor, type Db, type Tx } from '../base';
import { needCase } from '../design';
import { resultItemRows, resultMappingRows } from './rows';
import { resultItems, resultMappings, resultUploads, runs } from './tables';

const caseRecord = alias(records, 'case_record');
const runRecord = alias(records, 'run_record');
const roundRecord = alias(records, 'round_record');
const buildRecord = alias(records, 'build_record');

/** By which names results belong to a case, as people said it: the oldest first. */
export async function rulesOf(tx: Db | Tx, projectId: number): Promise<ResultRuleRow[]> {
  return tx
    .select({ id: resultMappings.id, pattern: resultMappings.pattern, caseKey: caseRecord.key, row: resultMappings.row })
    .from(resultMappings)
    .innerJoin(caseRecord, eq(caseRecord.id, resultMappings.caseId))
    .where(and(eq(resultMappings.projectId, projectId), isNull(resultMappings.removedAt)))
    .orderBy(asc(resultMappings.id));
}

/** Uploads of results by their ids, the newest first. */
export async function uploadsById(db: Db | Tx, ids: readonly number[]): Promise<ResultUpload[]> {
  if (!ids.length) return [];
  const rows = await db
    .select({
      upload: resultUploads,
      build: buildRecord.key,
      round: roundRecord.key,
      passed: sql<number>`(select count(*) from ${resultItems} i where i.upload_id = ${resultUploads.id} and i.outcome = 'passed')`.mapWith(
        Number,
      ),
      failed: sql<number>`(select count(*) from ${resultItems} i where i.upload_id = ${resultUploads.id} and i.outcome = 'failed')`.mapWith(
        Number,
      ),
      skipped:
        sql<number>`(select count(*) from ${resultItems} i where i.upload_id = ${resultUploads.id} and i.outcome = 'skipped')`.mapWith(
          Number,
        ),
      unmatched:
        sql<number>`(select count(*) from ${resultItems} i where i.upload_id = ${resultUploads.id} and i.run_id is null and i.dismissed is null)`.mapWith(
          Number,
        ),
    })
    .from(resultUploads)
    .innerJoin(buildRecord, eq(buildRecord.id, resultUploads.buildId))
    .leftJoin(roundRecord, eq(roundRecord.id, resultUploads.roundId))
    .where(inArray(resultUploads.id, [...ids]))
    .orderBy(desc(resultUploads.id));
  return rows.map(({ upload: { projectId: _, buildId: __, roundId: ___, ...upload }, ...more }) => ({ ...upload, ...more }));
}

/** What programs sent for a build, the newest first. */
export async function listResults(db: Db, projectId: number, buildKey: string): Promise<ResultUpload[]> {
  const build = await needBuild(db, projectId, buildKey);
  const ids = await db
    .select({ id: resultUploads.id })
    .from(resultUploads)
    .where(and(eq(resultUploads.projectId, projectId), eq(resultUploads.buildId, build.id)))
    .orderBy(desc(resultUploads.id))
    .limit(500);
  return uploadsById(
    db,
    ids.map(({ id }) => id),
  );
}

export async function resultDetail(db: Db, projectId: number, id: number): Promise<ResultDetail> {
  const [own] = await db
    .select({ id: resultUploads.id })
    .from(resultUploads)
    .where(and(eq(resultUploads.projectId, projectId), eq(resultUploads.id, id)));
  if (!own) throw new Refusal('notFound', { detail: 'There are no such results.' });
  const [upload] = await uploadsById(db, [id]);
  const items = await db
    .select({ item: resultItems, run: runRecord.key, caseKey: caseRecord.key })
    .from(resultItems)
    .leftJoin(runs, eq(runs.id, resultItems.runId))
    .leftJoin(runRecord, eq(runRecord.id, resultItems.runId))
    .leftJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .where(eq(resultItems.uploadId, id))
    .orderBy(asc(sql`${resultItems.runId} is not null or ${resultItems.dismissed} is not null`), asc(resultItems.position))
    .limit(5000);
  return {
    ...upload,
    items: items.map(({ item: { id: itemId, suite, name, outcome, seconds, message, dismissed }, run, caseKey }) => ({
      id: itemId,
      suite,
      name,
      outcome,
      seconds,
      message,
      run,
      caseKey,
      dismissed,
    })),
  };
}

/** Says that a result belongs to no case, and why. */
export async function dismissResult(
  db: Db,
  actor: Actor,
  { id, item, reason }: { id: number; item: number; reason: string },
): Promise<ResultDetail> {
  await write(db, actor, async (w) => {
    const [row] = await w.tx
      .select()
      .from(resultItems)
      .where(and(eq(resultItems.projectId, actor.projectId), eq(resultItems.uploadId, id), eq(resultItems.id, item)))
      .for('update');
    if (!row) throw new Refusal('notFound', { detail: 'There is no such result.' });
    if (row.runId !== null) throw new Refusal('stateForbids', { detail: 'It belongs to a run.' });
    await w.tx.update(resultItems).set({ dismissed: reason.trim() }).where(eq(resultItems.id, item));
    w.log({ action: 'result set aside', kind: 'project', key: projectKey, after: { results: id, name: row.name, reason: reason.trim() } });
    w.wrote(resultItemRows, item);
  });
  return resultDetail(db, actor.projectId, id);
}

export async function addResultRule(db: Db, actor: Actor, { pattern, caseKey, row }: ResultRule): Promise<ResultRuleRow[]> {
  await write(db, actor, async (w) => {
    const c = await needCase(w.tx, actor.projectId, caseKey);
    const rows = (c.row.rows ?? []).map(({ name }) => name);
    if (row !== null && !rows.includes(row))
      throw new Refusal('invalid', { fields: [{ path: 'row', text: `${caseKey} has no data row ${row}.` }] });
    const [made] = await w.tx
      .insert(resultMappings)
      .values({ projectId: actor.projectId, pattern, caseId: c.record.id, row })
      .$returningId();
    w.log({ action: 'results mapped', kind: 'case', key: c.record.key, after: { pattern, row } });
    w.wrote(resultMappingRows, made.id);
  });
  return rulesOf(db, actor.projectId);
}

export async function removeResultRule(db: Db, actor: Actor, id: number): Promise<void> {
  await write(db, actor, async (w) => {
    const [row] = await w.tx
      .select({ id: resultMappings.id, pattern: resultMappings.pattern, key: caseRecord.key })
      .from(resultMappings)
      .innerJoin(caseRecord, eq(caseRecord.id, resultMappings.caseId))
      .where(and(eq(resultMappings.projectId, actor.projectId), eq(resultMappings.id, id), isNull(resultMappings.removedAt)));
    if (!row) throw new Refusal('notFound', { detail: 'There is no such rule.' });
    await w.tx.update(resultMappings).set({ removedAt: w.at }).where(eq(resultMappings.id, id));
    w.log({ action: 'mapping of results taken back', kind: 'case', key: row.key, before: { pattern: row.pattern } });
    w.wrote(resultMappingRows, id);
  });
}
