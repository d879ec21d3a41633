import fc from 'fast-check';
import {
  CoverageLoad,
  evidenceOf,
  decisionsOf,
  fileTotals,
  mergeFile,
  PointCollector,
  writeCobertura,
  writeLcov,
  type FileMeasurement,
} from './index';

const measurement = fc
  .record({
    lines: fc.dictionary(fc.integer({ min: 1, max: 30 }).map(String), fc.integer({ min: 0, max: 5 }), { minKeys: 1 }),
    branches: fc.dictionary(fc.integer({ min: 1, max: 30 }).map(String), fc.tuple(fc.nat(2), fc.nat(2))),
    functions: fc.dictionary(fc.constantFrom('f', 'g<int>', 'a "b" & c'), fc.integer({ min: 0, max: 5 })),
  })
  .map(({ lines, branches, functions }): FileMeasurement => {
    const points = new PointCollector();
    for (const [line, hits] of Object.entries(lines)) points.addLine(Number(line), hits);
    for (const [line, taken] of Object.entries(branches)) {
      // Cobertura tells branches of measured lines only.
      points.addLine(Number(line), 0);
      taken.forEach((count, i) => points.addBranch(Number(line), 0, i, count));
    }
    for (const [name, hits] of Object.entries(functions)) points.addFunction(name, name.length, hits);
    return mergeFile('src/ä&b.c', [points.finish('src/ä&b.c')]);
  });

function back(text: string): FileMeasurement {
  const found: FileMeasurement[] = [];
  const load = new CoverageLoad({ section: ({ file }) => found.push(file) });
  load.push(new TextEncoder().encode(text));
  expect(load.finish().findings).toEqual([]);
  return found[0];
}

describe('coverage written for other tools', () => {
  it('as LCOV comes back the same', () => {
    fc.assert(
      fc.property(measurement, (m) => {
        const read = back(writeLcov([m], 'C-018'));
        expect([read.path, read.table, read.counts]).toEqual([m.path, m.table, m.counts]);
      }),
    );
  });

  it('as Cobertura comes back with the same totals and lines', () => {
    fc.assert(
      fc.property(measurement, (m) => {
        const read = back(writeCobertura([m], 0));
        expect([read.path, fileTotals(read)]).toEqual([m.path, fileTotals(m)]);
      }),
    );
  });

  it('can be of credited points alone', () => {
    const points = new PointCollector();
    points.addLine(1, 7);
    points.addLine(2, 7);
    const m = points.finish('a.c');
    const credited = back(writeLcov([{ path: m.path, table: m.table, bits: new Uint32Array([1]) }]));
    expect([...credited.counts]).toEqual([1, 0]);
    expect(writeLcov([])).toBe('');
  });
});

describe('what independence rests on', () => {
  it('is told: vectors, outcomes of conditions, or flags whose merging is a lower bound', () => {
    const points = new PointCollector();
    points.addDecision(1, 1, 2, [5], []);
    points.add('condition', 2, 1, 0, 1);
    points.add('condition', 2, 1, 1, 0);
    points.addDecision(2, 1, 1, [], [false]);
    points.addDecision(3, 1, 2, [], [true, false]);
    const m = points.finish('a.c');
    expect(decisionsOf(m.table).map((d) => evidenceOf(m, d))).toEqual(['vectors', 'outcomes', 'flagsOnly']);
    points.add('condition', 2, 1, 0, 0);
    points.add('condition', 2, 1, 1, 1);
    points.addDecision(2, 1, 1, [], [false]);
    // One run showed the one outcome, another the other: together the condition is independent.
    expect(fileTotals(mergeFile('a.c', [m, points.finish('a.c')])).mcdc.hit).toBe(2);
  });
});
