import type { Finding } from '../../base';
import type { Parameter, RowValue, ValueClass } from './parameter';

const numberText = /^-?\d{1,15}(?:[.,]\d{1,12})?$/;
const number = (text: string): number => Number(text.replace(',', '.'));

/** A class as one line: `low: 0 to 3`, `MAINT`, `stop: 0, 1`, with `!` before it where its values are not valid. */
export function classWords({ name, valid, values, from, to }: ValueClass): string {
  const mark = valid ? '' : '! ';
  if (values?.length === 1 && String(values[0]) === name) return `${mark}${name}`;
  const what = values?.length ? values.map(String).join(', ') : `${from ?? ''} to ${to ?? ''}`;
  return `${mark}${name}: ${what}`;
}

/** Classes of a parameter, one a line. What cannot be read is left out and told with its line. */
export function readClasses(
  text: string,
  type: Parameter['type'],
): { readonly classes: readonly ValueClass[]; readonly findings: readonly Finding[] } {
  const classes: ValueClass[] = [];
  const findings: Finding[] = [];
  text.split(/\r?\n/).forEach((raw, i) => {
    const line = raw.trim();
    if (!line) return;
    const valid = !line.startsWith('!');
    const bare = valid ? line : line.slice(1).trim();
    const colon = bare.indexOf(':');
    const name = (colon < 0 ? bare : bare.slice(0, colon)).trim();
    const rest = colon < 0 ? bare : bare.slice(colon + 1).trim();
    const wrong = (words: string): void => void findings.push({ severity: 'error', row: i + 1, cell: rest || name, text: words });
    if (!name || !rest) return wrong('A class has a name and values: low: 0 to 3.');
    const ends = rest.replace(/\s/g, ' ').split(' to ');
    if (type === 'number' && ends.length === 2 && ends.every((end) => numberText.test(end.trim()))) {
      classes.push({ name, valid, from: number(ends[0].trim()), to: number(ends[1].trim()) });
      return;
    }
    const values: RowValue[] = [];
    for (const part of rest.split(',').map((p) => p.trim())) {
      if (!part) continue;
      if (type === 'number' && !numberText.test(part)) return wrong(`“${part}” is no number, and no range: 0 to 3.`);
      if (type === 'boolean' && !/^(yes|no|true|false)$/i.test(part)) return wrong(`“${part}” is neither yes nor no.`);
      values.push(type === 'number' ? number(part) : type === 'boolean' ? /^(yes|true)$/i.test(part) : part);
    }
    if (values.length) classes.push({ name, valid, values });
  });
  return { classes, findings };
}
