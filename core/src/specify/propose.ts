import { compareKeys } from '../base';

/** A record by its words: title, text, and whatever else is searched. */
export interface Worded {
  readonly key: string;
  readonly text: string;
}

/** A pair that is likely to belong together, and the words that make it likely, the most telling first. */
export interface ProposedPair {
  readonly from: string;
  readonly to: string;
  /** From 0 to 1: the cosine of both texts' words, each weighed by how rare it is. */
  readonly score: number;
  readonly words: readonly string[];
}

/** Words that tell nothing about what a text is of. */
const common = new Set(
  'the and for with that this from are was were has have had its not but any all can may will shall must should than then when where while which who what each other into onto over under more less most least only also such been being both does done out off per via there their they them upon within without'.split(
    ' ',
  ),
);

/** A word as it is compared: in lower case, without the ending of a plural. */
const stem = (word: string): string =>
  /\d/.test(word) || word.length < 5
    ? word
    : word
        .replace(/(?:ies)$/, 'y')
        .replace(/(?:sses)$/, 'ss')
        .replace(/([^s])s$/, '$1');

/** The words of a text that tell what it is of, how often each; keys of records do not count. */
export function tellingWords(text: string): Map<string, number> {
  const found = new Map<string, number>();
  const plain = text.replace(/\b[A-Z][A-Z0-9]*-\d+\b/g, ' ').toLowerCase();
  for (const [word] of plain.matchAll(/\p{L}[\p{L}\p{N}]{2,}|\d{1,9}[.,]\d{1,9}|\d{2,9}/gu)) {
    if (common.has(word)) continue;
    const as = stem(word);
    found.set(as, (found.get(as) ?? 0) + 1);
  }
  return found;
}

export interface ProposalLimits {
  /** Pairs below this are not told. */
  readonly least: number;
  /** So many for one `from` at most. */
  readonly most: number;
}

const shownWords = 6;

/**
 * Pairs of two sets that share telling words: the cosine of their words weighed by rarity (tf–idf over both sets; a term of the glossary
 * weighs double). Pairs that share one word only or are traced already, and a record with itself, are left out. The likeliest first, then by key.
 */
export function proposePairs(
  froms: readonly Worded[],
  tos: readonly Worded[],
  traced: ReadonlySet<string>,
  { least, most }: ProposalLimits,
  glossary: readonly string[] = [],
): ProposedPair[] {
  const all = new Map([...froms, ...tos].map(({ key, text }) => [key, tellingWords(text)]));
  const holds = new Map<string, number>();
  for (const words of all.values()) for (const word of words.keys()) holds.set(word, (holds.get(word) ?? 0) + 1);
  const terms = new Set(glossary.flatMap((term) => [...tellingWords(term).keys()]));
  const weight = (word: string): number => Math.log(1 + all.size / (holds.get(word) ?? 1)) * (terms.has(word) ? 2 : 1);
  const vectors = new Map<string, ReadonlyMap<string, number>>();
  for (const [key, words] of all) {
    const raw = [...words].map(([word, n]) => [word, (1 + Math.log(n)) * weight(word)] as const);
    const length = Math.hypot(...raw.map(([, value]) => value)) || 1;
    vectors.set(key, new Map(raw.map(([word, value]) => [word, value / length])));
  }
  const index = new Map<string, { readonly key: string; readonly value: number }[]>();
  for (const { key } of tos)
    for (const [word, value] of vectors.get(key) ?? []) {
      const list = index.get(word);
      if (list) list.push({ key, value });
      else index.set(word, [{ key, value }]);
    }
  const pairs: ProposedPair[] = [];
  for (const { key: from } of froms) {
    const mine = vectors.get(from) ?? new Map<string, number>();
    const scores = new Map<string, number>();
    for (const [word, value] of mine)
      for (const other of index.get(word) ?? []) scores.set(other.key, (scores.get(other.key) ?? 0) + value * other.value);
    const likely = [...scores]
      .filter(([to, score]) => score >= least && to !== from && !traced.has(`${from} ${to}`))
      .sort(([a, x], [b, y]) => y - x || compareKeys(a, b))
      .slice(0, most);
    for (const [to, score] of likely) {
      const theirs = vectors.get(to);
      const shared = [...mine]
        .flatMap(([word, value]) => (theirs?.has(word) ? [[word, value * (theirs.get(word) ?? 0)] as const] : []))
        .sort(([a, x], [b, y]) => y - x || (a < b ? -1 : 1));
      // One word alone is no reason: it may stand for anything.
      if (shared.length > 1) pairs.push({ from, to, score: Math.min(1, score), words: shared.slice(0, shownWords).map(([word]) => word) });
    }
  }
  return pairs.sort((a, b) => b.score - a.score || compareKeys(a.from, b.from) || compareKeys(a.to, b.to));
}
