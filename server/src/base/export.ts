import { once } from 'node:events';
import { PassThrough, Readable } from 'node:stream';
import { listLedger, listQuery } from '@contract/base';
import { writeCsv, type VersionedKind } from '@core/base';
import type { FastifyInstance, FastifyReply } from 'fastify';
import * as z from 'zod';
import type { Db } from './database';
import { Refusal } from './errors';
import { listFields } from './fields';
import { callerOf, type AppContext } from './http';
import { entriesFound } from './ledger';
import { allRows } from './list';
import type { ListSource } from './list-filter';

const question = listQuery.pick({ filter: true, sort: true, columns: true }).extend({
  format: z.enum(['csv', 'xlsx', 'json']).default('csv'),
  build: z.string().max(60).optional(),
  specification: z.string().max(60).optional(),
  metric: z.string().max(20).optional(),
});

/** What one list exports: its question, its rows, and the members that become columns, in order. */
export interface ExportList {
  /** The kind whose fields of the project's own are columns too. */
  readonly kind?: VersionedKind;
  readonly columns: readonly string[];
  source?(
    projectId: number,
    asked: { readonly build?: string | undefined; readonly specification?: string | undefined },
  ): Promise<ListSource> | ListSource;
  load?(
    db: Db,
    ids: readonly number[],
    asked: { readonly projectId: number; readonly build?: string | undefined },
  ): Promise<readonly ({ readonly id: number } & object)[]>;
  /** The rows themselves, where what is asked for stands in no table. */
  held?(
    projectId: number,
    asked: { readonly build?: string | undefined; readonly metric?: string | undefined },
    query: { readonly filter?: string; readonly sort?: string },
  ): Promise<readonly object[] | undefined>;
}

type Cell = string | number | null;
const cellOf = (value: unknown): Cell => {
  if (value === undefined || value === null) return '';
  if (typeof value === 'number' || typeof value === 'string') return value;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return Array.isArray(value) ? value.map(cellOf).join('; ') : JSON.stringify(value);
};

/** The same question as the list's, all its rows as a file that is written while it is read. */
export function serveExport(app: FastifyInstance, context: AppContext, name: string, list: ExportList): void {
  const { db } = context.database;
  app.get<{ Params: { project: string }; Querystring: z.output<typeof question> }>(
    `/api/projects/:project/exports/${name}`,
    {
      config: { may: 'member' },
      schema: { summary: `The ${name} that a filter finds, as CSV, XLSX or JSON`, tags: ['Base'], querystring: question },
    },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { format, filter, sort, columns: wanted, ...asked } = request.query;
      const own = list.kind
        ? (await listFields(db, membership.projectId)).filter((field) => field.kind === list.kind && !field.retired)
        : [];
      const { names: columns, cells } = chosenColumns(list.columns, own, wanted);
      const query = { ...(filter ? { filter } : {}), ...(sort ? { sort } : {}) };
      const rows = rowsOf(db, list, membership.projectId, asked, query);
      // The first row is read before anything is answered, so that a filter that is refused is refused as everywhere.
      const first = await rows.next();
      const all = async function* (): AsyncGenerator<Row> {
        if (first.done) return;
        yield first.value;
        yield* rows;
      };
      void reply.header('content-disposition', `attachment; filename="${name}-${membership.slug}.${format}"`);
      if (format === 'json') return reply.type('application/json; charset=utf-8').send(Readable.from(asJson(all())));
      return sendTable(reply, format, { name, columns, rows: all(), cells });
    },
  );
}

type Row = Record<string, unknown> & { id: number };

async function* rowsOf(
  db: Db,
  list: ExportList,
  projectId: number,
  asked: Pick<z.output<typeof question>, 'build' | 'specification' | 'metric'>,
  query: { readonly filter?: string; readonly sort?: string },
): AsyncGenerator<Row> {
  const held = await list.held?.(projectId, asked, query);
  if (held) return yield* held as Row[];
  const { source, load } = list;
  if (!source || !load) return;
  yield* allRows(db, projectId, await source(projectId, asked), query, (from, ids) =>
    load(from as Db, ids, { projectId, build: asked.build }),
  ) as AsyncGenerator<Row>;
}

const ledgerColumns = ['seq', 'at', 'who', 'action', 'kind', 'key', 'before', 'after', 'previous', 'hash'] as const;
const ledgerQuestion = listLedger.query.omit({ before: true, limit: true }).extend({ format: z.enum(['csv', 'json']).default('csv') });

