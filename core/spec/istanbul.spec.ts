import { createRequire } from 'node:module';
import type { CoverageMapData } from 'istanbul-lib-coverage';
import { fileTotals, mergeFile, rangeOf, type FileMeasurement } from '@core/measure';
import { fixture, readCoverage } from './fixtures';

const require = createRequire(import.meta.url);
const istanbul = require('istanbul-lib-coverage') as typeof import('istanbul-lib-coverage');
const data = (name: string): CoverageMapData => JSON.parse(fixture('istanbul', name).toString()) as CoverageMapData;
const only = (name: string): FileMeasurement => {
  const { files, findings } = readCoverage(fixture('istanbul', name), 100);
  expect(findings).toEqual([]);
  return [...files.values()][0];
};
/** Everything that is compared: counts by point. Cobertura tells no branch apart, so these are compared by line. */
const counted = ({ table, counts }: FileMeasurement, metric: 'line' | 'branch'): Record<string, number> => {
  const [from, to] = rangeOf(table, metric);
  return Object.fromEntries(
    Array.from({ length: to - from }, (_, i) => [`${table.line[from + i]}:${table.a[from + i]}:${table.b[from + i]}`, counts[from + i]]),
  );
};
const branchesByLine = ({ table, bits, counts: _ }: FileMeasurement): Record<number, string> => {
  const [from, to] = rangeOf(table, 'branch');
  const found: Record<number, [number, number]> = {};
  for (let i = from; i < to; i++) {
    const at = (found[table.line[i]] ??= [0, 0]);
    at[0] += (bits[i >>> 5] >>> (i & 31)) & 1;
    at[1]++;
  }
  return Object.fromEntries(Object.entries(found).map(([line, [hit, all]]) => [line, `${hit}/${all}`]));
};

describe('the same run written by istanbul-reports in three formats', () => {
  it('reads to the same coverage', () => {
    const [json, lcov, cobertura] = [only('run-1.json'), only('run-1.info'), only('run-1.cobertura.xml')];
    expect(counted(json, 'line')).toEqual(counted(lcov, 'line'));
    expect(counted(json, 'line')).toEqual(counted(cobertura, 'line'));
    expect(counted(json, 'branch')).toEqual(counted(lcov, 'branch'));
    expect(branchesByLine(json)).toEqual(branchesByLine(cobertura));
    for (const other of [lcov, cobertura]) expect(fileTotals(other)).toEqual(fileTotals(json));
  });
});

describe('merging', () => {
  it('equals istanbul-lib-coverage’s merge of the same data', () => {
    const names = ['run-1.json', 'run-2.json', 'run-3.json'];
    const map = istanbul.createCoverageMap({});
    for (const name of names) map.merge(data(name));
    const path = map.files()[0];
    const theirs = map.fileCoverageFor(path);
    const ours = mergeFile(path, names.map(only));
    // istanbul counts a line by its busiest statement, after merging as before: counts of one statement a line are equal, hits always.
    expect(Object.keys(counted(ours, 'line')).length).toBe(Object.keys(theirs.getLineCoverage()).length);
    for (const [line, count] of Object.entries(theirs.getLineCoverage()))
      expect(counted(ours, 'line')[`${line}:0:0`] > 0)
        .withContext(`line ${line}`)
        .toBe(count > 0);
    expect(counted(ours, 'branch')).toEqual(
      Object.fromEntries(
        Object.entries(theirs.b).flatMap(([id, counts]) =>
          counts.map((count, i) => [`${theirs.branchMap[id].loc.start.line}:${id}:${i}`, count]),
        ),
      ),
    );
    const summary = theirs.toSummary();
    expect(fileTotals(ours).line).toEqual({ hit: summary.lines.covered, found: summary.lines.total });
    expect(fileTotals(ours).function).toEqual({ hit: summary.functions.covered, found: summary.functions.total });
    expect(fileTotals(ours).branch).toEqual({ hit: summary.branches.covered, found: summary.branches.total });
  });
});
