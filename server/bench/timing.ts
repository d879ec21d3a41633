import { performance } from 'node:perf_hooks';

/** Best of several goes, in milliseconds: the least disturbed one. */
export function best(times: number, work: () => void): number {
  let least = Infinity;
  for (let i = 0; i < times; i++) {
    const begun = performance.now();
    work();
    least = Math.min(least, performance.now() - begun);
  }
  return least;
}

/** Two works by turns, so that what disturbs the machine disturbs both: the best of each. */
export function bestOfBoth(times: number, one: () => void, other: () => void): [number, number] {
  let [least, leastOther] = [Infinity, Infinity];
  for (let i = 0; i < times; i++) {
    least = Math.min(least, best(1, one));
    leastOther = Math.min(leastOther, best(1, other));
  }
  return [least, leastOther];
}

export async function bestAsync(times: number, work: () => Promise<unknown>): Promise<number> {
  let least = Infinity;
  for (let i = 0; i < times; i++) {
    const begun = performance.now();
    await work();
    least = Math.min(least, performance.now() - begun);
  }
  return least;
}

export const row = (what: string, figure: string, target: string): void =>
  console.log(`${what.padEnd(62)} ${figure.padStart(22)}   ${target}`);
