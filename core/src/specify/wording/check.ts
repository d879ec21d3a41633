import type { WordingLists } from './lists';
import { usualWording } from './lists';
import { quantitiesIn } from './quantities';

/**
 * What is checked of a requirement's wording. Each rule stands for a characteristic that ISO/IEC/IEEE 29148 names (recalled): unambiguous,
 * singular, complete, verifiable, feasible to judge.
 */
export const wordingRules = {
  vague: { name: 'Vague word', why: 'Nobody can measure it: say how much, how often, how long.' },
  noShall: { name: 'Not binding', why: 'No sentence says what shall be: is it a requirement?' },
  weak: { name: 'Weak word', why: 'It leaves open whether it is asked at all.' },
  several: { name: 'Several in one', why: 'More than one thing is asked: part it, so that each can be traced and verified.' },
  andOr: { name: 'And/or', why: 'It can be read in two ways.' },
  noUnit: { name: 'Number without unit', why: 'Of what?' },
  noTolerance: { name: 'Number without tolerance', why: 'Nothing is exactly that: say a limit, a range or a tolerance.' },
  passive: { name: 'Passive without actor', why: 'Who or what does it?' },
  term: { name: 'Undefined term', why: 'It is in no glossary of this project.' },
  negative: { name: 'Negative requirement', why: 'What never happens cannot be shown: say what shall happen instead.' },
  pronoun: { name: 'Pronoun without reference', why: 'What is meant? Say its name.' },
  escape: { name: 'Escape clause', why: 'It lets everybody out: say when it holds.' },
  open: { name: 'Open list', why: 'Nobody knows where it ends: name all.' },
} as const;
export type WordingRule = keyof typeof wordingRules;
export const wordingRuleNames = Object.keys(wordingRules) as WordingRule[];

