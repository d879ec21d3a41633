import type { ReqifKept } from '@core/specify';
import { canonicalJson, type Json } from '@core/base';
import { and, eq, inArray, max } from 'drizzle-orm';
import {
  externalIds,
  parseHere,
  parseWork,
  records,
  recordsByKey,
  storeBlob,
  wholeBlob,
  type Db,
  type Parse,
  type Tx,
  type Writing,
} from '../base';
import { needSpecification } from './store';
import { exchanged } from './tables';

/** The name under which objects of ReqIF files are known from outside. */
const system = 'ReqIF';

/** Keeps what a file of another tool held, and under which identifiers it knows the requirements. */
export async function keepExchange(w: Writing, specificationId: number, kept: ReqifKept): Promise<void> {
  const { projectId, login } = w.actor;
  const sha256 = await storeBlob(w.tx, Buffer.from(canonicalJson(kept as unknown as Json)));
  const row = { projectId, sha256, by: login, at: w.at };
  await w.tx
    .insert(exchanged)
    .values({ id: specificationId, ...row })
    .onDuplicateKeyUpdate({ set: row });
  const found = await recordsByKey(w.tx, projectId, Object.keys(kept.objects));
  const ids = Object.entries(kept.objects).flatMap(([key, externalId]) => {
    const record = found.get(key);
    return record && externalId ? [{ projectId, system, externalId: externalId.slice(0, 300), recordId: record.id }] : [];
  });
  for (let at = 0; at < ids.length; at += 500) {
    const part = ids.slice(at, at + 500);
    const mine = inArray(
      externalIds.recordId,
      part.map(({ recordId }) => recordId),
    );
    await w.tx.delete(externalIds).where(and(eq(externalIds.system, system), mine));
    await w.tx.insert(externalIds).ignore().values(part);
  }
}

/** What another tool's file held, as it was last imported into a specification: as it is stored. */
async function keptBytes(db: Db | Tx, specificationId: number): Promise<Buffer | undefined> {
  const [row] = await db.select({ sha256: exchanged.sha256 }).from(exchanged).where(eq(exchanged.id, specificationId));
  return row && wholeBlob(db, row.sha256);
}

const keptIn = (bytes: Uint8Array): ReqifKept => JSON.parse(Buffer.from(bytes).toString('utf8')) as ReqifKept;

export async function keptExchange(db: Db | Tx, specificationId: number): Promise<ReqifKept | undefined> {
  const bytes = await keptBytes(db, specificationId);
  return bytes && keptIn(bytes);
}

/** Of a large file all but the identifiers stays in the thread that reads it. */
const parseIdentifiers = parseWork('identifiers of an exchange', (bytes: Uint8Array): Record<string, string> =>
  Object.fromEntries(Object.entries(keptIn(bytes).objects).map(([of, identifier]) => [identifier, of])),
);

/** By which identifiers the requirements of a specification are known outside, and the number of the next key. */
export async function exchangeOf(
  db: Db,
  projectId: number,
  key: string,
  parse: Parse = parseHere,
): Promise<{ prefix: string; next: number; identifiers: Record<string, string> }> {
  const { id, prefix } = await needSpecification(db, projectId, key);
  const [{ last }] = await db
    .select({ last: max(records.keyNumber) })
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.keyPrefix, prefix)));
  const bytes = await keptBytes(db, id);
  const identifiers = bytes ? await parseIdentifiers(parse, bytes) : {};
  return { prefix, next: (last ?? 0) + 1, identifiers };
}
