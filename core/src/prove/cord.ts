import { groupBy, knots, type Knot } from '../base';
import type { Trace } from '../design';
import { metrics } from '../measure';
import { metricWords } from './profile';
import type { CordCase, CordInput, CordRequirement, CordRun } from './cord-input';
import type { NextAction, Reason, ReasonCode } from './reason';

export type KnotState = 'sound' | 'waiting' | 'broken' | 'suspect' | 'notReached' | 'notRequired';

export interface JudgedKnot {
  readonly state: KnotState;
  /** What stands in its way, worst first; empty when it is sound. */
  readonly reasons: readonly Reason[];
}

/** The cord of one requirement on one build. */
export interface Cord {
  readonly key: string;
  readonly title: string;
  readonly level: string;
  readonly knots: Readonly<Record<Knot, JudgedKnot>>;
  /** The first knot that is neither sound nor not required. */
  readonly firstBreak: Knot | null;
  /** The worst state, knot by knot, among the requirements derived from it; null where none are. */
  readonly below: Readonly<Record<Knot, KnotState>> | null;
}

const rank: Record<KnotState, number> = { sound: 0, notRequired: 0, notReached: 1, waiting: 2, suspect: 3, broken: 4 };
/** The worse of two states: broken, suspect, waiting, not reached, then sound. */
export const worse = (a: KnotState, b: KnotState): KnotState => (rank[b] > rank[a] ? b : a);
const sound: JudgedKnot = { state: 'sound', reasons: [] };
const notReached: JudgedKnot = { state: 'notReached', reasons: [] };

const stateOf: Partial<Record<ReasonCode, KnotState>> = {
  draft: 'waiting',
  inReview: 'waiting',
  caseDraft: 'waiting',
  runNotPlanned: 'waiting',
  runNotRecorded: 'waiting',
  runBlocked: 'waiting',
  deviationOpen: 'waiting',
  noCoverage: 'waiting',
  notSigned: 'waiting',
  notReviewed: 'waiting',
  parentRevised: 'suspect',
  traceSuspect: 'suspect',
  runOutdated: 'suspect',
};

/** A knot from its reasons: the worst of them decides; the worst come first. */
function knot(reasons: Reason[]): JudgedKnot {
  if (!reasons.length) return sound;
  const state = (reason: Reason): KnotState => stateOf[reason.code] ?? 'broken';
  const ordered = reasons.length === 1 ? reasons : [...reasons].sort((a, b) => rank[state(b)] - rank[state(a)]);
  return { state: state(ordered[0]), reasons: ordered };
}

/** The latest runs of a case, sorted out once: a case may verify many requirements, and most of its runs are in order. */
interface CaseRuns {
  readonly count: number;
  /** Those that do not count as passed. */
  readonly troubled: readonly CordRun[];
  readonly mismatched: readonly string[];
  readonly unsigned: readonly string[];
  /** Signed by the tester, and by nobody independent. */
  readonly unreviewed: readonly string[];
}

function sortOut(runs: readonly CordRun[], caseRevision: number): CaseRuns {
  const latest = latestRuns(runs);
  const [troubled, mismatched, unsigned, unreviewed]: [CordRun[], string[], string[], string[]] = [[], [], [], []];
  for (const run of latest) {
    if (!runPasses(run, caseRevision)) troubled.push(run);
    if (run.signatures.some((signature) => !signature.matches)) mismatched.push(run.key);
    const performed = run.signatures.find((signature) => signature.meaning === 'performed');
    if (!performed) unsigned.push(run.key);
    else if (!run.signatures.some((signature) => signature.meaning === 'reviewed' && signature.login !== performed.login))
      unreviewed.push(run.key);
  }
  return { count: latest.length, troubled, mismatched, unsigned, unreviewed };
}

interface Joined {
  readonly requirements: ReadonlyMap<string, CordRequirement>;
  readonly cases: ReadonlyMap<string, CordCase>;
  readonly parentsOf: ReadonlyMap<string, readonly Trace[]>;
  readonly childrenOf: ReadonlyMap<string, readonly string[]>;
  readonly casesOf: ReadonlyMap<string, readonly Trace[]>;
  readonly runsOf: ReadonlyMap<string, CaseRuns>;
  readonly problemsOf: ReadonlyMap<string, readonly string[]>;
  readonly problemOfRun: ReadonlyMap<string, string>;
}

/** Of runs of one case, the latest of each data row and configuration. */
export function latestRuns<T extends { readonly row: string | null; readonly configuration: string }>(runs: readonly T[]): readonly T[] {
  if (runs.length < 2) return runs;
  // Few runs a case are the rule: comparing them with each other is quicker than keys made of their names.
  return runs.filter((run, i) => {
    for (let later = i + 1; later < runs.length; later++)
      if (runs[later].configuration === run.configuration && runs[later].row === run.row) return false;
    return true;
  });
}

