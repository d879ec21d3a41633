import { compareKeys, escapeHtml, groupBy, writeCsv } from '../base';
import type { RunVerdict } from './verdict';

/** What stands in a cell of a comparison: of all data rows and configurations that were planned there, the worst. */
export type CellState = 'passed' | 'deviation' | 'planned' | 'outdated' | 'blocked' | 'failed';
/** From the best to the worst: a case that failed in one row failed. One row that is planned and not run outweighs what passed. */
export const cellStates: readonly CellState[] = ['passed', 'deviation', 'planned', 'outdated', 'blocked', 'failed'];
/** How a state is written where there are hundreds of thousands: one letter each; a full stop where nothing was planned. */
const letters: Readonly<Record<CellState, string>> = {
  passed: 'p',
  deviation: 'd',
  planned: 'o',
  outdated: 's',
  blocked: 'b',
  failed: 'f',
};
const stateOfLetter = new Map(cellStates.map((state) => [letters[state], state]));
export const cellWords: Readonly<Record<CellState, string>> = {
  passed: 'passed',
  deviation: 'passed with deviation',
  planned: 'planned, not run',
  outdated: 'of an older revision',
  blocked: 'blocked',
  failed: 'failed',
};

/** A run as it is compared. `column` is the place of its build, round or configuration, from 0. */
export interface ComparedRun {
  readonly column: number;
  /** The number of its key. */
  readonly number: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly verdict: RunVerdict | null;
  /** Ledger number at which it was finished; null while it is open. */
  readonly finished: number | null;
  /** Its case was revised since, and nobody carried the result over. */
  readonly outdated: boolean;
}

/** The results of one case beside each other. */
export interface ComparedCells {
  /** A letter a column. */
  readonly cells: string;
  /** The columns in which verdicts of the same data row and configuration flip: passed and failed on the same thing. */
  readonly flips: readonly number[];
  /** The number of the run that stands for each column that is not empty, from left to right. */
  readonly runs: readonly number[];
}

const better = (verdict: RunVerdict | null): boolean => verdict === 'passed' || verdict === 'deviation';

/** What one run says of its combination. */
const saidBy = ({ verdict, finished, outdated }: ComparedRun): CellState =>
  finished === null || verdict === null
    ? 'planned'
    : verdict === 'failed' || verdict === 'blocked'
      ? verdict
      : outdated
        ? 'outdated'
        : verdict;

/**
 * The cells of one case from its runs, withdrawn ones left out. In a column the newest finished run of a data row and configuration stands; where
 * none is finished, the one that is planned.
 */
export function comparedCells(runs: readonly ComparedRun[], columns: number): ComparedCells {
  const cells: string[] = [];
  const flips: number[] = [];
  const numbers: number[] = [];
  const byColumn = groupBy(runs, (run) => run.column);
  for (let column = 0; column < columns; column++) {
    const here = byColumn.get(column) ?? [];
    let worst: { state: CellState; number: number } | undefined;
    let flipping = false;
    for (const same of groupBy(here, (run) => `${run.configuration}\n${run.row ?? ''}`).values()) {
      const finished = same.filter((run) => run.finished !== null);
      const stands = (finished.length ? finished : same).reduce((a, b) =>
        finished.length ? ((a.finished ?? 0) >= (b.finished ?? 0) ? a : b) : a.number >= b.number ? a : b,
      );
      const state = saidBy(stands);
      if (!worst || cellStates.indexOf(state) > cellStates.indexOf(worst.state)) worst = { state, number: stands.number };
      flipping ||= finished.some((run) => better(run.verdict)) && finished.some((run) => run.verdict === 'failed');
    }
    cells.push(worst ? letters[worst.state] : '.');
    if (worst) numbers.push(worst.number);
    if (flipping) flips.push(column);
  }
  return { cells: cells.join(''), flips, runs: numbers };
}

/** What stands in a column; undefined where nothing was planned. */
export const cellAt = ({ cells }: Pick<ComparedCells, 'cells'>, column: number): CellState | undefined =>
  stateOfLetter.get(cells.charAt(column));

/** The number of the run that stands in a column. */
export function runAt({ cells, runs }: Pick<ComparedCells, 'cells' | 'runs'>, column: number): number | undefined {
  if (!stateOfLetter.has(cells.charAt(column))) return undefined;
  let before = 0;
  for (let at = 0; at < column; at++) if (cells[at] !== '.') before++;
  return runs.at(before);
}

/** A case with its cells, and by what it is grouped. */
export interface ComparedRow extends ComparedCells {
  readonly key: string;
  readonly title: string;
  readonly folder: string;
  readonly requirements: readonly string[];
  readonly levels: readonly string[];
  /** The newest finished result on any build; null where there is none. */
  readonly latest: { readonly state: CellState; readonly number: number } | null;
}

export const comparisonGroups = ['folder', 'requirement', 'level', 'none'] as const;
export type ComparisonGroup = (typeof comparisonGroups)[number];
export const comparisonParts = ['all', 'failing', 'changed', 'flips', 'planned', 'never'] as const;
export type ComparisonPart = (typeof comparisonParts)[number];

