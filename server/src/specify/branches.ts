import { branchPageSize } from '@contract/base';
import type { BranchRow, Branches } from '@contract/specify';
import { and, asc, count, eq, inArray, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { ledgerHead, plainKey, records, type Db, type Tx } from '../base';
import { needSpecification } from './store';
import { requirements } from './tables';

const deepest = 1000;
const underRecord = alias(records, 'under_record');

export interface BranchesAsked {
  readonly at?: string | undefined;
  readonly of?: string | undefined;
  readonly to?: string | undefined;
}

/** Pages of branches of a specification's tree, all in one snapshot: what somebody sees of it, and no more. */
export function branchesOf(db: Db, projectId: number, key: string, asked: BranchesAsked): Promise<Branches> {
  return db.transaction(async (tx) => {
    const seq = await ledgerHead(tx, projectId);
    const { id } = await needSpecification(tx, projectId, key);
    const [{ total }] = await tx.select({ total: count() }).from(requirements).where(eq(requirements.specificationId, id));
    const pages = [...new Set(asked.at?.split(',') ?? [])].map((page) => {
      const dot = page.lastIndexOf('.');
      return { under: page.slice(0, dot), page: Number(page.slice(dot + 1)) };
    });
    const named = [...new Set([...pages.map(({ under }) => under), ...(asked.of?.split(',') ?? []), asked.to ?? ''])].filter(Boolean);
    const rows = named.length ? await rowsOf(tx, id, and(eq(records.projectId, projectId), inArray(records.key, named.map(plainKey)))) : [];
    const byKey = new Map(rows.map((row) => [row.key, row]));
    const known = pages.filter(({ under }) => under === '' || byKey.has(under));
    const branches: Branches['branches'] = [];
    for (const { under, page } of known) {
      const parent = under === '' ? null : (byKey.get(under)?.id ?? 0);
      const here = await pageOf(tx, id, parent, page);
      branches.push({
        under: under || null,
        page,
        total: parent === null ? await countAtTop(tx, id) : (byKey.get(under)?.children ?? 0),
        rows: here.map(shown),
      });
    }
    return {
      total,
      branches,
      rows: (asked.of?.split(',') ?? []).flatMap((of) => byKey.get(of) ?? []).map(shown),
      path: asked.to === undefined ? [] : await wayTo(tx, id, byKey.get(plainKey(asked.to))),
      seq,
    };
  });
}

interface PlacedRow extends BranchRow {
  readonly id: number;
  readonly underId: number | null;
}

const shown = ({ id: _, underId: _under, ...row }: PlacedRow): BranchRow => row;
const underIs = (parent: number | null): SQL => (parent === null ? sql`${requirements.underId} is null` : eq(requirements.underId, parent));

async function countAtTop(tx: Tx, specificationId: number): Promise<number> {
  const [{ n }] = await tx
    .select({ n: count() })
    .from(requirements)
    .where(and(eq(requirements.specificationId, specificationId), underIs(null)));
  return n;
}

/** A page of a branch: found by its index alone, and read by its rows. */
async function pageOf(tx: Tx, specificationId: number, parent: number | null, page: number): Promise<PlacedRow[]> {
  const ids = await tx
    .select({ id: requirements.id })
    .from(requirements)
    .where(and(eq(requirements.specificationId, specificationId), underIs(parent)))
    .orderBy(asc(requirements.position), asc(requirements.id))
    .limit(branchPageSize)
    .offset(page * branchPageSize);
  return ids.length
    ? rowsOf(
        tx,
        specificationId,
        inArray(
          requirements.id,
          ids.map(({ id }) => id),
        ),
      )
    : [];
}

/** Rows of a specification by a condition, in their order. */
async function rowsOf(tx: Tx, specificationId: number, where: SQL | undefined): Promise<PlacedRow[]> {
  const rows = await tx
    .select({
      id: requirements.id,
      key: records.key,
      title: records.title,
      kind: requirements.kind,
      state: records.state,
      level: requirements.level,
      under: underRecord.key,
      underId: requirements.underId,
      position: requirements.position,
      children:
        sql<number>`(select count(*) from ${requirements} b where b.specification_id = ${specificationId} and b.under_id = ${requirements.id})`.mapWith(
          Number,
        ),
    })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .leftJoin(underRecord, eq(underRecord.id, requirements.underId))
    .where(and(eq(requirements.specificationId, specificationId), where))
    .orderBy(asc(requirements.position), asc(requirements.id));
  return rows.map(({ state, ...row }) => ({ ...row, state: state as BranchRow['state'] }));
}

/** From the top down to a row, each with its place among those beside it. */
async function wayTo(tx: Tx, specificationId: number, to: PlacedRow | undefined): Promise<Branches['path']> {
  const path: { row: BranchRow; at: number }[] = [];
  for (let here = to, i = 0; here && i < deepest; i++) {
    const [{ at }] = await tx
      .select({ at: count() })
      .from(requirements)
      .where(
        and(
          eq(requirements.specificationId, specificationId),
          underIs(here.underId),
          sql`(${requirements.position}, ${requirements.id}) < (${here.position}, ${here.id})`,
        ),
      );
    path.unshift({ row: shown(here), at });
    if (here.underId === null) break;
    [here] = await rowsOf(tx, specificationId, eq(requirements.id, here.underId));
  }
  return path;
}
