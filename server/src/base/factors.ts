import type { Factor } from '@contract/base';
import { and, asc, eq, isNotNull } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { secondFactors } from './tables';

export type StoredFactor = typeof secondFactors.$inferSelect;

/** The second factors of a person that count. */
export const factorsOf = (db: Db | Tx, personId: number): Promise<StoredFactor[]> =>
  db
    .select()
    .from(secondFactors)
    .where(and(eq(secondFactors.personId, personId), isNotNull(secondFactors.confirmedAt)))
    .orderBy(asc(secondFactors.id));

/** The factors without recovery codes: these stand in for one of them, and are none themselves. */
export const devicesOf = async (db: Db | Tx, personId: number): Promise<StoredFactor[]> =>
  (await factorsOf(db, personId)).filter(({ kind }) => kind !== 'recovery');

/** The kinds of second factor that a person may show: none where they have no second factor. */
export async function factorKinds(db: Db, personId: number): Promise<Factor['kind'][]> {
  return [...new Set((await factorsOf(db, personId)).map(({ kind }) => kind))];
}