/** Does a run count as passed: passed, or passed with a deviation that a reviewer accepted; and recorded against the case as it is now, or carried over. */
export function runPasses(
  run: Pick<CordRun, 'verdict' | 'deviationAccepted' | 'caseRevision' | 'carriedOverTo'>,
  caseRevision: number,
): boolean {
  const passed = run.verdict === 'passed' || (run.verdict === 'deviation' && run.deviationAccepted);
  return passed && !runOutdated(run, caseRevision);
}

/** Recorded against an older revision of its case, and nobody has decided since. */
export function runOutdated(run: Pick<CordRun, 'caseRevision' | 'carriedOverTo'>, caseRevision: number): boolean {
  return Math.max(run.caseRevision, run.carriedOverTo ?? 0) < caseRevision;
}

/** Cases whose latest valid runs all passed and are current: the ones that give credit. */
export function passingCases(cases: readonly CordCase[], runs: readonly CordRun[]): Set<string> {
  const runsOf = groupBy(runs, (run) => run.caseKey);
  return new Set(
    cases
      .filter((c) => runsOf.has(c.key) && latestRuns(runsOf.get(c.key) ?? []).every((run) => runPasses(run, c.revision)))
      .map((c) => c.key),
  );
}

/** Judges every requirement of a project on one build, by the rules of DESIGN.md section 3. */
export function judgeCords(input: CordInput): Cord[] {
  const cases = new Map(input.cases.map((c) => [c.key, c]));
  const joined: Joined = {
    requirements: new Map(input.requirements.map((r) => [r.key, r])),
    cases,
    parentsOf: groupBy(input.parents, (t) => t.from),
    childrenOf: groupBy(
      input.parents,
      (t) => t.to,
      (t) => t.from,
    ),
    casesOf: groupBy(input.verifies, (t) => t.to),
    runsOf: new Map(
      [...groupBy(input.runs, (run) => run.caseKey)].map(([key, runs]) => [key, sortOut(runs, cases.get(key)?.revision ?? 0)]),
    ),
    problemsOf: groupBy(
      input.problems.filter((p) => p.open && p.blocking).flatMap((p) => p.requirements.map((key) => ({ key, problem: p.key }))),
      (p) => p.key,
      (p) => p.problem,
    ),
    problemOfRun: new Map(input.problems.filter((p) => p.open && p.run !== null).map((p) => [p.run ?? '', p.key])),
  };
  const judged = new Map<string, Record<Knot, JudgedKnot>>();
  for (const requirement of input.requirements) judged.set(requirement.key, judgeOne(requirement, input, joined));
  const belowMemo = new Map<string, Record<Knot, KnotState> | null>();
  return input.requirements.map((requirement) => {
    const own = judged.get(requirement.key) as Record<Knot, JudgedKnot>;
    const firstBreak = knots.find((name) => own[name].state !== 'sound' && own[name].state !== 'notRequired') ?? null;
    return {
      key: requirement.key,
      title: requirement.title,
      level: requirement.level,
      knots: own,
      firstBreak,
      below: worstBelow(requirement.key, joined, judged, belowMemo, new Set()),
    };
  });
}

function worstBelow(
  key: string,
  joined: Joined,
  judged: ReadonlyMap<string, Record<Knot, JudgedKnot>>,
  memo: Map<string, Record<Knot, KnotState> | null>,
  path: Set<string>,
): Record<Knot, KnotState> | null {
  const known = memo.get(key);
  if (known !== undefined) return known;
  if (path.has(key)) return null;
  path.add(key);
  let worst: Record<Knot, KnotState> | null = null;
  for (const child of joined.childrenOf.get(key) ?? []) {
    const own = judged.get(child);
    if (!own) continue;
    const under = worstBelow(child, joined, judged, memo, path);
    worst ??= { specify: 'sound', design: 'sound', run: 'sound', measure: 'sound', prove: 'sound' };
    for (const name of knots) worst[name] = worse(worse(worst[name], own[name].state), under?.[name] ?? 'sound');
  }
  path.delete(key);
  memo.set(key, worst);
  return worst;
}

function judgeOne(r: CordRequirement, input: CordInput, joined: Joined): Record<Knot, JudgedKnot> {
  const specify = judgeSpecify(r, joined);
  // A broken knot, and a waiting one in the first two, stops the judgement: what comes after has nothing to rest on.
  if (specify.state === 'broken' || specify.state === 'waiting')
    return { specify, design: notReached, run: notReached, measure: notReached, prove: notReached };
  const design = judgeDesign(r, joined);
  if (design.state === 'broken' || design.state === 'waiting')
    return { specify, design, run: notReached, measure: notReached, prove: notReached };
  const run = judgeRun(r, input, joined);
  if (run.state === 'broken') return { specify, design, run, measure: notReached, prove: notReached };
  const measure = judgeMeasure(r, input, joined);
  if (run.state === 'waiting') return { specify, design, run, measure, prove: notReached };
  return { specify, design, run, measure, prove: judgeProve(r, input, joined) };
}

