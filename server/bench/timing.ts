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
