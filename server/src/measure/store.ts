import {
  packBits,
  packTable,
  sizeOf,
  unpackBits,
  unpackTable,
  type DecisionVectors,
  type FileMeasurement,
  type PointTable,
} from '@core/measure';
import { and, eq, isNull } from 'drizzle-orm';
import { account, Refusal, storeBlob, wholeBlob, type Db, type Tx } from '../base';
import { codeTraces, codeUnits, measurements, sources, uploadFiles, uploads, type MeasuredPart } from './tables';

export const sourceRows = account({
  name: 'sources',
  table: sources,
  id: sources.id,
  project: sources.projectId,
  columns: [
    ['buildId', sources.buildId],
    ['path', sources.path],
    ['sha256', sources.sha256],
    ['supersededAt', sources.supersededAt],
  ],
});

export const codeTraceRows = account({
  name: 'code_traces',
  table: codeTraces,
  id: codeTraces.id,
  project: codeTraces.projectId,
  columns: [
    ['buildId', codeTraces.buildId],
    ['path', codeTraces.path],
    ['unit', codeTraces.unit],
    ['requirementKey', codeTraces.requirementKey],
    ['origin', codeTraces.origin],
    ['by', codeTraces.by],
    ['at', codeTraces.at],
    ['reason', codeTraces.reason],
    ['removedAt', codeTraces.removedAt],
  ],
});

export const uploadRows = account({
  name: 'uploads',
  table: uploads,
  id: uploads.id,
  project: uploads.projectId,
  columns: [
    ['buildId', uploads.buildId],
    ['withdrawnAt', uploads.withdrawnAt],
  ],
});

export const measurementRows = account({
  name: 'measurements',
  table: measurements,
  id: measurements.id,
  project: measurements.projectId,
  columns: [
    ['buildId', measurements.buildId],
    ['uploadId', measurements.uploadId],
    ['fileId', measurements.fileId],
    ['runId', measurements.runId],
    ['caseId', measurements.caseId],
    ['caseRevision', measurements.caseRevision],
    ['row', measurements.row],
    ['configuration', measurements.configuration],
    ['tool', measurements.tool],
    ['parts', measurements.parts],
    ['superseded', measurements.superseded],
    ['withdrawn', measurements.withdrawn],
  ],
});

/** A function by its place in the sources of a build. */
export interface UnitPlace {
  readonly path: string;
  readonly unit: string;
}

/** The function as the build's sources have it now. */
export async function needUnit(tx: Tx, buildId: number, { path, unit }: UnitPlace) {
  const [known] = await tx
    .select({ sourceId: sources.id, textHash: codeUnits.textHash })
    .from(sources)
    .innerJoin(codeUnits, eq(codeUnits.sourceId, sources.id))
    .where(and(eq(sources.buildId, buildId), eq(sources.path, path), isNull(sources.supersededAt), eq(codeUnits.name, unit)));
  if (!known) throw new Refusal('notFound', { detail: `${path} has no function ${unit}.` });
  return known;
}

/** A source file measured, with the hash of the text that it was matched to. */
export interface MatchedFile {
  readonly file: FileMeasurement;
  readonly source: string;
  readonly partial: boolean;
}

/** Bits of several source files in one piece of bytes, with a directory of where each stands. Points are stored once, by their hash. */
export async function packParts(tx: Tx, files: readonly MatchedFile[]): Promise<{ parts: MeasuredPart[]; data: Buffer }> {
  const parts: MeasuredPart[] = [];
  const chunks: Buffer[] = [];
  let at = 0;
  for (const { file, source, partial } of files) {
    const table = await storeBlob(tx, Buffer.from(packTable(file.table)));
    const bytes = Buffer.from(packBits(file));
    parts.push({
      path: file.path,
      source,
      table,
      at,
      size: bytes.length,
      points: sizeOf(file.table),
      ...(partial ? { partial: true as const } : {}),
    });
    chunks.push(bytes);
    at += bytes.length;
  }
  return { parts, data: Buffer.concat(chunks) };
}

/** What is kept of something by its name, as long as all of it together is not too much; what was not used for longest goes first. */
class BoundedCache<V> {
  private readonly items = new Map<string, { value: V; size: number }>();
  private total = 0;

  constructor(private readonly most: number) {}

  get(name: string): V | undefined {
    const item = this.items.get(name);
    if (!item) return undefined;
    this.items.delete(name);
    this.items.set(name, item);
    return item.value;
  }

  set(name: string, value: V, size: number): void {
    if (size > this.most / 4) return;
    this.items.set(name, { value, size });
    this.total += size;
    for (const [old, item] of this.items) {
      if (this.total <= this.most) return;
      this.items.delete(old);
      this.total -= item.size;
    }
  }
}

/** Tables of points and hits never change under their names: both are kept unpacked within bounds. */
const tableCache = new BoundedCache<PointTable>(64 << 20);
const hitCache = new BoundedCache<{ bits: Uint32Array; vectors: readonly DecisionVectors[] }>(64 << 20);

export async function pointTable(db: Db | Tx, hash: string): Promise<PointTable> {
  const known = tableCache.get(hash);
  if (known) return known;
  const table = unpackTable(await wholeBlob(db, hash));
  tableCache.set(hash, table, table.line.length * 12 + 200);
  return table;
}

// With its time: a database that was put back from a copy gives its numbers out again.
const hitName = ({ id, loadedAt }: { readonly id: number; readonly loadedAt: string }, { at }: MeasuredPart): string =>
  `${id}:${at}:${loadedAt}`;

/** Is it known here what a part of a measurement hit, so that its bytes need not be read? */
export const hitsKnown = (measurement: { readonly id: number; readonly loadedAt: string }, part: MeasuredPart): boolean =>
  hitCache.get(hitName(measurement, part)) !== undefined;

/** What a part of a measurement hit; `bytes` reads it where it is not known. */
export async function partHits(
  db: Db | Tx,
  measurement: { readonly id: number; readonly loadedAt: string },
  part: MeasuredPart,
  bytes: () => Promise<Buffer>,
): Promise<{ table: PointTable; bits: Uint32Array; vectors: readonly DecisionVectors[] }> {
  const table = await pointTable(db, part.table);
  const name = hitName(measurement, part);
  const known = hitCache.get(name);
  if (known) return { table, ...known };
  const hits = unpackBits(table, await bytes());
  hitCache.set(name, hits, hits.bits.byteLength + hits.vectors.length * 100 + 100);
  return { table, ...hits };
}

export const uploadFileRows = account({
  name: 'upload_files',
  table: uploadFiles,
  id: uploadFiles.id,
  project: uploadFiles.projectId,
  columns: [
    ['uploadId', uploadFiles.uploadId],
    ['name', uploadFiles.name],
    ['sha256', uploadFiles.sha256],
    ['bytes', uploadFiles.bytes],
    ['format', uploadFiles.format],
  ],
});
