import Papa from 'papaparse';

/**
 * A CSV table (RFC 4180, CRLF). Cells that a spreadsheet would take for a formula get a leading apostrophe.
 */
export function writeCsv(columns: readonly string[], rows: readonly (readonly (string | number | null)[])[]): string {
  return (
    Papa.unparse([[...columns], ...rows.map((row) => row.map((value) => value ?? ''))], {
      newline: '\r\n',
      escapeFormulae: /^[=+@\t\r]|^-(?!\d)/,
    }) + '\r\n'
  );
}
