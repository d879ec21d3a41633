import fc from 'fast-check';
import { knots, perKnot, type Knot } from '../base';
import { noCoverage, perMetric, type Metric } from '../measure';
import {
  iec61508,
  judgeCords,
  summariseCode,
  type CarriedResult,
  type Cord,
  type CordInput,
  type CordRequirement,
  type TracedUnit,
} from './index';
import { oracle, reasonLine, type Told, type Word } from './oracle.testing';
import { aCase, requirement, run, trace, unit } from './testing';
import type { ProgramResults } from './policy';

/** Mostly as it should be, so that many cords come far. */
const mostly = <T>(usual: T, ...others: T[]): fc.Arbitrary<T> =>
  fc.oneof({ weight: 9, arbitrary: fc.constant(usual) }, { weight: 2, arbitrary: fc.constantFrom(...others) });
const logins = ['joe', 'ann', 'tom'] as const;
const approvals = mostly(
  [{ login: 'ann', matches: true }],
  [],
  [{ login: 'joe', matches: true }],
  [{ login: 'ann', matches: false }],
  [
    { login: 'joe', matches: true },
    { login: 'ann', matches: true },
  ],
);
const requirementKeys = ['R-1', 'R-2', 'R-3', 'R-4'];
const caseKeys = ['C-1', 'C-2', 'C-3'];
const anyTrace = (from: readonly string[], to: readonly string[]) =>
  fc
    .record({
      from: fc.constantFrom(...from),
      to: fc.constantFrom(...to),
      fromRevision: mostly(2, 1),
      toRevision: mostly(2, 1),
      needsConfirmation: mostly(false, true),
      drawnBy: fc.constantFrom(...logins),
      confirmedBy: fc.constantFrom(null, ...logins),
    })
    .map(({ from: f, to: t, ...more }) => trace(f, t, more));
const anyRun = fc
  .record({
    caseKey: fc.constantFrom(...caseKeys),
    caseRevision: mostly(2, 1),
    row: fc.constantFrom(null, null, 'a', 'b'),
    configuration: mostly('rig', 'cold'),
    verdict: mostly<'passed' | 'failed' | 'blocked' | 'deviation' | null>('passed', 'failed', 'blocked', 'deviation', null),
    deviationAccepted: fc.boolean(),
    returned: mostly(false, true),
    setAside: mostly(false, true),
    carriedOverTo: mostly<number | null>(null, 2),
    tool: mostly<string | undefined>(undefined, 'unit 1.0', 'unit 2.0'),
    carried: mostly<CarriedResult | undefined>(
      undefined,
      { key: 'CRN-1', from: '0.9', holds: 'yes', matches: true },
      { key: 'CRN-1', from: '0.9', holds: 'otherSources', matches: true },
      { key: 'CRN-2', from: '0.8', holds: 'replaced', matches: true },
      { key: 'CRN-2', from: '0.8', holds: 'yes', matches: false },
    ),
    signatures: mostly(
      [
        { meaning: 'performed' as const, login: 'tom', matches: true },
        { meaning: 'reviewed' as const, login: 'ann', matches: true },
      ],
      [],
      [{ meaning: 'performed' as const, login: 'tom', matches: true }],
      [{ meaning: 'performed' as const, login: 'tom', matches: false }],
      [
        { meaning: 'performed' as const, login: 'tom', matches: true },
        { meaning: 'reviewed' as const, login: 'tom', matches: true },
      ],
    ),
  })
  .map((more) => run(more));
const points = fc.record({ found: fc.integer({ min: 0, max: 4 }), part: fc.integer({ min: 0, max: 4 }), justified: mostly(0, 1) });
const anyUnit = fc
  .record({
    status: mostly<TracedUnit['status']>('measured', 'neverLoaded', 'otherText', 'partial', 'absent'),
    full: mostly(true, false),
    line: points,
    branch: points,
    carried: mostly<string | undefined>(undefined, 'CAR-1', 'CAR-2'),
    path: fc.constantFrom('a.c', 'b.c'),
    gap: fc.constantFrom(0, 7),
    attested: mostly<TracedUnit['attested']>(undefined, { branch: 'ATT-1' }, { mcdc: 'ATT-2' }),
  })
  .map(({ status, full, line, branch, attested, carried, path, gap }) => {
    const of = ({ found, part, justified }: typeof line) => {
      const credited = full ? found : Math.min(found, part);
      return { found, exercised: found, credited, justified: Math.min(justified, found - credited) };
    };
    return unit({
      status,
      path,
      ...(gap ? { firstGap: { line: gap, branch: gap + 1 } } : {}),
      ...(carried ? { carried } : {}),
      ...(attested ? { attested } : {}),
      totals: { ...noCoverage, function: of({ found: 1, part: 1, justified: 0 }), line: of(line), branch: of(branch) },
    });
  });
