import fc from 'fast-check';
import { fitsPattern, hasBit, metricOf, movedHits, PointCollector, sizeOf, type FileMeasurement, type Metric } from './index';

/** A measurement said point by point: what a person would write down. */
interface Said {
  readonly metric: Metric;
  readonly line: number;
  readonly a: number;
  readonly b: number;
  readonly name?: string;
  readonly hit: boolean;
}

function measured(points: readonly Said[]): FileMeasurement {
  const collector = new PointCollector();
  for (const { metric, line, a, b, name, hit } of points)
    if (metric === 'function') collector.addFunction(name ?? '', line, hit ? 1 : 0);
    else collector.add(metric, line, a, b, hit ? 1 : 0);
  return collector.finish('a.c');
}

const told = ({ table, bits }: Pick<FileMeasurement, 'table' | 'bits'>): string[] =>
  Array.from({ length: sizeOf(table) }, (_, i) => {
    const metric = metricOf(table, i);
    const place = metric === 'function' ? table.names[table.b[i]] : `${table.a[i]}.${table.b[i]}`;
    return `${metric} ${table.line[i]} ${place} ${hasBit(bits, i)}`;
  });

describe('names of files by a pattern', () => {
  it('are told apart as a person reads them', () => {
    for (const [name, pattern, fits] of [
      ['rig1-C-018.info', 'rig1-*', true],
      ['rig1-C-018.info', '*.INFO', true],
      ['rig1-C-018.info', '*-??-018*', false],
      ['rig1-C-018.info', '*-C-???.info', true],
      ['a', '', false],
      ['', '*', true],
      ['abab', '*ab', true],
    ] as const)
      expect(fitsPattern(name, pattern)).withContext(`${name} ${pattern}`).toBe(fits);
  });
  it('are told as a regular expression would, for any name and pattern', () => {
    const word = fc.array(fc.constantFrom('a', 'b', '*', '?'), { maxLength: 8 }).map((list) => list.join(''));
    fc.assert(
      fc.property(word, fc.array(fc.constantFrom('a', 'b'), { maxLength: 8 }), (pattern, name) => {
        const wanted = new RegExp(`^${pattern.replaceAll('*', '.*').replaceAll('?', '.')}$`);
        expect(fitsPattern(name.join(''), pattern))
          .withContext(`${name.join('')} ${pattern}`)
          .toBe(wanted.test(name.join('')));
      }),
      { numRuns: 500, seed: 3 },
    );
  });
});

describe('what was measured of functions that moved', () => {
  const points: Said[] = [
    { metric: 'function', line: 2, a: 0, b: 0, name: 'first', hit: true },
    { metric: 'line', line: 3, a: 0, b: 0, hit: true },
    { metric: 'branch', line: 3, a: 0, b: 0, hit: true },
    { metric: 'branch', line: 3, a: 0, b: 1, hit: false },
    // A writer may put the entry on the line before.
    { metric: 'function', line: 9, a: 0, b: 0, name: 'second', hit: false },
    { metric: 'line', line: 11, a: 0, b: 0, hit: false },
    { metric: 'line', line: 20, a: 0, b: 0, hit: true },
  ];

  it('stands at their new lines, without what lies outside them', () => {
    const moved = movedHits(measured(points), [{ name: 'second', from: 10, to: 12, now: 30 }]);
    expect(told(moved)).toEqual(['function 29 second false', 'line 31 0.0 false']);
  });

  it('is in order where functions changed places', () => {
    const moved = movedHits(measured(points), [
      { name: 'first', from: 2, to: 5, now: 12 },
      { name: 'second', from: 10, to: 12, now: 3 },
    ]);
    expect(told(moved)).toEqual([
      'function 2 second false',
      'function 12 first true',
      'line 4 0.0 false',
      'line 13 0.0 true',
      'branch 13 0.0 true',
      'branch 13 0.1 false',
    ]);
  });

  it('takes the vectors of its decisions along', () => {
    const file = { ...measured(points), vectors: [3, 11, 20].map((line) => ({ line, place: 1, codes: [1] })) };
    const { vectors } = movedHits(file, [
      { name: 'first', from: 2, to: 5, now: 40 },
      { name: 'second', from: 10, to: 12, now: 3 },
    ]);
    expect(vectors.map(({ line }) => line)).toEqual([4, 41]);
  });

  it('is what would be measured there, for any functions in any order', () => {
    const size = 4;
    const anyFunctions = fc.array(
      fc.record({ lines: fc.array(fc.tuple(fc.nat({ max: size - 1 }), fc.boolean(), fc.boolean()), { maxLength: 6 }), hit: fc.boolean() }),
      { minLength: 1, maxLength: 5 },
    );
    fc.assert(
      fc.property(anyFunctions, fc.infiniteStream(fc.nat()), (functions, chance) => {
        const place = (slots: readonly number[]): Said[] =>
          functions.flatMap(({ lines, hit }, f): Said[] => [
            { metric: 'function', line: slots[f] * size + 1, a: 0, b: 0, name: `f${f}`, hit },
            ...lines.flatMap(([at, one, two]): Said[] => {
              const line = slots[f] * size + 1 + at;
              return [
                { metric: 'line', line, a: 0, b: 0, hit: one },
                { metric: 'branch', line, a: 2, b: 1, hit: two },
              ];
            }),
          ]);
        const slots = functions.map((_, i) => i);
        const shuffled = slots
          .map((slot) => ({ slot, at: chance.next().value ?? 0 }))
          .sort((x, y) => x.at - y.at)
          .map(({ slot }) => slot);
        const moved = movedHits(
          measured(place(slots)),
          functions.map((_, f) => ({ name: `f${f}`, from: f * size + 1, to: (f + 1) * size, now: shuffled[f] * size + 1 })),
        );
        expect(told(moved)).toEqual(told(measured(place(shuffled))));
      }),
      { numRuns: 300, seed: 5 },
    );
  });
});
