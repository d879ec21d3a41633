import { circlesThrough, compareKeys } from '../../base';

/** A case and what must have passed before it. */
export interface Dependent {
  readonly key: string;
  readonly dependsOn: readonly string[];
}

/** Circles that dependences close, each as its members in order; a case that depends on itself is one. */
export function dependenceCircles(cases: readonly Dependent[]): string[] {
  const byKey = new Map(cases.map((c) => [c.key, c.dependsOn]));
  const found: string[] = [];
  circlesThrough(
    [...byKey.keys()],
    (key) => byKey.get(key) ?? [],
    (_, circle) => found.push(circle),
  );
  return found;
}

/**
 * Cases in an order in which whatever they rest on comes before them; otherwise as they were given. What rests on something in a circle, or outside
 * the list, stands where it was.
 */
export function inDependenceOrder<T extends Dependent>(cases: readonly T[]): T[] {
  const byKey = new Map(cases.map((c) => [c.key, c]));
  const ordered = new Set<T>();
  for (const first of cases) {
    // Depth first with a stack of our own: chains may be long.
    const way: { of: T; next: number }[] = [{ of: first, next: 0 }];
    const onWay = new Set([first.key]);
    for (let top = way.at(-1); top; top = way.at(-1)) {
      const before = top.of.dependsOn[top.next++];
      if (before === undefined || ordered.has(top.of)) {
        ordered.add(top.of);
        onWay.delete(top.of.key);
        way.pop();
        continue;
      }
      const found = byKey.get(before);
      if (found && !ordered.has(found) && !onWay.has(before)) {
        way.push({ of: found, next: 0 });
        onWay.add(before);
      }
    }
  }
  return [...ordered];
}

/** How a case that others rest on stands on a build. */
export type Standing = 'passed' | 'failed' | 'blocked' | 'open';

/** What a case rests on that has not passed: nothing where it may be run. */
export function notPassed(
  dependsOn: readonly string[],
  standing: ReadonlyMap<string, Standing>,
): { readonly key: string; readonly standing: Standing }[] {
  return [...dependsOn]
    .sort(compareKeys)
    .flatMap((key) => ((standing.get(key) ?? 'open') === 'passed' ? [] : [{ key, standing: standing.get(key) ?? 'open' }]));
}
