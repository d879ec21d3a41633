import type { Passage } from '@contract/specify';
import { emptyRequirement } from '@core/specify';

/** Where a passage is put: under which heading, and before which of those there; at the end without one. */
export interface Place {
  readonly under: string | null;
  readonly before: string | null;
}

/** The place of a row that is moved among those beside it, under the one before it, or out to where its heading stands; undefined where it stays. */
export function movedPlace(rows: readonly Passage[], row: Passage, how: 'rowUp' | 'rowDown' | 'rowIn' | 'rowOut'): Place | undefined {
  const beside = rows.filter((r) => r.under === row.under);
  const i = beside.findIndex((r) => r.key === row.key);
  const above = rows.find((r) => r.key === row.under);
  if (how === 'rowUp' && i > 0) return { under: row.under, before: beside[i - 1].key };
  if (how === 'rowDown' && i < beside.length - 1) return { under: row.under, before: beside.at(i + 2)?.key ?? null };
  if (how === 'rowIn' && i > 0) return { under: beside[i - 1].key, before: null };
  if (how !== 'rowOut' || !above) return undefined;
  const around = rows.filter((r) => r.under === above.under);
  return { under: above.under, before: around.at(around.findIndex((r) => r.key === above.key) + 1)?.key ?? null };
}

/** Those of some rows that go by themselves: what stands below another of them goes with it. */
export function uppermost(rows: readonly Passage[], keys: readonly string[]): string[] {
  const own = below(rows, keys);
  return keys.filter((key) => !own.has(key));
}

/** What stands below some rows, at any depth. */
function below(rows: readonly Passage[], keys: readonly string[]): Set<string> {
  const found = new Set<string>();
  const all = new Set(keys);
  for (const { key, under } of rows)
    if (under !== null && all.has(under)) {
      found.add(key);
      all.add(key);
    }
  return found;
}

/**
 * The place of rows of which one is dropped elsewhere, with all that stands below them: before the one that follows there, under the heading of that. `from` and
 * `to` are the places of the one that is dragged, the latter among the others; undefined where it stays.
 */
export function droppedPlace(rows: readonly Passage[], from: number, to: number, keys = [rows.at(from)?.key ?? '']): Place | undefined {
  const moved = rows.at(from);
  if (!moved || from === to) return undefined;
  const own = new Set([...keys, ...below(rows, keys)]);
  const others = rows.filter(({ key }) => key !== moved.key);
  const next = others.slice(to).find(({ key }) => !own.has(key));
  if (next) return { under: next.under, before: next.key };
  return { under: others.filter(({ key }) => !own.has(key)).at(-1)?.under ?? null, before: null };
}

/** The passage with which one may be joined: the one above it of the same kind, where nothing stands below it. */
export function joinedWith(rows: readonly Passage[], row: Passage): Passage | undefined {
  const beside = rows.filter((r) => r.under === row.under);
  const above = beside[beside.findIndex((r) => r.key === row.key) - 1] as Passage | undefined;
  return row.kind !== 'heading' && above?.kind === row.kind && !rows.some((r) => r.under === row.key) ? above : undefined;
}

/** One that nobody has written yet, beside another or below it; a requirement is of its level and method. */
export function newPassage(kind: Passage['kind'], specification: string, here: Passage | undefined, below: boolean): Passage {
  return {
    ...emptyRequirement,
    kind,
    level: kind === 'requirement' ? (here?.level ?? '') : '',
    method: kind === 'requirement' ? (here?.method ?? '') : '',
    key: '',
    specification,
    under: here ? (below ? here.key : here.under) : null,
    derivedFrom: [],
    position: 0,
    revision: 0,
    state: 'draft',
    own: {},
    updatedBy: '',
    updatedAt: '',
    depth: here ? here.depth + (below ? 1 : 0) : 0,
    number: '',
  };
}