function requirementAction(label: string, key: string): NextAction {
  return { label, to: { kind: 'requirement', key }, place: 'requirement' };
}

function judgeSpecify(r: CordRequirement, joined: Joined): JudgedKnot {
  const reasons: Reason[] = [];
  const say = (code: ReasonCode, label: string, values: Reason['values'] = {}, records: Reason['records'] = []): void =>
    void reasons.push({
      code,
      records: [{ kind: 'requirement', key: r.key }, ...records],
      values,
      action: requirementAction(label, r.key),
    });
  if (r.state === 'draft') say('draft', 'Review', { revision: r.revision });
  if (r.state === 'review') say('inReview', 'Review', { revision: r.revision });
  // A draft is allowed to be incomplete: what is missing counts once somebody approved it so.
  if (r.state === 'approved') {
    if (!r.level) say('noLevel', 'Give a level');
    if (!r.method) say('noMethod', 'Choose a method');
    const parents = joined.parentsOf.get(r.key) ?? [];
    if (!parents.length && !r.topLevel && !r.derived) say('noParent', 'Trace a parent');
    if (!parents.length && r.derived && !r.hasRationale) say('derivedNoRationale', 'Write the rationale');
    for (const trace of parents) {
      const parent = joined.requirements.get(trace.to);
      const record = { kind: 'requirement' as const, key: trace.to };
      if (!parent) say('parentDraft', 'Trace a parent', { parent: trace.to }, [record]);
      else if (parent.revision > trace.toRevision) say('parentRevised', 'Confirm the trace', { parent: trace.to }, [record]);
    }
  }
  return knot(reasons);
}

function judgeDesign(r: CordRequirement, joined: Joined): JudgedKnot {
  const traces = joined.casesOf.get(r.key) ?? [];
  const records: Reason['records'] = [{ kind: 'requirement', key: r.key }];
  if (!traces.length) return knot([{ code: 'noCase', records, values: {}, action: requirementAction('Design a case', r.key) }]);
  const reasons: Reason[] = [];
  for (const trace of traces) {
    const c = joined.cases.get(trace.from);
    if (!c) continue;
    const say = (code: ReasonCode, label: string, values: Reason['values']): void =>
      void reasons.push({
        code,
        records: [...records, { kind: 'case', key: c.key }],
        values: { case: c.key, ...values },
        action: { label, to: { kind: 'case', key: c.key }, place: 'case' },
      });
    if (!c.approved) say('caseDraft', 'Review the case', {});
    if (c.revision > trace.fromRevision || r.revision > trace.toRevision)
      say('traceSuspect', 'Confirm the trace', { end: r.revision > trace.toRevision ? 'requirement' : 'case' });
  }
  return knot(reasons);
}

function judgeRun(r: CordRequirement, input: CordInput, joined: Joined): JudgedKnot {
  const reasons: Reason[] = [];
  let open = 0;
  let total = 0;
  let firstOpen: CordRun | undefined;
  for (const trace of joined.casesOf.get(r.key) ?? []) {
    const revision = joined.cases.get(trace.from)?.revision ?? 0;
    const runs = joined.runsOf.get(trace.from);
    if (!runs) {
      reasons.push({
        code: 'runNotPlanned',
        records: [{ kind: 'case', key: trace.from }],
        values: { case: trace.from, build: input.build },
        action: { label: 'Plan a run', to: { kind: 'case', key: trace.from }, place: 'round' },
      });
      continue;
    }
    total += runs.count;
    for (const run of runs.troubled) {
      const records: Reason['records'] = [
        { kind: 'run', key: run.key },
        { kind: 'case', key: run.caseKey },
      ];
      const values = { run: run.key, case: run.caseKey };
      const openRun: NextAction = { label: 'Open run', to: { kind: 'run', key: run.key }, place: 'run' };
      if (run.verdict === null) {
        open++;
        firstOpen ??= run;
      } else if (run.verdict === 'failed') {
        const problem = joined.problemOfRun.get(run.key);
        reasons.push({
          code: 'runFailed',
          records: problem ? [...records, { kind: 'problem', key: problem }] : records,
          values: { ...values, step: run.failedStep ?? '', problem: problem ?? '' },
          action: openRun,
        });
      } else if (run.verdict === 'blocked') reasons.push({ code: 'runBlocked', records, values, action: openRun });
      else {
        if (runOutdated(run, revision))
          reasons.push({ code: 'runOutdated', records, values, action: { ...openRun, label: 'Decide', place: 'review' } });
        if (run.verdict === 'deviation' && !run.deviationAccepted)
          reasons.push({ code: 'deviationOpen', records, values, action: { ...openRun, label: 'Review', place: 'review' } });
      }
    }
  }
  if (firstOpen)
    reasons.push({
      code: 'runNotRecorded',
      records: [{ kind: 'run', key: firstOpen.key }],
      values: { open, total, run: firstOpen.key },
      action: { label: 'Go to bench', to: { kind: 'run', key: firstOpen.key }, place: 'bench' },
    });
  return knot(reasons);
}

