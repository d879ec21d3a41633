import { spawnSync } from 'node:child_process';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { JSONParser } from '@streamparser/json';
import { SaxesParser } from 'saxes';
import {
  bitsFor,
  coverageByGroup,
  coverageOf,
  coverageParts,
  creditFile,
  creditRules,
  independenceOf,
  LcovReader,
  mergeFile,
  openReader,
  packHits,
  packTable,
  PointCollector,
  recreditUnits,
  sizeOf,
  type CoverageFormat,
  type CreditContext,
  type FileMeasurement,
  type MeasuredFile,
  type Vector,
} from '@core/measure';
import { lcovBytes } from './lcov-text';
import { best, bestOfBoth, row } from './timing';

const require = createRequire(import.meta.url);
const mib = (bytes: number): string => `${(bytes / (1 << 20)).toFixed(0)} MiB`;

function lcov(): void {
  const bytes = lcovBytes(64);
  const chunk = 1 << 20;
  let newlines = 0;
  const [scan, read] = bestOfBoth(
    6,
    () => {
      newlines = 0;
      for (let i = 0; i < bytes.length; i++) if (bytes[i] === 10) newlines++;
    },
    () => {
      const reader = new LcovReader(() => undefined);
      for (let at = 0; at < bytes.length; at += chunk) reader.push(bytes.subarray(at, at + chunk));
      reader.finish();
    },
  );
  const figure = `${(read / scan).toFixed(1)} x (${read.toFixed(0)} ms)`;
  row(`LCOV reading, 64 MiB, ${newlines} lines, against a scan for newlines`, figure, 'target: at most 4 x');
  const here = dirname(fileURLToPath(import.meta.url));
  const peak = spawnSync(process.execPath, [join(here, 'memory.js')], { encoding: 'utf8' }).stdout;
  row('peak memory of a process that reads 1 GiB of LCOV', `${peak} MB`, 'target: under 150 MB');
}

function texts(): void {
  const lines = Array.from({ length: 2000 }, (_, i) => i + 1);
  const xml = `<coverage><packages><package><classes>${Array.from(
    { length: 100 },
    (_, f) =>
      `<class filename="src/f${f}.c"><methods/><lines>${lines
        .map((n) => `<line number="${n}" hits="${n % 7}"${n % 4 ? '' : ' branch="true" condition-coverage="50% (1/2)"'}/>`)
        .join('')}</lines></class>`,
  ).join('')}</classes></package></packages></coverage>`;
  const json = `{"gcc_version":"12","files":[${Array.from(
    { length: 100 },
    (_, f) =>
      `{"file":"src/f${f}.c","functions":[],"lines":[${lines
        .map(
          (n) =>
            `{"line_number":${n},"count":${n % 7},"function_name":"f","unexecuted_block":false,"branches":[${n % 4 ? '' : '{"count":1},{"count":0}'}]}`,
        )
        .join(',')}]}`,
  ).join(',')}]}`;
  const chunked = (bytes: Uint8Array, push: (chunk: Uint8Array) => void): void => {
    for (let at = 0; at < bytes.length; at += 1 << 16) push(bytes.subarray(at, at + (1 << 16)));
  };
  const ours = (format: CoverageFormat, bytes: Uint8Array) => (): void => {
    const reader = openReader(format, () => undefined);
    chunked(bytes, (chunk) => reader.push(chunk));
    reader.finish();
  };
  const encoder = new TextEncoder();
  const [xmlBytes, jsonBytes] = [encoder.encode(xml), encoder.encode(json)];
  const [bareXml, xmlRead] = bestOfBoth(
    5,
    () => {
      const parser = new SaxesParser();
      const decoder = new TextDecoder();
      for (const event of ['opentag', 'closetag'] as const) parser.on(event, () => undefined);
      chunked(xmlBytes, (chunk) => parser.write(decoder.decode(chunk, { stream: true })));
      parser.close();
    },
    ours('cobertura', xmlBytes),
  );
  const [bareJson, jsonRead] = bestOfBoth(
    5,
    () => {
      const parser = new JSONParser({ paths: ['$.files.*'], keepStack: false });
      parser.onValue = () => undefined;
      chunked(jsonBytes, (chunk) => parser.write(chunk));
    },
    ours('gcov', jsonBytes),
  );
  const figure = (mine: number, bare: number): string => `${(mine / bare).toFixed(1)} x (${mine.toFixed(0)} ms)`;
  row(`Cobertura XML, ${mib(xmlBytes.length)}, against the streaming parser alone`, figure(xmlRead, bareXml), 'target: at most 2 x');
  row(`gcov JSON, ${mib(jsonBytes.length)}, against the streaming parser alone`, figure(jsonRead, bareJson), 'target: at most 2 x');
}

