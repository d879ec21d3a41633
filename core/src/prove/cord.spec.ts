import fc from 'fast-check';
import { knots } from '../base';
import { noCoverage, usualPolicy } from '../measure';
import {
  boardFilters,
  boardTotals,
  breaksCsv,
  cordWords,
  drawCord,
  iec61508,
  inFilter,
  judgeCords,
  passingCases,
  matrixHtml,
  projectCord,
  reasonWords,
  type Cord,
  type CordInput,
  type CordRequirement,
  type CordRun,
  type KnotState,
} from './index';

const requirement = (key: string, more: Partial<CordRequirement> = {}): CordRequirement => ({
  key,
  title: key,
  revision: 1,
  state: 'approved',
  level: 'SIL 2',
  method: 'test',
  topLevel: true,
  derived: false,
  hasRationale: false,
  notInCode: false,
  notInCodeRationale: false,
  ...more,
});
const signed: CordRun['signatures'] = [
  { meaning: 'performed', login: 'tom', matches: true },
  { meaning: 'reviewed', login: 'ann', matches: true },
];
const run = (more: Partial<CordRun> = {}): CordRun => ({
  key: 'RUN-1',
  caseKey: 'C-1',
  caseRevision: 1,
  row: null,
  configuration: 'rig',
  verdict: 'passed',
  failedStep: null,
  deviationAccepted: false,
  carriedOverTo: null,
  tester: 'tom',
  signatures: signed,
  ...more,
});
const full = { totals: { ...noCoverage, line: { found: 4, exercised: 4, credited: 4, justified: 0 } }, firstGap: () => undefined };
const sound: CordInput = {
  build: '1.0',
  profile: iec61508,
  requirements: [requirement('R-1')],
  cases: [{ key: 'C-1', revision: 1, approved: true }],
  parents: [],
  verifies: [{ from: 'C-1', to: 'R-1', fromRevision: 1, toRevision: 1 }],
  runs: [run()],
  problems: [],
  measured: new Set(['C-1']),
  measuredMetrics: new Set(['function', 'line', 'branch']),
  codeOf: new Map([['R-1', ['a.c']]]),
  coverageOf: () => full,
};
const judge = (more: Partial<CordInput>): Cord => judgeCords({ ...sound, ...more })[0];
const states = (cord: Cord): string =>
  knots
    .map((k) => ({ sound: 'S', waiting: 'W', broken: 'B', suspect: 'U', notReached: '-', notRequired: 'N' })[cord.knots[k].state])
    .join('');
const why = (cord: Cord): string => (cord.firstBreak ? reasonWords(cord.knots[cord.firstBreak].reasons[0]) : 'proved');

