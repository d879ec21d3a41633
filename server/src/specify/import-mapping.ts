import { canonicalJson, sha256Hex } from '@core/base';
import type { ColumnMapping } from '@core/specify';
import { and, eq } from 'drizzle-orm';
import { listFields, type Db, type Tx, type Writing } from '../base';
import { importMappings } from './tables';

/** The mapping with which the last table of the same headings was written, as far as its own fields are still there. */
export async function importMapping(tx: Tx, projectId: number, columns: readonly string[]): Promise<ColumnMapping | undefined> {
  const known = await knownMapping(tx, projectId, columns);
  if (!known) return undefined;
  const fields = new Set((await listFields(tx, projectId)).filter((field) => !field.retired).map(({ id }) => `own:${id}`));
  return Object.fromEntries(Object.entries(known).filter(([name]) => !name.startsWith('own:') || fields.has(name)));
}

const headingHash = (columns: readonly string[]): string => sha256Hex(canonicalJson([...columns].sort()));

/** Which column of which headings held what: remembered for the next table of the same headings. */
export async function keepMapping(
  w: Writing,
  columns: readonly string[],
  mapping: ColumnMapping | Readonly<Record<string, string>>,
): Promise<void> {
  const heading = headingHash(columns);
  const values = { mapping: { ...mapping } as Record<string, string>, by: w.actor.login, at: w.at };
  await w.tx
    .insert(importMappings)
    .values({ projectId: w.actor.projectId, heading, ...values })
    .onDuplicateKeyUpdate({ set: values });
}

/** The mapping that was kept for these headings. */
export async function knownMapping(
  db: Db | Tx,
  projectId: number,
  columns: readonly string[],
): Promise<Readonly<Record<string, string>> | undefined> {
  const [row] = await db
    .select({ mapping: importMappings.mapping })
    .from(importMappings)
    .where(and(eq(importMappings.projectId, projectId), eq(importMappings.heading, headingHash(columns))));
  return row?.mapping;
}
