import type { Factor } from '@contract/base';
import { and, asc, eq, isNotNull } from 'drizzle-orm';
import type { Db } from './database';
import { secondFactors } from './tables';

export type StoredFactor = typeof secondFactors.$inferSelect;

/** The second factors of a person that count. */
export const factorsOf = (db: Db, personId: number): Promise<StoredFactor[]> =>
  db
    .select()
    .from(secondFactors)
    .where(and(eq(secondFactors.personId, personId), isNotNull(secondFactors.confirmedAt)))
    .orderBy(asc(secondFactors.id));

/** The kinds of second factor that a person has: none where they have no second factor. */
export async function factorKinds(db: Db, personId: number): Promise<Factor['kind'][]> {
  return [...new Set((await factorsOf(db, personId)).map(({ kind }) => kind))];
}
