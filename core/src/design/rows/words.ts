import type { CaseStep } from '../case';
import { onGrid, type Parameter } from './parameter';

/** A number that a requirement's text speaks of, with what it means: a proposal, never more. */
export interface NumberProposal {
  /** The words that it came from, and where they begin in the text. */
  readonly words: string;
  readonly at: number;
  readonly parameter: Parameter;
  /** Boundary rows by the number's own precision: the limit, and its neighbours on both sides. */
  readonly rows: readonly { readonly value: number; readonly valid: boolean }[];
}

const number = String.raw`(-?\d+(?:[.,]\d+)?)`;
const unit = String.raw`(?:\s*(%|°\s?[CF]|[a-zA-Zµμ]+(?:\/[a-zA-Z]+)?[²³23]?|[a-zA-Z]+))?`;

type Kind = 'atMost' | 'less' | 'atLeast' | 'more' | 'between' | 'about' | 'exactly';
const patterns: readonly (readonly [Kind, RegExp])[] = [
  ['between', new RegExp(String.raw`\b(?:between|from)\s+${number}${unit}\s+(?:and|to)\s+${number}${unit}`, 'gi')],
  ['about', new RegExp(String.raw`(?<![\d.,])${number}${unit}\s*(?:±|\+\/-)\s*${number}${unit}`, 'gi')],
  [
    'atMost',
    new RegExp(
      String.raw`\b(?:within|no more than|not more than|at most|up to|no later than|not exceed(?:ing)?|maximum of|max\.?|≤)\s+${number}${unit}`,
      'gi',
    ),
  ],
  ['atLeast', new RegExp(String.raw`\b(?:at least|no less than|not less than|minimum of|no fewer than|≥)\s+${number}${unit}`, 'gi')],
  ['less', new RegExp(String.raw`\b(?:below|under|less than|lower than|fewer than|shorter than|before)\s+${number}${unit}`, 'gi')],
  [
    'more',
    new RegExp(
      String.raw`\b(?:above|over|more than|greater than|higher than|longer than|exceeds?|exceeding|after)\s+${number}${unit}`,
      'gi',
    ),
  ],
  ['atMost', new RegExp(String.raw`(?:<=|≤)\s*${number}${unit}`, 'g')],
  ['atLeast', new RegExp(String.raw`(?:>=|≥)\s*${number}${unit}`, 'g')],
  ['less', new RegExp(String.raw`<\s*${number}${unit}`, 'g')],
  ['more', new RegExp(String.raw`>\s*${number}${unit}`, 'g')],
  ['exactly', new RegExp(String.raw`\b(?:exactly|equal to|of)\s+${number}${unit}`, 'gi')],
];

/** Words that follow a number and are no unit. */
const noUnits = new Set([
  'and',
  'or',
  'the',
  'a',
  'in',
  'of',
  'to',
  'for',
  'is',
  'be',
  'shall',
  'when',
  'while',
  'if',
  'at',
  'on',
  'with',
  'then',
  'after',
  'before',
  'it',
  'by',
  'per',
  'cases',
  'until',
  'from',
]);
const quantities: readonly (readonly [RegExp, string])[] = [
  [/^(ms|s|sec|second|seconds|min|minutes?|h|hours?|µs|us|ns|days?)$/i, 'time'],
  [/^(km\/h|m\/s|mm\/s|rpm)$/i, 'speed'],
  [/^(m\/s[²2]|g)$/i, 'acceleration'],
  [/^(bar|mbar|dbar|Pa|kPa|MPa|psi)$/i, 'pressure'],
  [/^(°\s?[CF]|K)$/i, 'temperature'],
  [/^(mm|cm|m|km)$/i, 'length'],
  [/^(mV|V|kV)$/i, 'voltage'],
  [/^(mA|A|kA)$/i, 'current'],
  [/^(g|kg|t)$/i, 'mass'],
  [/^(Hz|kHz|MHz)$/i, 'frequency'],
  [/^%$/, 'share'],
];

/** Numbers with comparison, unit and tolerance, each as a parameter with boundary rows and the words that it came from. */
export function proposeNumbers(text: string): NumberProposal[] {
  const found: NumberProposal[] = [];
  const taken: [number, number][] = [];
  for (const [kind, pattern] of patterns)
    for (const match of text.matchAll(pattern)) {
      const at = match.index ?? 0;
      if (taken.some(([from, to]) => at < to && at + match[0].length > from)) continue;
      const two = kind === 'between' || kind === 'about';
      const [first, firstUnit, second, secondUnit] = [match[1], match[2], two ? match[3] : undefined, two ? match[4] : undefined];
      const known = [secondUnit, firstUnit].find((u) => u !== undefined && !noUnits.has(u.toLowerCase()));
      if (!known && kind === 'exactly') continue;
      // Words behind the number that are no unit are no part of what it came from.
      const words = !known && firstUnit ? match[0].slice(0, match[0].lastIndexOf(firstUnit)).trimEnd() : match[0];
      taken.push([at, at + words.length]);
      found.push({ words, at, ...proposal(kind, first, second, known) });
    }
  const counts = new Map<string, number>();
  return found
    .sort((a, b) => a.at - b.at)
    .map((p) => {
      const n = (counts.get(p.parameter.name) ?? 0) + 1;
      counts.set(p.parameter.name, n);
      return n === 1 ? p : { ...p, parameter: { ...p.parameter, name: `${p.parameter.name}_${n}` } };
    });
}

