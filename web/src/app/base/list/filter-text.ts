import type { Filter } from '@contract/base';

/** A field that a filter's text may name. */
export interface FilterField {
  /** As people type it. */
  readonly name: string;
  /** As the server knows it, where that is another name. */
  readonly field?: string;
  readonly words: string;
  readonly type: 'text' | 'number' | 'yesNo';
  /** Values that are offered, with how they are shown. */
  readonly values?: readonly string[];
  /** What a value is called, where that is a key. */
  readonly names?: Readonly<Record<string, string>>;
  /** How many traces or the like: `some` and `none` are offered. */
  readonly counted?: boolean;
  /** Many records have the same value: they are grouped by it, and the values that stand in the list are offered. */
  readonly grouped?: boolean;
}

/** A piece of a filter's text: a question of a field, or words. */
export interface FilterPiece {
  readonly text: string;
  /** What it asks; undefined while it is not whole, or where it is not understood. */
  readonly filter?: Filter;
  readonly fault?: string;
  readonly isWords: boolean;
}

/** The pieces of a text: what stands between blanks that are in no quotes. */
function piecesOf(text: string): string[] {
  const pieces: string[] = [];
  let piece = '';
  let inQuotes = false;
  for (const sign of text) {
    if (sign === '"') inQuotes = !inQuotes;
    if (/\s/.test(sign) && !inQuotes) {
      if (piece) pieces.push(piece);
      piece = '';
    } else piece += sign;
  }
  return piece ? [...pieces, piece] : pieces;
}

const valuesOf = (text: string): string[] =>
  [...text.matchAll(/"([^"]*)"?|([^,]+)/g)].map(([, quoted, plain]) => (quoted ?? plain ?? '').trim()).filter(Boolean);

/**
 * Reads a filter's text: `state:draft,review -level:"SIL 3" minutes:5..10 traces:none sensor` asks for records in one of two states, not
 * of that level, between two numbers, with none of something, and with a word. Commas say "or", a hyphen before says "not".
 */
export function readFilter(text: string, fields: readonly FilterField[]): FilterPiece[] {
  return piecesOf(text).map((piece) => readPiece(piece, fields));
}

function readPiece(text: string, fields: readonly FilterField[]): FilterPiece {
  const not = text.startsWith('-') && text.length > 1;
  const rest = not ? text.slice(1) : text;
  const colon = /^([A-Za-z][\w.]*):(.*)$/s.exec(rest);
  if (!colon) {
    const words = rest.replaceAll('"', '').trim();
    if (!words) return { text, isWords: true };
    const filter: Filter = { words };
    return { text, isWords: true, filter: not ? { not: filter } : filter };
  }
  const [, name, value] = colon;
  const field = fields.find((f) => f.name.toLowerCase() === name.toLowerCase());
  if (!field) return { text, isWords: false, fault: `There is no field “${name}” here.` };
  if (!value.trim()) return { text, isWords: false };
  const filter = conditionOf(field, value);
  if (typeof filter === 'string') return { text, isWords: false, fault: filter };
  return { text, isWords: false, filter: not ? { not: filter } : filter };
}

function conditionOf(field: FilterField, text: string): Filter | string {
  const name = field.field ?? field.name;
  const plain = text.replaceAll('"', '');
  const dots = plain.indexOf('..');
  if (dots >= 0) return rangeOf(field, name, plain.slice(0, dots).trim(), plain.slice(dots + 2).trim());
  const values = valuesOf(text);
  if (field.counted && values.length === 1 && /^(none|some)$/i.test(values[0]))
    return values[0].toLowerCase() === 'none' ? { field: name, is: [0] } : { field: name, from: 1 };
  if (values.length === 1 && /^(none|some)$/i.test(values[0])) return { field: name, empty: values[0].toLowerCase() === 'none' };
  if (field.type === 'yesNo') {
    const yes = values.map((value) => /^(yes|no)$/i.exec(value)?.[1].toLowerCase());
    return yes.includes(undefined) ? `“${field.name}” is yes or no.` : { field: name, is: yes.map((value) => value === 'yes') };
  }
  if (field.type === 'number') {
    const numbers = values.map(Number);
    return numbers.some(Number.isNaN) ? `“${field.name}” is a number, or two with .. between them.` : { field: name, is: numbers };
  }
  return { field: name, is: values.map((value) => field.values?.find((known) => known.toLowerCase() === value.toLowerCase()) ?? value) };
}

