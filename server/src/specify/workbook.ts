import { writeCsv } from '@core/base';
import { unpack } from '@core/specify';
import type { CellValue } from 'exceljs';
import { parseWork, Refusal, type Parse } from '../base';

const mostBytes = 120 << 20;
const mostRows = 100_000;
const mostColumns = 500;

/** Refuses what would unpack to more than a table can be, before anything of it is kept. */
function refuseBomb(bytes: Uint8Array): void {
  const unpacked = unpack(bytes, mostBytes, () => () => undefined);
  if (unpacked === 'tooMuch')
    throw new Refusal('hostileArchive', { detail: 'The workbook unpacks to far more than a table of requirements has.' });
  if (unpacked === 'broken') throw new Refusal('unreadable', { detail: 'The file is no workbook: its archive is broken.' });
}

/** What a cell shows: of a formula what it gave, of rich text and links their words. */
function textOf(value: CellValue): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'string') return value;
  if (typeof value === 'number') return String(value);
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (value instanceof Date) return value.toISOString().slice(0, 10);
  if ('richText' in value) return value.richText.map(({ text }) => text).join('');
  if ('result' in value) return textOf(value.result ?? null);
  return 'text' in value ? textOf(value.text as CellValue) : '';
}

export interface WorkbookTable {
  readonly sheets: string[];
  readonly sheet: string;
  readonly csv: string;
}

const read = parseWork('workbook', async ({ bytes, sheet }: { bytes: Uint8Array; sheet: string | undefined }): Promise<WorkbookTable> => {
  refuseBomb(bytes);
  // Not read at each start: a node is to be back soon.
  const { default: ExcelJS } = await import('exceljs');
  const workbook = new ExcelJS.Workbook();
  try {
    await workbook.xlsx.load(Buffer.from(bytes) as never);
  } catch {
    throw new Refusal('unreadable', { detail: 'The file is no workbook (XLSX).' });
  }
  const chosen = workbook.worksheets.find(({ name }) => name === sheet) ?? workbook.worksheets.at(0);
  if (!chosen) throw new Refusal('unreadable', { detail: 'The workbook has no table.' });
  if (chosen.rowCount > mostRows || chosen.columnCount > mostColumns)
    throw new Refusal('unreadable', { detail: `The table has more than ${mostRows.toLocaleString('en')} rows or ${mostColumns} columns.` });
  const lines: string[][] = [];
  for (let i = 1; i <= chosen.rowCount; i++)
    lines.push(Array.from({ length: chosen.columnCount }, (_, c) => textOf(chosen.getCell(i, c + 1).value)));
  const [head = [], ...rows] = lines;
  return { sheets: workbook.worksheets.map(({ name }) => name), sheet: chosen.name, csv: writeCsv(head, rows) };
});

/** One table of a workbook as CSV, as the import of tables reads it. What formulas gave is read, not the formulas. */
export const readWorkbook = (bytes: Buffer, sheet: string | undefined, parse: Parse): Promise<WorkbookTable> =>
  read(parse, { bytes: new Uint8Array(bytes), sheet });
