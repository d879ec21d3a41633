import { readTable, writeCsv } from '@core/base';
import type { CaseStep } from '@core/design';

const memory = 'cord-proof.steps';

/** Steps as cells of a spreadsheet, and kept whole beside them on this device: put into a case they come back with all they have. */
export function copySteps(steps: readonly CaseStep[]): string {
  const text = writeCsv(
    steps.length ? [steps[0].action, steps[0].expected, steps[0].data ?? ''] : [],
    steps.slice(1).map((s) => [s.action, s.expected, s.data ?? '']),
  );
  // Cells are parted by tabs: that is what spreadsheets paste.
  const cells = readTable(text).map((row) =>
    row.map((cell) => (/[\t\n"]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell)).join('\t'),
  );
  const pasted = cells.join('\n');
  localStorage.setItem(memory, JSON.stringify({ text: pasted, steps }));
  return pasted;
}

/** Steps of a pasted text: whole where they were copied here, else a row a step; undefined where it is no table. */
export function pastedSteps(text: string): CaseStep[] | undefined {
  const plain = text.replaceAll('\r\n', '\n').trimEnd();
  try {
    const known = JSON.parse(localStorage.getItem(memory) ?? 'null') as { text: string; steps: CaseStep[] } | null;
    if (known && known.text.trimEnd() === plain) return known.steps;
  } catch {
    // Somebody else's words under our name: they are read as a table.
  }
  if (!plain.includes('\t')) return undefined;
  return readTable(plain)
    .filter((row) => row.some((cell) => cell.trim()))
    .map(([action = '', expected = '', data = '']) => ({ action, expected, ...(data.trim() ? { data } : {}) }));
}