function rangeOf(field: FilterField, name: string, from: string, to: string): Filter | string {
  if (field.type === 'yesNo') return `“${field.name}” is yes or no.`;
  if (!from && !to) return `Say where “${field.name}” begins or ends.`;
  if (field.type === 'text') return { field: name, ...(from ? { from } : {}), ...(to ? { to: `${to}\uffff` } : {}) };
  const [least, most] = [Number(from || 0), Number(to || 0)];
  if (Number.isNaN(least) || Number.isNaN(most)) return `“${field.name}” is a number, or two with .. between them.`;
  return { field: name, ...(from ? { from: least } : {}), ...(to ? { to: most } : {}) };
}

/** What the pieces ask together: all of it holds; words are found together. */
export function filterOf(read: readonly FilterPiece[]): Filter | undefined {
  const words = read
    .filter((piece) => piece.isWords && piece.filter && 'words' in piece.filter)
    .map((piece) => (piece.filter as { words: string }).words);
  const rest = read.flatMap((piece) => (piece.filter && !(piece.isWords && 'words' in piece.filter) ? [piece.filter] : []));
  return together([...rest, ...(words.length ? [{ words: words.join(' ') }] : [])]);
}

/** Filters that hold together; undefined where there is none. */
export function together(filters: readonly (Filter | undefined)[]): Filter | undefined {
  const some = filters.filter((filter): filter is Filter => filter !== undefined);
  return some.length > 1 ? { and: some } : some[0];
}

/** Records of these keys, as a list's address holds it. */
export const keysFilter = (keys: readonly string[]): string => JSON.stringify({ field: 'key', is: keys } satisfies Filter);

/** A value as it is typed: in quotes where it holds spaces or commas. */
export const quoted = (value: string): string => (/[\s,"]/.test(value) ? `"${value.replaceAll('"', '')}"` : value);

/** The values that a filter's text asks of a field, where it asks for some and nothing else of it. */
export function askedValues(text: string, field: string): string[] {
  const piece = piecesOf(text).find((p) => p.toLowerCase().startsWith(`${field.toLowerCase()}:`));
  return piece ? valuesOf(piece.slice(field.length + 1)) : [];
}

/** The text with a value of a field asked for, or, where it was, no longer. */
export function withValue(text: string, field: string, value: string): string {
  const before = askedValues(text, field);
  const values = before.includes(value) ? before.filter((other) => other !== value) : [...before, value];
  const rest = piecesOf(text).filter((p) => !p.toLowerCase().startsWith(`${field.toLowerCase()}:`));
  return [...rest, ...(values.length ? [`${field}:${values.map(quoted).join(',')}`] : [])].join(' ');
}

/** The field whose value is being typed at the end of a text. */
export function typedField(text: string, fields: readonly FilterField[]): FilterField | undefined {
  // What would be typed next belongs to it.
  const name = /^-?([A-Za-z][\w.]*):/.exec(piecesOf(`${text}.`).at(-1) ?? '')?.[1].toLowerCase();
  return name === undefined ? undefined : fields.find((field) => field.name.toLowerCase() === name);
}

/** What can be typed next, for the piece that is being typed: fields by their beginnings, then the values of the field. */
export function suggestions(typed: string, fields: readonly FilterField[]): { readonly text: string; readonly words: string }[] {
  const piece = typed.slice(typed.lastIndexOf(' ') + 1);
  const not = piece.startsWith('-') ? '-' : '';
  const colon = piece.indexOf(':');
  const name = piece.slice(not.length, colon < 0 ? undefined : colon);
  const value = piece.slice(colon + 1);
  if (colon < 0) {
    if (!/^[A-Za-z]/.test(name)) return [];
    return fields
      .filter((f) => f.name.toLowerCase().startsWith(name.toLowerCase()) || f.words.toLowerCase().includes(name.toLowerCase()))
      .slice(0, 8)
      .map((f) => ({ text: `${not}${f.name}:`, words: f.words }));
  }
  const field = fields.find((f) => f.name.toLowerCase() === name.toLowerCase());
  if (!field) return [];
  const before = value.includes(',') ? value.slice(0, value.lastIndexOf(',') + 1) : '';
  const last = value.slice(before.length).replaceAll('"', '').toLowerCase();
  const known = field.type === 'yesNo' ? ['yes', 'no'] : field.counted ? ['none', 'some'] : (field.values ?? []);
  return known
    .map((value) => ({ value, words: field.names?.[value] ?? value }))
    .filter(({ value: v, words }) => `${v} ${words}`.toLowerCase().includes(last))
    .slice(0, 12)
    .map(({ value: v, words }) => ({ text: `${not}${field.name}:${before}${quoted(v)}`, words }));
}