function merging(): void {
  const size = 300;
  const places = (n: number): object =>
    Object.fromEntries(Array.from({ length: n }, (_, i) => [i, { start: { line: i + 1, column: 0 }, end: { line: i + 1, column: 9 } }]));
  const statementMap = places(size);
  const branchMap = Object.fromEntries(
    Array.from({ length: size / 3 }, (_, i) => [
      i,
      {
        loc: { start: { line: i * 3 + 1, column: 0 }, end: { line: i * 3 + 1, column: 9 } },
        type: 'if',
        locations: [0, 1].map((o) => ({ start: { line: i * 3 + 1, column: o }, end: { line: i * 3 + 1, column: 9 + o } })),
      },
    ]),
  );
  const runs = Array.from({ length: 2000 }, (_, r) => ({
    '/a.js': {
      path: '/a.js',
      statementMap,
      fnMap: {},
      f: {},
      branchMap,
      s: Object.fromEntries(Array.from({ length: size }, (_, i) => [i, (i * r) % 5])),
      b: Object.fromEntries(Array.from({ length: size / 3 }, (_, i) => [i, [(i + r) % 3, r % 2]])),
    },
  }));
  const points = new PointCollector();
  const ours = runs.map((run): FileMeasurement => {
    for (let i = 0; i < size; i++) points.addLine(i + 1, run['/a.js'].s[i]);
    for (let i = 0; i < size / 3; i++) run['/a.js'].b[i].forEach((count, o) => points.addBranch(i * 3 + 1, i, o, count));
    return points.finish('/a.js');
  });
  const istanbul = require('istanbul-lib-coverage') as typeof import('istanbul-lib-coverage');
  let theirSum = 0;
  const theirs = best(2, () => {
    const map = istanbul.createCoverageMap({});
    for (const run of structuredClone(runs)) map.merge(run as never);
    theirSum = Object.values(map.fileCoverageFor('/a.js').s).reduce((a, b) => a + b, 0);
  });
  let sum = 0;
  const mine = best(5, () => {
    const merged = mergeFile('/a.js', ours);
    sum = merged.counts.subarray(0, size).reduce((a, b) => a + b, 0);
  });
  const cloning = best(2, () => void structuredClone(runs));
  if (sum !== theirSum) throw new Error(`merged to ${sum}, istanbul to ${theirSum}`);
  row(
    'merging 2,000 measurements: istanbul-lib-coverage against ours',
    `${((theirs - cloning) / mine).toFixed(0)} x (${mine.toFixed(0)} ms)`,
    'target: at least 20 x',
  );
}

