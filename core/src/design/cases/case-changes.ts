import { canonicalJson, type Json } from '../../base';
import type { CaseContent, CaseRow, CaseStep } from '../case';

/** What became of one step, or of one data row, between two revisions of a case. */
export interface ItemChange<T> {
  readonly what: 'added' | 'changed' | 'moved' | 'gone';
  /** Places from 1; null where it does not stand. */
  readonly from: number | null;
  readonly to: number | null;
  readonly before: T | null;
  readonly after: T | null;
}

const text = (item: unknown): string => canonicalJson(item as Json);

/** How much two items say the same, from 0 to 1: the share of their words. */
function likeness(a: string, b: string): number {
  const words = (s: string): Set<string> => new Set(s.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? []);
  const [x, y] = [words(a), words(b)];
  if (!x.size && !y.size) return 1;
  let both = 0;
  for (const word of x) if (y.has(word)) both++;
  return both / (x.size + y.size - both);
}
const changedFrom = 0.4;

/** The places of a longest rising sequence: what of a permutation has kept its order. */
function rising(list: readonly number[]): Set<number> {
  const best: number[] = [];
  const came: number[] = [];
  list.forEach((value, i) => {
    let most = -1;
    for (let j = 0; j < i; j++) if (list[j] < value && (most < 0 || best[j] > best[most])) most = j;
    came[i] = most;
    best[i] = most < 0 ? 1 : best[most] + 1;
  });
  let at = best.reduce((m, value, i) => (m < 0 || value > best[m] ? i : m), -1);
  const kept = new Set<number>();
  for (; at >= 0; at = came[at]) kept.add(list[at]);
  return kept;
}

/** Items paired: those that are equal first, then what is most alike, in order; the rest is added or gone. */
function changesOf<T>(before: readonly T[], after: readonly T[]): ItemChange<T>[] {
  const old = before.map(text);
  const now = after.map(text);
  const pairOf = new Map<number, number>();
  const free = new Set(old.keys());
  now.forEach((item, i) => {
    const same = [...free].find((j) => old[j] === item);
    if (same === undefined) return;
    pairOf.set(i, same);
    free.delete(same);
  });
  now.forEach((item, i) => {
    if (pairOf.has(i)) return;
    const [like] = [...free]
      .map((j) => ({ j, share: likeness(old[j], item) }))
      .sort((a, b) => b.share - a.share || Math.abs(a.j - i) - Math.abs(b.j - i));
    if (!like || like.share < changedFrom) return;
    pairOf.set(i, like.j);
    free.delete(like.j);
  });
  const inOrder = rising([...pairOf].sort(([a], [b]) => a - b).map(([, j]) => j));
  const changes = now.flatMap((item, i): ItemChange<T>[] => {
    const j = pairOf.get(i);
    if (j === undefined) return [{ what: 'added', from: null, to: i + 1, before: null, after: after[i] }];
    const both = { from: j + 1, to: i + 1, before: before[j], after: after[i] };
    if (old[j] !== item) return [{ what: 'changed', ...both }];
    return inOrder.has(j) ? [] : [{ what: 'moved', ...both }];
  });
  return [...changes, ...[...free].map((j): ItemChange<T> => ({ what: 'gone', from: j + 1, to: null, before: before[j], after: null }))];
}

/** What is otherwise in the steps of two revisions. */
export const stepChanges = (before: Pick<CaseContent, 'steps'>, after: Pick<CaseContent, 'steps'>): ItemChange<CaseStep>[] =>
  changesOf(before.steps, after.steps);

/** What is otherwise in their data rows. */
export const rowChanges = (before: Pick<CaseContent, 'rows'>, after: Pick<CaseContent, 'rows'>): ItemChange<CaseRow>[] =>
  changesOf(before.rows ?? [], after.rows ?? []);

/** A step in one line. */
export function stepWords({ action, expected, call, data, readings, evidence }: CaseStep): string {
  if (call) {
    const given = Object.entries(call.with).map(([name, value]) => `${name} = ${value}`);
    return `all steps of ${call.key} revision ${call.revision}${given.length ? ` with ${given.join(', ')}` : ''}`;
  }
  return [
    action,
    ...(data ? [`with ${data}`] : []),
    `→ ${expected}`,
    ...(readings ?? []).map((r) => `${r.name}: ${r.limits}`),
    ...(evidence ? [`shown by a ${evidence}`] : []),
  ].join(' ');
}

/** A data row in one line. */
export const rowWords = ({ name, values }: CaseRow): string =>
  `${name}: ${Object.entries(values)
    .map(([of, value]) => `${of} = ${value}`)
    .join(', ')}`;
