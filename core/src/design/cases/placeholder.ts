import { escapeHtml, type Finding } from '../../base';
import { saidStep, type CaseContent, type CaseStep } from '../case';
import type { Parameter, Row, RowValue } from '../rows';

const pattern = /\{\{\s*([A-Za-z_][\w.]*)\s*\}\}/g;

/** The names that a text wants to have filled in, each once, in the order in which they come. */
export function placeholdersIn(text: string): string[] {
  return [...new Set([...text.matchAll(pattern)].map((m) => m[1]))];
}

/** The text with what the row knows filled in; what it does not know stays as it is. */
export function fillText(text: string, row: Row): string {
  return text.replace(pattern, (whole, name: string) => (row[name] === undefined ? whole : String(row[name])));
}

/** A value inside a text that is laid out. */
const inLayout = (row: Row): Row => Object.fromEntries(Object.entries(row).map(([name, value]) => [name, escapeHtml(String(value))]));

/** A step with what the row knows filled into all of its texts. */
export function fillStep({ action, expected, data, readings, layout, ...rest }: CaseStep, row: Row): CaseStep {
  return saidStep({
    ...rest,
    action: fillText(action, row),
    expected: fillText(expected, row),
    ...(data === undefined ? {} : { data: fillText(data, row) }),
    ...(readings ? { readings: readings.map((reading) => ({ ...reading, limits: fillText(reading.limits, row) })) } : {}),
    ...(layout
      ? { layout: { action: fillText(layout.action ?? '', inLayout(row)), expected: fillText(layout.expected ?? '', inLayout(row)) } }
      : {}),
  });
}

/** A filled text in parts, so that what came from the row can be set off: the longest values first, whole words only. */
export function markValues(text: string, values: Row): { readonly text: string; readonly value: boolean }[] {
  const wanted = [...new Set(Object.values(values).map(String))].filter((value) => value.trim()).sort((a, b) => b.length - a.length);
  if (!wanted.length) return [{ text, value: false }];
  const escaped = wanted.map((value) => value.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'));
  return text
    .split(new RegExp(`(?<![\\w.])(${escaped.join('|')})(?!\\w)`))
    .map((part, i) => ({ text: part, value: i % 2 === 1 }))
    .filter((part) => part.text);
}

/** The texts of a case in which names may stand, each with where it is. */
export function textsOf(content: Pick<CaseContent, 'preconditions' | 'postconditions' | 'steps'>): {
  readonly place: string;
  readonly text: string;
}[] {
  return [
    { place: 'preconditions', text: content.preconditions },
    ...(content.postconditions ? [{ place: 'postconditions', text: content.postconditions }] : []),
    ...content.steps.flatMap((step, i) => [
      { place: `step ${i + 1}, action`, text: step.action },
      { place: `step ${i + 1}, expected`, text: step.expected },
      ...(step.data ? [{ place: `step ${i + 1}, data`, text: step.data }] : []),
      ...(step.readings ?? []).map((reading) => ({ place: `step ${i + 1}, limits of ${reading.name}`, text: reading.limits })),
      ...Object.entries(step.call?.with ?? {}).map(([name, text]) => ({ place: `step ${i + 1}, ${name}`, text })),
    ]),
  ];
}

const fits = (type: Parameter['type'], value: RowValue): boolean => typeof value === (type === 'text' ? 'string' : type);

/**
 * What does not go together: names that a row does not fill (error, by row), columns that no text uses (warning), values of another type
 * than their parameter (error). `row` counts from 1.
 */
export function placeholderFindings(
  content: Pick<CaseContent, 'preconditions' | 'postconditions' | 'steps'>,
  rows: readonly Row[],
  parameters: readonly Parameter[] = [],
): Finding[] {
  const findings: Finding[] = [];
  const used = new Set<string>();
  for (const { place, text } of textsOf(content)) {
    // A brace that is no name is a slip of the pen, not text.
    for (const [whole] of text.replace(pattern, '').matchAll(/\{\{[^}]*\}?\}?|\}\}/g))
      findings.push({ severity: 'error', cell: place, text: `“${whole}” is no name in braces: {{name}}.` });
    for (const name of placeholdersIn(text)) {
      used.add(name);
      if (!rows.length) findings.push({ severity: 'error', cell: place, text: `{{${name}}} has no data row to be filled from.` });
      rows.forEach((row, r) => {
        if (row[name] === undefined || row[name] === '')
          findings.push({ severity: 'error', row: r + 1, cell: name, text: `Row ${r + 1} has no value for {{${name}}} (${place}).` });
      });
    }
  }
  for (const name of new Set(rows.flatMap((row) => Object.keys(row))))
    if (!used.has(name)) findings.push({ severity: 'warning', cell: name, text: `No text uses the column ${name}.` });
  for (const { name, type } of parameters)
    rows.forEach((row, r) => {
      if (row[name] !== undefined && !fits(type, row[name]))
        findings.push({ severity: 'error', row: r + 1, cell: name, text: `“${row[name]}” is no ${type}.` });
    });
  return findings;
}
