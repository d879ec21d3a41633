import { hasBit, type Bits } from './bits';
import { fileTotals, type Ratio } from './measurement';
import { rangeOf, type PointTable } from './point';

/** What a file written for other tools says of one source file: exercised coverage, or credited, whichever bits are given. */
export interface WrittenFile {
  readonly path: string;
  readonly table: PointTable;
  readonly bits: Bits;
  /** How often, where that is known; otherwise a hit is written as 1. */
  readonly counts?: Float64Array;
}

const hits = ({ bits, counts }: WrittenFile, i: number): number => (hasBit(bits, i) ? Math.max(1, counts?.[i] ?? 1) : 0);

/** LCOV text. `test` stands in TN, where some readers allow only letters, digits and `_`. */
export function writeLcov(files: readonly WrittenFile[], test = ''): string {
  const out: string[] = [];
  for (const file of files) {
    const { table } = file;
    const totals = fileTotals(file);
    out.push(`TN:${test.replace(/\W/g, '_')}`, `SF:${file.path}`);
    const [f0, f1] = rangeOf(table, 'function');
    for (let i = f0; i < f1; i++) out.push(`FN:${table.line[i]},${table.names[table.b[i]]}`);
    for (let i = f0; i < f1; i++) out.push(`FNDA:${hits(file, i)},${table.names[table.b[i]]}`);
    out.push(`FNF:${totals.function.found}`, `FNH:${totals.function.hit}`);
    const [b0, b1] = rangeOf(table, 'branch');
    const ran = linesHit(file);
    for (let i = b0; i < b1; i++) {
      const count = hits(file, i);
      const never = count === 0 && !ran.has(table.line[i]);
      out.push(`BRDA:${table.line[i]},${table.a[i]},${table.b[i]},${never ? '-' : count}`);
    }
    out.push(`BRF:${totals.branch.found}`, `BRH:${totals.branch.hit}`);
    const [l0, l1] = rangeOf(table, 'line');
    for (let i = l0; i < l1; i++) out.push(`DA:${table.line[i]},${hits(file, i)}`);
    out.push(`LF:${totals.line.found}`, `LH:${totals.line.hit}`, 'end_of_record');
  }
  return out.length ? `${out.join('\n')}\n` : '';
}

function linesHit({ table, bits }: WrittenFile): Set<number> {
  const [from, to] = rangeOf(table, 'line');
  const found = new Set<number>();
  for (let i = from; i < to; i++) if (hasBit(bits, i)) found.add(table.line[i]);
  return found;
}

const escape = (text: string): string => text.replace(/[<>&"]/g, (c) => `&#${c.charCodeAt(0)};`);
const rate = ({ hit, found }: Ratio): string => (found ? (hit / found).toFixed(4) : '1');

/** Cobertura XML. `at` is the moment of writing, in milliseconds. */
export function writeCobertura(files: readonly WrittenFile[], at: number): string {
  const each = files.map((file) => ({ file, totals: fileTotals(file) }));
  const sum = (metric: 'line' | 'branch'): Ratio =>
    each.reduce((s, { totals }) => ({ hit: s.hit + totals[metric].hit, found: s.found + totals[metric].found }), { hit: 0, found: 0 });
  const [lines, branches] = [sum('line'), sum('branch')];
  const out = [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<coverage line-rate="${rate(lines)}" branch-rate="${rate(branches)}" lines-covered="${lines.hit}" lines-valid="${lines.found}" branches-covered="${branches.hit}" branches-valid="${branches.found}" complexity="0" version="1" timestamp="${at}">`,
    '<sources><source>.</source></sources>',
    '<packages>',
    `<package name="." line-rate="${rate(lines)}" branch-rate="${rate(branches)}" complexity="0"><classes>`,
  ];
  for (const { file, totals } of each) {
    const { table, path } = file;
    out.push(
      `<class name="${escape(path.split('/').pop() ?? path)}" filename="${escape(path)}" line-rate="${rate(totals.line)}" branch-rate="${rate(totals.branch)}" complexity="0">`,
      '<methods>',
    );
    const [f0, f1] = rangeOf(table, 'function');
    for (let i = f0; i < f1; i++) {
      const all = { hit: hasBit(file.bits, i) ? 1 : 0, found: 1 };
      out.push(
        `<method name="${escape(table.names[table.b[i]])}" signature="" line-rate="${rate(all)}" branch-rate="1" complexity="0"><lines><line number="${Math.max(1, table.line[i])}" hits="${hits(file, i)}"/></lines></method>`,
      );
    }
    out.push('</methods>', '<lines>');
    const taken = branchesByLine(file);
    const [l0, l1] = rangeOf(table, 'line');
    for (let i = l0; i < l1; i++) {
      const b = taken.get(table.line[i]);
      const branch = b
        ? `branch="true" condition-coverage="${Math.round((100 * b.hit) / b.found)}% (${b.hit}/${b.found})"`
        : 'branch="false"';
      out.push(`<line number="${table.line[i]}" hits="${hits(file, i)}" ${branch}/>`);
    }
    out.push('</lines>', '</class>');
  }
  out.push('</classes></package>', '</packages>', '</coverage>', '');
  return out.join('\n');
}

function branchesByLine({ table, bits }: WrittenFile): Map<number, Ratio> {
  const [from, to] = rangeOf(table, 'branch');
  const found = new Map<number, Ratio>();
  for (let i = from; i < to; i++) {
    const before = found.get(table.line[i]) ?? { hit: 0, found: 0 };
    found.set(table.line[i], { hit: before.hit + (hasBit(bits, i) ? 1 : 0), found: before.found + 1 });
  }
  return found;
}
