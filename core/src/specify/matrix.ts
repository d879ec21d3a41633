/** A record at the edge of a matrix. */
export interface MatrixHead {
  readonly key: string;
  readonly title: string;
  readonly state: string;
}

export type CellState = 'sound' | 'waiting' | 'suspect';

/** A trace between the record of a row and that of a column, by their places; those without one have no cell. */
export interface MatrixCell {
  readonly row: number;
  readonly column: number;
  readonly state: CellState;
  /** The trace. */
  readonly id: number;
}

export interface Matrix {
  readonly rows: readonly MatrixHead[];
  readonly columns: readonly MatrixHead[];
  readonly cells: readonly MatrixCell[];
}

/** Which rows are shown: those without any trace, those with fewer than so many, those with a suspect one. */
export interface MatrixOnly {
  readonly only: 'all' | 'gaps' | 'suspect' | 'few';
  /** Of few: rows with fewer traces than this. */
  readonly fewer?: number;
}

/** What stands at the edge of a row or a column: its traces, and how many of them are suspect. */
export interface EdgeSum {
  readonly traces: number;
  readonly suspect: number;
}

export interface MatrixSums {
  readonly rows: readonly EdgeSum[];
  readonly columns: readonly EdgeSum[];
  /** Rows and columns with at least one trace; of how many, the heads say. */
  readonly coveredRows: number;
  readonly coveredColumns: number;
  readonly traces: number;
  readonly suspect: number;
}

export function matrixSums({ rows, columns, cells }: Matrix): MatrixSums {
  const count = (length: number): { traces: number; suspect: number }[] => Array.from({ length }, () => ({ traces: 0, suspect: 0 }));
  const [ofRows, ofColumns] = [count(rows.length), count(columns.length)];
  let suspect = 0;
  for (const cell of cells) {
    for (const sum of [ofRows[cell.row], ofColumns[cell.column]]) {
      sum.traces++;
      if (cell.state === 'suspect') sum.suspect++;
    }
    if (cell.state === 'suspect') suspect++;
  }
  const covered = (sums: readonly EdgeSum[]): number => sums.filter(({ traces }) => traces > 0).length;
  return {
    rows: ofRows,
    columns: ofColumns,
    coveredRows: covered(ofRows),
    coveredColumns: covered(ofColumns),
    traces: cells.length,
    suspect,
  };
}

/** Percent in whole numbers; 100 only where nothing lacks, 0 of 0 is 0. */
export const coveredPercent = (covered: number, of: number): number =>
  of === 0 ? 0 : covered === of ? 100 : Math.min(99, Math.round((100 * covered) / of));

/** A matrix with just the rows that are asked for; its columns stay, so that what remains can be compared. */
export function matrixOnly(matrix: Matrix, asked: MatrixOnly): Matrix {
  if (asked.only === 'all') return matrix;
  const { rows: sums } = matrixSums(matrix);
  const wanted = ({ traces, suspect }: EdgeSum): boolean => {
    if (asked.only === 'gaps') return traces === 0;
    if (asked.only === 'suspect') return suspect > 0;
    return traces < (asked.fewer ?? 2);
  };
  const places = new Map<number, number>();
  for (const [i, sum] of sums.entries()) if (wanted(sum)) places.set(i, places.size);
  return {
    rows: matrix.rows.filter((_, i) => places.has(i)),
    columns: matrix.columns,
    cells: matrix.cells.flatMap((cell) => {
      const row = places.get(cell.row);
      return row === undefined ? [] : [{ ...cell, row }];
    }),
  };
}

/** A table of a matrix: a head row, then a row for each record with its marks and sums, then the sums of the columns. */
export function* matrixTable(matrix: Matrix): Generator<string[]> {
  const sums = matrixSums(matrix);
  const marks: Readonly<Record<CellState, string>> = { sound: 'x', waiting: 'w', suspect: '?' };
  const byRow = new Map<number, MatrixCell[]>();
  for (const cell of matrix.cells) byRow.set(cell.row, [...(byRow.get(cell.row) ?? []), cell]);
  yield ['key', 'title', 'state', 'traces', 'suspect', ...matrix.columns.map(({ key }) => key)];
  for (const [i, { key, title, state }] of matrix.rows.entries()) {
    const line = matrix.columns.map(() => '');
    for (const cell of byRow.get(i) ?? []) line[cell.column] = marks[cell.state];
    yield [key, title, state, String(sums.rows[i].traces), String(sums.rows[i].suspect), ...line];
  }
  yield ['traces', '', '', String(sums.traces), String(sums.suspect), ...sums.columns.map(({ traces }) => String(traces))];
}