/** A requirement and everything derived from it. */
function family(key: string, joined: Joined): Set<string> {
  const found = new Set([key]);
  for (const member of found) for (const child of joined.childrenOf.get(member) ?? []) found.add(child);
  return found;
}

function judgeMeasure(r: CordRequirement, input: CordInput, joined: Joined): JudgedKnot {
  const records: Reason['records'] = [{ kind: 'requirement', key: r.key }];
  if (r.notInCode) {
    if (r.notInCodeRationale)
      return { state: 'notRequired', reasons: [{ code: 'notInCode', records, values: {}, action: requirementAction('Open', r.key) }] };
    return knot([{ code: 'notInCodeNoRationale', records, values: {}, action: requirementAction('Write the rationale', r.key) }]);
  }
  const keys = joined.childrenOf.has(r.key) ? family(r.key, joined) : new Set([r.key]);
  // None of its cases was measured yet: there is nothing to judge, on this build or of this requirement.
  const measured = [...keys].some((key) => (joined.casesOf.get(key) ?? []).some((trace) => input.measured.has(trace.from)));
  if (!input.measured.size || (!measured && input.codeOf.has(r.key)))
    return knot([
      {
        code: 'noCoverage',
        records,
        values: { build: input.build },
        action: { label: 'Load coverage', to: { kind: 'build', key: input.build }, place: 'sources' },
      },
    ]);
  const code = [...keys].some((key) => input.codeOf.has(key));
  const coverage = code ? input.coverageOf(keys) : undefined;
  if (!coverage)
    return knot([
      { code: 'noCode', records, values: {}, action: { label: 'Trace code', to: { kind: 'build', key: input.build }, place: 'code' } },
    ]);
  const targets = input.profile.targets[r.level] ?? {};
  const reasons: Reason[] = [];
  for (const metric of [...metrics].reverse()) {
    const target = targets[metric];
    const { found, credited, justified } = coverage.totals[metric];
    if (target === undefined || (credited + justified) * 100 >= target * found) continue;
    const place = coverage.firstGap(metric) ?? '';
    reasons.push({
      code: 'underTarget',
      records: [...records, { kind: 'file', key: place }],
      values: { metric: capital(metricWords[metric]), credited, found, place },
      action: { label: 'Review credit', to: { kind: 'file', key: place }, place: 'code' },
    });
  }
  return knot(reasons);
}

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

function judgeProve(r: CordRequirement, input: CordInput, joined: Joined): JudgedKnot {
  const reasons: Reason[] = [];
  const unsigned: string[] = [];
  const unreviewed: string[] = [];
  const needsReview = input.profile.reviewAt.includes(r.level);
  for (const trace of joined.casesOf.get(r.key) ?? []) {
    const runs = joined.runsOf.get(trace.from);
    if (!runs) continue;
    for (const key of runs.mismatched)
      reasons.push({
        code: 'hashMismatch',
        records: [{ kind: 'run', key }],
        values: { run: key },
        action: { label: 'Open run', to: { kind: 'run', key }, place: 'run' },
      });
    unsigned.push(...runs.unsigned);
    if (needsReview) unreviewed.push(...runs.unreviewed);
  }
  const waiting = (code: 'notSigned' | 'notReviewed', label: string, keys: readonly string[]): void => {
    if (keys.length)
      reasons.push({
        code,
        records: keys.map((key) => ({ kind: 'run', key })),
        values: { count: keys.length, run: keys[0] },
        action: { label, to: { kind: 'run', key: keys[0] }, place: 'review' },
      });
  };
  waiting('notSigned', 'Sign', unsigned);
  waiting('notReviewed', 'Review', unreviewed);
  for (const problem of joined.problemsOf.get(r.key) ?? [])
    reasons.push({
      code: 'problemOpen',
      records: [{ kind: 'problem', key: problem }],
      values: { problem },
      action: { label: 'Open problem', to: { kind: 'problem', key: problem }, place: 'problem' },
    });
  return knot(reasons);
}
