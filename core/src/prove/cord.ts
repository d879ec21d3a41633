import { knots, type Knot } from '../base';
import type { Trace } from '../design';
import { metrics } from '../measure';
import { metricWords } from './profile';
import type { CordCase, CordInput, CordRequirement, CordRun } from './cord-input';
import type { NextAction, Reason, ReasonCode } from './reason';
import { runOutdated, runPasses, standingRuns } from './standing-runs';

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
  rowNotPlanned: 'waiting',
  runNotRecorded: 'waiting',
  runBlocked: 'waiting',
  deviationOpen: 'waiting',
  noCoverage: 'waiting',
  noMetric: 'waiting',
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
  /** Data rows of the case for which no run is planned. */
  readonly missing: readonly string[];
  /** Those that do not count as passed. */
  readonly troubled: readonly CordRun[];
  readonly mismatched: readonly string[];
  readonly unsigned: readonly string[];
  /** Signed by the tester, and by nobody independent. */
  readonly unreviewed: readonly string[];
}

const noRuns: readonly never[] = [];
/** Most lists stay empty: they share one. */
const add = <T>(list: readonly T[], item: T): readonly T[] => (list.length ? [...list, item] : [item]);

function sortOut(all: readonly CordRun[], c: CordCase): CaseRuns {
  const caseRevision = c.revision;
  const latest = standingRuns(all, c);
  let troubled: readonly CordRun[] = noRuns;
  let mismatched: readonly string[] = noRuns;
  let unsigned: readonly string[] = noRuns;
  let unreviewed: readonly string[] = noRuns;
  for (const run of latest) {
    if (!runPasses(run, caseRevision)) troubled = add(troubled, run);
    let performedBy: string | undefined;
    let matches = true;
    for (const signature of run.signatures) {
      matches &&= signature.matches;
      if (signature.meaning === 'performed') performedBy ??= signature.login;
    }
    if (!matches) mismatched = add(mismatched, run.key);
    if (performedBy === undefined) unsigned = add(unsigned, run.key);
    else if (!reviewedByAnother(run, performedBy)) unreviewed = add(unreviewed, run.key);
  }
  const missing = c.rows ? c.rows.filter((row) => !latest.some((run) => run.row === row)) : noRuns;
  return { count: latest.length, missing, troubled, mismatched, unsigned, unreviewed };
}

function reviewedByAnother(run: CordRun, performedBy: string): boolean {
  for (const { meaning, login } of run.signatures) if (meaning === 'reviewed' && login !== performedBy) return true;
  return false;
}

/** A case with its runs sorted out. */
interface CaseEntry {
  readonly case: CordCase;
  readonly runs: CaseRuns | undefined;
  readonly measured: boolean;
}

/** A requirement with all that is joined to it: every key is looked up once. */
interface Entry {
  readonly requirement: CordRequirement;
  readonly parents: { readonly trace: Trace; readonly parent: Entry | undefined }[];
  readonly children: Entry[];
  readonly cases: { readonly trace: Trace; readonly of: CaseEntry | undefined }[];
  readonly problems: string[];
  judged: Record<Knot, JudgedKnot> | undefined;
  below: Record<Knot, KnotState> | null | undefined;
}

function joinCases(input: CordInput): Map<string, CaseEntry> {
  const runsOf = new Map<string, CordRun[]>(input.cases.map((c) => [c.key, []]));
  for (const run of input.runs) runsOf.get(run.caseKey)?.push(run);
  return new Map(
    input.cases.map((c) => {
      const runs = runsOf.get(c.key);
      return [c.key, { case: c, runs: runs?.length ? sortOut(runs, c) : undefined, measured: input.measured.has(c.key) }];
    }),
  );
}

