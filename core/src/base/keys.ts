const parts = /^([A-Z][A-Z0-9]*(?:-[A-Z][A-Z0-9]*)*)-(\d{1,9})$/;

/** A short key is a prefix of capitals and a number of at most nine digits: `BRK-007`, `DR-CASE-22`. */
export function isKey(text: string): boolean {
  return text.length <= 40 && parts.test(text);
}

/** The next free key of a prefix: one more than the greatest number in use, at least three digits wide. */
export function nextKey(prefix: string, greatest: number): string {
  return keyOf(prefix, greatest + 1);
}

/** The key of a number. */
export function keyOf(prefix: string, number: number): string {
  return `${prefix}-${String(number).padStart(3, '0')}`;
}

/** The number in a key; 0 where there is none. */
export function keyNumber(key: string): number {
  return Number(parts.exec(key)?.[2] ?? 0);
}

/** What stands before the number; the whole text where it is no key. */
export function keyPrefix(key: string): string {
  return parts.exec(key)?.[1] ?? key;
}

/** Order of keys as people count: by prefix, then by number. */
export function compareKeys(a: string, b: string): number {
  const [, ap = a, an = '0'] = parts.exec(a) ?? [];
  const [, bp = b, bn = '0'] = parts.exec(b) ?? [];
  return ap < bp ? -1 : ap > bp ? 1 : Number(an) - Number(bn);
}

/** Keys as they stand in texts: between words, whole. Captured, so that a text split by it keeps them. */
export const keyInText = /(\b[A-Z][A-Z0-9]*(?:-[A-Z0-9]+)*-\d{1,9}\b)/g;
