import { checkWording, quantitiesIn, usualWording, type WordingLists } from '../../specify';
import type { CaseContent } from '../case';
import { placeholdersIn } from './placeholder';

/** What is checked of how a case is written, so that somebody else can run it and see the same (common practice). */
export const caseWordingRules = {
  twoActions: {
    name: 'Two actions in one step',
    why: 'When the result is not as expected, nobody knows which of them it was: part the step.',
  },
  nothingSeen: { name: 'Nothing that can be observed', why: 'Say what is seen, heard or read: two people must come to the same verdict.' },
  vague: { name: 'Vague word', why: 'Nobody can measure it: say how much, how often, how long.' },
  noUnit: { name: 'Number without unit', why: 'Of what?' },
  unfilled: { name: 'Name that nothing fills', why: 'No data row has a column of this name: it would stand in the run as it is.' },
  repeats: { name: 'Repeats the requirement', why: 'The expected result is the requirement’s own text: say what is seen in this case.' },
} as const;
export type CaseWordingRule = keyof typeof caseWordingRules;

export interface CaseWordingFinding {
  readonly rule: CaseWordingRule;
  /** As `textsOf` names places: `step 2, action`. */
  readonly place: string;
  /** Where its words stand in that text; both 0 where it is of the text as a whole. */
  readonly from: number;
  readonly to: number;
  readonly words: string;
}

const verbs =
  'set|press|turn|wait|open|close|start|stop|switch|measure|read|check|verify|enter|select|choose|apply|remove|connect|disconnect|move|hold|release|push|pull|log|load|send|record|note|observe|look|increase|decrease|raise|lower|place|put|take|click|type|confirm|repeat|reset|run|step|shut';
const second = new RegExp(String.raw`(?:[;.]|,?\s(?:and then|then|and)|,)\s+(?:${verbs})\b`, 'gi');
const unseen =
  /^(?:ok|okay|pass(?:es|ed)?|works?|it works|as expected|correct|success(?:ful)?(?:ly)?|good|fine|no (?:error|problem)s?|done|nothing)[.!]?$/i;
const mental =
  /\b(?:works? (?:correctly|properly|as (?:expected|intended|specified|required))|behaves? (?:correctly|properly|as (?:expected|intended|specified|required))|is (?:correct|ok|fine)|as (?:expected|specified|required))\b/i;

const plain = (text: string): string =>
  text
    .toLowerCase()
    .replaceAll(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();

/**
 * What a case’s wording lacks, in reading order. Steps that call another case are that case’s business. `requirements` are the texts that it
 * verifies.
 */
export function checkCaseWording(
  content: CaseContent,
  requirements: readonly string[] = [],
  lists: WordingLists = usualWording,
): CaseWordingFinding[] {
  const found: CaseWordingFinding[] = [];
  const columns = new Set((content.rows ?? []).flatMap((row) => Object.keys(row.values)));
  const said = requirements.map(plain).filter((text) => text.length > 20);
  const common = (text: string, place: string): void => {
    // Only what a measure would say better; whether it binds is no question of a step.
    for (const { rule, from, to, words } of checkWording(text, lists))
      if (rule === 'vague') found.push({ rule: 'vague', place, from, to, words });
    for (const { from, to, unit } of quantitiesIn(text)) {
      const before = text.slice(0, from);
      if (
        !unit &&
        /(?:\bto|\bof|\bat|\bis|\bwithin|\bat least|\bat most|\bfor|=|≤|≥|<|>)\s*$/i.test(before) &&
        /^\s*(?:[.,;)]|$)/.test(text.slice(to))
      )
        found.push({ rule: 'noUnit', place, from, to, words: text.slice(from, to) });
    }
    for (const name of placeholdersIn(text))
      if (columns.size && !columns.has(name)) {
        const written = new RegExp(`\\{\\{\\s*${name.replaceAll('.', '\\.')}\\s*\\}\\}`).exec(text);
        if (written) found.push({ rule: 'unfilled', place, from: written.index, to: written.index + written[0].length, words: written[0] });
      }
  };
  common(content.preconditions, 'preconditions');
  content.steps.forEach(({ action, expected, call }, i) => {
    if (call) return;
    const [does, sees] = [`step ${i + 1}, action`, `step ${i + 1}, expected`];
    for (const match of action.matchAll(second))
      found.push({ rule: 'twoActions', place: does, from: match.index, to: match.index + match[0].length, words: match[0].trim() });
    common(action, does);
    const seen = expected.trim();
    const vague = mental.exec(seen);
    if (unseen.test(seen)) found.push({ rule: 'nothingSeen', place: sees, from: 0, to: expected.length, words: seen });
    else if (vague && quantitiesIn(seen).length === 0)
      found.push({ rule: 'nothingSeen', place: sees, from: vague.index, to: vague.index + vague[0].length, words: vague[0] });
    if (seen && said.includes(plain(seen)))
      found.push({ rule: 'repeats', place: sees, from: 0, to: expected.length, words: seen.slice(0, 80) });
    common(expected, sees);
  });
  return found;
}
