/** What spares a requirement a rule. */
export const spares = ['topLevel', 'derived', 'notInCode', 'inCode'] as const;
export type Spare = (typeof spares)[number];

/**
 * A rule of trace, as data of a project: which requirements it is for and what they must have. `parent` and `child` count traces to other
 * requirements, `case` cases that verify, `noneBeside` forbids a parent in the same specification.
 */
export interface TraceRule {
  /** As exceptions name it: never given to another rule. */
  readonly id: string;
  readonly name: string;
  /** Keys of the specifications that it is for; none: all. */
  readonly of: readonly string[];
  /** Levels that it is for; none: all. */
  readonly levels: readonly string[];
  readonly wants: 'parent' | 'child' | 'case' | 'noneBeside';
  /** Specifications in which a parent or child must stand; none: anywhere. */
  readonly within: readonly string[];
  /** How many are wanted at least; from 1 on. */
  readonly least: number;
  readonly unless: readonly Spare[];
  /** Only for specifications in which any requirement has what is wanted: a lowest level has nothing below it. */
  readonly whereAny: boolean;
}

const rule = (id: string, name: string, wants: TraceRule['wants'], more: Partial<TraceRule> = {}): TraceRule => ({
  id,
  name,
  of: [],
  levels: [],
  wants,
  within: [],
  least: 1,
  unless: [],
  whereAny: false,
  ...more,
});

/** What a project asks for that has said nothing of its own. */
export const usualTraceRules: readonly TraceRule[] = [
  rule('noParent', 'No parent', 'parent', { unless: ['topLevel', 'derived'] }),
  rule('noCase', 'No case', 'case'),
  rule('noChild', 'Nothing below', 'child', { unless: ['notInCode', 'inCode'], whereAny: true }),
  rule('withinLevel', 'Parent beside it', 'noneBeside'),
];

/** Patterns for the standard profiles (recalled from memory; to be checked against the standard before use), by the standard's name. */
export function tracePattern(standard: string, levels: readonly string[]): readonly TraceRule[] {
  const [usual, strict] = [usualTraceRules, levels.slice(Math.ceil(levels.length / 2))];
  switch (standard) {
    case 'DO-178C':
      // The strictest level is named first.
      return [...usual, rule('severalCases', 'Fewer than two cases', 'case', { levels: levels.slice(0, 2), least: 2 })];
    case 'ISO 26262':
    case 'IEC 61508':
      return [...usual, rule('severalCases', 'Fewer than two cases', 'case', { levels: strict, least: 2 })];
    default:
      return usual;
  }
}

/** What is wanted and not there, in words; of `had` so many were found. */
export function wantedWords({ wants, least, within }: TraceRule, had: number): string {
  const where = within.length ? ` in ${within.join(' or ')}` : '';
  const what = { parent: 'comes from', child: 'is below it', case: 'verifies it', noneBeside: '' }[wants];
  if (wants === 'noneBeside') return 'A parent stands in the same specification: what is derived belongs a level below.';
  if (had === 0) return wants === 'parent' ? `It comes from nothing${where}.` : `Nothing${where} ${what}.`;
  return `${had} of ${least} that are asked for${where}.`;
}

/** What is wrong with rules, by their place; nothing where they can be kept. */
export function traceRuleFaults(rules: readonly TraceRule[]): { readonly at: number; readonly field: string; readonly text: string }[] {
  return rules.flatMap((one, at) => [
    ...(/^[a-z][A-Za-z0-9]{1,39}$/.test(one.id)
      ? []
      : [{ at, field: 'id', text: 'A name of letters and digits, beginning with a small letter.' }]),
    ...(rules.findIndex(({ id }) => id === one.id) < at ? [{ at, field: 'id', text: `Two rules are called ${one.id}.` }] : []),
    ...(one.name.trim() ? [] : [{ at, field: 'name', text: 'It needs a name.' }]),
    ...(Number.isInteger(one.least) && one.least >= 1 && one.least <= 50 ? [] : [{ at, field: 'least', text: 'From 1 to 50.' }]),
  ]);
}
