import { canonicalJson, keyNumber, keyPrefix, knots, perKnot, type Json, type Knot } from '@core/base';
import {
  countedCord,
  reasonWords,
  stateOfReason,
  totalsOf,
  type BoardTotals,
  type CodeSummary,
  type Cord,
  type KnotState,
  type LeftTheCount,
} from '@core/prove';
import { and, asc, desc, eq, getTableColumns, isNotNull, ne, or, sql } from 'drizzle-orm';
import { builds, records, revisions, type Db, type Tx } from '../base';
import { requirements } from '../specify';
import { cords, type StoredReason } from './tables';

/** As states of a knot are stored. */
export const stateLetters: Record<KnotState, string> = {
  sound: 'S',
  waiting: 'W',
  broken: 'B',
  suspect: 'U',
  notReached: '-',
  notRequired: 'N',
};
const stateOfLetter = new Map(Object.entries(stateLetters).map(([state, letter]) => [letter, state as KnotState]));

export const lettersOf = (states: Readonly<Record<Knot, KnotState>>): string => knots.map((knot) => stateLetters[states[knot]]).join('');
export const statesOf = (text: string): Record<Knot, KnotState> =>
  perKnot((knot) => stateOfLetter.get(text[knots.indexOf(knot)]) ?? 'notReached');

/** One row of a cord as it is stored. */
export function cordRow(buildId: number, requirementId: number, cord: Cord, code: CodeSummary | undefined): typeof cords.$inferInsert {
  const { key, title, level, firstBreak, below } = cord;
  const states = perKnot((knot) => cord.knots[knot].state);
  const counted = countedCord(cord);
  const first = firstBreak ? cord.knots[firstBreak] : undefined;
  const firstWords = first?.reasons[0] ? reasonWords(first.reasons[0]) : firstBreak ? '' : 'proved';
  return {
    buildId,
    requirementId,
    key,
    keyPrefix: keyPrefix(key),
    keyNumber: keyNumber(key),
    title,
    level,
    states: lettersOf(states),
    below: below && lettersOf(below),
    firstBreak: firstBreak ? knots.indexOf(firstBreak) : 9,
    state: firstBreak ? stateLetters[states[firstBreak]] : 'S',
    short: counted.words,
    reasons: perKnot((knot): readonly StoredReason[] =>
      cord.knots[knot].reasons.slice(0, 50).map((reason) => ({
        code: reason.code,
        state: stateOfReason(reason.code) ?? states[knot],
        words: reasonWords(reason),
        records: reason.records.slice(0, 200),
        action: reason.action,
      })),
    ),
    code: code ?? null,
    words: `${key} ${title} ${level} ${firstWords}`,
  };
}

/** A cord as it stands in the database, its reasons as the text that they are stored as: most are only compared. */
export type StoredCord = Omit<typeof cords.$inferSelect, 'reasons'> & { readonly reasons: string };
export const storedCord = { ...getTableColumns(cords), reasons: sql<string>`${cords.reasons}` };

/** As it was, with its reasons to be read. */
export const asJudged = ({ reasons, ...cord }: StoredCord): typeof cords.$inferSelect => ({
  ...cord,
  reasons: JSON.parse(reasons) as (typeof cords.$inferSelect)['reasons'],
});

/** Is a cord what is stored of it? */
export const sameCord = (judged: typeof cords.$inferInsert, stored: StoredCord): boolean =>
  judged.states === stored.states &&
  judged.below === stored.below &&
  judged.title === stored.title &&
  judged.level === stored.level &&
  judged.key === stored.key &&
  judged.firstBreak === stored.firstBreak &&
  canonicalJson(judged.reasons as unknown as Json) === stored.reasons &&
  canonicalJson((judged.code ?? null) as unknown as Json) === canonicalJson(stored.code as unknown as Json);

type Counted = Pick<typeof cords.$inferSelect, 'states' | 'short' | 'firstBreak'>;

/** How many cords of a build are alike, as its totals count them. */
export class CordCounts {
  private readonly groups = new Map<string, { readonly cord: Counted; count: number }>();

  /** As the database counts them. */
  static async read(tx: Tx, buildId: number): Promise<CordCounts> {
    const counts = new CordCounts();
    const groups = await tx
      .select({ states: cords.states, short: cords.short, firstBreak: cords.firstBreak, count: sql<number>`count(*)`.mapWith(Number) })
      .from(cords)
      .where(eq(cords.buildId, buildId))
      .groupBy(cords.states, cords.short, cords.firstBreak);
    for (const { count, ...cord } of groups) counts.add(cord, count);
    return counts;
  }

  /** Counts some more of one kind, or fewer. */
  add(cord: Counted, count: number): void {
    const key = canonicalJson([cord.states, cord.short, cord.firstBreak]);
    const known = this.groups.get(key);
    if (known) known.count += count;
    else this.groups.set(key, { cord, count });
    if (known?.count === 0) this.groups.delete(key);
  }

  totals(): BoardTotals {
    return totalsOf(
      [...this.groups.values()].map(({ cord: { states, short, firstBreak }, count }) => ({
        states: statesOf(states),
        words: short,
        firstBreak: knots[firstBreak] ?? null,
        count,
      })),
    );
  }
}

/** What was approved as a requirement and is none any more: since the build that was closed last, or ever. */
export async function leftTheCount(tx: Db | Tx, projectId: number): Promise<LeftTheCount | undefined> {
  const [closed] = await tx
    .select({ seq: builds.closedSeq, name: records.key })
    .from(builds)
    .innerJoin(records, eq(records.id, builds.id))
    .where(and(eq(builds.projectId, projectId), isNotNull(builds.closedSeq)))
    .orderBy(desc(builds.closedSeq))
    .limit(1);
  const after = closed?.seq ?? 0;
  // Its last snapshot of then was an approved requirement, or, with nothing closed, any of them was.
  const once =
    after > 0
      ? sql`exists (select 1 from ${revisions} r where r.record_id = ${records.id} and r.seq <= ${after} and r.state = 'approved' and json_value(r.snapshot, '$.kind') = 'requirement')`
      : sql`exists (select 1 from ${revisions} r where r.record_id = ${records.id} and r.state = 'approved' and json_value(r.snapshot, '$.kind') = 'requirement')`;
  const then =
    after > 0
      ? sql`(select r.state from ${revisions} r where r.record_id = ${records.id} and r.seq <= ${after} order by r.seq desc limit 1) <> 'retired'`
      : undefined;
  const rows = await tx
    .select({ key: records.key })
    .from(records)
    .innerJoin(requirements, eq(requirements.id, records.id))
    .where(
      and(
        eq(records.projectId, projectId),
        eq(records.kind, 'requirement'),
        or(isNotNull(records.retiredAt), ne(requirements.kind, 'requirement')),
        once,
        then,
      ),
    )
    .orderBy(asc(records.keyPrefix), asc(records.keyNumber));
  return rows.length ? { count: rows.length, keys: rows.slice(0, 20).map(({ key }) => key), since: closed?.name ?? null } : undefined;
}
