/**
 * What one run of a program hit in one source file. Flat arrays, so that large files stay small:
 * `lines` = line, hits, line, hits, …; `branches` = line, block, branch, taken, … with taken -1 where the
 * decision was never evaluated (LCOV writes `-`).
 */
export interface FileMeasurement {
  readonly path: string;
  readonly lines: readonly number[];
  readonly branches: readonly number[];
  readonly functions: readonly { readonly name: string; readonly line: number; readonly hits: number }[];
}

/** Hit and found of one metric. */
export interface Ratio {
  readonly hit: number;
  readonly found: number;
}

export const metrics = ['function', 'line', 'branch'] as const;
export type Metric = (typeof metrics)[number];
export type Totals = Readonly<Record<Metric, Ratio>>;

/** Per cent with one decimal, rounded down, so that 100 means all; 100 where there is nothing to hit. */
export function percent({ hit, found }: Ratio): number {
  return found === 0 ? 100 : Math.floor((hit * 1000) / found) / 10;
}

/** The sum of several measurements of the same file: hits add up; a branch counts as evaluated if it was in any of them. */
export function mergeFile(path: string, parts: readonly FileMeasurement[]): FileMeasurement {
  const lines = new Map<number, number>();
  const branches = new Map<string, number[]>();
  const functions = new Map<string, { name: string; line: number; hits: number }>();
  for (const part of parts) {
    for (let i = 0; i < part.lines.length; i += 2) lines.set(part.lines[i], (lines.get(part.lines[i]) ?? 0) + part.lines[i + 1]);
    for (let i = 0; i < part.branches.length; i += 4) {
      const [line, block, branch, taken] = part.branches.slice(i, i + 4);
      const id = `${line}:${block}:${branch}`;
      const known = branches.get(id);
      if (!known) branches.set(id, [line, block, branch, taken]);
      else if (taken >= 0) known[3] = Math.max(known[3], 0) + taken;
    }
    for (const f of part.functions) {
      const known = functions.get(f.name);
      if (known) known.hits += f.hits;
      else functions.set(f.name, { ...f });
    }
  }
  const ordered = [...branches.values()].sort((a, b) => a[0] - b[0] || a[1] - b[1] || a[2] - b[2]);
  return {
    path,
    lines: [...lines].sort((a, b) => a[0] - b[0]).flat(),
    branches: ordered.flat(),
    functions: [...functions.values()].sort((a, b) => a.line - b.line || (a.name < b.name ? -1 : 1)),
  };
}

/** Totals of a file as the compiler's own tools count them. */
export function fileTotals(file: FileMeasurement): Totals {
  const count = (values: readonly number[], step: number): Ratio => {
    let hit = 0;
    for (let i = step - 1; i < values.length; i += step) if (values[i] > 0) hit++;
    return { hit, found: values.length / step };
  };
  return {
    line: count(file.lines, 2),
    branch: count(file.branches, 4),
    function: { hit: file.functions.filter((f) => f.hits > 0).length, found: file.functions.length },
  };
}

export function addTotals(a: Totals, b: Totals): Totals {
  const add = (x: Ratio, y: Ratio): Ratio => ({ hit: x.hit + y.hit, found: x.found + y.found });
  return { function: add(a.function, b.function), line: add(a.line, b.line), branch: add(a.branch, b.branch) };
}

const none: Ratio = { hit: 0, found: 0 };
export const noTotals: Totals = { function: none, line: none, branch: none };
