import { groupBy } from '../base';
import { sameUnit } from './carry';
import type { PointTable } from './point';

/** A function of a build: where it stands, and the hash of its text, white space aside. Lines from 1, both ends inside. */
export interface CodeFunction {
  readonly path: string;
  readonly name: string;
  readonly start: number;
  readonly end: number;
  readonly textHash: string;
}

export interface FunctionChange {
  readonly path: string;
  readonly name: string;
  /** Its text is another one; it is new; it is not there any more. One whose text stands elsewhere was moved: that is no change. */
  readonly what: 'changed' | 'added' | 'gone';
}

/** What became of the functions of one build in another, by path and name. */
export function changedFunctions(before: readonly CodeFunction[], after: readonly CodeFunction[]): FunctionChange[] {
  const place = ({ path, name }: Pick<CodeFunction, 'path' | 'name'>): string => `${path}\n${name}`;
  const now = groupBy(after, place);
  const byText = groupBy(after, (f) => f.textHash);
  const old = groupBy(before, place);
  const oldTexts = new Set(before.map((f) => f.textHash));
  const found: FunctionChange[] = [];
  for (const f of before) {
    const { path, name, textHash } = f;
    const there = now.get(place(f)) ?? [];
    if (there.some((other) => other.textHash === textHash)) continue;
    const moved = sameUnit(f, byText.get(textHash) ?? []);
    if (moved !== undefined && moved !== 'ambiguous') continue;
    found.push({ path, name, what: there.length ? 'changed' : 'gone' });
  }
  for (const f of after) if (!old.has(place(f)) && !oldTexts.has(f.textHash)) found.push({ path: f.path, name: f.name, what: 'added' });
  return found;
}

/** The places of the functions of one file in which any point was hit: a point belongs to the function whose lines hold it. */
export function functionsHit(table: PointTable, bits: Uint32Array, functions: readonly Pick<CodeFunction, 'start' | 'end'>[]): Set<number> {
  const lines = new Set<number>();
  for (let p = 0; p < table.line.length; p++) if ((bits[p >>> 5] >>> (p & 31)) & 1) lines.add(table.line[p]);
  const found = new Set<number>();
  functions.forEach(({ start, end }, at) => {
    for (const line of lines)
      if (line >= start && line <= end) {
        found.add(at);
        break;
      }
  });
  return found;
}

/**
 * What of a source file stands outside its functions, white space aside: declarations, macros, tables, comments. Two texts whose functions are
 * the same and whose rest is not were changed where no function tells of it.
 */
export function outsideFunctions(source: string, functions: readonly Pick<CodeFunction, 'start' | 'end'>[]): string {
  const inside = new Set<number>();
  for (const { start, end } of functions) for (let line = start; line <= end; line++) inside.add(line);
  return source
    .split('\n')
    .filter((_, i) => !inside.has(i + 1))
    .join('')
    .replace(/\s/g, '');
}
