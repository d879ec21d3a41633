import type { News } from '@contract/base';
import { decidingActions, newsKind, type NewsKind } from '@core/base';
import { and, desc, eq, inArray, lt, ne } from 'drizzle-orm';
import { followers, ledger, newsMarks, records, type Db, type SignedIn } from '../base';
import { runs } from '../run';

interface Asked {
  readonly before?: number | undefined;
  readonly limit: number;
}
const usual: Asked = { limit: 30 };

async function marksOf(db: Db, projectId: number, personId: number): Promise<{ seen: number; off: readonly NewsKind[] }> {
  const [row] = await db
    .select({ seen: newsMarks.seen, off: newsMarks.off })
    .from(newsMarks)
    .where(and(eq(newsMarks.projectId, projectId), eq(newsMarks.personId, personId)));
  return row ?? { seen: 0, off: [] };
}

/** What others did to the records that a person follows, and decided about what they wrote or recorded; newest first. */
export async function newsOf(db: Db, projectId: number, { id, login }: SignedIn, asked: Asked = usual): Promise<News> {
  const { seq, at, who, action, kind, key, before, after, previous, hash } = ledger;
  const shown = { seq, at, who, action, kind, key, before, after, previous, hash };
  const { seen, off } = await marksOf(db, projectId, id);
  const wanted = and(
    eq(ledger.projectId, projectId),
    ne(ledger.who, login),
    ...(asked.before === undefined ? [] : [lt(seq, asked.before)]),
  );
  const ofRecord = and(eq(ledger.projectId, records.projectId), eq(ledger.kind, records.kind), eq(ledger.key, records.key));
  // What is switched off is left out behind: as many more are read as could be left out.
  const most = asked.limit * (off.length ? 4 : 1);
  const decided = and(inArray(action, [...decidingActions]), wanted);
  const followed = db
    .select(shown)
    .from(followers)
    .innerJoin(records, and(eq(records.id, followers.recordId), eq(records.projectId, projectId)))
    .innerJoin(ledger, ofRecord)
    .where(and(eq(followers.personId, id), wanted))
    .orderBy(desc(seq))
    .limit(most);
  // Apart, each by its own index: “or” over two tables would read every record of the project.
  const written = db
    .select(shown)
    .from(records)
    .innerJoin(ledger, ofRecord)
    .where(and(eq(records.projectId, projectId), inArray(records.kind, ['requirement', 'case']), eq(records.createdBy, login), decided))
    .orderBy(desc(seq))
    .limit(most);
  const recorded = db
    .select(shown)
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(ledger, ofRecord)
    .where(and(eq(runs.projectId, projectId), eq(runs.tester, login), decided))
    .orderBy(desc(seq))
    .limit(most);
  const found = new Map((await Promise.all([followed, written, recorded])).flat().map((entry) => [entry.seq, entry]));
  const entries = [...found.values()]
    .map((entry) => ({ ...entry, why: newsKind(entry, login) }))
    .filter(({ why }) => !off.includes(why))
    .sort((one, other) => other.seq - one.seq)
    .slice(0, asked.limit);
  return { entries, seen, unseen: entries.filter((entry) => entry.seq > seen).length, off: [...off] };
}

/** Notes what a person has seen, or which kinds they switched off. It is their own and no part of the work: it stands in no ledger. */
export async function setNews(
  db: Db,
  projectId: number,
  person: SignedIn,
  change: { readonly seen?: number | undefined; readonly off?: readonly NewsKind[] | undefined },
): Promise<News> {
  const now = await marksOf(db, projectId, person.id);
  const next = { seen: Math.max(now.seen, change.seen ?? 0), off: change.off ? [...new Set(change.off)] : [...now.off] };
  await db
    .insert(newsMarks)
    .values({ projectId, personId: person.id, ...next })
    .onDuplicateKeyUpdate({ set: next });
  return newsOf(db, projectId, person);
}
