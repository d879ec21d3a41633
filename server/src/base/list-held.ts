import type { Filter, ListQuery, Page } from '@contract/base';
import { compareKeys } from '@core/base';
import { Refusal } from './errors';
import { needFilter } from './list-filter';

type Value = string | number | boolean | null;

/** How rows that stand in no table are asked for: their fields, and the text that words are searched in. */
export interface HeldList<R> {
  readonly fields: Readonly<Record<string, (row: R) => Value>>;
  /** What orders by a field, where that is not what it says. */
  readonly order?: Readonly<Record<string, (row: R) => Value>>;
  readonly words: (row: R) => string;
  readonly sort: string;
}

const invalid = (path: string, text: string): Refusal => new Refusal('invalid', { fields: [{ path, text }] });

function valueOf<R>(list: HeldList<R>, name: string): (row: R) => Value {
  const value = Object.hasOwn(list.fields, name) ? list.fields[name] : undefined;
  if (!value) throw invalid('filter', `There is no field “${name}” here.`);
  return value;
}

/** As the database compares texts: by their bytes. */
const compare = (a: Value, b: Value): number =>
  typeof a === 'number' && typeof b === 'number' ? a - b : Buffer.compare(Buffer.from(String(a ?? '')), Buffer.from(String(b ?? '')));

function finds(text: string, words: string): boolean {
  const parts = text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
  const asked = words.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
  return asked.every((word) => (word.length < 3 ? text.toLowerCase().includes(word) : parts.some((part) => part.startsWith(word))));
}

function holds<R>(list: HeldList<R>, filter: Filter, row: R): boolean {
  if ('and' in filter) return filter.and.every((f) => holds(list, f, row));
  if ('or' in filter) return filter.or.some((f) => holds(list, f, row));
  if ('not' in filter) return !holds(list, filter.not, row);
  if ('words' in filter) return finds(list.words(row), filter.words);
  const value = valueOf(list, filter.field)(row);
  if ('is' in filter) return filter.is.some((v) => (v === null ? value === null : value !== null && compare(v, value) === 0));
  if ('empty' in filter) return (value === null || value === '') === filter.empty;
  if (value === null) return false;
  return (filter.from === undefined || compare(value, filter.from) >= 0) && (filter.to === undefined || compare(value, filter.to) <= 0);
}

/** What a question finds among rows that are held in memory, in its order. */
export function heldRows<R extends { readonly key: string }>(
  rows: readonly R[],
  list: HeldList<R>,
  query: Pick<ListQuery, 'filter' | 'sort'>,
): R[] {
  const filter = needFilter(query.filter);
  const orders = (query.sort ?? list.sort).split(',').map((name) => {
    const plain = name.replace(/^-/, '');
    const value = plain === 'key' ? undefined : (list.order?.[plain] ?? valueOf(list, plain));
    return (a: R, b: R): number => (name.startsWith('-') ? -1 : 1) * (value ? compare(value(a), value(b)) : compareKeys(a.key, b.key));
  });
  const found = filter ? rows.filter((row) => holds(list, filter, row)) : [...rows];
  return found.sort((a, b) => orders.reduce((order, next) => order || next(a, b), 0) || compareKeys(a.key, b.key));
}

/** A page of it, as every list is answered: its cursor is a number of rows, since rows of the past do not move. */
export function heldPage<R extends { readonly key: string }>(
  rows: readonly R[],
  list: HeldList<R>,
  query: ListQuery,
  seq: number,
): Page<R> {
  const found = heldRows(rows, list, query);
  const from = query.after === undefined ? (query.skip ?? 0) : Number(query.after);
  if (!Number.isInteger(from) || from < 0) throw invalid('after', 'This is no place in this list.');
  const next = from + query.limit;
  const page: Page<R> = {
    rows: found.slice(from, next),
    next: next < found.length ? String(next) : null,
    total: query.after === undefined ? found.length : null,
    seq,
  };
  if (!query.groups) return page;
  const value = valueOf(list, query.groups);
  const counts = new Map<string | number | null, number>();
  for (const row of found) {
    const at = value(row);
    const group = typeof at === 'boolean' ? Number(at) : at;
    counts.set(group, (counts.get(group) ?? 0) + 1);
  }
  const groups = [...counts].map(([group, count]) => ({ value: group, count }));
  return { ...page, groups: groups.sort((a, b) => b.count - a.count || compare(a.value, b.value)) };
}
