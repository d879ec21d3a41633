import { knots, writeCsv } from '../base';
import { ratioOf, percent, metrics, type CoverageByMetric } from '../measure';
import type { Cord } from './cord';
import { cordState } from './totals';
import { knotWords, stateWords } from './drawing';
import { escapeHtml } from '../base';
import { metricWords } from './profile';
import { reasonWords } from './reason';

/** One row of the trace matrix: a requirement, one case that verifies it, one run of that case; blanks where the thread ends. */
export interface MatrixRow {
  readonly requirement: string;
  readonly revision: number;
  readonly title: string;
  readonly level: string;
  readonly parents: readonly string[];
  readonly caseKey: string;
  readonly caseRevision: number | null;
  readonly run: string;
  readonly verdict: string;
  readonly performed: string;
  readonly reviewed: string;
  readonly code: readonly string[];
  readonly problems: readonly string[];
}

const matrixColumns = [
  'requirement',
  'revision',
  'title',
  'level',
  'parents',
  'case',
  'case revision',
  'run',
  'verdict',
  'performed by',
  'reviewed by',
  'code',
  'problems',
];
const matrixCells = (row: MatrixRow): (string | number | null)[] => [
  row.requirement,
  row.revision,
  row.title,
  row.level,
  row.parents.join(' '),
  row.caseKey,
  row.caseRevision,
  row.run,
  row.verdict,
  row.performed,
  row.reviewed,
  row.code.join(' '),
  row.problems.join(' '),
];

export function matrixCsv(rows: readonly MatrixRow[]): string {
  return writeCsv(matrixColumns, rows.map(matrixCells));
}

/** The trace matrix as one HTML page that needs nothing else. */
export function matrixHtml(title: string, rows: readonly MatrixRow[]): string {
  const head = matrixColumns.map((column) => `<th scope="col">${escapeHtml(column)}</th>`).join('');
  const body = rows
    .map(
      (row) =>
        `<tr>${matrixCells(row)
          .map((cell) => `<td>${escapeHtml(cell)}</td>`)
          .join('')}</tr>`,
    )
    .join('\n');
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title>
<style>body{font:14px/1.4 "Source Sans 3",sans-serif;margin:2rem;color:#18222e}table{border-collapse:collapse;width:100%}caption{text-align:left;font-size:1.4rem;margin-bottom:1rem}th,td{border:1px solid #e2ddd1;padding:.3rem .5rem;text-align:left;vertical-align:top}th{background:#f7f5ef;position:sticky;top:0}</style></head>
<body><table><caption>${escapeHtml(title)}</caption><thead><tr>${head}</tr></thead><tbody>
${body}
</tbody></table></body></html>
`;
}

/** Exercised and credited coverage, a row for each name (file, function, requirement, whole) and metric. */
export function coverageCsv(
  items: readonly { readonly scope: string; readonly name: string; readonly coverage: CoverageByMetric }[],
): string {
  return writeCsv(
    ['scope', 'name', 'metric', 'found', 'exercised', 'exercised %', 'credited', 'credited %'],
    items.flatMap(({ scope, name, coverage }) =>
      metrics.map((metric) => {
        const c = coverage[metric];
        return [
          scope,
          name,
          metricWords[metric],
          c.found,
          c.exercised,
          c.found ? percent(ratioOf(c, 'exercised')) : '–',
          c.credited,
          c.found ? percent(ratioOf(c, 'credited')) : '–',
        ];
      }),
    ),
  );
}

/** Every reason for which a knot is not sound, a row each. */
export function breaksCsv(cords: readonly Cord[]): string {
  return writeCsv(
    ['requirement', 'title', 'level', 'knot', 'state', 'reason', 'records'],
    cords.flatMap((cord) =>
      knots.flatMap((name) => {
        const { state, reasons } = cord.knots[name];
        if (state === 'sound' || state === 'notRequired') return [];
        return reasons.map((reason) => [
          cord.key,
          cord.title,
          cord.level,
          knotWords[name],
          stateWords[state],
          reasonWords(reason),
          reason.records.map((r) => r.key).join(' '),
        ]);
      }),
    ),
  );
}

/** How many requirements are in each state, for the summary's first page. */
export function stateCounts(cords: readonly Cord[]): {
  readonly proved: number;
  readonly broken: number;
  readonly suspect: number;
  readonly waiting: number;
} {
  const count = (state: string): number => cords.filter((cord) => cordState(cord) === state).length;
  return { proved: count('sound'), broken: count('broken'), suspect: count('suspect'), waiting: count('waiting') };
}
