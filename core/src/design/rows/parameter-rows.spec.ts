import fc from 'fast-check';
import { constraintWords, keeps, mostRows, readConstraints, rowMismatches, rowsFor, type Parameter } from '.';

const parameters: readonly Parameter[] = [
  {
    name: 'mode',
    type: 'text',
    classes: [
      { name: 'NORMAL', valid: true, values: ['NORMAL'] },
      { name: 'MAINT', valid: true, values: ['MAINT'] },
    ],
  },
  {
    name: 'speed',
    type: 'number',
    unit: 'm/s',
    resolution: 1,
    classes: [
      { name: 'low', valid: true, from: 0, to: 3 },
      { name: 'high', valid: true, from: 4, to: 9 },
    ],
  },
  { name: 'door', type: 'boolean', classes: [{ name: 'any', valid: true, values: [true, false] }] },
];

describe('constraints as text', () => {
  it('are read, with what is wrong at the word', () => {
    const { constraints, findings } = readConstraints(
      'mode = MAINT => speed <= 3\n# a note\n\ndoor = yes and speed > 0 => mode in (MAINT, NORMAL)\nspeed not in (5, 6)',
      parameters,
    );
    expect(findings).toEqual([]);
    expect(constraints.map(constraintWords)).toEqual([
      'mode = MAINT => speed <= 3',
      'door = yes and speed > 0 => mode in (MAINT, NORMAL)',
      'speed not in (5, 6)',
    ]);
    const wrong = (text: string): string[] => readConstraints(text, parameters).findings.map((f) => `${f.row} ${f.cell}: ${f.text}`);
    expect(wrong('wind > 3')).toEqual(['1 wind: There is no parameter wind.']);
    expect(wrong('\nmode = FAST')).toEqual(['2 FAST: mode has no value “FAST”.']);
    expect(wrong('speed = fast')).toEqual(['1 fast: “fast” is no number, and speed is one.']);
    expect(wrong('mode < MAINT')).toEqual(['1 mode: mode is no number: it is equal to something, or is not.']);
    expect(wrong('speed')).toEqual(['1 speed: Behind speed a comparison is missing: =, !=, <, <=, >, >=, in.']);
    expect(wrong('speed in 3')[0]).toContain('in (a, b)');
    expect(wrong('speed < 3 speed')[0]).toContain('no number');
    expect(wrong('speed < 3 => => speed > 1').length).toBe(1);
  });

  it('written and read again say the same', () => {
    const condition = fc.oneof(
      fc.record({
        parameter: fc.constant('mode'),
        is: fc.constantFrom('in' as const, 'notIn' as const),
        values: fc.constantFrom(['MAINT'], ['MAINT', 'NORMAL']),
      }),
      fc.record({
        parameter: fc.constant('speed'),
        is: fc.constantFrom('<' as const, '>=' as const),
        values: fc.tuple(fc.integer({ min: -9, max: 9 })),
      }),
      fc.record({ parameter: fc.constant('door'), is: fc.constant('in' as const), values: fc.constantFrom([true], [false]) }),
    );
    fc.assert(
      fc.property(fc.array(condition, { maxLength: 3 }), fc.array(condition, { minLength: 1, maxLength: 3 }), (when, then) => {
        expect(readConstraints(constraintWords({ when, then }), parameters).constraints).toEqual([{ when, then }]);
      }),
    );
  });

  it('of any text are read or told, and never throw', () => {
    const lines = (text: string): number => text.split(/\r?\n/).filter((line) => line.trim() && !line.trim().startsWith('#')).length;
    for (const texts of [fc.string(), fc.stringMatching(/^[a-z =<>!(),"0-9\n]{0,60}$/)])
      fc.assert(
        fc.property(texts, (text) => {
          const { constraints, findings } = readConstraints(text, parameters);
          expect(constraints.length + findings.length).toBe(lines(text));
        }),
      );
  });
});

describe('rows of parameters', () => {
  const { constraints } = readConstraints('mode = MAINT => speed <= 3', parameters);

  it('keep every constraint, by each criterion, the same for the same seed', () => {
    for (const criterion of ['eachChoice', 'baseChoice', 'twoValue', 'threeValue', 'pairs', 'triples', 'all'] as const) {
      const { rows, covered, of } = rowsFor(parameters, constraints, criterion, { seed: 7 });
      expect(rows.length).withContext(criterion).toBeGreaterThan(0);
      expect(rows.filter((r) => r.valid).every((r) => constraints.every((c) => keeps(c, r.row) !== false)))
        .withContext(criterion)
        .toBeTrue();
      expect(covered).withContext(criterion).toBeLessThanOrEqual(of);
      expect(rowsFor(parameters, constraints, criterion, { seed: 7 }).rows).toEqual(rows);
    }
  });

  it('keep what was written by hand as it was written', () => {
    const given = [{ mode: 'MAINT', speed: 2, door: true }];
    const { rows } = rowsFor(parameters, constraints, 'pairs', { given });
    expect(rows[0]).toEqual(jasmine.objectContaining({ row: given[0], given: true }));
  });

  it('count as the literature says', () => {
    const factor = (k: number, v: number): Parameter[] =>
      Array.from({ length: k }, (_, i) => ({
        name: `p${i}`,
        type: 'text' as const,
        classes: [{ name: 'v', valid: true, values: Array.from({ length: v }, (__, j) => `v${j}`) }],
      }));
    // Covering-array tables (recalled): 3^4 in 9 rows; two-valued factors after Katona 1973 and Kleitman & Spencer 1973 (recalled).
    expect(rowsFor(factor(4, 3), [], 'pairs').rows.length).toBe(9);
    for (const [n, k] of [
      [4, 3],
      [5, 4],
      [6, 10],
      [7, 15],
    ])
      expect(rowsFor(factor(k, 2), [], 'pairs').rows.length).toBe(n);
    expect(rowsFor(factor(3, 3), [], 'all').rows.length).toBe(27);
  });

  it('are refused in words where there would be too many, or none', () => {
    const many: Parameter[] = Array.from({ length: 20 }, (_, i) => ({
      name: `p${i}`,
      type: 'number' as const,
      classes: [{ name: 'v', valid: true, values: Array.from({ length: 20 }, (__, j) => j) }],
    }));
    expect(rowsFor(many, [], 'all').impossible[0]).toContain(`at most ${mostRows}`);
    expect(rowsFor(many, [], 'quadruples').impossible[0]).toContain('are looked through');
    const against = readConstraints('p0 > 5\np0 < 3', many).constraints;
    expect(rowsFor(many, against, 'pairs').impossible[0]).toContain('contradict');
  });

  it('of a case that no longer match are told', () => {
    const rows = [{ name: 'a', values: { mode: 'MAINT', speed: '3', door: 'true' } }];
    expect(rowMismatches(parameters, constraints, rows)).toEqual([]);
    expect(rowMismatches(parameters, constraints, [{ name: 'a', values: { mode: 'MAINT', speed: '8', door: 'yes' } }])).toEqual([
      'Row a breaks constraint 1.',
    ]);
    expect(rowMismatches(parameters, constraints, [{ name: 'a', values: { mode: 'FAST', speed: '77' } }])).toEqual([
      'A row has no value for door.',
      'Row a: mode = FAST is in no class.',
      'Row a: speed = 77 is in no class.',
    ]);
  });
});
