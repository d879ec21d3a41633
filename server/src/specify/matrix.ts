import type { MatrixAnswer } from '@contract/specify';
import { matrixOnly, matrixTable, type MatrixOnly } from '@core/specify';
import { and, eq, isNull, sql } from 'drizzle-orm';
import { ledgerHead, listSourceOf, listTraceKinds, records, Refusal, traces, whereOf, type Db, type Tx } from '../base';

const most = 6000;

export interface MatrixQuestion {
  readonly rows: 'requirement' | 'case';
  readonly columns: 'requirement' | 'case';
  readonly rowFilter?: string | undefined;
  readonly columnFilter?: string | undefined;
  readonly trace: string;
}

interface Head {
  readonly id: number;
  readonly key: string;
  readonly title: string;
  readonly state: string;
}

async function headsOf(tx: Tx, projectId: number, kind: 'requirement' | 'case', filter: string | undefined, side: string): Promise<Head[]> {
  const source = await listSourceOf(tx, projectId, kind);
  const where = await whereOf(tx, projectId, source, filter);
  const [rows] = (await tx.execute(
    sql`select ${records.id} as id, ${records.key} as k, ${records.title} as title, ${records.state} as state ${source.from} where ${where} and ${records.retiredAt} is null order by ${records.keyPrefix}, ${records.keyNumber} limit ${most + 1}`,
  )) as unknown as [{ id: number; k: string; title: string; state: string }[]];
  if (rows.length > most)
    throw new Refusal('invalid', {
      fields: [{ path: side, text: `More than ${most.toLocaleString('en')} records are no matrix: ask for fewer by a filter.` }],
    });
  return rows.map(({ id, k, title, state }) => ({ id: Number(id), key: k, title, state }));
}

/** Which records of one filter are traced to which of another, by their places. */
export function matrixOf(
  db: Db,
  projectId: number,
  { rows, columns, rowFilter, columnFilter, trace }: MatrixQuestion,
): Promise<MatrixAnswer> {
  return db.transaction(async (tx) => {
    const kind = (await listTraceKinds(tx, projectId)).find((k) => k.name === trace);
    const goes = (from: string, to: string): boolean =>
      Boolean(kind?.fromKinds.includes(from as never) && kind.toKinds.includes(to as never));
    if (!goes(rows, columns) && !goes(columns, rows))
      throw new Refusal('invalid', { fields: [{ path: 'trace', text: `No trace “${trace}” joins a ${rows} and a ${columns}.` }] });
    const from = goes(rows, columns) ? 'row' : 'column';
    const [left, above] = [
      await headsOf(tx, projectId, rows, rowFilter, 'rowFilter'),
      await headsOf(tx, projectId, columns, columnFilter, 'columnFilter'),
    ];
    const rowAt = new Map(left.map(({ id }, i) => [id, i]));
    const columnAt = new Map(above.map(({ id }, i) => [id, i]));
    const [rowEnd, columnEnd] = from === 'row' ? [traces.fromId, traces.toId] : [traces.toId, traces.fromId];
    const [drawn] = (await tx.execute(
      sql`select t.id, t.r, t.c, f.revision > t.from_revision or o.revision > t.to_revision as suspect, t.waits from (select ${traces.id} as id, ${rowEnd} as r, ${columnEnd} as c, ${traces.fromId} as a, ${traces.toId} as b, ${traces.fromRevision} as from_revision, ${traces.toRevision} as to_revision, ${traces.needsConfirmation} and (${traces.confirmedBy} is null or ${traces.confirmedBy} = ${traces.drawnBy}) as waits from ${traces} where ${and(eq(traces.projectId, projectId), eq(traces.kind, trace), isNull(traces.removedAt))}) t join ${records} f on f.id = t.a join ${records} o on o.id = t.b`,
    )) as unknown as [{ id: number; r: number; c: number; suspect: number; waits: number }[]];
    const cells = drawn.flatMap(({ id, r, c, suspect, waits }) => {
      const [row, column] = [rowAt.get(Number(r)), columnAt.get(Number(c))];
      if (row === undefined || column === undefined) return [];
      return [{ row, column, id: Number(id), state: suspect ? ('suspect' as const) : waits ? ('waiting' as const) : ('sound' as const) }];
    });
    const plain = (heads: readonly Head[]) => heads.map(({ key, title, state }) => ({ key, title, state }));
    return { rows: plain(left), columns: plain(above), cells, from, seq: await ledgerHead(tx, projectId) };
  });
}

/** The same as lines of a table, with just the rows that are asked for. */
export const matrixLines = (matrix: MatrixAnswer, only: MatrixOnly): string[][] => [...matrixTable(matrixOnly(matrix, only))];