export interface WordingFinding {
  readonly rule: WordingRule;
  /** Where its words stand in the text; both 0 where it is of the text as a whole. */
  readonly from: number;
  readonly to: number;
  readonly words: string;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
const compiled = new WeakMap<readonly string[], RegExp>();

/** A pattern for any of some words or phrases, whole, in whatever case and spacing. */
function anyOf(words: readonly string[]): RegExp {
  let pattern = compiled.get(words);
  if (!pattern) {
    const parts = [...words]
      .filter((word) => word.trim())
      .sort((a, b) => b.length - a.length)
      .map((word) => {
        const body = escaped(word.trim()).replace(/\s+/g, '\\s+');
        return `${/^[\p{L}\p{N}]/u.test(word) ? '(?<![\\p{L}\\p{N}-])' : ''}${body}${/[\p{L}\p{N}]$/u.test(word) ? '(?![\\p{L}\\p{N}-])' : ''}`;
      });
    pattern = new RegExp(parts.join('|') || '(?!)', 'giu');
    compiled.set(words, pattern);
  }
  return pattern;
}

/** Participles that do not end in -ed. */
const irregular =
  'begun|bound|broken|brought|built|chosen|cut|done|drawn|driven|fed|found|given|held|hidden|kept|known|laid|led|left|lost|made|met|overridden|paid|put|read|sent|set|shown|shut|split|spent|stopped|struck|taken|told|thrown|understood|worn|written';
const passive = new RegExp(
  `\\b(?:shall|must|will)\\s+(?:(?:not|also|only|then|always|automatically)\\s+)*be\\s+(?:\\w+ly\\s+)?((?:[\\w-]+ed|${irregular}))\\b`,
  'gi',
);
/** Read as they look: nothing is done to anybody by these. */
const adjectives =
  /^(?:limited|based|located|needed|supposed|allowed|red|embedded|dedicated|interested|enabled|disabled|closed|left|set)$/i;
const limits =
  /±|\+\/-|[≤≥<>]|\b(?:within|at (?:most|least)|(?:no|not) (?:more|less|longer|later|greater|higher|fewer|shorter|lower|earlier) than|(?:less|more|greater|higher|lower|fewer|longer|shorter|larger|smaller|later|earlier) than|up to|exceed\w*|maximum|minimum|max|(?<![\d/]\s?)min|between|from|range|toleranc\w+|accuracy|below|above|under|over|outside|beyond|until|plus or minus|limit\w*)\b/i;

interface Sentence {
  readonly from: number;
  readonly text: string;
}

/** The sentences of a text with their places; a point within a number or an abbreviation ends none. */
function sentencesWithPlace(text: string): Sentence[] {
  const found: Sentence[] = [];
  for (const match of text.matchAll(/[^.!?;\n]+(?:(?:\.(?=\S)|(?<=\b(?:e\.g|i\.e|etc|approx|min|max|no))\.)[^.!?;\n]*)*[.!?;]?/gi))
    if (match[0].trim()) found.push({ from: match.index, text: match[0] });
  return found;
}

/**
 * What a requirement's text lacks in wording, in reading order. No language model: words, patterns and the project's lists. `title` is
 * not read. A text that is empty has nothing to be found in it.
 */
export function checkWording(text: string, lists: WordingLists = usualWording): WordingFinding[] {
  if (!text.trim()) return [];
  const found: WordingFinding[] = [];
  const add = (rule: WordingRule, from: number, words: string): void => {
    if (!found.some((f) => f.from < from + words.length && from < f.to && (f.rule === rule || (rule === 'vague' && f.rule === 'escape'))))
      found.push({ rule, from, to: from + words.length, words });
  };
  const each = (rule: WordingRule, pattern: RegExp, skip: (match: RegExpExecArray) => boolean = () => false): void => {
    for (const match of text.matchAll(pattern)) if (!skip(match)) add(rule, match.index, match[0]);
  };

  each('escape', anyOf(lists.escape));
  each('open', anyOf(lists.open));
  // What is "high" or "low" in a technical sense: a signal, a side, a state.
  each(
    'vague',
    anyOf(lists.vague),
    (match) =>
      /^\s*(?:side|level|state|signal|voltage|byte|bit|active|pass|order|end|edge)/i.test(text.slice(match.index + match[0].length)) ||
      /\bof\s+(?:several|some|few)$/i.test(text.slice(0, match.index + match[0].length)),
  );
  each('andOr', /\band\s?\/\s?or\b|\beither\/or\b/gi);

  const binding = anyOf(lists.binding);
  const sentences = sentencesWithPlace(text);
  const bound = sentences.filter((s) => s.text.search(binding) >= 0);
  if (!bound.length) found.push({ rule: 'noShall', from: 0, to: 0, words: '' });
  // A sentence that asks for nothing may explain: only where nothing is asked is a weak word instead of a strong one.
  for (const sentence of sentences) {
    if (bound.length && !bound.includes(sentence)) continue;
    const asks = sentence.text.search(binding);
    for (const match of sentence.text.matchAll(anyOf(lists.weak)))
      // Before what is asked stands when it is asked: "when neither channel can be used".
      if (match.index < asks && /^\s*(?:when|if|while|where|unless|until|on|a|an|any|each|every)\b/i.test(sentence.text)) continue;
      else if (!/^\s*not\b/i.test(sentence.text.slice(match.index + match[0].length)) || !bound.length)
        add('weak', sentence.from + match.index, match[0]);
  }
  const shalls = [...text.matchAll(binding)];
  for (const match of shalls.slice(1)) add('several', match.index, match[0]);
  each('several', /\b(?:as well as|but also|and also)\b/gi, () => !bound.length);

  for (const match of text.matchAll(
    /\b(?:shall|must|will)\s+(?:not|never)\b|\b(?:shall|must|will)\s+\w+\s+(?:no|never)\b|\b(?:no|none of the|neither)\s+(?:\w+\s+){1,5}(?:shall|must)\b/gi,
  )) {
    // A limit is no prohibition: "shall not exceed 5 s", "no more than".
    const after = text.slice(match.index, match.index + match[0].length + 45);
    if (
      !/\b(?:not|never) (?:exceed|be (?:more|less|longer|later|greater|higher|lower|shorter) than|fall below|drop below|rise above)|\b(?:more|less|fewer|\w+er) than\b/i.test(
        after,
      )
    )
      add('negative', match.index, match[0]);
  }
  for (const match of text.matchAll(passive)) {
    if (adjectives.test(match[1])) continue;
    const sentence = sentences.find((s) => match.index >= s.from && match.index < s.from + s.text.length);
    if (!/\bby\s+(?!(?:\d|at least|at most|more|less|using|means|way|default|hand\b))/i.test(sentence?.text ?? ''))
      add('passive', match.index, match[0]);
  }
  const first = sentences.at(0);
  for (const match of (first?.text ?? '').matchAll(
    /^\s*(it(?! is (?:desirable|necessary|possible|important|required) )|they|this|these|those|that)\s+(?=(?:shall|must|will|should|may|is|are|has|have|can)\b)/gi,
  ))
    add('pronoun', (first?.from ?? 0) + match[0].search(/\S/), match[1]);
  each('pronoun', /\b(?:this|these|those)\b(?=\s+(?:shall|must|will|should|is|are|happens|occurs)\b)/gi);
  each('pronoun', /\b(?:the former|the latter|the above|the aforementioned)\b/gi);

  for (const quantity of quantitiesIn(text)) {
    const { from, to, unit, relation } = quantity;
    const words = text.slice(from, to);
    const before = text.slice(0, from);
    if (!unit) {
      const asked =
        /\b(?:within|than|at least|at most|up to|exceed|exceeds|below|above|under|over|of|is|be|by|every|after|for|to)\s*$/i.test(before);
      const ends = /^\s*(?:[.,;:)]|$|(?:or|and|when|while|if|after|before|unless|at|in|on)\b)/i.test(text.slice(to));
      // A list of numbers, a place in a list, a year, a state that is numbered.
      if (
        asked &&
        ends &&
        relation !== 'between' &&
        !/\b(?:equal|set|changes?|switch\w*|goes|return\w*|reset\w*|value|code|status|level|stage|state|class|sil|alarm|channel)\s+(?:is |be |to |of )?$/i.test(
          before,
        )
      )
        add('noUnit', from, words);
      continue;
    }
    if (relation) continue;
    const sentence = sentences.find((s) => from >= s.from && from < s.from + s.text.length);
    const near = text.slice(
      Math.max(sentence?.from ?? 0, from - 45),
      Math.min(to + 45, (sentence?.from ?? 0) + (sentence?.text.length ?? to)),
    );
    if (/\b(?:be|is|are|of|at|to|every|for|lasts?|by|after|in)\s*$/i.test(before) && !limits.test(near)) add('noTolerance', from, words);
  }

