import fc from 'fast-check';
import { knots, type Knot } from '../base';
import { metrics, noCoverage, type Metric } from '../measure';
import { iec61508, judgeCords, summariseCode, type CordInput, type CordRequirement, type CordTrace, type TracedUnit } from './index';
import { aCase, requirement, run, trace, unit } from './testing';

/**
 * DESIGN.md section 3 written a second time, from the page and not from the code: slow, plain, each rule a question that is asked of
 * the facts again. It knows states only.
 */
type Word = 'sound' | 'waiting' | 'broken' | 'suspect' | 'notReached' | 'notRequired';
const worst = (words: readonly Word[]): Word =>
  (['broken', 'suspect', 'waiting', 'notReached', 'sound'] as const).find((w) => words.includes(w)) ?? 'notRequired';

function oracle(p: CordInput, key: string): Record<Knot, Word> {
  const r = p.requirements.find((q) => q.key === key) as CordRequirement;
  const mayOwn = p.profile.policies?.ownApprovalAt.includes(r.level) ?? false;
  const mine = p.verifies.filter((t) => t.to === key && p.cases.some((c) => c.key === t.from));
  const confirmed = (t: CordTrace): boolean => !t.needsConfirmation || (t.confirmedBy !== null && (mayOwn || t.confirmedBy !== t.drawnBy));
  const signedOff = (text: { author: string; approvals: CordRequirement['approvals'] }): Word =>
    text.approvals.some((a) => !a.matches) ? 'broken' : text.approvals.some((a) => a.login !== text.author || mayOwn) ? 'sound' : 'waiting';

  const specify = (): Word => {
    if (r.state !== 'approved') return 'waiting';
    const said: Word[] = ['sound', signedOff(r)];
    if (r.level === '' || !p.profile.levels.includes(r.level)) said.push('broken');
    if (r.method === '') said.push('broken');
    const up = p.parents.filter((t) => t.from === key);
    if (!up.length && !r.topLevel && !(r.derived && r.hasRationale)) said.push('broken');
    for (const t of up) {
      const parent = p.requirements.find((q) => q.key === t.to);
      if (!parent) said.push('broken');
      else if (!confirmed(t)) said.push('waiting');
      else if (parent.revision > t.toRevision) said.push('suspect');
    }
    return worst(said);
  };
  const design = (): Word => {
    if (!mine.length) return 'broken';
    return worst([
      'sound',
      ...mine.flatMap((t): Word[] => {
        const c = p.cases.find((d) => d.key === t.from) as CordInput['cases'][number];
        const said: Word[] = [c.approved ? signedOff(c) : 'waiting'];
        if (c.unapprovedCalls.length) said.push('waiting');
        if (!confirmed(t)) said.push('waiting');
        else if (c.revision !== t.fromRevision || r.revision !== t.toRevision) said.push('suspect');
        return said;
      }),
    ]);
  };
  /** The standing result of every row and configuration that is planned, and whether one is missing. */
  const results = mine.map((t) => {
    const c = p.cases.find((d) => d.key === t.from) as CordInput['cases'][number];
    const ofCase = p.runs.filter((x) => x.caseKey === c.key);
    const rows: readonly (string | null)[] = c.rows?.length ? c.rows : [null];
    const places = [...new Set(ofCase.map((x) => JSON.stringify([x.row, x.configuration])))].map(
      (text) => JSON.parse(text) as [string | null, string],
    );
    const newest = (row: string | null, configuration: string) =>
      ofCase
        .filter((x) => x.row === row && x.configuration === configuration && x.finished !== null)
        .sort((a, b) => (b.finished ?? 0) - (a.finished ?? 0))
        .at(0);
    const seen = places.filter(([row]) => rows.includes(row));
    const standing = seen.map(([row, configuration]) => newest(row, configuration));
    const hidden = places.filter(([row]) => !rows.includes(row)).map(([row, configuration]) => newest(row, configuration));
    return { c, standing, hidden, missing: rows.some((row) => !seen.some(([planned]) => planned === row)) };
  });
  const runs = (): Word =>
    worst([
      'sound',
      ...results.flatMap(({ c, standing, hidden, missing }): Word[] => [
        missing ? 'waiting' : 'sound',
        ...standing.flatMap((x): Word[] => {
          if (!x) return ['waiting'];
          const said: Word[] = [];
          if (x.verdict === 'failed' || x.returned) said.push('broken');
          else if (x.verdict === 'blocked' || (x.verdict === 'deviation' && !x.deviationAccepted)) said.push('waiting');
          if (x.caseRevision < c.revision && (x.carriedOverTo ?? 0) < c.revision) said.push('suspect');
          return said;
        }),
        ...hidden.flatMap((x): Word[] => {
          const passed = x?.verdict === 'passed' || (x?.verdict === 'deviation' && x.deviationAccepted);
          return !x || (passed && !x.returned) || x.setAside ? [] : ['suspect'];
        }),
      ]),
    ]);
  const measure = (): Word => {
    const code = p.code.get(key);
    if (r.notInCode) return code?.own.length || !r.notInCodeRationale ? 'broken' : 'notRequired';
    const targets = p.profile.targets[r.level] ?? {};
    const asked = metrics.filter((m) => (targets[m] ?? 0) > 0);
    if (!asked.length) return 'notRequired';
    if (!code || code.units === 0) return 'broken';
    if (!code.casesMeasured) return 'waiting';
    const said: Word[] = [code.unmeasured.length ? 'waiting' : 'sound'];
    for (const m of asked) {
      const { found, credited, justified } = code.totals[m];
      if (found === 0 && code.measured > 0 && code.attested?.[m]?.units === code.measured) continue;
      if (p.missingMetrics.has(m) || (found === 0 && code.measured > 0)) said.push('waiting');
      else if (found > 0 && (100 * (credited + justified)) / found < (targets[m] ?? 0)) said.push('broken');
    }
    return worst(said);
  };
  const prove = (): Word =>
    worst([
      'sound',
      ...results.flatMap(({ standing }) =>
        standing.flatMap((x): Word[] => {
          if (!x) return [];
          const performed = x.signatures.some((s) => s.meaning === 'performed' && s.login === x.tester);
          const reviewed = x.signatures.some((s) => s.meaning === 'reviewed' && s.login !== x.tester);
          const said: Word[] = x.signatures.some((s) => !s.matches) ? ['broken'] : [];
          return [...said, performed && (reviewed || !p.profile.reviewAt.includes(r.level)) ? 'sound' : 'waiting'];
        }),
      ),
      ...(p.problems.some((x) => x.standing && x.blocking && x.requirements.includes(key)) ? (['broken'] as const) : []),
    ]);

  const unreached = { specify: 'notReached', design: 'notReached', run: 'notReached', measure: 'notReached', prove: 'notReached' } as const;
  const stops = (w: Word): boolean => w === 'broken' || w === 'waiting';
  const cord: Record<Knot, Word> = { ...unreached, specify: specify() };
  if (stops(cord.specify)) return cord;
  cord.design = design();
  if (stops(cord.design)) return cord;
  cord.run = runs();
  if (cord.run === 'broken') return cord;
  cord.measure = measure();
  if (cord.run !== 'waiting') cord.prove = prove();
  return cord;
}

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
    attested: mostly<TracedUnit['attested']>(undefined, { branch: 'ATT-1' }, { mcdc: 'ATT-2' }),
  })
  .map(({ status, full, line, branch, attested }) => {
    const of = ({ found, part, justified }: typeof line) => {
      const credited = full ? found : Math.min(found, part);
      return { found, exercised: found, credited, justified: Math.min(justified, found - credited) };
    };
    return unit({
      status,
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
    runs: fc.array(anyRun, { maxLength: 7 }),
    problems: fc.array(
      fc.record({
        key: fc.constantFrom('PR-1', 'PR-2'),
        blocking: fc.boolean(),
        standing: fc.boolean(),
        requirements: fc.subarray(requirementKeys),
        run: fc.constant(null),
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
    reviewAt: mostly(['SIL 2', 'SIL 3'], []),
  })
  .map(({ code, missing, ownApprovalAt, reviewAt, ...facts }) => ({
    build: '1.0',
    profile: { ...iec61508, reviewAt, policies: { ownApprovalAt, creditNeedsSignature: true, observationAt: [], reasonLength: 3 } },
    ...facts,
    code: new Map(
      requirementKeys.map((key, i) => [key, summariseCode(code[i].own ? ['a.c'] : [], code[i].measured, code[i].units)] as const),
    ),
    missingMetrics: new Set(missing),
  }));

describe('the judgement against section 3 written a second time', () => {
  it('agrees in every knot, for ten thousand projects', () => {
    const shapes = new Set<string>();
    fc.assert(
      fc.property(anyInput, (input) => {
        for (const cord of judgeCords(input)) {
          const expected = oracle(input, cord.key);
          const found = Object.fromEntries(knots.map((k) => [k, cord.knots[k].state]));
          expect(found).withContext(cord.key).toEqual(expected);
          shapes.add(JSON.stringify(expected));
          if (JSON.stringify(found) !== JSON.stringify(expected)) return false;
        }
        return true;
      }),
      { numRuns: 10_000, seed: 7 },
    );
    // What was tried was no handful: cords of very many shapes, proved ones among them.
    expect(shapes.size).toBeGreaterThan(60);
    expect([...shapes].some((shape) => !/waiting|broken|suspect|notReached/.test(shape))).toBeTrue();
  }, 60_000);

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
      }),
      { numRuns: 2000, seed: 11 },
    );
  }, 60_000);
});
