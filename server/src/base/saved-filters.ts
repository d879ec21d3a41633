import type { SavedFilter } from '@contract/base';
import { and, asc, count, eq, or } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { savedFilters } from './work-tables';
import { write, type Actor } from './writing';

const mostOfOne = 200;

/** A person's own filters of a list, and those that are shared, by name. */
export async function listFilters(db: Db | Tx, projectId: number, login: string, list: string): Promise<SavedFilter[]> {
  const rows = await db
    .select()
    .from(savedFilters)
    .where(
      and(
        eq(savedFilters.projectId, projectId),
        eq(savedFilters.list, list),
        or(eq(savedFilters.login, login), eq(savedFilters.shared, true)),
      ),
    )
    .orderBy(asc(savedFilters.name), asc(savedFilters.id))
    .limit(500);
  // Where somebody else begins is theirs.
  return rows.map(({ projectId: _, at: _at, first, ...filter }) => ({ ...filter, first: first && filter.login === login }));
}

/** Saves a question under a name: the same name of the same person again is changed. What is shared stands in the ledger. */
export function saveFilter(
  db: Db,
  actor: Actor,
  input: { list: string; name: string; question: string; shared: boolean },
): Promise<SavedFilter[]> {
  const { projectId, login } = actor;
  const { list, name, question, shared } = input;
  return write(db, actor, async (w) => {
    const mine = and(eq(savedFilters.projectId, projectId), eq(savedFilters.login, login), eq(savedFilters.list, list));
    const [known] = await w.tx
      .select()
      .from(savedFilters)
      .where(and(mine, eq(savedFilters.name, name)))
      .for('update');
    if (known) await w.tx.update(savedFilters).set({ question, shared, at: w.at }).where(eq(savedFilters.id, known.id));
    else {
      const [{ n }] = await w.tx.select({ n: count() }).from(savedFilters).where(mine);
      if (n >= mostOfOne) throw new Refusal('tooMany', { detail: `One person may have ${mostOfOne} saved filters of a list.` });
      await w.tx.insert(savedFilters).values({ projectId, login, list, name, question, shared, first: false, at: w.at });
    }
    if (shared) w.log({ action: 'filter shared', kind: 'filter', key: name.slice(0, 60), after: { list, name, question } });
    return listFilters(w.tx, projectId, login, list);
  });
}

async function needMine(tx: Tx, { projectId, login }: Actor, id: number): Promise<typeof savedFilters.$inferSelect> {
  const [row] = await tx
    .select()
    .from(savedFilters)
    .where(and(eq(savedFilters.id, id), eq(savedFilters.projectId, projectId), eq(savedFilters.login, login)))
    .for('update');
  if (!row) throw new Refusal('notFound', { detail: 'You have no such filter.' });
  return row;
}

/** Changes one's own: its name, whether it is shared, and whether one's list begins with it, which one of each list may. */
export function changeFilter(
  db: Db,
  actor: Actor,
  id: number,
  change: { name?: string | undefined; shared?: boolean | undefined; first?: boolean | undefined },
): Promise<SavedFilter[]> {
  const { projectId, login } = actor;
  return write(db, actor, async (w) => {
    const row = await needMine(w.tx, actor, id);
    const { name = row.name, shared = row.shared, first = row.first } = change;
    if (first)
      await w.tx
        .update(savedFilters)
        .set({ first: false })
        .where(and(eq(savedFilters.projectId, projectId), eq(savedFilters.login, login), eq(savedFilters.list, row.list)));
    await w.tx.update(savedFilters).set({ name, shared, first }).where(eq(savedFilters.id, id));
    if (shared !== row.shared)
      w.log({
        action: shared ? 'filter shared' : 'filter kept to oneself',
        kind: 'filter',
        key: name.slice(0, 60),
        after: { list: row.list, name, question: row.question },
      });
    return listFilters(w.tx, projectId, login, row.list);
  });
}

/** Forgets one's own. */
export function dropFilter(db: Db, actor: Actor, id: number): Promise<void> {
  return write(db, actor, async (w) => {
    const { list, name, shared } = await needMine(w.tx, actor, id);
    await w.tx.delete(savedFilters).where(eq(savedFilters.id, id));
    if (shared) w.log({ action: 'shared filter taken away', kind: 'filter', key: name.slice(0, 60), before: { list, name } });
  });
}