  const known = new Set(lists.glossary.map(({ term }) => term.toLowerCase()));
  each('term', /(?<![\p{L}\p{N}./_-])[A-Z][A-Z0-9]{1,7}s?(?![\p{L}\p{N}_-]|\.\w)/gu, ({ 0: term, index }) => {
    const plain = term.replace(/s$/, '');
    if (known.has(term.toLowerCase()) || known.has(plain.toLowerCase())) return true;
    if (/^(?:SIL|ASIL|DAL|ISO|IEC|IEEE|EN|AND|OR|NOT|XOR|ON|OFF|TRUE|FALSE|TBD|TBC|V[DA]C|[GMK]i?B|MHZ|OK)$/.test(plain)) return true;
    // Behind a number it is a unit.
    return /\d\s?$/.test(text.slice(0, index));
  });
  return found.sort((a, b) => a.from - b.from || a.to - b.to);
}

/** A finding that somebody looked at and let stand, for a reason. */
export interface WordingDismissal {
  readonly rule: string;
  readonly words: string;
}

/** Was a finding let stand? For the same words by the same rule: another text is looked at anew. */
export const isDismissed = ({ rule, words }: WordingDismissal, dismissals: readonly WordingDismissal[]): boolean =>
  dismissals.some((d) => d.rule === rule && d.words.toLowerCase() === words.toLowerCase());

/** The defined terms that stand in a text, each once, in the order of the glossary. */
export function termsIn(
  text: string,
  { glossary }: Pick<WordingLists, 'glossary'>,
): { readonly term: string; readonly meaning: string; readonly places: readonly { readonly words: string; readonly from: number }[] }[] {
  return glossary.flatMap(({ term, meaning }) => {
    const places = [...text.matchAll(new RegExp(anyOf([term]).source, 'giu'))].map(({ 0: words, index: from }) => ({ words, from }));
    return places.length ? [{ term, meaning, places }] : [];
  });
}
