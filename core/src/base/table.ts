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
