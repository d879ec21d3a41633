import { compareKeys, groupBy } from '../../base';
import { nearlySame } from '../../specify';
import type { CaseContent } from '../case';
import { textsOf, verifiedByTest } from '../cases';
import { boundaryPoints, type BoundaryPoint } from './boundaries';

/** What is asked of requirements and cases: whether there are enough of them, and none too many. */
export const sufficiencyRules = {
  noCase: { name: 'No case', of: 'requirement', why: 'Nothing verifies it.' },
  oneCase: { name: 'One case only', of: 'requirement', why: 'One case shows one side of it.' },
  fewCases: { name: 'Few cases', of: 'requirement', why: 'Fewer cases verify it than you asked for.' },
  oneTechnique: {
    name: 'One technique only',
    of: 'requirement',
    why: 'All its cases were made in the same way: what that way does not see, none of them sees.',
  },
  boundaries: { name: 'Boundaries missing', of: 'requirement', why: 'No case stands at a limit that it states, or one step beside it.' },
  verifiesNothing: { name: 'Verifies nothing', of: 'case', why: 'Its runs are evidence for no requirement.' },
  neverRun: { name: 'Never run', of: 'case', why: 'No run of it was ever finished.' },
  likeAnother: { name: 'Nearly like another', of: 'case', why: 'Another case says nearly the same: does it show something else?' },
  carried: {
    name: 'Shows what others show',
    of: 'case',
    why: 'Every requirement that it verifies, and all code that it reached, others reach as well. That alone is no reason to drop it.',
  },
} as const;
export type SufficiencyRule = keyof typeof sufficiencyRules;
export const sufficiencyRuleNames = Object.keys(sufficiencyRules) as SufficiencyRule[];

/** A requirement that cases are to verify. */
export interface SufficiencyRequirement {
  readonly key: string;
  readonly title: string;
  readonly text: string;
  readonly method: string;
}
export interface SufficiencyCase {
  readonly key: string;
  readonly title: string;
  readonly content: Pick<CaseContent, 'steps' | 'rows' | 'preconditions' | 'objective'>;
  readonly verifies: readonly string[];
  /** Runs of it that were finished, on any build. */
  readonly runs: number;
  /** How it was made: of which kind of model, or by hand. */
  readonly technique: string;
}

export interface SufficiencyFinding {
  readonly rule: SufficiencyRule;
  readonly key: string;
  readonly title: string;
  /** What exactly, in words. */
  readonly words: string;
  /** Records beside it that are meant. */
  readonly others: readonly string[];
}

const pointWords = ({ name, value, unit }: BoundaryPoint): string => `${name} = ${value}${unit ? ` ${unit}` : ''}`;

/**
 * What is missing, and what is perhaps too much, over some requirements and all cases of a project, in the order of the rules, then by key.
 * `carried` are the cases that `idleCases` found. Requirements that are not verified by test ask for no boundaries.
 */
export function sufficiencyFindings(
  requirements: readonly SufficiencyRequirement[],
  cases: readonly SufficiencyCase[],
  carried: readonly { readonly key: string; readonly others: readonly string[] }[] = [],
  few = 2,
): SufficiencyFinding[] {
  const found: SufficiencyFinding[] = [];
  const of = groupBy(
    cases.flatMap((c) => c.verifies.map((key) => [key, c] as const)),
    ([key]) => key,
    ([, c]) => c,
  );
  for (const { key, title, text, method } of requirements) {
    const mine = of.get(key) ?? [];
    const say = (rule: SufficiencyRule, words: string): void =>
      void found.push({ rule, key, title, words, others: mine.map((c) => c.key).sort(compareKeys) });
    if (!mine.length) say('noCase', 'No case verifies it.');
    else if (mine.length === 1) say('oneCase', `Only ${mine[0].key} verifies it.`);
    else if (mine.length < few) say('fewCases', `${mine.length} cases verify it.`);
    const techniques = new Set(mine.map((c) => c.technique));
    if (mine.length > 1 && techniques.size === 1) say('oneTechnique', `All ${mine.length} were made ${[...techniques][0]}.`);
    if (!verifiedByTest(method)) continue;
    const points = boundaryPoints(text, mine);
    const missing = points.filter((p) => p.case === null);
    if (missing.length)
      say(
        'boundaries',
        `${points.length - missing.length} of ${points.length} stand; missing: ${missing.slice(0, 6).map(pointWords).join('; ')}${missing.length > 6 ? ' …' : ''}`,
      );
  }
  for (const { key, title, verifies, runs } of cases) {
    if (!verifies.length) found.push({ rule: 'verifiesNothing', key, title, words: 'It verifies no requirement.', others: [] });
    if (!runs) found.push({ rule: 'neverRun', key, title, words: 'No run of it was ever finished.', others: [] });
  }
  const titles = new Map(cases.map((c) => [c.key, c.title]));
  const texts = cases.map(({ key, content }) => ({
    key,
    text: textsOf(content)
      .map((t) => t.text)
      .join(' '),
  }));
  for (const { a, b, share } of nearlySame(texts.filter((t) => t.text.trim().length > 40)))
    found.push({
      rule: 'likeAnother',
      key: a,
      title: titles.get(a) ?? '',
      words: `${Math.round(share * 100)} % of its words in a row are those of ${b}.`,
      others: [b],
    });
  for (const { key, others } of carried)
    found.push({
      rule: 'carried',
      key,
      title: titles.get(key) ?? '',
      words: `What it shows, ${others.slice(0, 8).join(', ')} show.`,
      others,
    });
  const order = new Map(sufficiencyRuleNames.map((rule, i) => [rule, i]));
  return found.sort((a, b) => (order.get(a.rule) ?? 0) - (order.get(b.rule) ?? 0) || compareKeys(a.key, b.key));
}
