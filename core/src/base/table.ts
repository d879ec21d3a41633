import Papa from 'papaparse';

/**
 * What a spreadsheet would run, were it to open the cell: it begins, also after quotes, apostrophes and blanks, with a sign of formulas, or with
 * a tab or carriage return. A plain negative number is none.
 */
const formula = /^['"\s]*(?:[=+@]|-(?!\d+(?:[.,]\d+)?$))|^'*[\t\r]/;

/** A CSV table (RFC 4180, CRLF). Cells that a spreadsheet would take for a formula get a leading apostrophe. */
export function writeCsv(columns: readonly string[], rows: readonly (readonly (string | number | null)[])[]): string {
  return (
    Papa.unparse([[...columns], ...rows.map((row) => row.map((value) => value ?? ''))], {
      newline: '\r\n',
      escapeFormulae: formula,
    }) + '\r\n'
  );
}

/** A cell as it was before it was written: the apostrophe that keeps a formula from being run comes off again. */
export const plainCell = (cell: string): string => (cell.startsWith("'") && formula.test(cell.slice(1)) ? cell.slice(1) : cell);

/** The rows of a table as text: CSV, or pasted from a spreadsheet with tabs between. Empty lines are rows, so that places are those of the sheet. */
export function readTable(text: string): string[][] {
  const { data } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: false });
  const rows = data.map((row) => row.map(plainCell));
  while (rows.length && rows[rows.length - 1].every((cell) => !cell.trim())) rows.pop();
  return rows;
}
