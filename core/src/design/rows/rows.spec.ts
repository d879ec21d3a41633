import fc from 'fast-check';
import {
  boundaryRows,
  boundaryValues,
  brokenRows,
  classRows,
  collapseRules,
  combine,
  invalidTransitions,
  judgeTable,
  keeps,
  parameterFindings,
  proposeNumbers,
  proposeSteps,
  ruleRows,
  samplesWithoutFailure,
  stateFindings,
  switchWalks,
  unreachableStates,
  type Combined,
  type Constraint,
  type DecisionTable,
  type Factor,
  type Parameter,
  type StateTable,
  type Strength,
} from './index';

const factors = (...spec: readonly (readonly [number, number])[]): Factor[] =>
  spec.flatMap(([values, n], s) =>
    Array.from({ length: n }, (_, i) => ({ name: `f${s}_${i}`, values: Array.from({ length: values }, (_v, v) => v) })),
  );

/** Combinations of t factors that the rows lack, checked without any of our own counting; with constraints, those alone that some row of all keeps. */
function lacking(all: readonly Factor[], t: number, made: Combined, constraints: readonly Constraint[] = []): string[] {
  const whole = constraints.length ? combine(all, 'all', { constraints }).rows.map((r) => r.row) : undefined;
  const missing: string[] = [];
  const walk = (chosen: Record<string, unknown>, from: number, left: number): void => {
    if (left === 0) {
      const has = (row: Readonly<Record<string, unknown>>): boolean => Object.entries(chosen).every(([name, value]) => row[name] === value);
      if (!made.rows.some(({ row }) => has(row)) && (!whole || whole.some(has))) missing.push(JSON.stringify(chosen));
      return;
    }
    for (let i = from; i < all.length; i++) for (const value of all[i].values) walk({ ...chosen, [all[i].name]: value }, i + 1, left - 1);
  };
  walk({}, 0, t);
  return missing;
}