const anyInput: fc.Arbitrary<CordInput> = fc
  .record({
    requirements: fc.tuple(
      ...requirementKeys.map((key) =>
        fc
          .record({
            revision: mostly(2, 3),
            state: mostly<CordRequirement['state']>('approved', 'draft', 'review'),
            approvals,
            level: mostly('SIL 2', 'SIL 1', 'SIL 3', '', 'SIL 9'),
            method: mostly<CordRequirement['method']>('test', ''),
            topLevel: mostly(true, false),
            derived: mostly(false, true),
            hasRationale: fc.boolean(),
            notInCode: mostly(false, true),
            notInCodeRationale: fc.boolean(),
          })
          .map((more) => requirement(key, more)),
      ),
    ),
    cases: fc.tuple(
      ...caseKeys.map((key) =>
        fc
          .record({
            revision: mostly(2, 3),
            approved: mostly(true, false),
            approvals,
            rows: mostly<string[]>([], ['a'], ['a', 'b']),
            unapprovedCalls: mostly<string[]>([], ['C-9 revision 1']),
          })
          .map(({ rows, ...more }) => aCase({ key, ...more, ...(rows.length ? { rows } : {}) })),
      ),
    ),
    parents: fc.array(anyTrace(requirementKeys, [...requirementKeys, 'R-9']), { maxLength: 2 }),
    verifies: fc.array(anyTrace([...caseKeys, 'C-9'], requirementKeys), { minLength: 2, maxLength: 6 }),
    runs: fc.array(anyRun, { maxLength: 7 }).map((list) => list.map((x, i) => ({ ...x, key: `RUN-${i + 1}` }))),
    problems: fc.array(
      fc.record({
        key: fc.constantFrom('PR-1', 'PR-2'),
        blocking: fc.boolean(),
        standing: fc.boolean(),
        requirements: fc.subarray(requirementKeys),
        run: fc.constantFrom(null, 'RUN-1', 'RUN-2', 'RUN-3'),
      }),
      { maxLength: 1 },
    ),
    code: fc.tuple(
      ...requirementKeys.map(() =>
        fc.record({ units: fc.array(anyUnit, { maxLength: 3 }), own: fc.boolean(), measured: mostly(true, false) }),
      ),
    ),
    missing: mostly<Metric[]>([], ['branch'], ['mcdc']),
    ownApprovalAt: mostly<string[]>([], ['SIL 2']),
    programResults: mostly<Record<string, ProgramResults>>({}, { 'SIL 2': 'qualified' }, { 'SIL 2': 'no' }),
    carryResultsAt: mostly<string[] | undefined>(['SIL 2'], [], undefined),
    reviewAt: mostly(['SIL 2', 'SIL 3'], []),
  })
  .map(({ code, missing, ownApprovalAt, programResults, carryResultsAt, reviewAt, ...facts }) => ({
    build: '1.0',
    profile: {
      ...iec61508,
      reviewAt,
      policies: {
        ownApprovalAt,
        creditNeedsSignature: true,
        observationAt: [],
        reasonLength: 3,
        programResults,
        qualifiedTools: ['unit 1.0'],
        carryResultsAt,
      },
    },
    ...facts,
    code: new Map(
      requirementKeys.map((key, i) => [key, summariseCode(code[i].own ? ['a.c'] : [], code[i].measured, code[i].units)] as const),
    ),
    missingMetrics: new Set(missing),
  }));

describe('the judgement against section 3 written a second time', () => {
  const told = (cord: Cord): Record<Knot, Told> =>
    perKnot((k) => ({
      state: cord.knots[k].state,
      because: [
        ...new Set(
          cord.knots[k].reasons.map(({ code, records }) =>
            reasonLine(
              code,
              records.map(({ key }) => key),
            ),
          ),
        ),
      ].sort(),
    }));

  it('agrees in every knot and every reason, for ten thousand projects', () => {
    const shapes = new Set<string>();
    const codes = new Set<string>();
    fc.assert(
      fc.property(anyInput, (input) => {
        for (const cord of judgeCords(input)) {
          const expected = oracle(input, cord.key);
          const found = told(cord);
          expect(found).withContext(cord.key).toEqual(expected);
          shapes.add(knots.map((k) => expected[k].state).join(' '));
          for (const k of knots) for (const line of expected[k].because) codes.add(line.split(' ')[0]);
          if (JSON.stringify(found) !== JSON.stringify(expected)) return false;
        }
        return true;
      }),
      { numRuns: 10_000, seed: 7 },
    );
    // What was tried was no handful: cords of very many shapes, proved ones among them, for every reason there is.
    expect(shapes.size).toBeGreaterThan(60);
    expect([...shapes].some((shape) => !/waiting|broken|suspect|notReached/.test(shape))).toBeTrue();
    expect(codes.size).toBeGreaterThan(38);
  }, 120_000);

  it('never makes a cord better by a further failing run, or by taking evidence away', () => {
    const rank: Record<Word, number> = { notRequired: 0, sound: 0, notReached: 1, waiting: 1, suspect: 1, broken: 1 };
    const proved = (input: CordInput, key: string): boolean =>
      judgeCords(input).some((cord) => cord.key === key && knots.every((k) => rank[cord.knots[k].state] === 0));
    fc.assert(
      fc.property(anyInput, fc.constantFrom(...requirementKeys), fc.nat(), (input, key, at) => {
        if (proved(input, key)) return;
        const c = input.cases[at % input.cases.length];
        const failed = run({ caseKey: c.key, caseRevision: c.revision, row: c.rows?.[0] ?? null, verdict: 'failed' });
        expect(proved({ ...input, runs: [...input.runs, failed] }, key)).toBeFalse();
        const signature = input.runs.map((x, i) => (i === at % input.runs.length ? { ...x, signatures: [] } : x));
        expect(proved({ ...input, runs: signature }, key)).toBeFalse();
        const unapproved = input.requirements.map((r) => ({ ...r, approvals: r.approvals.filter((_, i) => i !== at % 2) }));
        expect(proved({ ...input, requirements: unapproved }, key)).toBeFalse();
        const undesigned = input.cases.map((x) => ({ ...x, approvals: x.approvals.filter((_, i) => i !== at % 2) }));
        expect(proved({ ...input, cases: undesigned }, key)).toBeFalse();
        const less = new Map(
          [...input.code].map(([name, { attested: _, ...code }]) => [
            name,
            { ...code, totals: perMetric((m) => ({ ...code.totals[m], credited: Math.max(0, code.totals[m].credited - 1) })) },
          ]),
        );
        expect(proved({ ...input, code: less }, key)).toBeFalse();
      }),
      { numRuns: 2000, seed: 11 },
    );
  }, 60_000);
});