function proposal(
  kind: Kind,
  first: string,
  second: string | undefined,
  unitWords: string | undefined,
): Pick<NumberProposal, 'parameter' | 'rows'> {
  const read = (text: string): number => Number(text.replace(',', '.'));
  const decimals = Math.max(...[first, second ?? ''].map((text) => text.split(/[.,]/)[1]?.length ?? 0));
  const resolution = Number((10 ** -decimals).toPrecision(3));
  const a = read(first);
  const b = second === undefined ? a : read(second);
  const [low, high] =
    kind === 'between'
      ? [Math.min(a, b), Math.max(a, b)]
      : kind === 'about'
        ? [a - b, a + b]
        : kind === 'exactly'
          ? [a, a]
          : [-Infinity, Infinity];
  const valid = (value: number): boolean =>
    kind === 'atMost'
      ? value <= a
      : kind === 'less'
        ? value < a
        : kind === 'atLeast'
          ? value >= a
          : kind === 'more'
            ? value > a
            : value >= low && value <= high;
  const limits = kind === 'between' || kind === 'about' ? [low, high] : [a];
  const values = [...new Set(limits.flatMap((limit) => [-1, 0, 1].map((by) => onGrid(limit + by * resolution, resolution))))].sort(
    (x, y) => x - y,
  );
  // A class needs both ends: without another limit in the words, ten times the precision away, or 0.
  const far = Math.max(Math.abs(a), 10 * resolution);
  const ends: readonly [number, number] = {
    atMost: [Math.min(0, a), a] as const,
    less: [Math.min(0, a), onGrid(a - resolution, resolution)] as const,
    atLeast: [a, onGrid(a + far, resolution)] as const,
    more: [onGrid(a + resolution, resolution), onGrid(a + far, resolution)] as const,
    between: [low, high] as const,
    about: [onGrid(low, resolution), onGrid(high, resolution)] as const,
    exactly: [a, a] as const,
  }[kind];
  const plain = unitWords?.replace(/\s/g, '');
  const name = quantities.find(([pattern]) => plain !== undefined && pattern.test(plain))?.[1] ?? 'value';
  const parameter: Parameter = {
    name,
    type: 'number',
    ...(plain ? { unit: plain } : {}),
    resolution,
    classes: [{ name: 'as required', valid: true, from: ends[0], to: ends[1] }],
  };
  return { parameter, rows: values.map((value) => ({ value, valid: valid(value) })) };
}

export interface CriterionProposal {
  readonly title: string;
  readonly preconditions: string;
  readonly steps: readonly CaseStep[];
}

/** Given / When / Then criteria as steps: what is given becomes the preconditions, each when a step, each then what must be seen. */
export function proposeSteps(text: string): CriterionProposal[] {
  const found: { title: string; given: string[]; steps: { action: string; expected: string[] }[] }[] = [];
  let mode: 'given' | 'when' | 'then' | undefined;
  let current: (typeof found)[number] | undefined;
  for (const raw of text.split(/\r?\n|(?<=[.;,])\s+(?=(?:given|when|then|and|but)\b)/i)) {
    const line = raw.trim().replace(/[;,]$/, '');
    const scenario = /^(?:scenario|example)s?(?: outline)?:\s*(\S.*)?$/i.exec(line);
    if (scenario) {
      current = { title: scenario[1] ?? '', given: [], steps: [] };
      found.push(current);
      mode = undefined;
      continue;
    }
    const m = /^(?:[-*]\s*)?(given|when|then|and|but)\b[:,]?\s+(\S.*)$/i.exec(line);
    if (!m) continue;
    const word = m[1].toLowerCase();
    const said = m[2].charAt(0).toUpperCase() + m[2].slice(1);
    if (word === 'given' && mode !== undefined && mode !== 'given') current = undefined;
    if (word !== 'and' && word !== 'but') mode = word as typeof mode;
    if (!mode) continue;
    if (!current) found.push((current = { title: '', given: [], steps: [] }));
    if (mode === 'given') current.given.push(said);
    else if (mode === 'when') current.steps.push({ action: said, expected: [] });
    else if (current.steps.length) current.steps[current.steps.length - 1].expected.push(said);
    else current.steps.push({ action: 'Observe', expected: [said] });
  }
  return found
    .filter((c) => c.steps.length)
    .map(({ title, given, steps }) => ({
      title,
      preconditions: given.join('\n'),
      steps: steps.map(({ action, expected }) => ({ action, expected: expected.join('; ') })),
    }));
}