/** 2,000 cases x 1,000,000 points: 200 files of 100 functions with 50 points each. */
function crediting(): void {
  const [fileCount, unitCount, unitLines, caseCount] = [200, 100, 25, 2000];
  const points = new PointCollector();
  for (let line = 1; line <= unitCount * unitLines; line++) {
    points.addLine(line, 0);
    points.addBranch(line, 0, 0, 0);
  }
  const { table } = points.finish('f');
  const words = bitsFor(sizeOf(table)).length;
  // One block of memory for all hits, as they lie in a pack.
  const all = new Uint32Array(fileCount * caseCount * words);
  for (let i = 0, x = 1; i < all.length; i++) {
    x = (Math.imul(x, 1664525) + 1013904223) >>> 0;
    // One point in four, so that there is something of each state.
    all[i] = x & Math.imul(x, 2654435761);
  }
  const keys = Array.from({ length: caseCount }, (_, c) => `C-${c}`);
  const requirements = Array.from({ length: 5000 }, (_, r) => `R-${r}`);
  const files = Array.from({ length: fileCount }, (_, f): MeasuredFile => ({
    path: `src/f${f}.c`,
    table,
    units: Array.from({ length: unitCount }, (_, u) => ({
      name: `f${u}`,
      start: u * unitLines + 1,
      end: (u + 1) * unitLines,
      requirements: u % 10 ? [requirements[(f * unitCount + u) % requirements.length]] : [],
    })),
    byCase: keys.map((caseKey, c) => {
      const at = (f * caseCount + c) * words;
      return { caseKey, bits: all.subarray(at, at + words), vectors: [], counts: c % 9 > 0 };
    }),
  }));
  const context: CreditContext = {
    verifies: new Map(keys.map((key, c) => [key, new Set([0, 1, 2, 3].map((i) => requirements[(c * 4 + i * 7) % requirements.length]))])),
  };
  let or = 0;
  const specification = (key: string): string => `S-${key.length}`;
  const level = (key: string): string => `SIL ${(key.charCodeAt(key.length - 1) % 4) + 1}`;
  let credited = 0;
  const once = (): void => {
    or = 0;
    for (let i = 0; i < all.length; i++) or |= all[i];
  };
  const [pass, judge] = bestOfBoth(4, once, () => {
    const rules = creditRules(context);
    const credits = files.map((file) => creditFile(file, rules));
    for (const groupsOf of [
      (path: string): string[] => [path],
      (_: string, unit?: { requirements: readonly string[] }): readonly string[] => unit?.requirements ?? [],
      (_: string, unit?: { requirements: readonly string[] }): string[] => (unit?.requirements ?? []).map(specification),
      (_: string, unit?: { requirements: readonly string[] }): string[] => (unit?.requirements ?? []).map(level),
    ])
      coverageByGroup(coverageParts(credits, groupsOf));
    credited = coverageOf(credits).line.credited;
  });
  row(
    `credit of 2,000 cases x 1,000,000 points, ${mib(all.byteLength)} (${credited} lines credited, ${or & 1})`,
    `${judge.toFixed(0)} ms`,
    'target: under 1 s',
  );
  row('the same against one pass over the same bytes', `${(judge / pass).toFixed(1)} x`, 'target: at most 3 x');
  const rules = creditRules(context);
  const credits = files.map((file) => creditFile(file, rules));
  const retrace = best(20, () => {
    const units = files[7].units.map((unit, u) => (u === 5 ? { ...unit, requirements: [...unit.requirements, requirements[4321]] } : unit));
    credits[7] = recreditUnits(credits[7], units, [5], rules);
    coverageOf(credits);
  });
  row('one changed trace judged again, with the whole', `${retrace.toFixed(2)} ms`, 'target: under 20 ms');
  packing();
}

function packing(): void {
  const points = new PointCollector();
  for (let line = 1; line <= 10_000; line++) points.addLine(line, line % 4 ? 0 : line % 300);
  const m = points.finish('f');
  const perPoint = (bytes: number): string => (bytes / 10_000).toFixed(2);
  row(
    'a stored measurement, a quarter hit: bytes a point, and once for all its points',
    `${perPoint(packHits(m).length)} and ${perPoint(packTable(m.table).length)}`,
    '',
  );
  row('the bits that credit is judged from', `${perPoint(m.bits.byteLength)} bytes a point`, '');
}

function mcdc(): void {
  let x = 1;
  const random = (): number => (x = (Math.imul(x, 1664525) + 1013904223) >>> 0);
  const decisions = Array.from({ length: 10_000 }, () =>
    Array.from({ length: 50 }, (): Vector => {
      const evaluated = (random() >>> 8) & 255;
      return { evaluated, values: (random() >>> 8) & evaluated, outcome: random() >= 2 ** 31 };
    }),
  );
  let shown = 0;
  const judge = best(3, () => {
    shown = 0;
    for (const vectors of decisions) shown += independenceOf(vectors);
  });
  row(`MC/DC of 10,000 decisions, 8 conditions, 50 vectors each (${shown})`, `${judge.toFixed(0)} ms`, 'target: under 1 s');
}

/** The measuring engine: formats, merging, credit, MC/DC. */
export function measuring(): void {
  lcov();
  texts();
  merging();
  mcdc();
  crediting();
}
