import { diffArrays } from 'diff';

/**
 * A passage of what two people changed, each from the same beginning. What only one of them changed is `mine` or `theirs`; what both changed
 * in the same place, differently, is `both`; what both changed alike, or nobody, is `same`.
 */
export interface Passage<T> {
  readonly kind: 'same' | 'mine' | 'theirs' | 'both';
  readonly base: readonly T[];
  readonly mine: readonly T[];
  readonly theirs: readonly T[];
}

/** So many of the beginning, from a place on, became these. */
interface Change<T> {
  readonly from: number;
  readonly to: number;
  readonly now: readonly T[];
}

function changesOf<T>(base: readonly T[], now: readonly T[]): Change<T>[] {
  const changes: Change<T>[] = [];
  let at = 0;
  let open: { from: number; to: number; now: T[] } | undefined;
  for (const { added, removed, value } of diffArrays([...base], [...now])) {
    if (!added && !removed) {
      if (open) changes.push(open);
      open = undefined;
      at += value.length;
      continue;
    }
    open ??= { from: at, to: at, now: [] };
    if (removed) open.to = at += value.length;
    else open.now.push(...value);
  }
  return open ? [...changes, open] : changes;
}

/** What a stretch of the beginning became by changes that lie within it. */
function appliedTo<T>(base: readonly T[], from: number, to: number, changes: readonly Change<T>[]): T[] {
  const now: T[] = [];
  let at = from;
  for (const change of changes) {
    now.push(...base.slice(at, change.from), ...change.now);
    at = change.to;
  }
  return [...now, ...base.slice(at, to)];
}

/** Does a change meet those before it, which reach to a place? */
const meets = <T>(change: Change<T>, to: number, before: Change<T>): boolean =>
  change.from < to || (change.from === to && (change.from === change.to || before.from === before.to));

const alike = <T>(a: readonly T[], b: readonly T[]): boolean => a.length === b.length && a.every((item, i) => item === b[i]);

/**
 * What two people made of one beginning, passage by passage in reading order. Changes that overlap are one passage of both, and so is what is
 * put in where something else changes: whether they go together, and in which order, a person decides. Items are compared by `===`: words,
 * sentences, or steps written out.
 */
export function passagesOf<T extends string>(base: readonly T[], mine: readonly T[], theirs: readonly T[]): Passage<T>[] {
  const all = [
    ...changesOf(base, mine).map((change) => ({ ...change, own: true })),
    ...changesOf(base, theirs).map((change) => ({ ...change, own: false })),
  ].sort((a, b) => a.from - b.from || a.to - b.to);
  const passages: Passage<T>[] = [];
  let at = 0;
  const keep = (to: number): void => {
    const same = base.slice(at, to);
    if (same.length) passages.push({ kind: 'same', base: same, mine: same, theirs: same });
  };
  for (let i = 0; i < all.length;) {
    const from = all[i].from;
    let to = all[i].to;
    let end = i + 1;
    while (end < all.length && meets(all[end], to, all[end - 1])) to = Math.max(to, all[end++].to);
    const here = all.slice(i, end);
    const own = here.filter((change) => change.own);
    const other = here.filter((change) => !change.own);
    const passage = {
      base: base.slice(from, to),
      mine: appliedTo(base, from, to, own),
      theirs: appliedTo(base, from, to, other),
    };
    keep(from);
    const kind = !other.length ? 'mine' : !own.length ? 'theirs' : alike(passage.mine, passage.theirs) ? 'same' : 'both';
    passages.push({ kind, ...passage });
    at = to;
    i = end;
  }
  keep(base.length);
  return passages;
}

/** A text in sentences and lines; together they are the text. */
export function sentencesOf(text: string): string[] {
  const found: string[] = [];
  let from = 0;
  for (let i = 0; i < text.length; i++) {
    const ends = '.!?;\n'.includes(text[i]) && (text[i] === '\n' || i + 1 === text.length || /\s/.test(text[i + 1]));
    if (!ends) continue;
    let to = i + 1;
    while (to < text.length && /\s/.test(text[to])) to++;
    found.push(text.slice(from, to));
    from = to;
    i = to - 1;
  }
  return from < text.length ? [...found, text.slice(from)] : found;
}
