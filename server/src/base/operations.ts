import { sql } from 'drizzle-orm';
import { isClash } from './errors';
import { gathered } from './gathered';
import { statement } from './statement';
import { operations } from './tables';
import type { Actor } from './writing';

/** What a client named a request with, and whose it is. */
interface OperationName {
  readonly login: string;
  readonly operation: string;
}
interface OperationDone {
  readonly route: string;
  /** Empty while it is being done. */
  readonly answer: string;
}

const namedRows = statement((db) =>
  db
    .select({ login: operations.login, operation: operations.operation, route: operations.route, answer: operations.answer })
    .from(operations)
    .where(sql`(${operations.login}, ${operations.operation}) in (${sql.placeholder('names')})`),
);

/** What was done under a name before; undefined where nothing was. */
export const knownOperation = gathered(async (db, names: readonly OperationName[]): Promise<(OperationDone | undefined)[]> => {
  const rows = await namedRows(db, { names: names.map(({ login, operation }) => [login, operation]) });
  return names.map(({ login, operation }) => rows.find((row) => row.login === login && row.operation === operation));
});

interface Answered {
  readonly actor: Actor;
  readonly operation: NonNullable<Actor['operation']>;
  readonly answer: string;
}

/** Remembers the answer of a request that wrote something: whoever repeats it gets the same one. */
export const noteAnswer = gathered(async (db, answered: readonly Answered[]): Promise<void[]> => {
  const rows = answered.map(({ actor: { projectId, login, now }, operation: { name, route }, answer }) => ({
    projectId,
    login,
    operation: name,
    route,
    at: now().toISOString(),
    answer,
  }));
  for (;;)
    try {
      await db
        .insert(operations)
        .values(rows)
        .onDuplicateKeyUpdate({ set: { answer: sql`values(answer)` } });
      return answered.map(() => undefined);
    } catch (error) {
      if (!isClash(error)) throw error;
    }
});