/** The entries that the ledger's page finds, as a table for people, or line by line in JSON, from which each hash can be computed again. */
export function serveLedgerExport(app: FastifyInstance, context: AppContext): void {
  app.get<{ Params: { project: string }; Querystring: z.output<typeof ledgerQuestion> }>(
    '/api/projects/:project/exports/ledger',
    {
      config: { may: 'member' },
      schema: {
        summary: 'The ledger entries that a question finds, oldest first, as CSV or JSON lines',
        tags: ['Base'],
        querystring: ledgerQuestion,
      },
    },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { format, ...asked } = request.query;
      const entries = entriesFound(context.database.db, membership.projectId, asked);
      const name = `ledger-${membership.slug}.${format === 'csv' ? 'csv' : 'jsonl'}`;
      void reply.header('content-disposition', `attachment; filename="${name}"`);
      if (format === 'json') return reply.type('application/jsonl; charset=utf-8').send(Readable.from(asLines(entries)));
      const cells = (entry: Readonly<Record<string, unknown>>): Cell[] =>
        ledgerColumns.map((column) => (column === 'before' || column === 'after' ? said(entry[column]) : cellOf(entry[column])));
      return reply.type('text/csv; charset=utf-8').send(Readable.from(asCsv(ledgerColumns, entries, (entry) => cells({ ...entry }))));
    },
  );
}

const said = (value: unknown): string => (value === null ? '' : JSON.stringify(value));

async function* asLines(entries: AsyncGenerator<object>): AsyncGenerator<string> {
  for await (const entry of entries) yield `${JSON.stringify(entry)}\n`;
}

/** The columns of an export: all of the list and the project's own, or just those that are named, in that order. */
function chosenColumns(
  columns: readonly string[],
  own: readonly { readonly id: number; readonly name: string }[],
  wanted: string | undefined,
): { names: string[]; cells: (row: Readonly<Record<string, unknown>>) => Cell[] } {
  const all = new Map<string, { name: string; read: (row: Readonly<Record<string, unknown>>) => unknown }>([
    ...columns.map((column) => [column, { name: column, read: (row: Readonly<Record<string, unknown>>) => row[column] }] as const),
    ...own.map(
      ({ id, name }) =>
        [
          `own:${id}`,
          { name, read: (row: Readonly<Record<string, unknown>>) => (row['own'] as Record<string, unknown> | undefined)?.[String(id)] },
        ] as const,
    ),
  ]);
  const names = wanted === undefined ? [...all.keys()] : wanted.split(',');
  const strange = names.find((name) => !all.has(name));
  if (strange !== undefined) throw new Refusal('invalid', { fields: [{ path: 'columns', text: `There is no column “${strange}” here.` }] });
  const chosen = names.flatMap((name) => all.get(name) ?? []);
  return { names: chosen.map(({ name }) => name), cells: (row) => chosen.map(({ read }) => cellOf(read(row))) };
}

async function* asJson(rows: AsyncGenerator<Row>): AsyncGenerator<string> {
  let before = '[\n';
  for await (const { id: _, ...row } of rows) {
    yield before + JSON.stringify(row);
    before = ',\n';
  }
  yield before === '[\n' ? '[]\n' : '\n]\n';
}

async function* asCsv<R>(
  columns: readonly string[],
  rows: AsyncIterable<R> | Iterable<R>,
  cells: (row: R) => Cell[],
): AsyncGenerator<string> {
  yield writeCsv(columns, []);
  for await (const row of rows)
    yield writeCsv(
      cells(row).map((cell) => String(cell ?? '')),
      [],
    );
}

/** A table as it goes out: the name of its sheet, its columns, and its rows with how each becomes cells. */
interface Table<R> {
  readonly name: string;
  readonly columns: readonly string[];
  readonly rows: AsyncIterable<R> | Iterable<R>;
  cells(row: R): Cell[];
}

/** Answers with a table, as the format that was asked for. */
export function sendTable<R>(reply: FastifyReply, format: 'csv' | 'xlsx', { name, columns, rows, cells }: Table<R>): FastifyReply {
  if (format === 'csv') return reply.type('text/csv; charset=utf-8').send(Readable.from(asCsv(columns, rows, cells)));
  return reply.type('application/vnd.openxmlformats-officedocument.spreadsheetml.sheet').send(asXlsx(name, columns, rows, cells));
}

/** Texts stay texts: a cell that begins like a formula is none. Rows go out as they are read. */
function asXlsx<R>(name: string, columns: readonly string[], rows: AsyncIterable<R> | Iterable<R>, cells: (row: R) => Cell[]): Readable {
  const stream = new PassThrough();
  void (async () => {
    try {
      // Not read at each start: a node is to be back soon.
      const { default: ExcelJS } = await import('exceljs');
      const workbook = new ExcelJS.stream.xlsx.WorkbookWriter({ stream, useSharedStrings: false, useStyles: true });
      workbook.creator = 'Cord Proof';
      const sheet = workbook.addWorksheet(name, { views: [{ state: 'frozen', ySplit: 1 }] });
      const head = sheet.addRow([...columns]);
      head.font = { bold: true };
      head.commit();
      for await (const row of rows) {
        sheet.addRow(cells(row)).commit();
        // As fast as the reader takes it, not as fast as the database gives it.
        if (stream.writableNeedDrain) await once(stream, 'drain');
      }
      sheet.commit();
      await workbook.commit();
    } catch (error) {
      stream.destroy(error instanceof Error ? error : new Error(String(error)));
    }
  })();
  return stream;
}
