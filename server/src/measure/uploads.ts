import type { CoverageUpload } from '@contract/measure';
import { envelope2, groupBy } from '@core/base';
import { sizeOf } from '@core/measure';
import { and, asc, eq, inArray, sql, type SQL } from 'drizzle-orm';
import {
  among,
  type Ids,
  buildById,
  changeRecord,
  lockRecord,
  proveSigner,
  recordFields,
  records,
  revisions,
  Refusal,
  write,
  type Actor,
  type Db,
  type ListSource,
  type Tx,
} from '../base';
import { alias } from 'drizzle-orm/mysql-core';
import { restingOn } from './carry';
import { signStatement } from './statement';
import { measurementRows, pointTable, uploadRows } from './store';
import { measurements, sources, uploadFiles, uploads, type MeasuredPart, type SaidAtLoading } from './tables';

const caseRecord = alias(records, 'case_record');
const runRecord = alias(records, 'run_record');

/** How uploads of a build are asked for in lists. */
export function uploadList(projectId: number, buildId: number): ListSource {
  return {
    from: sql`from ${records} left join ${uploads} on ${uploads.id} = ${records.id}`,
    fields: recordFields,
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'upload'), eq(uploads.buildId, buildId)) as SQL,
    sort: '-createdAt',
  };
}

export async function uploadsById(db: Db | Tx, ids: Ids): Promise<(CoverageUpload & { id: number })[]> {
  const rows = await db
    .select({ record: records, upload: uploads })
    .from(uploads)
    .innerJoin(records, eq(records.id, uploads.id))
    .where(among(uploads.id, ids));
  const files = groupBy(
    await db.select().from(uploadFiles).where(among(uploadFiles.uploadId, ids)).orderBy(asc(uploadFiles.id)),
    (f) => f.uploadId,
  );
  const bound = groupBy(
    await db
      .select({
        uploadId: measurements.uploadId,
        caseKey: caseRecord.key,
        caseRevision: measurements.caseRevision,
        run: runRecord.key,
        parts: measurements.parts,
      })
      .from(measurements)
      .leftJoin(caseRecord, eq(caseRecord.id, measurements.caseId))
      .leftJoin(runRecord, eq(runRecord.id, measurements.runId))
      .where(among(measurements.uploadId, ids))
      .orderBy(asc(measurements.id)),
    (m) => m.uploadId,
  );
  const said = new Map(
    (
      await db
        .select({ recordId: revisions.recordId, snapshot: revisions.snapshot })
        .from(revisions)
        .where(and(among(revisions.recordId, ids), eq(revisions.revision, 1)))
    ).map(({ recordId, snapshot }) => [recordId, snapshot as Partial<SaidAtLoading>]),
  );
  return Promise.all(
    rows.map(async ({ record, upload }): Promise<CoverageUpload & { id: number }> => {
      const parts = bound.get(record.id) ?? [];
      return {
        id: record.id,
        key: record.key,
        state: upload.withdrawnAt === null ? 'loaded' : 'withdrawn',
        by: record.createdBy,
        at: record.createdAt,
        files: (files.get(record.id) ?? []).map(({ id, name, format, bytes, sha256 }) => ({ id, name, format, bytes, sha256 })),
        ...(await sizesOf(db, parts)),
        rules: said.get(record.id)?.rules ?? null,
        accepted: said.get(record.id)?.accepted ?? '',
        bound: parts.map(({ caseKey, caseRevision, run, parts: own }) => ({
          to: run ?? (caseKey ? `${caseKey} revision ${caseRevision}` : 'nobody: exercised only'),
          files: own.length,
        })),
        findings: [...upload.findings],
      };
    }),
  );
}

/** How many source files an upload speaks of, and how many points it has in them. */
async function sizesOf(
  db: Db | Tx,
  list: readonly { readonly parts: readonly MeasuredPart[] }[],
): Promise<{ matched: number; points: number }> {
  let points = 0;
  const parts = list.flatMap((m) => m.parts);
  for (const part of parts) points += part.points ?? sizeOf(await pointTable(db, part.table));
  return { matched: new Set(parts.map(({ path }) => path)).size, points };
}

/** Withdraws an upload, or brings it back, signed; credit follows, and nothing is deleted. */
export async function withdrawUpload(
  db: Db,
  actor: Actor,
  key: string,
  input: { withdrawn: boolean; reason: string; password: string },
): Promise<CoverageUpload> {
  const signer = await proveSigner(db, actor, input.password);
  const id = await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'upload', key);
    const [upload] = await w.tx.select().from(uploads).where(eq(uploads.id, record.id));
    const { name, closedSeq } = await buildById(w.tx, upload.buildId);
    if (closedSeq !== null) throw new Refusal('closed', { detail: `${name} is closed: nothing is withdrawn from it any more.` });
    if ((upload.withdrawnAt !== null) === input.withdrawn)
      throw new Refusal('stateForbids', { detail: input.withdrawn ? `${key} is withdrawn already.` : `${key} is not withdrawn.` });
    const revision = record.revision + 1;
    const state = input.withdrawn ? 'withdrawn' : 'loaded';
    const mine = await w.tx
      .select({ id: measurements.id, caseId: measurements.caseId, parts: measurements.parts })
      .from(measurements)
      .where(eq(measurements.uploadId, record.id));
    const measured = new Set(mine.flatMap(({ parts }) => parts.map((part) => part.path)));
    const paths = await restingOn(w.tx, upload.buildId, measured);
    const touched = paths.length
      ? await w.tx
          .select({ id: sources.id })
          .from(sources)
          .where(and(eq(sources.buildId, upload.buildId), inArray(sources.path, paths)))
      : [];
    await changeRecord(w, record, { revision, state });
    await w.tx
      .update(uploads)
      .set({ withdrawnAt: input.withdrawn ? w.at : null })
      .where(eq(uploads.id, record.id));
    await w.tx.update(measurements).set({ withdrawn: input.withdrawn }).where(eq(measurements.uploadId, record.id));
    await signStatement(w, signer, {
      recordId: record.id,
      kind: 'upload',
      key: record.key,
      revision,
      state,
      content: { state },
      text: envelope2('upload', record.key, revision, { state }),
      meaning: 'withdrawn',
      reason: input.reason,
      action: input.withdrawn ? 'upload withdrawn' : 'upload brought back',
      after: { reason: input.reason },
      touches: {
        build: upload.buildId,
        results: [...new Set(mine.flatMap(({ caseId }) => caseId ?? []))],
        sources: touched.map((s) => s.id),
      },
    });
    w.wrote(uploadRows, record.id);
    w.wrote(measurementRows, ...mine.map((m) => m.id));
    return record.id;
  });
  const [{ id: _, ...shown }] = await uploadsById(db, [id]);
  return shown;
}

/** A raw file of an upload, as it came. */
export async function needUploadFile(db: Db, projectId: number, id: number): Promise<typeof uploadFiles.$inferSelect> {
  const [file] = await db
    .select()
    .from(uploadFiles)
    .where(and(eq(uploadFiles.projectId, projectId), eq(uploadFiles.id, id)));
  if (!file) throw new Refusal('notFound');
  return file;
}
