import { units } from './lists';

/** A number in a text with its unit. */
export interface Quantity {
  readonly from: number;
  readonly to: number;
  readonly value: number;
  /** Empty where none stands behind it. */
  readonly unit: string;
  /** What the words before it say of it; empty where they say nothing that is known. */
  readonly relation: 'at most' | 'at least' | 'below' | 'above' | 'between' | 'tolerance' | '';
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
const longestFirst = [...units].sort((a, b) => b.length - a.length).map(escaped);
const number = /(?<![\w.,-])[-−+]?\d+(?:[.,]\d+)*(?![\w])/g;
const unitAt = new RegExp(`^[ \\u00a0\\u202f]?(${longestFirst.join('|')})(?![\\p{L}\\p{N}²³/])`, 'u');
const gluedUnit = new RegExp(
  `(?<![\\w.,-])([-−+]?\\d+(?:[.,]\\d+)?)(${longestFirst.filter((u) => /^[\p{L}%°µ]/u.test(u)).join('|')})(?![\\p{L}\\p{N}])`,
  'gu',
);

const relations: readonly (readonly [RegExp, Quantity['relation']])[] = [
  [/(?:±|\+\/-|plus or minus|tolerance of)\s*$/i, 'tolerance'],
  [
    /(?:no|not) (?:more|longer|later|greater|higher) than\s*$|(?:at most|within|up to|not exceed(?:ing)?|maximum(?: of)?|max\.?|until|≤|<=)(?: (?:the|a|an))?\s*$/i,
    'at most',
  ],
  [/(?:no|not) (?:less|fewer|shorter|lower|earlier) than\s*$|(?:at least|minimum(?: of)?|min\.?|≥|>=)\s*$/i, 'at least'],
  [/(?:less|fewer|lower|shorter|smaller|earlier) than\s*$|(?:below|under|<)\s*$/i, 'below'],
  [/(?:more|greater|higher|longer|larger|later) than\s*$|(?:above|over|exceed(?:s|ing)?|outside|beyond|>)(?: of)?\s*$/i, 'above'],
  [/(?:between|from|range of)\s*$/i, 'between'],
];

const numeric = (text: string): number => {
  const plain = text.replace('−', '-');
  // A comma with three digits behind it parts thousands, any other one is a decimal comma.
  return Number(/^[-+]?\d{1,3}(?:,\d{3})+(?:\.\d+)?$/.test(plain) ? plain.replaceAll(',', '') : plain.replace(',', '.'));
};

/** Every number of a text with its unit and what the words before it say of it, in reading order. Numbers in keys and names are none. */
export function quantitiesIn(text: string): Quantity[] {
  const found: Quantity[] = [];
  for (const match of text.matchAll(gluedUnit)) {
    const value = numeric(match[1]);
    if (Number.isFinite(value)) found.push({ from: match.index, to: match.index + match[0].length, value, unit: match[2], relation: '' });
  }
  for (const match of text.matchAll(number)) {
    const from = match.index;
    if (found.some((q) => from >= q.from && from < q.to)) continue;
    const value = numeric(match[0]);
    if (!Number.isFinite(value)) continue;
    const end = from + match[0].length;
    const unit = unitAt.exec(text.slice(end, end + 24));
    found.push({ from, to: end + (unit?.[0].length ?? 0), value, unit: unit?.[1] ?? '', relation: '' });
  }
  found.sort((a, b) => a.from - b.from);
  return found.map((q, i) => {
    const before = text.slice(Math.max(0, q.from - 40), q.from);
    const told = relations.find(([words]) => words.test(before))?.[1] ?? '';
    const next = found.at(i + 1);
    const last = found.at(i - 1);
    const joins = (a: Quantity | undefined, b: Quantity | undefined): boolean =>
      a !== undefined && b !== undefined && b.from > a.to && /^\s*(?:to|and|\.\.|…|–|-)\s*$/.test(text.slice(a.to, b.from));
    // The second of two ends of a range says of the first what its unit is, and of both that they are limits.
    if (told === 'between' && joins(q, next)) return { ...q, unit: q.unit || (next?.unit ?? ''), relation: 'between' };
    if (i > 0 && joins(last, q) && /(?:between|from|range of)\s*$/i.test(text.slice(Math.max(0, (last?.from ?? 0) - 20), last?.from)))
      return { ...q, relation: 'between' };
    if (next && joins(q, next) && /^\s*to\s*$/.test(text.slice(q.to, next.from)))
      return { ...q, unit: q.unit || next.unit, relation: 'between' };
    if (i > 0 && joins(last, q) && last && /^\s*to\s*$/.test(text.slice(last.to, q.from))) return { ...q, relation: 'between' };
    return { ...q, relation: told === 'between' ? '' : told };
  });
}
