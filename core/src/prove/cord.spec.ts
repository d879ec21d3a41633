import fc from 'fast-check';
import { knots } from '../base';
import { noCoverage } from '../measure';
import {
  boardFilters,
  boardTotals,
  breaksCsv,
  combinations,
  cordWords,
  creditingRuns,
  drawCord,
  iec61508,
  inFilter,
  judgeCords,
  matrixHtml,
  problemStands,
  projectCord,
  reasonWords,
  stateCountWords,
  usualPolicies,
  type Cord,
  type CordInput,
  type CordRun,
  type KnotState,
} from './index';
import { aCase, code, judge, points, requirement, run, signed, sound, states, trace, unit, why } from './testing';

// The rules are those of DESIGN.md section 3.
describe('the judgement of a cord', () => {
  it('waits where the standard asks for a metric that nothing loaded could give', () => {
    const sil4 = judge({ requirements: [requirement('R-1', { level: 'SIL 4' })], missingMetrics: new Set(['mcdc']) });
    expect([states(sil4), why(sil4)]).toEqual(['SSSWS', 'SIL 4 asks for MC/DC, of which the coverage loaded for 1.0 tells nothing']);
    const measured = judge({
      requirements: [requirement('R-1', { level: 'SIL 4' })],
      code: code([unit({ totals: { ...unit().totals, mcdc: points(2, 2) } })]),
    });
    expect(states(measured)).toBe('SSSSS');
  });

  it('asks for a run of every data row that the case has now', () => {
    const cases = [aCase({ rows: ['1', '2'] })];
    const row = (name: string | null, more: Partial<CordRun> = {}): CordRun => run({ key: `RUN-${name}`, row: name, ...more });
    const half = judge({ cases, runs: [row('1')] });
    expect([states(half), why(half)]).toEqual(['SSWS-', '1 data row of C-1 is not planned on 1.0']);
    expect(states(judge({ cases, runs: [row('1'), row('2')] }))).toBe('SSSSS');
    // Common practice: one failed data row fails the case.
    expect(states(judge({ cases, runs: [row('1'), row('2', { verdict: 'failed' })] }))).toBe('SSB--');
  });

  it('keeps in sight what a change of the case took out of sight, until a reviewer decided', () => {
    const cases = [aCase({ rows: ['1'] })];
    const gone = (more: Partial<CordRun>) => judge({ cases, runs: [run({ row: '1' }), run({ key: 'RUN-2', row: '2', ...more })] });
    expect(why(gone({ verdict: 'failed' }))).toBe('RUN-2 did not pass, and a change of C-1 took it out of sight: decide');
    expect(states(gone({ verdict: 'failed' }))).toBe('SSUSS');
    expect(states(gone({ verdict: 'failed', setAside: true }))).toBe('SSSSS');
    expect(states(gone({ verdict: 'passed' }))).toBe('SSSSS');
  });

  it('lets a result stand until a newer one is finished, whatever is planned', () => {
    const again = run({ key: 'RUN-2', verdict: null, finished: null, signatures: [] });
    const failed = judge({ runs: [run({ verdict: 'failed' }), again] });
    expect([states(failed), why(failed)]).toEqual(['SSB--', 'RUN-1 (C-1) failed']);
    const passed = judge({ runs: [run(), again] });
    expect(states(passed)).toBe('SSSSS');
    expect(passed.knots.run.reasons.map(reasonWords)).toEqual(['1 run planned again: RUN-2']);
    expect(states(judge({ runs: [run({ verdict: 'failed' }), run({ key: 'RUN-2' })] }))).toBe('SSSSS');
    // The newest is the one that was finished last, not the one that was planned last.
    const late = run({ key: 'RUN-1', verdict: 'failed', finished: 99 });
    expect(combinations([late, run({ key: 'RUN-2', finished: 98 })])[0].standing).toBe(late);
  });

  it('gives credit run by run: a failed configuration takes away its own, and what is unsigned waits', () => {
    const keys = (runs: readonly CordRun[], policies = usualPolicies([]), deviations = true): string[] =>
      creditingRuns(runs, aCase(), policies, deviations).map((r) => r.key);
    expect(keys([run(), run({ key: 'RUN-2', configuration: 'cold', verdict: 'failed' })])).toEqual(['RUN-1']);
    expect(keys([run({ signatures: [] })])).toEqual([]);
    expect(keys([run({ signatures: [] })], { ...usualPolicies([]), creditNeedsSignature: false })).toEqual(['RUN-1']);
    expect(keys([run({ signatures: [{ meaning: 'performed', login: 'ann', matches: true }] })])).toEqual([]);
    const deviates = run({ verdict: 'deviation', deviationAccepted: true });
    expect([keys([deviates]), keys([deviates], usualPolicies([]), false), keys([run({ returned: true })])]).toEqual([['RUN-1'], [], []]);
  });

  it('lets a problem stand from the build that it was found in to the build that it is fixed in', () => {
    const open = { open: true, foundIn: 2, fixedIn: null };
    expect([1, 2, 3].map((build) => problemStands(open, build))).toEqual([false, true, true]);
    expect([2, 3, 4].map((build) => problemStands({ open: false, foundIn: 2, fixedIn: 4 }, build))).toEqual([true, true, false]);
    expect(problemStands({ open: false, foundIn: 2, fixedIn: null }, 2)).toBeFalse();
  });

  it('is sound when nothing is missing', () => {
    expect(states(judge({}))).toBe('SSSSS');
    expect(judge({}).firstBreak).toBeNull();
  });

  const own = { ...iec61508, policies: { ...usualPolicies(iec61508.reviewAt), ownApprovalAt: ['SIL 2'] } };
  const problem = { key: 'PR-1', blocking: true, standing: true, requirements: ['R-1'], run: null };
  const cases: readonly (readonly [string, Partial<CordInput>, string, string])[] = [
    ['a draft', { requirements: [requirement('R-1', { state: 'draft' })] }, 'W----', 'Draft: revision 1 is not approved'],
    ['no approval', { requirements: [requirement('R-1', { approvals: [] })] }, 'W----', 'Revision 1 bears no approval'],
    [
      'an approval by the author',
      { requirements: [requirement('R-1', { author: 'ann' })] },
      'W----',
      'Revision 1 was approved only by ann, who wrote it',
    ],
    ['the same where the project allows it', { profile: own, requirements: [requirement('R-1', { author: 'ann' })] }, 'SSSSS', 'proved'],
    [
      'a text that is not what was approved',
      { requirements: [requirement('R-1', { approvals: [{ login: 'ann', matches: false }] })] },
      'B----',
      'The text of revision 1 no longer matches its approval',
    ],
    ['no level', { requirements: [requirement('R-1', { level: '' })] }, 'B----', 'No level is given'],
    [
      'a level that the project does not know',
      { requirements: [requirement('R-1', { level: 'SIL 9' })] },
      'B----',
      '“SIL 9” is no level of IEC 61508 in this project',
    ],
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
        parents: [trace('R-1', 'R-0')],
      },
      'USSSS',
      'Parent R-0 was revised after the trace was confirmed',
    ],
    [
      'a parent trace that nobody else confirmed',
      {
        requirements: [requirement('R-1', { topLevel: false }), requirement('R-0')],
        parents: [trace('R-1', 'R-0', { needsConfirmation: true, confirmedBy: null })],
      },
      'W----',
      'Its trace to R-0 waits for somebody other than its author to confirm it',
    ],
    ['no case', { verifies: [] }, 'SB---', 'No verification case'],
    ['a case in draft', { cases: [aCase({ approved: false })] }, 'SW---', 'Case C-1 is not approved'],
    ['a case approved by its author', { cases: [aCase({ author: 'ann' })] }, 'SW---', 'Case C-1 was approved only by ann, who wrote it'],
    [
      'a call of what was never approved',
      { cases: [aCase({ unapprovedCalls: ['C-9 revision 2'] })] },
      'SW---',
      'Case C-1 calls C-9 revision 2, which was never approved',
    ],
    [
      'a trace confirmed by its author alone',
      { verifies: [trace('C-1', 'R-1', { needsConfirmation: true })] },
      'SW---',
      'The trace from C-1 waits for somebody other than its author to confirm it',
    ],
    ['one confirmed by another', { verifies: [trace('C-1', 'R-1', { needsConfirmation: true, confirmedBy: 'ann' })] }, 'SSSSS', 'proved'],
    [
      'a requirement revised since',
      { requirements: [requirement('R-1', { revision: 2 })] },
      'SUSSS',
      'Revised since its trace from C-1 was confirmed',
    ],
    ['a run not planned', { runs: [] }, 'SSWS-', 'C-1 is not planned on 1.0'],
    ['a run not recorded', { runs: [run({ verdict: null, signatures: [] })] }, 'SSWS-', '1 of 1 run not yet recorded'],
    ['a blocked run', { runs: [run({ verdict: 'blocked' })] }, 'SSWS-', 'RUN-1 of C-1 is blocked'],
    ['a returned run', { runs: [run({ returned: true })] }, 'SSB--', 'RUN-1 of C-1 was returned by a reviewer'],
    [
      'a failed run',
      { runs: [run({ verdict: 'failed', failedStep: 4 })], problems: [{ ...problem, run: 'RUN-1' }] },
      'SSB--',
      'Step 4 of RUN-1 (C-1) failed · PR-1 open',
    ],
    [
      'one failed configuration of two',
      { runs: [run(), run({ key: 'RUN-2', configuration: 'cold', verdict: 'failed' })] },
      'SSB--',
      'RUN-2 (C-1) failed',
    ],
    [
      'an open deviation',
      { runs: [run({ verdict: 'deviation' })] },
      'SSWS-',
      'RUN-1 passed with a deviation that no reviewer has accepted',
    ],
    ['an accepted deviation', { runs: [run({ verdict: 'deviation', deviationAccepted: true })] }, 'SSSSS', 'proved'],
    [
      'an outdated run',
      { cases: [aCase({ revision: 2 })], verifies: [trace('C-1', 'R-1', { fromRevision: 2 })] },
      'SSUSS',
      'Case C-1 changed after RUN-1: decide carry over or rerun',
    ],
    [
      'a result carried over',
      { cases: [aCase({ revision: 2 })], verifies: [trace('C-1', 'R-1', { fromRevision: 2 })], runs: [run({ carriedOverTo: 2 })] },
      'SSSSS',
      'proved',
    ],
    ['no coverage', { code: code([unit()], ['a.c'], false) }, 'SSSWS', 'No coverage of its cases is loaded for 1.0'],
    ['no code', { code: new Map() }, 'SSSBS', 'No code is traced to it'],
    [
      'a second traced file that was never loaded',
      { code: code([unit(), unit({ path: 'b.c', name: 'lost', status: 'neverLoaded', totals: noCoverage })]) },
      'SSSWS',
      'b.c lost is not measured: nothing of its file is loaded for 1.0',
    ],
    [
      'code measured on other text',
      { code: code([unit({ status: 'otherText' })]) },
      'SSSWS',
      'a.c held is measured on other text than the sources of 1.0',
    ],
    [
      'no points in a metric that is asked',
      {
        requirements: [requirement('R-1', { level: 'SIL 3' })],
        code: code([unit({ totals: { ...unit().totals, branch: points(0, 0) } })]),
      },
      'SSSWS',
      'What is loaded of its code holds no branches: 0 of 0 shows nothing',
    ],
    ['a level at which nothing is asked', { profile: { ...iec61508, targets: {} }, code: new Map() }, 'SSSNS', 'proved'],
    [
      'not in code',
      { requirements: [requirement('R-1', { notInCode: true, notInCodeRationale: true })], code: new Map() },
      'SSSNS',
      'proved',
    ],
    [
      'not in code, though code names it',
      { requirements: [requirement('R-1', { notInCode: true, notInCodeRationale: true })] },
      'SSSBS',
      'Marked “not in code”, but a.c names it',
    ],
    [
      'credit under target',
      { code: code([unit({ totals: { ...unit().totals, line: points(4, 3) }, firstGap: { line: 7 } })]) },
      'SSSBS',
      'Statements: 3 of 4 credited, first gap at a.c:7',
    ],
    [
      'attested branches',
      {
        code: code([unit({ totals: { ...unit().totals, branch: points(0, 0) }, attested: { branch: 'ATT-1' } })]),
        requirements: [requirement('R-1', { level: 'SIL 3' })],
      },
      'SSSSS',
      'proved',
    ],
    [
      'branches of one function attested, of the other not',
      {
        code: code([
          unit({ totals: { ...unit().totals, branch: points(0, 0) }, attested: { branch: 'ATT-1' } }),
          unit({ name: 'other', totals: { ...unit().totals, branch: points(0, 0) } }),
        ]),
        requirements: [requirement('R-1', { level: 'SIL 3' })],
      },
      'SSSWS',
      'What is loaded of its code holds no branches: 0 of 0 shows nothing',
    ],
    ['justified points', { code: code([unit({ totals: { ...unit().totals, line: points(4, 3, 1) } })]) }, 'SSSSS', 'proved'],
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
    ['a standing blocking problem', { problems: [problem] }, 'SSSSB', 'PR-1 stands open against it'],
    ['a problem that does not block', { problems: [{ ...problem, blocking: false }] }, 'SSSSS', 'proved'],
    ['a problem of another build', { problems: [{ ...problem, standing: false }] }, 'SSSSS', 'proved'],
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
    ].map(([from, to]) => trace(from, to));
    const [top] = judgeCords({ ...sound, requirements, parents });
    // Judged alone, with what was judged of the others before, it is the same.
    const others = judgeCords({ ...sound, requirements, parents }).slice(1);
    const settled = new Map(
      others.map((c) => [
        c.key,
        {
          states: Object.fromEntries(knots.map((k) => [k, c.knots[k].state])) as Record<(typeof knots)[number], KnotState>,
          below: c.below,
        },
      ]),
    );
    expect(judgeCords({ ...sound, requirements, parents, settled }, new Set(['R-1']))).toEqual([top]);
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
        // Each state is counted apart, and none is left out.
        for (const k of knots) {
          const { states: counted, of } = totals.knots[k];
          expect(Object.values(counted).reduce((sum, n) => sum + n, 0)).toBe(of);
          expect(stateCountWords(totals.knots[k]).split(' · ').filter(Boolean).length).toBe(
            Object.values(counted).filter((n) => n > 0).length,
          );
        }
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
