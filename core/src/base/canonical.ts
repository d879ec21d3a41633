/** A value that JSON can hold. */
export type Json = null | boolean | number | string | readonly Json[] | { readonly [name: string]: Json | undefined };

/**
 * Canonical JSON after RFC 8785: no white space, members sorted by UTF-16 code units, numbers and strings in the form
 * of ECMAScript's own serializer. Members that are `undefined` are left out, as JSON.stringify does.
 * Throws (programmer error) on NaN, infinities and lone surrogates, none of which RFC 8785 can write.
 */
export function canonicalJson(value: Json): string {
  if (value === null || typeof value === 'boolean') return String(value);
  if (typeof value === 'number') {
    if (!Number.isFinite(value)) throw new Error('canonical JSON cannot hold a number that is not finite');
    return JSON.stringify(value);
  }
  if (typeof value === 'string') {
    if (hasLoneSurrogate(value)) throw new Error('canonical JSON cannot hold a lone surrogate');
    return JSON.stringify(value);
  }
  if (Array.isArray(value)) return `[${value.map((item: Json) => canonicalJson(item ?? null)).join(',')}]`;
  const members = value as { readonly [name: string]: Json | undefined };
  // Array.prototype.sort without a comparer orders strings by UTF-16 code units, which is what RFC 8785 asks.
  const names = Object.keys(members)
    .filter((name) => members[name] !== undefined)
    .sort();
  return `{${names.map((name) => `${JSON.stringify(name)}:${canonicalJson(members[name] as Json)}`).join(',')}}`;
}

/** Whether a text holds half a character: UTF-8 cannot write it, so neither can canonical JSON nor the database. */
export const hasLoneSurrogate = (text: string): boolean => /\p{Surrogate}/u.test(text);
