import fc from 'fast-check';
import {
  addTotals,
  caseOfTestName,
  encodeVector,
  fileTotals,
  matchPath,
  mergeFile,
  noTotals,
  packFiles,
  packHits,
  packTable,
  percent,
  plainPath,
  pointsInCommon,
  PointCollector,
  unpackFiles,
  unpackHits,
  unpackTable,
  type FileMeasurement,
} from './index';

/** Any measurement of a small file: lines, branches, functions, and one decision of three conditions. */
const measurement = fc
  .record({
    lines: fc.dictionary(fc.integer({ min: 1, max: 9 }).map(String), fc.integer({ min: 0, max: 5 })),
    branches: fc.dictionary(fc.integer({ min: 1, max: 9 }).map(String), fc.integer({ min: 0, max: 5 })),
    functions: fc.dictionary(fc.constantFrom('f', 'g', 'h'), fc.integer({ min: 0, max: 5 })),
    vectors: fc.uniqueArray(
      fc.record({ evaluated: fc.integer({ min: 0, max: 7 }), values: fc.integer({ min: 0, max: 7 }), outcome: fc.boolean() }),
      { maxLength: 4, selector: (v) => `${v.evaluated}${v.values & v.evaluated}${v.outcome}` },
    ),
  })
  .map(({ lines, branches, functions, vectors }): FileMeasurement => {
    const points = new PointCollector();
    for (const [line, hits] of Object.entries(lines)) points.addLine(Number(line), hits);
    for (const [line, taken] of Object.entries(branches)) points.addBranch(Number(line), 0, taken % 2, taken);
    for (const [name, hits] of Object.entries(functions)) points.addFunction(name, name.charCodeAt(0) - 100, hits);
    points.addDecision(
      4,
      8,
      3,
      vectors.map((v) => encodeVector({ ...v, values: v.values & v.evaluated }, 3)),
    );
    return mergeFile('a.c', [points.finish('a.c')]);
  });

describe('merging measurements', () => {
  it('is commutative and associative', () => {
    fc.assert(
      fc.property(measurement, measurement, measurement, (a, b, c) => {
        expect(mergeFile('a.c', [a, b, c])).toEqual(mergeFile('a.c', [c, a, b]));
        expect(mergeFile('a.c', [mergeFile('a.c', [a, b]), c])).toEqual(mergeFile('a.c', [a, mergeFile('a.c', [b, c])]));
      }),
    );
  });

  it('is idempotent on what was hit, and loses nothing', () => {
    fc.assert(
      fc.property(measurement, measurement, (a, b) => {
        expect(mergeFile('a.c', [a, a]).bits).toEqual(a.bits);
        const [one, both] = [fileTotals(a), fileTotals(mergeFile('a.c', [a, b]))];
        for (const metric of ['line', 'branch', 'function', 'mcdc'] as const)
          expect(both[metric].hit).toBeGreaterThanOrEqual(one[metric].hit);
      }),
    );
  });

  it('takes points that only one of them has', () => {
    const points = new PointCollector();
    points.addLine(1, 2);
    const a = points.finish('a.c');
    points.addLine(7, 0);
    points.addFunction('f', 7, 1);
    const b = points.finish('a.c');
    expect(fileTotals(mergeFile('a.c', [a, b]))).toEqual({ ...noTotals, line: { hit: 1, found: 2 }, function: { hit: 1, found: 1 } });
  });

  it('joins vectors: together they may show what none shows alone', () => {
    const points = new PointCollector();
    const seen = (values: number, outcome: boolean): FileMeasurement => {
      points.addDecision(1, 1, 2, [encodeVector({ evaluated: 3, values, outcome }, 2)]);
      return points.finish('a.c');
    };
    const parts = [seen(3, true), seen(2, false), seen(1, false)];
    expect(parts.map((part) => fileTotals(part).mcdc.hit)).toEqual([0, 0, 0]);
    expect(fileTotals(mergeFile('a.c', parts)).mcdc).toEqual({ hit: 2, found: 2 });
  });

  it('of two tools have few points in common', () => {
    const points = new PointCollector();
    const table = (column: number) => {
      for (let line = 1; line < 5; line++) points.addBranch(line, line < 2 ? 0 : column, 0, 0);
      return points.finish('a.c').table;
    };
    expect([pointsInCommon(table(0), table(0)), pointsInCommon(table(0), table(9))]).toEqual([1, 0.25]);
    expect(pointsInCommon(points.finish('a.c').table, table(0))).toBe(1);
  });

  it('rounds per cent down, so that 100 means all', () => {
    expect([percent({ hit: 1999, found: 2000 }), percent({ hit: 0, found: 0 }), percent({ hit: 2, found: 3 })]).toEqual([99.9, 100, 66.6]);
    expect(addTotals(noTotals, noTotals)).toEqual(noTotals);
  });
});

describe('packing', () => {
  it('gives back what was packed', () => {
    fc.assert(
      fc.property(measurement, (m) => {
        const table = unpackTable(packTable(m.table));
        expect(table).toEqual(m.table);
        expect(unpackHits('a.c', table, packHits(m))).toEqual(m);
      }),
    );
    const files = [{ path: 'ä/b.c', table: 'ff', hits: new Uint8Array([1, 2, 3]) }];
    expect(unpackFiles(packFiles(files))).toEqual(files);
  });

  it('holds counts to 2^53', () => {
    const points = new PointCollector();
    points.addLine(1, Number.MAX_SAFE_INTEGER);
    const m = points.finish('a.c');
    expect(unpackHits('a.c', m.table, packHits(m)).counts[0]).toBe(Number.MAX_SAFE_INTEGER);
  });
});

describe('names of tests and paths', () => {
  it('finds the case of a test name', () => {
    const keys = new Set(['C-018', 'DR-CASE-22']);
    const found = ['C-018', 'C_018', 'dr_case_22', 'out/C-018.info', 'C-018.gcov.json.gz', 'C_018.xml', 'C_19'];
    expect(found.map((name) => caseOfTestName(name, keys))).toEqual(['C-018', 'C-018', 'DR-CASE-22', 'C-018', 'C-018', 'C-018', undefined]);
  });

  it('finds the source file of a path, whatever the tool’s view of it', () => {
    expect(plainPath('./a/./b//../c.c')).toBe('a/c.c');
    expect(matchPath('/build/x/src/brake.c', ['src/brake.c', 'lib/brake.c'])).toBe('src/brake.c');
    expect(matchPath('C:\\build\\src\\brake.c', ['src/brake.c'])).toBe('src/brake.c');
    expect(matchPath('/build/notbrake.c', ['brake.c'])).toBeUndefined();
    expect(matchPath('brake.c', ['src/brake.c', 'lib/brake.c'])).toBeUndefined();
    expect(matchPath('SRC/Brake.c', ['src/brake.c'])).toBeUndefined();
    expect(matchPath('SRC/Brake.c', ['src/brake.c'], { ignoreCase: true })).toBe('src/brake.c');
    const prefixes = [{ from: 'C:\\agent\\7\\', to: 'firmware/' }];
    expect(matchPath('C:/agent/7/brake.c', ['firmware/brake.c', 'tools/brake.c'], { prefixes })).toBe('firmware/brake.c');
  });
});
