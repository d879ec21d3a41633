import { diffWordsWithSpace } from 'diff';

export interface WordPiece {
  readonly kind: 'same' | 'added' | 'removed';
  readonly text: string;
}

/** The difference of two texts, word by word, in reading order. */
export function wordDifference(before: string, after: string): WordPiece[] {
  return diffWordsWithSpace(before, after).map((part) => ({
    kind: part.added ? 'added' : part.removed ? 'removed' : 'same',
    text: part.value,
  }));
}

/** A number of things in words: `1 run`, `3 runs`; of a noun whose plural is another word, that one is given. */
export const counted = (n: number, one: string, many = `${one}s`): string => `${n.toLocaleString('en')} ${n === 1 ? one : many}`;

/** A few of many, and how many more: `a, b and 3 more`. */
export const fewOf = (words: readonly string[], most: number): string =>
  words.length > most ? `${words.slice(0, most).join(', ')} and ${words.length - most} more` : words.join(', ');

/** A noun with its article: `a tester`, `an author`. */
export const articled = (noun: string): string => `a${/^[aeiou]/.test(noun) ? 'n' : ''} ${noun}`;

/** What stands between commas, without blanks and without what is empty. */
export const betweenCommas = (text: string): string[] =>
  text
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean);