function join(input: CordInput): Map<string, Entry> {
  const entries = new Map<string, Entry>(
    input.requirements.map((requirement) => [
      requirement.key,
      { requirement, parents: [], children: [], cases: [], problems: [], judged: undefined, below: undefined },
    ]),
  );
  for (const trace of input.parents) {
    const [child, parent] = [entries.get(trace.from), entries.get(trace.to)];
    child?.parents.push({ trace, parent });
    if (child) parent?.children.push(child);
  }
  const cases = joinCases(input);
  for (const trace of input.verifies) entries.get(trace.to)?.cases.push({ trace, of: cases.get(trace.from) });
  for (const problem of input.problems)
    if (problem.open && problem.blocking) for (const key of problem.requirements) entries.get(key)?.problems.push(problem.key);
  return entries;
}

/** Judges every requirement of a project on one build, by the rules of DESIGN.md section 3. */
export function judgeCords(input: CordInput): Cord[] {
  const entries = join(input);
  const problemOfRun = new Map(input.problems.filter((p) => p.open && p.run !== null).map((p) => [p.run ?? '', p.key]));
  for (const entry of entries.values()) entry.judged = judgeOne(entry, input, problemOfRun);
  return input.requirements.map(({ key, title, level }) => {
    const entry = entries.get(key) as Entry;
    const own = entry.judged as Record<Knot, JudgedKnot>;
    const firstBreak = knots.find((name) => own[name].state !== 'sound' && own[name].state !== 'notRequired') ?? null;
    return { key, title, level, knots: own, firstBreak, below: worstBelow(entry, new Set()) };
  });
}

function worstBelow(entry: Entry, path: Set<Entry>): Record<Knot, KnotState> | null {
  if (!entry.children.length) return null;
  if (entry.below !== undefined) return entry.below;
  if (path.has(entry)) return null;
  path.add(entry);
  const worst: Record<Knot, KnotState> = { specify: 'sound', design: 'sound', run: 'sound', measure: 'sound', prove: 'sound' };
  for (const child of entry.children) {
    const under = worstBelow(child, path);
    for (const name of knots) worst[name] = worse(worse(worst[name], child.judged?.[name].state ?? 'sound'), under?.[name] ?? 'sound');
  }
  path.delete(entry);
  entry.below = worst;
  return worst;
}

function judgeOne(entry: Entry, input: CordInput, problemOfRun: ReadonlyMap<string, string>): Record<Knot, JudgedKnot> {
  const specify = judgeSpecify(entry);
  // A broken knot, and a waiting one in the first two, stops the judgement: what comes after has nothing to rest on.
  if (specify.state === 'broken' || specify.state === 'waiting')
    return { specify, design: notReached, run: notReached, measure: notReached, prove: notReached };
  const design = judgeDesign(entry);
  if (design.state === 'broken' || design.state === 'waiting')
    return { specify, design, run: notReached, measure: notReached, prove: notReached };
  const run = judgeRun(entry, input, problemOfRun);
  if (run.state === 'broken') return { specify, design, run, measure: notReached, prove: notReached };
  const measure = judgeMeasure(entry, input);
  if (run.state === 'waiting') return { specify, design, run, measure, prove: notReached };
  return { specify, design, run, measure, prove: judgeProve(entry, input) };
}

function requirementAction(label: string, key: string): NextAction {
  return { label, to: { kind: 'requirement', key }, place: 'requirement' };
}

function judgeSpecify({ requirement: r, parents }: Entry): JudgedKnot {
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
    if (!parents.length && !r.topLevel && !r.derived) say('noParent', 'Trace a parent');
    if (!parents.length && r.derived && !r.hasRationale) say('derivedNoRationale', 'Write the rationale');
    for (const { trace, parent } of parents) {
      const record = { kind: 'requirement' as const, key: trace.to };
      if (!parent) say('parentDraft', 'Trace a parent', { parent: trace.to }, [record]);
      else if (parent.requirement.revision > trace.toRevision) say('parentRevised', 'Confirm the trace', { parent: trace.to }, [record]);
    }
  }
  return knot(reasons);
}