describe('combining values', () => {
  it('covers what it claims, keeps every constraint and the rows given by hand', () => {
    const anyFactors = fc
      .array(fc.integer({ min: 1, max: 3 }), { minLength: 2, maxLength: 5 })
      .map((sizes) => factors(...sizes.map((s) => [s, 1] as const)));
    const anyConstraint = fc.record({ a: fc.nat(4), va: fc.nat(2), b: fc.nat(4), vb: fc.nat(2) });
    fc.assert(
      fc.property(
        anyFactors,
        fc.array(anyConstraint, { maxLength: 2 }),
        fc.constantFrom<Strength>(1, 2, 3, 4),
        fc.boolean(),
        (all, raw, t, withRow) => {
          const name = (i: number): string => all[i % all.length].name;
          const constraints: Constraint[] = raw.map(({ a, va, b, vb }) => ({
            when: [{ parameter: name(a), is: 'in', values: [va] }],
            then: [{ parameter: name(b), is: 'notIn', values: [vb] }],
          }));
          const possible = combine(all, 'all', { constraints }).rows.map((r) => r.row);
          const given = withRow && possible.length ? [possible[possible.length - 1]] : [];
          const made = combine(all, t, { constraints, given, seed: 3 });
          expect(
            brokenRows(
              made.rows.map((r) => r.row),
              constraints,
            ),
          ).toEqual([]);
          expect(lacking(all, Math.min(Number(t), all.length), made, constraints)).toEqual([]);
          expect(made.rows.slice(0, given.length).map((r) => r.row)).toEqual(given);
          expect(made.covered).toBe(made.of);
          expect(made.rows.reduce((sum, r) => sum + r.adds, 0)).toBe(made.covered);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('gives the same rows for the same seed', () => {
    const all = factors([4, 2], [3, 3], [2, 4]);
    expect(combine(all, 2, { seed: 5 })).toEqual(combine(all, 2, { seed: 5 }));
  });

  it('of two-valued factors needs the rows of Katona and of Kleitman & Spencer, and no more', () => {
    // Source: Katona 1973; Kleitman & Spencer 1973 (recalled): N = 4: 3; 5: 4; 6: 10; 7: 15; 8: 35; 9: 56; 10: 126.
    for (const [rows, k] of [
      [4, 3],
      [5, 4],
      [6, 5],
      [6, 10],
      [7, 15],
      [8, 35],
      [9, 56],
      [10, 126],
    ]) {
      const all = factors([2, k]);
      const made = combine(all, 2);
      expect([made.rows.length, made.covered]).toEqual([rows, made.of]);
      if (k <= 35) expect(lacking(all, 2, made)).toEqual([]);
    }
  });

  it('reaches the published sizes: 3^4 in 9, 3^13 in 15', () => {
    // Source: covering-array tables in the literature (recalled).
    expect(combine(factors([3, 4]), 2).rows.length).toBe(9);
    expect(combine(factors([3, 13]), 2).rows.length).toBeLessThanOrEqual(15);
    expect(lacking(factors([3, 4]), 2, combine(factors([3, 4]), 2))).toEqual([]);
    expect(combine(factors([4, 5]), 2).rows.length).toBe(16);
    expect(combine(factors([9, 3]), 2).rows.length).toBe(81);
  });

  it('by each choice and base choice has the rows that these ask for', () => {
    const all = factors([3, 2], [2, 1]);
    expect(combine(all, 'eachChoice').rows.length).toBe(3);
    const base = combine(all, 'baseChoice', { base: { f0_0: 1 } });
    expect(base.rows.length).toBe(1 + 2 + 2 + 1);
    expect(base.rows[0].row).toEqual({ f0_0: 1, f0_1: 0, f1_0: 0 });
    expect(combine(all, 'all').rows.length).toBe(18);
  });
});

const wind: Parameter = {
  name: 'wind',
  type: 'number',
  unit: 'km/h',
  resolution: 1,
  classes: [
    { name: 'calm', valid: true, from: 0, to: 70 },
    { name: 'storm', valid: true, from: 71, to: 120 },
    { name: 'no signal', valid: false, values: [-1] },
  ],
};
const mode: Parameter = {
  name: 'mode',
  type: 'text',
  classes: [
    { name: 'run', valid: true, values: ['run'] },
    { name: 'evacuate', valid: true, values: ['evacuate'] },
  ],
};

describe('samples without failure', () => {
  it('are as many as the success-run theorem asks for', () => {
    // Source: success-run theorem, binomial (recalled): 95/95 59, 90/90 22, 95/99 299.
    expect([samplesWithoutFailure(0.95, 0.95), samplesWithoutFailure(0.9, 0.9), samplesWithoutFailure(0.95, 0.99)]).toEqual([59, 22, 299]);
    expect(samplesWithoutFailure(0.75, 0.5)).toBe(2);
    expect(() => samplesWithoutFailure(1, 0.5)).toThrow();
  });
});

describe('classes and boundaries', () => {
  it('cover every class, invalid ones one at a time', () => {
    const { rows, covered, of } = classRows([wind, mode]);
    expect([covered, of]).toEqual([5, 5]);
    expect(rows.map((r) => r.row)).toEqual([
      { wind: 35, mode: 'run' },
      { wind: 96, mode: 'evacuate' },
      { wind: -1, mode: 'run' },
    ]);
    expect(rows.map((r) => r.valid)).toEqual([true, true, false]);
  });

  it('of two and of three values stand at the resolution of the parameter', () => {
    expect(boundaryValues(wind, 'twoValue').map((b) => b.value)).toEqual([-1, 0, 70, 71, 120, 121]);
    expect(
      boundaryValues(wind, 'threeValue')
        .filter((b) => !b.valid)
        .map((b) => b.value),
    ).toEqual([-1, 121]);
    const fine: Parameter = { ...wind, resolution: 0.1, classes: [{ name: 'x', valid: true, from: 0.3, to: 0.7 }] };
    expect(boundaryValues(fine, 'threeValue').map((b) => b.value)).toEqual([0.2, 0.3, 0.4, 0.6, 0.7, 0.8]);
  });

  it('keep the constraints, and say what these forbid', () => {
    const never: Constraint = { when: [], then: [{ parameter: 'wind', is: '<', values: [100] }] };
    const { rows, impossible } = boundaryRows([wind, mode], 'twoValue', [never]);
    expect(impossible).toEqual(['wind = 120', 'wind = 121']);
    expect(rows.every((r) => keeps(never, r.row))).toBeTrue();
  });

  it('of malformed parameters are findings with a place', () => {
    const bad: Parameter = {
      ...wind,
      name: 'wind speed',
      classes: [
        { name: 'a', valid: true, from: 5, to: 1 },
        { name: 'b', valid: true, from: 0, to: 9 },
      ],
    };
    expect(
      parameterFindings([bad, mode, mode], [{ when: [], then: [{ parameter: 'x', is: 'in', values: [] }] }]).map((f) => f.cell),
    ).toEqual(['wind speed', 'wind speed', 'wind speed', 'mode', 'constraint 1']);
  });
});

describe('decision tables', () => {
  const table: DecisionTable = {
    conditions: [
      { name: 'door', values: ['open', 'shut'] },
      { name: 'wind', values: ['calm', 'storm'] },
    ],
    rules: [
      { name: '1', when: ['open', 'calm'], actions: ['hold'] },
      { name: '2', when: ['open', 'storm'], actions: ['hold'] },
      { name: '3', when: ['shut', 'storm'], actions: ['slow'] },
    ],
  };

  it('are judged for what is left out, for overlaps and contradictions', () => {
    expect(judgeTable(table)).toEqual({ gaps: [['shut', 'calm']], gapCount: 1, overlaps: [], strange: [], combinations: 4 });
    const more = {
      ...table,
      rules: [...table.rules, { name: '4', when: [null, 'storm'], actions: ['slow'] }, { name: '5', when: ['ajar', null], actions: [] }],
    };
    const { overlaps, strange } = judgeTable(more);
    expect(overlaps.map((o) => [o.rules.join(), o.contradict])).toEqual([
      ['2,4', true],
      ['3,4', false],
      ['4,5', true],
    ]);
    expect(strange).toEqual([{ rule: '5', condition: 'door', value: 'ajar' }]);
  });

  it('collapse where a condition does not matter, and mean the same afterwards', () => {
    expect(collapseRules(table).map((r) => [r.name, r.when])).toEqual([
      ['1+2', ['open', null]],
      ['3', ['shut', 'storm']],
    ]);
    const rule = fc.record({ when: fc.tuple(...[0, 1, 2].map(() => fc.constantFrom('a', 'b', null))), action: fc.constantFrom('x', 'y') });
    fc.assert(
      fc.property(fc.array(rule, { maxLength: 8 }), (rules) => {
        const any: DecisionTable = {
          conditions: ['p', 'q', 'r'].map((name) => ({ name, values: ['a', 'b'] })),
          rules: rules.map((r, i) => ({ name: String(i), when: r.when, actions: [r.action] })),
        };
        const collapsed = { ...any, rules: collapseRules(any) };
        const says = (t: DecisionTable, row: readonly unknown[]): string =>
          [...new Set(t.rules.filter((r) => r.when.every((v, i) => v === null || v === row[i])).map((r) => r.actions[0]))].sort().join();
        for (const p of 'ab') for (const q of 'ab') for (const r of 'ab') expect(says(collapsed, [p, q, r])).toBe(says(any, [p, q, r]));
        expect(judgeTable(collapsed).gapCount).toBe(judgeTable(any).gapCount);
      }),
    );
  });

  it('give one row a rule', () => {
    expect(ruleRows(table).map((r) => r.row)).toEqual([
      ['open', 'calm'],
      ['open', 'storm'],
      ['shut', 'storm'],
    ]);
    expect(ruleRows({ ...table, rules: [...table.rules, { name: '4', when: ['open', null], actions: [] }] })[3].row).toBeUndefined();
  });
});

describe('state tables', () => {
  const table: StateTable = {
    initial: 'off',
    states: ['off', 'standby', 'run', 'lost'],
    events: ['key', 'start', 'stop'],
    transitions: [
      { from: 'off', event: 'key', to: 'standby' },
      { from: 'standby', event: 'start', to: 'run' },
      { from: 'run', event: 'stop', to: 'standby' },
      { from: 'standby', event: 'key', to: 'off' },
    ],
  };

  it('are covered by walks from the initial state: transitions, and pairs of them', () => {
    for (const switches of [0, 1] as const) {
      const { walks, covered, of } = switchWalks(table, switches);
      expect([covered, of]).toEqual([of, switches === 0 ? 4 : 6]);
      for (const walk of walks) walk.forEach((t, i) => expect(t.from).toBe(i ? walk[i - 1].to : 'off'));
    }
    expect(switchWalks(table, 0).walks.length).toBe(1);
  });

  it('tell what cannot be reached, what is ambiguous, and what must change nothing', () => {
    expect(unreachableStates(table)).toEqual(['lost']);
    expect(invalidTransitions(table).map((i) => `${i.state} ${i.event} ${i.way.length}`)).toEqual([
      'off start 0',
      'off stop 0',
      'standby stop 1',
      'run key 2',
      'run start 2',
    ]);
    expect(stateFindings({ ...table, transitions: [...table.transitions, { from: 'off', event: 'key', to: 'gone' }] })).toEqual([
      'gone is no state.',
      'In off, key leads to standby and to gone.',
    ]);
  });
});

describe('a requirement’s own words', () => {
  it('give parameters and boundary rows, each with the words that it came from', () => {
    const described = (text: string): unknown[] =>
      proposeNumbers(text).map((p) => [
        p.words,
        p.parameter.name,
        p.parameter.unit,
        p.rows.map((r) => (r.valid ? String(r.value) : `(${r.value})`)).join(' '),
      ]);
    expect(described('shall open within 120 ms after the chain opens')).toEqual([['within 120 ms', 'time', 'ms', '119 120 (121)']]);
    expect(described('Wind above 70 km/h limits the speed to 2.5 m/s')).toEqual([['above 70 km/h', 'speed', 'km/h', '(69) (70) 71']]);
    expect(described('ramped at no more than 0.4 m/s2')).toEqual([['no more than 0.4 m/s2', 'acceleration', 'm/s2', '0.3 0.4 (0.5)']]);
    expect(described('between 3 and 5 cycles')).toEqual([['between 3 and 5 cycles', 'value', 'cycles', '(2) 3 4 5 (6)']]);
    expect(described('kept at 36.5 °C ± 0.3 °C')).toEqual([['36.5 °C ± 0.3 °C', 'temperature', '°C', '(36.1) 36.2 36.3 36.7 36.8 (36.9)']]);
    expect(described('at least 2 and at most 4')).toEqual([
      ['at least 2', 'value', undefined, '(1) 2 3'],
      ['at most 4', 'value_2', undefined, '3 4 (5)'],
    ]);
    expect(described('The lamp shall be green.')).toEqual([]);
    fc.assert(fc.property(fc.string(), (text) => void proposeNumbers(text)));
  });

  it('in Given / When / Then give steps', () => {
    const [one] = proposeSteps(
      'Given the rope stands\nAnd the doors are shut\nWhen the key is turned\nThen the lamp is green\nAnd no alarm sounds\nWhen start is pressed\nThen the rope moves',
    );
    expect(one.preconditions).toBe('The rope stands\nThe doors are shut');
    expect(one.steps).toEqual([
      { action: 'The key is turned', expected: 'The lamp is green; No alarm sounds' },
      { action: 'Start is pressed', expected: 'The rope moves' },
    ]);
    expect(proposeSteps('Scenario: a\nWhen x\nThen y\nScenario: b\nGiven g\nWhen z\nThen w').map((c) => c.title)).toEqual(['a', 'b']);
    expect(proposeSteps('The brake shall close.')).toEqual([]);
  });
});
