import fc from 'fast-check';
import {
  cellAt,
  cellStates,
  changedBetween,
  columnSums,
  comparedCells,
  comparedGroups,
  comparisonCsv,
  comparisonHtml,
  partCounts,
  runAt,
  type CellState,
  type ComparedRow,
  type ComparedRun,
} from './comparison';

const anyRun = fc
  .record({
    column: fc.integer({ min: 0, max: 3 }),
    row: fc.constantFrom(null, 'a', 'b'),
    configuration: fc.constantFrom('rig', 'cold'),
    verdict: fc.constantFrom('passed' as const, 'failed' as const, 'blocked' as const, 'deviation' as const),
    open: fc.boolean(),
    outdated: fc.boolean(),
  })
  .map(({ open, verdict, ...run }) => ({ ...run, verdict: open ? null : verdict, open }));
const anyRuns = fc
  .array(anyRun, { maxLength: 14 })
  .map((list) => list.map(({ open, ...run }, i): ComparedRun => ({ ...run, number: i + 1, finished: open ? null : 100 + i })));

/** A cell written a second time: slowly, by asking the facts for each combination. */
function slowly(runs: readonly ComparedRun[], column: number): { state: CellState | undefined; flips: boolean } {
  const here = runs.filter((run) => run.column === column);
  const states: CellState[] = [];
  let flips = false;
  for (const configuration of ['rig', 'cold'])
    for (const row of [null, 'a', 'b']) {
      const mine = here.filter((run) => run.configuration === configuration && run.row === row);
      if (!mine.length) continue;
      const done = mine.filter((run) => run.verdict !== null).sort((x, y) => (y.finished ?? 0) - (x.finished ?? 0));
      if (done.some((r) => r.verdict === 'failed') && done.some((r) => r.verdict === 'passed' || r.verdict === 'deviation')) flips = true;
      const [last] = done;
      if (!last?.verdict) states.push('planned');
      else if (last.verdict === 'failed') states.push('failed');
      else if (last.verdict === 'blocked') states.push('blocked');
      else states.push(last.outdated ? 'outdated' : last.verdict);
    }
  const worst = [...states].sort((x, y) => cellStates.indexOf(y) - cellStates.indexOf(x));
  return { state: worst.at(0), flips };
}

const row = (key: string, cells: string, more: Partial<ComparedRow> = {}): ComparedRow => ({
  key,
  title: `Case ${key}`,
  folder: '',
  requirements: [],
  levels: [],
  latest: null,
  flips: [],
  runs: [],
  cells,
  ...more,
});

describe('results beside each other', () => {
  it('say of each column what asking every data row and configuration again says', () => {
    fc.assert(
      fc.property(anyRuns, (runs) => {
        const compared = comparedCells(runs, 4);
        for (let column = 0; column < 4; column++) {
          const told = slowly(runs, column);
          expect(cellAt(compared, column)).toBe(told.state);
          expect(compared.flips.includes(column)).toBe(told.flips);
          const number = runAt(compared, column);
          expect(number === undefined).toBe(told.state === undefined);
          if (number !== undefined) expect(runs.find((run) => run.number === number)?.column).toBe(column);
        }
      }),
    );
  });

  it('sum what is planned, passed, failed and open, a case once a column', () => {
    expect(columnSums([row('C-1', 'pf'), row('C-2', 'do'), row('C-3', '.b'), row('C-4', 's.')], 2)).toEqual([
      { planned: 3, passed: 2, failed: 0, open: 0 },
      { planned: 3, passed: 0, failed: 2, open: 1 },
    ]);
  });

  it('are parted, counted and grouped; a case of two requirements stands under both', () => {
    const rows = [
      row('C-1', 'pf', { requirements: ['R-2', 'R-10'], latest: { state: 'failed', number: 1 }, flips: [1] }),
      row('C-2', 'pp', { requirements: ['R-2'], latest: { state: 'passed', number: 2 } }),
      row('C-3', '..'),
    ];
    expect(partCounts(rows, [0, 1])).toEqual({ all: 3, failing: 1, changed: 1, flips: 1, planned: 0, never: 1 });
    const question = { by: 'requirement', only: 'all', between: [0, 1], words: '' } as const;
    expect(comparedGroups(rows, question).map((g) => [g.name, g.rows.map((r) => r.key)])).toEqual([
      ['R-2', ['C-1', 'C-2']],
      ['R-10', ['C-1']],
      ['', ['C-3']],
    ]);
    expect(comparedGroups(rows, { ...question, by: 'none', words: 'case c-2' }).flatMap((g) => g.rows.map((r) => r.key))).toEqual(['C-2']);
    expect(changedBetween(row('x', 'p.'), [0, 1])).toBeTrue();
  });

  it('go out as a table of words in which nothing is taken for a formula or a tag', () => {
    const groups = [{ name: 'Brake', rows: [row('C-1', 'p.', { title: '<b>=1+1</b>', latest: { state: 'passed', number: 1 } })] }];
    const columns = [
      { key: '1.0', title: '' },
      { key: '2.0', title: '' },
    ];
    expect(comparisonCsv(columns, groups).split('\r\n')[0]).toContain('group,case,title,1.0,2.0,latest');
    expect(comparisonCsv(columns, groups)).toContain('passed,,passed');
    expect(comparisonHtml('T', columns, groups)).not.toContain('<b>');
  });
});
