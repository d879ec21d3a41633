import { decisionsOf, fileTotals, hasBit, mergeFile, rangeOf, type FileMeasurement } from '@core/measure';
import { fixture, fixtureCases, readCoverage, unpacked } from './fixtures';

/** Line by line: how often. */
const lines = ({ table, counts }: FileMeasurement): Record<number, number> => {
  const [from, to] = rangeOf(table, 'line');
  return Object.fromEntries(Array.from({ length: to - from }, (_, i) => [table.line[from + i], counts[from + i]]));
};

/** Decision by decision, which conditions are independent. */
const shown = ({ path, table, bits }: FileMeasurement): [string, boolean[]][] =>
  decisionsOf(table).map((d) => [
    `${path}:${d.line}:${d.place}`,
    Array.from({ length: d.conditions }, (_, i) => hasBit(bits, d.first + i)),
  ]);

describe('gcov’s JSON of the demo program', () => {
  // Source: gcc 12's own `gcov -b` of the same runs (read, not recalled), written beside the fixtures by core/fixtures/measure/make.sh.
  const compiler = fixture('gcov', 'totals.tsv')
    .toString()
    .trim()
    .split('\n')
    .map((row) => row.split('\t'));

  it('gives the compiler’s own totals of lines and branches, for every file and case', () => {
    let compared = 0;
    for (const key of fixtureCases) {
      const read = readCoverage(fixture('gcov', `${key}.gcov.json.gz`), 997);
      expect([read.format, read.findings]).toEqual(['gcov', []]);
      for (const [, path, what, percent, found] of compiler.filter(([k]) => k === key)) {
        const file = read.files.get(path);
        const totals = file && fileTotals(file)[what === 'Lines executed' ? 'line' : 'branch'];
        expect(totals?.found).withContext(`${key} ${path} ${what}`).toBe(Number(found));
        expect((100 * (totals?.hit ?? 0)) / (totals?.found ?? 1))
          .withContext(`${key} ${path} ${what}`)
          .toBeCloseTo(Number(percent), 1);
        compared++;
      }
    }
    expect(compared).toBe(compiler.length);
    expect(compared).toBeGreaterThan(100);
  });

  it('agrees with the LCOV tracefile of the same run, line by line', () => {
    for (const key of fixtureCases) {
      const ours = readCoverage(fixture('gcov', `${key}.gcov.json.gz`)).files;
      const theirs = readCoverage(demoLcov(key)).files;
      expect(theirs.size).toBeGreaterThan(6);
      for (const [path, file] of theirs) {
        const mine = ours.get(path.replace('/build/gondola/', ''));
        expect(mine && lines(mine))
          .withContext(`${key} ${path}`)
          .toEqual(lines(file));
        expect(mine && fileTotals(mine).branch)
          .withContext(`${key} ${path}`)
          .toEqual(fileTotals(file).branch);
      }
    }
  });
});

const demoLcov = (key: string): Buffer => fixture('..', '..', '..', 'demo', 'coverage', 'lcov', `${key}.info`);

interface Export {
  readonly files: readonly { readonly filename: string; readonly summary: Readonly<Record<string, { count: number; covered: number }>> }[];
  readonly functions: readonly { readonly filenames: readonly string[]; readonly regions: readonly (readonly number[])[] }[];
}

/**
 * llvm-cov counts a file's lines function by function, and there leaves out the line of a function's last region where that region is
 * empty and alone on it (here: a macro of a system header). Its own listings have those lines, and so have we: they are taken off before comparing.
 */
const leftOut = ({ functions }: Export, path: string): Set<number> =>
  new Set(
    functions.flatMap(({ filenames, regions }) => {
      const sorted = regions.filter((r) => r[5] === 0).sort((a, b) => a[0] - b[0] || a[1] - b[1]);
      const last = sorted.at(-1);
      // Nothing begins or ends on the line before it.
      const alone = last && sorted.every((r) => r === last || (r[0] !== last[0] && !(r[2] === last[0] && r[3] < last[1])));
      return filenames[0] === path && last && alone && last[0] === last[2] && last[1] === last[3] ? [last[0]] : [];
    }),
  );