export interface ComparisonQuestion {
  readonly by: ComparisonGroup;
  readonly only: ComparisonPart;
  /** Columns between which it is asked what changed: the earlier one first. */
  readonly between: readonly [number, number];
  readonly words: string;
}

/** Does what stands in two columns differ? Nothing planned in one of them and something in the other differs too. */
export const changedBetween = (row: Pick<ComparedCells, 'cells'>, [a, b]: readonly [number, number]): boolean =>
  row.cells.charAt(a) !== row.cells.charAt(b);

function belongsTo(row: ComparedRow, only: ComparisonPart, between: readonly [number, number]): boolean {
  switch (only) {
    case 'failing':
      return row.latest?.state === 'failed' || row.latest?.state === 'blocked';
    case 'changed':
      return changedBetween(row, between);
    case 'flips':
      return row.flips.length > 0;
    case 'planned':
      return row.cells.includes(letters.planned);
    case 'never':
      return /^\.*$/.test(row.cells);
    default:
      return true;
  }
}

/** How many rows each part has. */
export const partCounts = (rows: readonly ComparedRow[], between: readonly [number, number]): Readonly<Record<ComparisonPart, number>> =>
  Object.fromEntries(comparisonParts.map((only) => [only, rows.filter((row) => belongsTo(row, only, between)).length])) as Record<
    ComparisonPart,
    number
  >;

export interface ComparedGroup {
  readonly name: string;
  readonly rows: readonly ComparedRow[];
}

/** The rows that are asked for, in groups by name; a case that belongs to several stands in each of them. */
export function comparedGroups(rows: readonly ComparedRow[], { by, only, between, words }: ComparisonQuestion): ComparedGroup[] {
  const asked = words.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = rows.filter((row) => {
    const said = `${row.key} ${row.title}`.toLowerCase();
    return belongsTo(row, only, between) && asked.every((word) => said.includes(word));
  });
  if (by === 'none') return shown.length ? [{ name: '', rows: shown }] : [];
  const namesOf = (row: ComparedRow): readonly string[] => {
    const names = by === 'folder' ? [row.folder] : by === 'requirement' ? row.requirements : [...new Set(row.levels)];
    return names.length ? names : [''];
  };
  const groups = groupBy(
    shown.flatMap((row) => namesOf(row).map((name) => ({ name, row }))),
    ({ name }) => name,
    ({ row }) => row,
  );
  // What belongs to none comes last.
  return [...groups]
    .map(([name, list]) => ({ name, rows: list }))
    .sort((a, b) => Number(!a.name) - Number(!b.name) || compareKeys(a.name, b.name));
}

export interface ColumnSum {
  /** Cases for which something was planned here. */
  readonly planned: number;
  /** Of these, with a result that passes: a deviation counts as it was recorded. */
  readonly passed: number;
  readonly failed: number;
  readonly open: number;
}

/** Sums of each column over some rows; the share of passing is `passed` of `planned`. */
export function columnSums(rows: readonly Pick<ComparedCells, 'cells'>[], columns: number): ColumnSum[] {
  return Array.from({ length: columns }, (_, column) => {
    let [planned, passed, failed, open] = [0, 0, 0, 0];
    for (const { cells } of rows) {
      const state = cellAt({ cells }, column);
      if (!state) continue;
      planned++;
      if (state === 'passed' || state === 'deviation') passed++;
      else if (state === 'failed' || state === 'blocked') failed++;
      else if (state === 'planned') open++;
    }
    return { planned, passed, failed, open };
  });
}

export interface ComparisonColumn {
  readonly key: string;
  readonly title: string;
}

/** What is shown, as a table: a line a case, behind its group; a cell says its state in words. */
export function comparisonTable(
  columns: readonly ComparisonColumn[],
  groups: readonly ComparedGroup[],
): { readonly head: string[]; readonly lines: string[][] } {
  const words = (state: CellState | undefined): string => (state ? cellWords[state] : '');
  return {
    head: ['group', 'case', 'title', ...columns.map(({ key }) => key), 'latest'],
    lines: groups.flatMap(({ name, rows }) =>
      rows.map((row) => [
        name,
        row.key,
        row.title,
        ...columns.map((_, at) => words(cellAt(row, at))),
        row.latest ? cellWords[row.latest.state] : '',
      ]),
    ),
  };
}

export const comparisonCsv = (columns: readonly ComparisonColumn[], groups: readonly ComparedGroup[]): string => {
  const { head, lines } = comparisonTable(columns, groups);
  return writeCsv(head, lines);
};

/** The same as a page that stands by itself. */
export function comparisonHtml(title: string, columns: readonly ComparisonColumn[], groups: readonly ComparedGroup[]): string {
  const { head, lines } = comparisonTable(columns, groups);
  const row = (cells: readonly string[], tag: 'th' | 'td'): string =>
    `<tr>${cells.map((cell) => `<${tag}>${escapeHtml(cell)}</${tag}>`).join('')}</tr>`;
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title><style>body{font:14px sans-serif;margin:24px}table{border-collapse:collapse}th,td{border:1px solid #ccc;padding:4px 8px;text-align:left}</style></head><body><h1>${escapeHtml(title)}</h1><table><thead>${row(head, 'th')}</thead><tbody>${lines.map((cells) => row(cells, 'td')).join('')}</tbody></table></body></html>`;
}
