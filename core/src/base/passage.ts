/** A piece of a text around the first word that a search found: `marks` are the places of all found words in it, from and to, the end excluded. */
export interface FoundPassage {
  readonly text: string;
  readonly marks: readonly (readonly [number, number])[];
}

const before = 40;
const length = 160;

/**
 * The passage of a text in which words of a search stand, beginnings of words counting, whatever the case; undefined where none does. Cut
 * at blanks, with an ellipsis where something is left out.
 */
export function findPassage(text: string, search: string): FoundPassage | undefined {
  const words = [...search.matchAll(/[\p{L}\p{N}]+/gu)].map(([word]) => word.toLowerCase());
  if (!words.length) return undefined;
  const found = [...text.matchAll(/[\p{L}\p{N}]+/gu)].flatMap((match): [number, number][] => {
    const word = match[0].toLowerCase();
    const hit = words.find((wanted) => word.startsWith(wanted));
    return hit === undefined ? [] : [[match.index, match.index + hit.length]];
  });
  if (!found.length) return undefined;
  const first = found[0][0];
  const from = first <= before ? 0 : text.lastIndexOf(' ', first - before) + 1;
  const rest = text.slice(from, from + length);
  const cut = from + length < text.length ? rest.slice(0, Math.max(rest.lastIndexOf(' '), first - from + 1)) : rest;
  const lead = from > 0 ? '… ' : '';
  const end = from + cut.length;
  return {
    text: `${lead}${cut.replace(/\s/g, ' ')}${end < text.length ? ' …' : ''}`,
    marks: found.filter(([, to]) => to <= end).map(([a, b]) => [a - from + lead.length, b - from + lead.length] as const),
  };
}
