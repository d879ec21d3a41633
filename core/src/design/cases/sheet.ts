import type { Finding } from '../../base';
import { emptyCase, saidCase, type CaseContent, type CaseStep } from '../case';
import { stepsFromOutline } from './outline';

export const sheetColumns = [
  'title',
  'objective',
  'preconditions',
  'postconditions',
  'action',
  'expected',
  'minutes',
  'verifies',
  'tags',
  'priority',
  'kind',
  'folder',
] as const;
export type SheetColumn = (typeof sheetColumns)[number];

export interface SheetCase {
  readonly content: CaseContent;
  readonly verifies: readonly string[];
  /** Its folder as a path, `Brake / Cold`; empty where none is named. */
  readonly folder: string;
  /** The row on which it begins, as a spreadsheet shows it. */
  readonly row: number;
}

/**
 * Rows of a spreadsheet as cases with steps: a row with a title begins a case, rows without one go on with it, each row with an
 * action is a step. `columns` says where each thing stands; `first` is the number of the first row, as the spreadsheet shows it.
 */
export function casesFromSheet(
  rows: readonly (readonly string[])[],
  columns: Readonly<Partial<Record<SheetColumn, number>>>,
  first = 2,
): { readonly cases: readonly SheetCase[]; readonly findings: readonly Finding[] } {
  const findings: Finding[] = [];
  const made: { content: CaseContent; steps: CaseStep[]; verifies: Set<string>; folder: string; row: number }[] = [];
  const say = (row: number, cell: SheetColumn, text: string, severity: Finding['severity'] = 'error'): void =>
    void findings.push({ severity, row, cell, text });
  if (columns.title === undefined || columns.action === undefined)
    return { cases: [], findings: [{ severity: 'error', text: 'Say which columns hold the title and the action.' }] };
  const titles = new Map<string, number>();
  rows.forEach((cells, i) => {
    const row = first + i;
    const cell = (column: SheetColumn): string => (columns[column] === undefined ? '' : (cells[columns[column]] ?? '').trim());
    if (!cells.some((text) => text.trim())) return;
    const title = cell('title');
    // A title that is written again on every row of its case is still one case.
    if (title && made.at(-1)?.content.title !== title) {
      const before = titles.get(title);
      if (before !== undefined) say(row, 'title', `“${title.slice(0, 60)}” stands already on row ${before}.`);
      titles.set(title, row);
      if (title.length > 300) say(row, 'title', 'The title has more than 300 letters.');
      const minutes = cell('minutes');
      if (minutes && !(Number(minutes.replace(',', '.')) >= 0)) say(row, 'minutes', `“${minutes}” is no number of minutes.`);
      made.push({
        content: {
          ...emptyCase,
          title: title.slice(0, 300),
          objective: cell('objective'),
          preconditions: cell('preconditions'),
          postconditions: cell('postconditions'),
          priority: cell('priority'),
          kind: cell('kind'),
          tags: cell('tags')
            .split(/[,;]/)
            .flatMap((tag) => tag.trim() || []),
          plannedMinutes: Number(minutes.replace(',', '.')) || 0,
        },
        steps: [],
        verifies: new Set(),
        folder: cell('folder'),
        row,
      });
    }
    const current = made.at(-1);
    if (!current) return say(row, 'title', 'There is no title before this row.');
    for (const key of cell('verifies').split(/[\s,;]+/)) if (key) current.verifies.add(key);
    const [action, expected] = [cell('action'), cell('expected')];
    if (!action && expected) say(row, 'action', 'An expected result without an action.');
    else if (action) {
      const steps = stepsOfCells(action, expected);
      current.steps.push(...steps);
      if (steps.some((step) => !step.expected)) say(row, 'expected', 'A step has no expected result.', 'warning');
    }
  });
  for (const { steps, row } of made) if (!steps.length) say(row, 'action', 'The case has no steps.');
  return {
    cases: made.map(({ content, steps, verifies, folder, row }) => ({
      content: saidCase({ ...content, steps }),
      verifies: [...verifies],
      folder,
      row,
    })),
    findings,
  };
}

/**
 * The steps of one row. Several numbered lines in a cell are several steps, each with the line of the same number beside it: a row a case; otherwise the
 * row is one step.
 */
function stepsOfCells(action: string, expected: string): CaseStep[] {
  const numbered = (text: string): string[] | undefined => {
    const lines = text.split(/\r?\n/).filter((line) => line.trim());
    return lines.length > 1 && lines.every((line) => /^\s*\d{1,3}[.)]\s/.test(line))
      ? lines.map((line) => line.replace(/^\s*\d{1,3}[.)]\s+/, '').trim())
      : undefined;
  };
  const actions = numbered(action);
  if (!actions) return [{ action, expected }];
  const results = numbered(expected);
  if (results || !expected) return actions.map((text, i) => ({ action: text, expected: results?.[i] ?? '' }));
  // An outline with what must be seen in it, or one expected result for all of them: it is seen last.
  const { steps } = stepsFromOutline(action);
  return steps.map((step, i) => (i === steps.length - 1 && !step.expected ? { ...step, expected } : step));
}
