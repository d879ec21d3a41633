import fc from 'fast-check';
import { coveredPercent, matrixOnly, matrixSums, matrixTable, type CellState, type Matrix } from './index';

const head = (key: string) => ({ key, title: `T ${key}`, state: 'approved' });
const of = (rows: number, columns: number, cells: [number, number, CellState][]): Matrix => ({
  rows: Array.from({ length: rows }, (_, i) => head(`R-${i}`)),
  columns: Array.from({ length: columns }, (_, i) => head(`C-${i}`)),
  cells: cells.map(([row, column, state], id) => ({ row, column, state, id })),
});
const any = fc
  .record({ rows: fc.integer({ min: 0, max: 6 }), columns: fc.integer({ min: 0, max: 6 }) })
  .chain(({ rows, columns }) =>
    fc
      .uniqueArray(
        fc.tuple(
          fc.nat(Math.max(0, rows - 1)),
          fc.nat(Math.max(0, columns - 1)),
          fc.constantFrom<CellState>('sound', 'waiting', 'suspect'),
        ),
        { selector: ([r, c]) => `${r} ${c}`, maxLength: rows * columns },
      )
      .map((cells) => of(rows, columns, rows && columns ? cells : [])),
  );

describe('a matrix of traces', () => {
  it('has the same sum over its rows and over its columns', () => {
    fc.assert(
      fc.property(any, (matrix) => {
        const sums = matrixSums(matrix);
        const total = (list: readonly { traces: number }[]): number => list.reduce((n, { traces }) => n + traces, 0);
        expect([total(sums.rows), total(sums.columns)]).toEqual([matrix.cells.length, matrix.cells.length]);
        expect(sums.coveredRows).toBe(new Set(matrix.cells.map((c) => c.row)).size);
        expect(sums.coveredColumns).toBe(new Set(matrix.cells.map((c) => c.column)).size);
      }),
    );
  });

  it('shows only gaps, few or suspect rows with what stands in them, as told a second time', () => {
    fc.assert(
      fc.property(any, fc.integer({ min: 1, max: 3 }), (matrix, fewer) => {
        const marks = (m: Matrix): string[] => m.cells.map((c) => `${m.rows[c.row].key} ${m.columns[c.column].key} ${c.state}`).sort();
        const traces = (key: string): CellState[] => matrix.cells.filter((c) => matrix.rows[c.row].key === key).map((c) => c.state);
        for (const [asked, holds] of [
          [{ only: 'gaps' }, (key: string) => traces(key).length === 0],
          [{ only: 'suspect' }, (key: string) => traces(key).includes('suspect')],
          [{ only: 'few', fewer }, (key: string) => traces(key).length < fewer],
          [{ only: 'all' }, () => true],
        ] as const) {
          const shown = matrixOnly(matrix, asked);
          expect(shown.rows.map((r) => r.key)).toEqual(matrix.rows.map((r) => r.key).filter(holds));
          expect(marks(shown)).toEqual(marks(matrix).filter((mark) => holds(mark.split(' ')[0])));
        }
      }),
    );
  });

  it('is a table with its sums at both edges', () => {
    expect([
      ...matrixTable(
        of(2, 2, [
          [0, 1, 'sound'],
          [1, 1, 'suspect'],
        ]),
      ),
    ]).toEqual([
      ['key', 'title', 'state', 'traces', 'suspect', 'C-0', 'C-1'],
      ['R-0', 'T R-0', 'approved', '1', '0', '', 'x'],
      ['R-1', 'T R-1', 'approved', '1', '1', '', '?'],
      ['traces', '', '', '2', '1', '0', '2'],
    ]);
  });

  it('is wholly covered only where nothing lacks', () => {
    expect([coveredPercent(999, 1000), coveredPercent(1000, 1000), coveredPercent(0, 0), coveredPercent(1, 3)]).toEqual([99, 100, 0, 33]);
  });
});