function judgeDesign({ requirement: r, cases }: Entry): JudgedKnot {
  const records: Reason['records'] = [{ kind: 'requirement', key: r.key }];
  if (!cases.length) return knot([{ code: 'noCase', records, values: {}, action: requirementAction('Design a case', r.key) }]);
  const reasons: Reason[] = [];
  for (const { trace, of } of cases) {
    if (!of) continue;
    const c = of.case;
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

function judgeRun({ cases }: Entry, input: CordInput, problemOfRun: ReadonlyMap<string, string>): JudgedKnot {
  const reasons: Reason[] = [];
  let open = 0;
  let total = 0;
  let firstOpen: CordRun | undefined;
  for (const { trace, of } of cases) {
    const revision = of?.case.revision ?? 0;
    const runs = of?.runs;
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
    if (runs.missing.length)
      reasons.push({
        code: 'rowNotPlanned',
        records: [{ kind: 'case', key: trace.from }],
        values: { case: trace.from, row: runs.missing[0], count: runs.missing.length, build: input.build },
        action: { label: 'Plan a run', to: { kind: 'case', key: trace.from }, place: 'round' },
      });
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
        const problem = problemOfRun.get(run.key);
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
function family(entry: Entry): readonly Entry[] {
  if (!entry.children.length) return [entry];
  const found = new Set([entry]);
  for (const member of found) for (const child of member.children) found.add(child);
  return [...found];
}

function judgeMeasure(entry: Entry, input: CordInput): JudgedKnot {
  const r = entry.requirement;
  const records: Reason['records'] = [{ kind: 'requirement', key: r.key }];
  if (r.notInCode) {
    if (r.notInCodeRationale)
      return { state: 'notRequired', reasons: [{ code: 'notInCode', records, values: {}, action: requirementAction('Open', r.key) }] };
    return knot([{ code: 'notInCodeNoRationale', records, values: {}, action: requirementAction('Write the rationale', r.key) }]);
  }
  const members = family(entry);
  // None of its cases was measured yet: there is nothing to judge, on this build or of this requirement.
  const measured = members.some((member) => member.cases.some(({ of }) => of?.measured));
  if (!input.measured.size || (!measured && input.codeOf.has(r.key)))
    return knot([
      {
        code: 'noCoverage',
        records,
        values: { build: input.build },
        action: { label: 'Load coverage', to: { kind: 'build', key: input.build }, place: 'sources' },
      },
    ]);
  const code = members.some((member) => input.codeOf.has(member.requirement.key));
  const coverage = code ? input.coverageOf(new Set(members.map((member) => member.requirement.key))) : undefined;
  if (!coverage)
    return knot([
      { code: 'noCode', records, values: {}, action: { label: 'Trace code', to: { kind: 'build', key: input.build }, place: 'code' } },
    ]);
  const targets = input.profile.targets[r.level] ?? {};
  const reasons: Reason[] = [];
  for (const metric of [...metrics].reverse()) {
    const target = targets[metric];
    if (target === undefined || target === 0) continue;
    if (!input.measuredMetrics.has(metric)) {
      reasons.push({
        code: 'noMetric',
        records,
        values: { metric: metricWords[metric], level: r.level, build: input.build },
        action: { label: 'Load coverage', to: { kind: 'build', key: input.build }, place: 'sources' },
      });
      continue;
    }
    const { found, credited, justified } = coverage.totals[metric];
    if ((credited + justified) * 100 >= target * found) continue;
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

function judgeProve({ requirement: r, cases, problems }: Entry, input: CordInput): JudgedKnot {
  const reasons: Reason[] = [];
  const unsigned: string[] = [];
  const unreviewed: string[] = [];
  const needsReview = input.profile.reviewAt.includes(r.level);
  for (const { of } of cases) {
    const runs = of?.runs;
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
  for (const problem of problems)
    reasons.push({
      code: 'problemOpen',
      records: [{ kind: 'problem', key: problem }],
      values: { problem },
      action: { label: 'Open problem', to: { kind: 'problem', key: problem }, place: 'problem' },
    });
  return knot(reasons);
}