// The rules are those of DESIGN.md section 3.
describe('the judgement of a cord', () => {
  it('waits where the standard asks for a metric that no loaded coverage tells', () => {
    const sil4 = judge({ requirements: [requirement('R-1', { level: 'SIL 4' })] });
    expect([states(sil4), why(sil4)]).toEqual(['SSSWS', 'SIL 4 asks for MC/DC, of which the coverage loaded for 1.0 tells nothing']);
    const measured = judge({
      requirements: [requirement('R-1', { level: 'SIL 4' })],
      measuredMetrics: new Set(['function', 'line', 'branch', 'mcdc'] as const),
    });
    expect(states(measured)).toBe('SSSSS');
  });

  it('asks for a run of every data row that the case has now, and of no other', () => {
    const cases = [{ key: 'C-1', revision: 1, approved: true, rows: ['1', '2'] }];
    const row = (name: string | null, more: Partial<CordRun> = {}): CordRun => run({ key: `RUN-${name}`, row: name, ...more });
    const half = judge({ cases, runs: [row('1')] });
    expect([states(half), why(half)]).toEqual(['SSWS-', '1 data row of C-1 is not planned on 1.0']);
    expect(states(judge({ cases, runs: [row('1'), row('2')] }))).toBe('SSSSS');
    // Common practice: one failed data row fails the case.
    expect(states(judge({ cases, runs: [row('1'), row('2', { verdict: 'failed' })] }))).toBe('SSB--');
    expect(states(judge({ cases, runs: [row('1'), row('2'), row('3', { verdict: 'failed' }), row(null, { verdict: 'failed' })] }))).toBe(
      'SSSSS',
    );
    expect([...passingCases(cases, [row('1'), row('2', { verdict: 'failed' })])]).toEqual([]);
    // Credit goes by the same runs as the knot: what is no row any more neither gives it nor takes it.
    expect([...passingCases(cases, [row('1'), row('2'), row('3', { verdict: 'failed' }), row(null, { verdict: 'failed' })])]).toEqual([
      'C-1',
    ]);
    expect([...passingCases(cases, [row('3'), row(null)])]).toEqual([]);
  });

  it('gives credit for an accepted deviation as the policy says', () => {
    const runs = [run({ verdict: 'deviation', deviationAccepted: true })];
    expect([...passingCases(sound.cases, runs)]).toEqual(['C-1']);
    expect([...passingCases(sound.cases, runs, { ...usualPolicy, deviations: false })]).toEqual([]);
  });

  it('is sound when nothing is missing', () => {
    expect(states(judge({}))).toBe('SSSSS');
    expect(judge({}).firstBreak).toBeNull();
  });

  const cases: readonly (readonly [string, Partial<CordInput>, string, string])[] = [
    ['a draft', { requirements: [requirement('R-1', { state: 'draft' })] }, 'W----', 'Draft: revision 1 is not approved'],
    ['no level', { requirements: [requirement('R-1', { level: '' })] }, 'B----', 'No level is given'],
    [
      'no parent',
      { requirements: [requirement('R-1', { topLevel: false })] },
      'B----',
      'No parent: it is neither top level nor marked derived',
    ],
    [
      'derived with a rationale',
      { requirements: [requirement('R-1', { topLevel: false, derived: true, hasRationale: true })] },
      'SSSSS',
      'proved',
    ],
    [
      'a revised parent',
      {
        requirements: [requirement('R-1', { topLevel: false }), requirement('R-0', { revision: 2 })],
        parents: [{ from: 'R-1', to: 'R-0', fromRevision: 1, toRevision: 1 }],
      },
      'USSSS',
      'Parent R-0 was revised after the trace was confirmed',
    ],
    ['no case', { verifies: [] }, 'SB---', 'No verification case'],
    ['a case in draft', { cases: [{ key: 'C-1', revision: 1, approved: false }] }, 'SW---', 'Case C-1 is not approved'],
    [
      'a requirement revised since',
      { requirements: [requirement('R-1', { revision: 2 })] },
      'SUSSS',
      'Revised since its trace from C-1 was confirmed',
    ],
    ['a run not planned', { runs: [] }, 'SSWS-', 'C-1 is not planned on 1.0'],
    ['a run not recorded', { runs: [run({ verdict: null, signatures: [] })] }, 'SSWS-', '1 of 1 run not yet recorded'],
    [
      'a failed run',
      {
        runs: [run({ verdict: 'failed', failedStep: 4 })],
        problems: [{ key: 'PR-1', blocking: true, open: true, requirements: ['R-1'], run: 'RUN-1' }],
      },
      'SSB--',
      'Step 4 of RUN-1 (C-1) failed · PR-1 open',
    ],
    [
      'one failed configuration of two',
      { runs: [run(), run({ key: 'RUN-2', configuration: 'cold', verdict: 'failed' })] },
      'SSB--',
      'RUN-2 (C-1) failed',
    ],
    ['a failure repeated with success', { runs: [run({ verdict: 'failed' }), run({ key: 'RUN-2' })] }, 'SSSSS', 'proved'],
    [
      'an open deviation',
      { runs: [run({ verdict: 'deviation' })] },
      'SSWS-',
      'RUN-1 passed with a deviation that no reviewer has accepted',
    ],
    ['an accepted deviation', { runs: [run({ verdict: 'deviation', deviationAccepted: true })] }, 'SSSSS', 'proved'],
    [
      'an outdated run',
      { cases: [{ key: 'C-1', revision: 2, approved: true }], verifies: [{ from: 'C-1', to: 'R-1', fromRevision: 2, toRevision: 1 }] },
      'SSUSS',
      'Case C-1 changed after RUN-1: decide carry over or rerun',
    ],
    [
      'a result carried over',
      {
        cases: [{ key: 'C-1', revision: 2, approved: true }],
        verifies: [{ from: 'C-1', to: 'R-1', fromRevision: 2, toRevision: 1 }],
        runs: [run({ carriedOverTo: 2 })],
      },
      'SSSSS',
      'proved',
    ],
    ['no coverage', { measured: new Set<string>() }, 'SSSWS', 'No coverage of its cases is loaded for 1.0'],
    ['no code', { codeOf: new Map() }, 'SSSBS', 'No code is traced to it'],
    ['not in code', { requirements: [requirement('R-1', { notInCode: true, notInCodeRationale: true })] }, 'SSSNS', 'proved'],
    [
      'credit under target',
      {
        coverageOf: () => ({
          totals: { ...noCoverage, line: { found: 4, exercised: 4, credited: 3, justified: 0 } },
          firstGap: () => 'a.c:7',
        }),
      },
      'SSSBS',
      'Statements: 3 of 4 credited, first gap at a.c:7',
    ],
    [
      'justified points',
      {
        coverageOf: () => ({
          totals: { ...noCoverage, line: { found: 4, exercised: 3, credited: 3, justified: 1 } },
          firstGap: () => undefined,
        }),
      },
      'SSSSS',
      'proved',
    ],
    ['a missing signature', { runs: [run({ signatures: [] })] }, 'SSSSW', '1 run not signed by the tester: RUN-1'],
    [
      'a missing review',
      { runs: [run({ signatures: signed.slice(0, 1) })] },
      'SSSSW',
      '1 run is waiting for an independent reviewer: RUN-1',
    ],
    [
      'a review by the tester',
      { runs: [run({ signatures: [signed[0], { ...signed[1], login: 'tom' }] })] },
      'SSSSW',
      '1 run is waiting for an independent reviewer: RUN-1',
    ],
    [
      'a broken signature',
      { runs: [run({ signatures: [signed[0], { ...signed[1], matches: false }] })] },
      'SSSSB',
      'The record of RUN-1 no longer matches its signature',
    ],
    [
      'an open blocking problem',
      { problems: [{ key: 'PR-1', blocking: true, open: true, requirements: ['R-1'], run: null }] },
      'SSSSB',
      'PR-1 stands open against it',
    ],
    [
      'an open problem that does not block',
      { problems: [{ key: 'PR-1', blocking: false, open: true, requirements: ['R-1'], run: null }] },
      'SSSSS',
      'proved',
    ],
  ];
  for (const [name, more, expected, words] of cases)
    it(`of ${name}: ${expected}`, () => {
      expect(states(judge(more))).toBe(expected);
      expect(why(judge(more))).toBe(words);
    });

  it('shows the worst of what is derived in a second line, and survives a circle', () => {
    const requirements = [
      requirement('R-1'),
      requirement('R-2', { topLevel: false }),
      requirement('R-3', { topLevel: false, state: 'draft' }),
    ];
    const parents = [
      ['R-2', 'R-1'],
      ['R-3', 'R-2'],
      ['R-1', 'R-3'],
    ].map(([from, to]) => ({ from, to, fromRevision: 1, toRevision: 1 }));
    const [top] = judgeCords({ ...sound, requirements, parents });
    expect(top.below).toEqual({ specify: 'waiting', design: 'broken', run: 'notReached', measure: 'notReached', prove: 'notReached' });
  });

  it('agrees with its own totals, filters and drawing, for any states', () => {
    const state = fc.constantFrom<KnotState>('sound', 'waiting', 'broken', 'suspect', 'notReached', 'notRequired');
    const five = fc.record({ specify: state, design: state, run: state, measure: state, prove: state });
    fc.assert(
      fc.property(fc.array(five, { maxLength: 20 }), (all) => {
        const cords = all.map((s, i): Cord => ({
          key: `R-${i}`,
          title: '',
          level: '',
          below: null,
          firstBreak: knots.find((k) => s[k] !== 'sound' && s[k] !== 'notRequired') ?? null,
          knots: Object.fromEntries(knots.map((k) => [k, { state: s[k], reasons: [] }])) as unknown as Cord['knots'],
        }));
        const totals = boardTotals(cords);
        for (const filter of boardFilters) expect(totals.counts[filter]).toBe(cords.filter((c) => inFilter(c, filter)).length);
        // Every cord is filed under exactly one knot, or is proved.
        expect(knots.reduce((n, k) => n + totals.counts[k], totals.counts.proved)).toBe(cords.length);
        expect(Object.keys(projectCord(totals))).toEqual([...knots]);
        for (const s of all) {
          expect(drawCord(s).shapes.every((shape) => !shape.path.includes('NaN'))).toBeTrue();
          expect(cordWords(s).split(', ').length).toBe(5);
        }
      }),
    );
  });

  it('writes breaks and the matrix so that nothing in a text becomes code', () => {
    const evil = judgeCords({ ...sound, requirements: [requirement('R-1', { title: '=cmd()', state: 'draft' })] });
    expect(breaksCsv(evil)).toContain("'=cmd()");
    expect(matrixHtml('<b>', [])).not.toContain('<b>');
  });
});