describe('llvm-cov’s export of the demo program', () => {
  it('gives llvm-cov’s own totals of lines, functions, branches and MC/DC, for each file, each case and merged', () => {
    for (const key of [...fixtureCases, 'merged']) {
      const read = readCoverage(fixture('llvm', `${key}.json.gz`), 1500);
      expect(read.format).toBe('llvmJson');
      expect(read.findings.filter((f) => f.severity === 'error')).toEqual([]);
      // Source: llvm-cov 19's own summary in the same export (read, not recalled).
      const exported = (JSON.parse(unpacked('llvm', `${key}.json.gz`)) as { data: [Export] }).data[0];
      for (const { filename, summary } of exported.files) {
        const file = read.files.get(filename) as FileMeasurement;
        const totals = fileTotals(file);
        // At the end of a file the export itself has lost the line as well.
        const strange = [...leftOut(exported, filename)].filter((line) => line in lines(file));
        expect({ hit: totals.line.hit - strange.filter((line) => lines(file)[line] > 0).length, found: totals.line.found - strange.length })
          .withContext(`${key} ${filename} lines`)
          .toEqual({ hit: summary['lines'].covered, found: summary['lines'].count });
        for (const [mine, theirs] of [
          ['function', 'functions'],
          ['branch', 'branches'],
          ['mcdc', 'mcdc'],
        ] as const)
          expect(totals[mine])
            .withContext(`${key} ${filename} ${theirs}`)
            .toEqual({ hit: summary[theirs].covered, found: summary[theirs].count });
      }
    }
  });

  it('has the lines and functions that its LCOV export has', () => {
    for (const key of [...fixtureCases, 'merged']) {
      const json = readCoverage(fixture('llvm', `${key}.json.gz`)).files;
      const lcov = readCoverage(fixture('llvm', `${key}.info.gz`)).files;
      for (const [path, file] of lcov) {
        const mine = json.get(path);
        expect(mine && lines(mine))
          .withContext(`${key} ${path}`)
          .toEqual(lines(file));
        expect(mine && fileTotals(mine).function)
          .withContext(`${key} ${path}`)
          .toEqual(fileTotals(file).function);
      }
    }
  });

  it('says that MC/DC told by flags is a lower bound', () => {
    expect(readCoverage(fixture('llvm', 'C-018.json.gz')).findings.some((f) => f.text.includes('lower bound'))).toBeTrue();
  });
});

describe('the vectors that llvm-cov show prints', () => {
  it('give llvm-cov’s verdict decision by decision and condition by condition, for each case and merged', () => {
    let decisions = 0;
    for (const key of [...fixtureCases, 'merged']) {
      const text = readCoverage(fixture('llvm', `${key}.txt.gz`), 3001);
      expect([text.format, text.findings]).toEqual(['llvmText', []]);
      const flags = readCoverage(fixture('llvm', `${key}.json.gz`)).files;
      for (const file of text.files.values()) {
        const theirs = flags.get(file.path);
        expect(Object.fromEntries(shown(file)))
          .withContext(`${key} ${file.path}`)
          .toEqual(theirs ? Object.fromEntries(shown(theirs)) : {});
        decisions += decisionsOf(file.table).length;
      }
    }
    expect(decisions).toBeGreaterThan(300);
  });

  it('merged by us give what llvm-cov says of the merged profile, where flags alone fall short', () => {
    const each = fixtureCases.map((key) => readCoverage(fixture('llvm', `${key}.txt.gz`)).files);
    const flagged = fixtureCases.map((key) => readCoverage(fixture('llvm', `${key}.json.gz`)).files);
    const theirs = readCoverage(fixture('llvm', 'merged.json.gz')).files;
    let short = 0;
    for (const [path, merged] of theirs) {
      const ours = mergeFile(
        path,
        each.flatMap((files) => files.get(path) ?? []),
      );
      expect(Object.fromEntries(shown(ours)))
        .withContext(path)
        .toEqual(Object.fromEntries(shown(merged)));
      const byFlags = fileTotals(
        mergeFile(
          path,
          flagged.flatMap((files) => files.get(path) ?? []),
        ),
      ).mcdc.hit;
      expect(byFlags).toBeLessThanOrEqual(fileTotals(ours).mcdc.hit);
      short += fileTotals(ours).mcdc.hit - byFlags;
    }
    // MC/DC is not additive: CHECKS.md, on real output.
    expect(short).toBeGreaterThan(0);
  });

  it('has the branches and lines of the export', () => {
    for (const key of fixtureCases) {
      const text = readCoverage(fixture('llvm', `${key}.txt.gz`)).files;
      const json = readCoverage(fixture('llvm', `${key}.json.gz`)).files;
      for (const [path, file] of text) {
        const other = json.get(path);
        for (const metric of ['line', 'branch'] as const)
          expect(fileTotals(file)[metric])
            .withContext(`${key} ${path} ${metric}`)
            .toEqual(other ? fileTotals(other)[metric] : { hit: 0, found: 0 });
      }
    }
  });
});
