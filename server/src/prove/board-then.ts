import { groupBy, knots } from '@core/base';
import { boardTotals, totalsOf, type BoardTotals } from '@core/prove';
import { and, asc, desc, eq, gt, inArray, isNull, lte } from 'drizzle-orm';
import { integrityFaults, records, Refusal, traces, type Db, type StoredBuild, type Tx } from '../base';
import { runs } from '../run';
import { statesOf } from './cord-rows';
import { cordHistory, cords, judgedAt, type CordThen, type StoredReason } from './tables';

/** The cords of a build as they were for a ledger number. */
export interface BoardThen {
  /** The number that they were judged for: the one asked for, or the last before it. */
  readonly seq: number;
  readonly cords: readonly CordThen[];
  readonly totals: BoardTotals;
}

export const asThen = ({ key, title, level, states, below, firstBreak, short, reasons }: CordThen): CordThen => ({
  key,
  title,
  level,
  states,
  below,
  firstBreak,
  short,
  reasons,
});

/** Keeps what cords were until a ledger number from which on they are others: null where there was none. */
export async function keepHistory(
  tx: Tx,
  buildId: number,
  seq: number,
  changed: readonly { readonly requirementId: number; readonly before: CordThen | null }[],
): Promise<void> {
  for (let at = 0; at < changed.length; at += 250)
    await tx
      .insert(cordHistory)
      .ignore()
      .values(
        changed.slice(at, at + 250).map(({ requirementId, before }) => ({ buildId, requirementId, seq, cord: before && asThen(before) })),
      );
}

/** The board of a build as of a ledger number; refuses where it was not judged so early. */
export async function boardThen(tx: Db | Tx, build: StoredBuild, asOf: number): Promise<BoardThen> {
  const [judged] = await tx
    .select({ seq: judgedAt.seq })
    .from(judgedAt)
    .where(and(eq(judgedAt.buildId, build.id), lte(judgedAt.seq, asOf)))
    .orderBy(desc(judgedAt.seq))
    .limit(1);
  if (!judged) throw new Refusal('notFound', { detail: `${build.name} was not judged yet at entry ${asOf}.` });
  const now = await tx.select().from(cords).where(eq(cords.buildId, build.id));
  const later = await tx
    .select()
    .from(cordHistory)
    .where(and(eq(cordHistory.buildId, build.id), gt(cordHistory.seq, judged.seq)))
    .orderBy(asc(cordHistory.seq));
  const then = new Map<number, CordThen | null>(now.map((row) => [row.requirementId, row]));
  // The oldest of what came later says how it was until then.
  for (const [requirementId, list] of groupBy(later, (row) => row.requirementId)) then.set(requirementId, list[0].cord);
  return summed(
    judged.seq,
    [...then.values()].filter((cord) => cord !== null),
  );
}

function summed(seq: number, list: readonly CordThen[]): BoardThen {
  const groups = groupBy(list, (cord) => `${cord.states} ${JSON.stringify(cord.short)}`);
  return {
    seq,
    cords: list,
    totals: list.length
      ? totalsOf(
          [...groups.values()].map((same) => ({
            states: statesOf(same[0].states),
            words: same[0].short,
            firstBreak: knots[same[0].firstBreak] ?? null,
            count: same.length,
          })),
        )
      : boardTotals([]),
  };
}

/**
 * A closed build stays as it was judged; but where a row that it rests on was changed behind the ledger, its proof is broken all the same.
 * Answers undefined where nothing was.
 */
export async function faultyBoard(tx: Db | Tx, projectId: number, build: StoredBuild): Promise<BoardThen | undefined> {
  if (build.closedSeq === null) return undefined;
  const faults = await tx.select().from(integrityFaults).where(eq(integrityFaults.projectId, projectId));
  const ids = [...new Set(faults.flatMap(({ recordId }) => recordId ?? []))];
  if (!ids.length) return undefined;
  const cases = await tx
    .select({ run: runs.id, caseId: runs.caseId })
    .from(runs)
    .where(and(eq(runs.buildId, build.id), inArray(runs.id, ids)));
  const restsOn = await tx
    .select({ from: traces.fromId, to: traces.toId })
    .from(traces)
    .where(and(eq(traces.projectId, projectId), isNull(traces.removedAt), inArray(traces.fromId, [...ids, ...cases.map((c) => c.caseId)])));
  const keyOf = new Map(
    (await tx.select({ id: records.id, key: records.key, kind: records.kind }).from(records).where(inArray(records.id, ids))).map((r) => [
      r.id,
      r,
    ]),
  );
  const culprits = new Map<number, Set<number>>();
  const blame = (requirement: number, record: number): void =>
    void culprits.set(requirement, (culprits.get(requirement) ?? new Set()).add(record));
  for (const id of ids) blame(id, id);
  for (const { from, to } of restsOn) {
    if (keyOf.has(from)) blame(to, from);
    for (const c of cases) if (c.caseId === from) blame(to, c.run);
  }
  const rows = await tx.select().from(cords).where(eq(cords.buildId, build.id));
  if (!rows.some((row) => culprits.has(row.requirementId))) return undefined;
  return summed(
    build.closedSeq,
    rows.map((row): CordThen => {
      const found = [...(culprits.get(row.requirementId) ?? [])].flatMap((id) => keyOf.get(id) ?? []);
      if (!found.length) return row;
      const reason: StoredReason = {
        code: 'rowChanged',
        state: 'broken',
        words: `Changed behind the ledger: ${found.map((r) => r.key).join(', ')}`,
        records: found.map(({ kind, key }) => ({ kind, key })),
        action: { label: 'Look at it', to: { kind: found[0].kind, key: found[0].key }, place: 'requirement' },
      };
      return {
        ...asThen(row),
        states: `${row.states.slice(0, 4)}B`,
        firstBreak: Math.min(row.firstBreak, knots.length - 1),
        short: { ...row.short, prove: 'changed behind the ledger' },
        reasons: { ...row.reasons, prove: [reason, ...row.reasons.prove] },
      };
    }),
  );
}
