const parts = /^([A-Z][A-Z0-9]*(?:-[A-Z][A-Z0-9]*)*)-(\d+)$/;

/** A short key is a prefix of capitals and a number: `BRK-007`, `DR-CASE-22`. */
export function isKey(text: string): boolean {
  return text.length <= 40 && parts.test(text);
}

/** The next free key of a prefix: one more than the greatest number in use, at least three digits wide. */
export function nextKey(prefix: string, greatest: number): string {
  return `${prefix}-${String(greatest + 1).padStart(3, '0')}`;
}

/** The number in a key; 0 where there is none. */
export function keyNumber(key: string): number {
  return Number(parts.exec(key)?.[2] ?? 0);
}

/** Order of keys as people count: by prefix, then by number. */
export function compareKeys(a: string, b: string): number {
  const [, ap = a, an = '0'] = parts.exec(a) ?? [];
  const [, bp = b, bn = '0'] = parts.exec(b) ?? [];
  return ap < bp ? -1 : ap > bp ? 1 : Number(an) - Number(bn);
}
