import { gunzipSync } from 'node:zlib';
import type { Job } from '@contract/base';
import { sentTableSchema, type ImportSummary } from '@contract/specify';
import type { ColumnMapping, ImportContext } from '@core/specify';
import { eq } from 'drizzle-orm';
import {
  addJobIn,
  arrivedFiles,
  asJob,
  dropIncoming,
  needArrived,
  needJob,
  parseHere,
  parseWork,
  readManyWritten,
  Refusal,
  write,
  type Actor,
  type Db,
  type JobProgress,
  type Parse,
  type StoredJob,
} from '../base';
import { asShown, contextOf, importRequirements, summaryOf } from './import';
import { importMapping } from './import-mapping';
import { importJobs } from './tables';

/** What a table may unpack to. */
const mostBytes = 400 << 20;

/** A table as it was sent: unpacked, and with nothing in it that a table does not have. */
function unpacked(bytes: Uint8Array) {
  let said: unknown;
  try {
    said = JSON.parse(gunzipSync(bytes, { maxOutputLength: mostBytes }).toString('utf8'));
  } catch {
    throw new Refusal('unreadable', { detail: `What was sent is no table, or unpacks to more than ${mostBytes >> 20} MiB.` });
  }
  const { data } = sentTableSchema.safeParse(said);
  if (!data) throw new Refusal('unreadable', { detail: 'What was sent is no table of requirements.' });
  return data;
}

interface Sent {
  readonly bytes: Uint8Array;
  readonly mapping: ColumnMapping | undefined;
  readonly context: ImportContext;
}

const parseSent = parseWork('requirements, sent in parts', async ({ bytes, mapping, context }: Sent) => {
  const { csv, layouts } = unpacked(bytes);
  const laidOut = layouts ? { layouts: await readManyWritten({ parse: parseHere }, layouts) } : {};
  return summaryOf({ csv, mapping, context: { ...context, ...laidOut } });
});

async function arrived(db: Db, { projectId, login }: Actor, id: string): Promise<Uint8Array> {
  const [file] = await arrivedFiles(db, projectId, login, [id]);
  return file.bytes;
}

/** What a table that came in parts would write; nothing is written. */
export async function previewSentTable(
  db: Db,
  actor: Actor,
  {
    table,
    mapping,
    columns,
    specification,
  }: { table: string; mapping?: ColumnMapping | undefined; columns: readonly string[]; specification?: string | undefined },
  parse: Parse = parseHere,
): Promise<ImportSummary> {
  const { projectId } = actor;
  const bytes = await arrived(db, actor, table);
  const { known, ...context } = await db.transaction(async (tx) => ({
    ...(await contextOf(tx, projectId, specification)),
    known: mapping ?? (await importMapping(tx, projectId, columns)),
  }));
  return asShown(await parseSent(parse, { bytes, mapping: known, context }));
}

export interface SentImport {
  readonly table: string;
  readonly specification: string;
  readonly fileName: string;
  readonly mapping: Record<string, string>;
  readonly missing: 'leave' | 'retire';
}

/** Asks for the import of a table that came in parts: a job does it. */
export async function importSentTable(db: Db, actor: Actor, { table, ...asked }: SentImport): Promise<Job> {
  // Whole, and the asker's own.
  await needArrived(db, actor.projectId, actor.login, table);
  const id = await write(db, actor, async (w) => {
    const jobId = await addJobIn(w, 'import', asked.specification);
    await w.tx.insert(importJobs).values({ jobId, incoming: table, ...asked });
    w.log({
      action: 'import asked for',
      kind: 'specification',
      key: asked.specification,
      after: { job: jobId, file: asked.fileName },
    });
    return jobId;
  });
  return asJob(await needJob(db, actor.projectId, id));
}

/** The job of an import: in one transaction, so that a job that is cancelled or killed has written nothing. */
export async function workImportJob(db: Db, job: StoredJob, progress: JobProgress): Promise<string> {
  const [{ incoming, jobId: id, ...asked }] = await db.select().from(importJobs).where(eq(importJobs.jobId, job.id));
  const actor: Actor = { login: job.by, projectId: job.projectId, now: () => new Date() };
  await progress.report(0.02, 'The table is read');
  const { csv, layouts, exchange } = unpacked(await arrived(db, actor, incoming));
  await progress.report(0.1, 'It is compared with what is there');
  const { written, changed, same, retired } = await importRequirements(db, actor, { ...asked, csv, layouts, exchange }, parseHere, {
    id,
    reached: (part, words) => progress.report(part, words),
  });
  await dropIncoming(db, actor.projectId, actor.login, [incoming]);
  const told = Object.entries({ new: written, changed, retired, 'the same': same })
    .filter(([, n]) => n)
    .map(([words, n]) => `${n.toLocaleString('en')} ${words}`);
  return `${asked.fileName}: ${told.join(', ')}`;
}
