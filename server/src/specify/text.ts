import type { Passage } from '@contract/specify';
import { inReadingOrder, numberedRows } from '@core/specify';
import { asc, eq, isNull, and } from 'drizzle-orm';
import { ledgerHead, records, Refusal, type Db } from '../base';
import { needSpecification, requirementsById } from './store';
import { requirements } from './tables';

export interface TextQuestion {
  readonly skip: number;
  readonly limit: number;
  readonly at?: string | undefined;
}

/** A stretch of a specification in reading order, with how deep each row stands and the numbers of headings. What is retired is left out. */
export function readSpecification(
  db: Db,
  projectId: number,
  key: string,
  { skip, limit, at }: TextQuestion,
): Promise<{ rows: Passage[]; skip: number; total: number; seq: number }> {
  return db.transaction(async (tx) => {
    const { id } = await needSpecification(tx, projectId, key);
    const rows = await tx
      .select({ id: requirements.id, key: records.key, underId: requirements.underId, kind: requirements.kind })
      .from(requirements)
      .innerJoin(records, eq(records.id, requirements.id))
      .where(and(eq(requirements.specificationId, id), isNull(records.retiredAt)))
      .orderBy(asc(requirements.position), asc(requirements.id));
    const keyOf = new Map(rows.map((row) => [row.id, row.key]));
    const order = numberedRows(
      inReadingOrder(
        rows.map(({ kind, underId, ...row }) => ({
          ...row,
          under: underId === null ? null : (keyOf.get(underId) ?? null),
          content: { kind },
        })),
      ),
    );
    const from = at === undefined ? skip : order.findIndex(({ row }) => row.key === at);
    if (from < 0) throw new Refusal('notFound', { detail: `${at} does not stand in ${key}.` });
    const stretch = order.slice(from, from + limit);
    const whole = new Map(
      (
        await requirementsById(
          tx,
          stretch.map(({ row }) => row.id),
        )
      ).map((row) => [row.id, row]),
    );
    return {
      rows: stretch.flatMap(({ row, depth, number }) => {
        const found = whole.get(row.id);
        if (!found) return [];
        const { id: _, ...shown } = found;
        return [{ ...shown, depth, number }];
      }),
      skip: from,
      total: order.length,
      seq: await ledgerHead(tx, projectId),
    };
  });
}
