import type { Entry } from './entry';
import { knotOf, type JudgedKnot } from './knot';
import { reviewedByAnother } from './case-runs';
import type { CarriedResult, CordRun } from './cord-input';
import type { Policies } from './policy';
import type { StandardProfile } from './profile';
import type { NextAction, Reason } from './reason';
import { runOutdated } from './standing-runs';

/** Problem reports that stand, by the run from which each was raised. */
export type ProblemsOfRun = ReadonlyMap<string, readonly string[]>;

/** Run, rule 3: a standing result that passes for every data row and configuration that is planned on the build, of each of its cases. */
export function judgeRun(
  { cases, requirement }: Entry,
  build: string,
  problemsOfRun: ProblemsOfRun,
  policies: Pick<Policies, 'programResults' | 'qualifiedTools' | 'carryResultsAt'>,
): JudgedKnot {
  const reasons: Reason[] = [];
  const again: CordRun[] = [];
  const open: CordRun[] = [];
  let total = 0;
  for (const { trace, of } of cases) {
    const at: Reason['records'] = [{ kind: 'case', key: trace.from }];
    const plan: NextAction = { label: 'Plan a run', to: { kind: 'case', key: trace.from }, place: 'round' };
    if (!of) continue;
    const { wanted, missingRows, unplanned, outOfSight } = of.runs;
    if (unplanned) reasons.push({ code: 'runNotPlanned', records: at, values: { case: trace.from, build }, action: plan });
    if (missingRows.length)
      reasons.push({
        code: 'rowNotPlanned',
        records: at,
        values: { case: trace.from, row: missingRows[0], count: missingRows.length, build },
        action: plan,
      });
    for (const run of outOfSight) reasons.push(runReason('outOfSight', run, 'Decide', 'review'));
    for (const run of of.runs.ofPrograms) {
      const counts = programResultCounts(run, requirement.level, policies);
      if (counts !== 'counts')
        reasons.push(
          runReason(
            counts,
            run,
            counts === 'programNotReviewed' ? 'Review' : 'Open run',
            counts === 'programNotReviewed' ? 'review' : 'run',
          ),
        );
    }
    total += wanted.length;
    for (const { standing, open: planned } of wanted) {
      if (planned && standing) again.push(planned);
      if (planned && !standing) open.push(planned);
      if (!standing) continue;
      reasons.push(...standingReasons(standing, of.case.revision, problemsOfRun));
      if (standing.carried) reasons.push(carriedReason(standing, standing.carried, build, requirement.level, policies));
    }
  }
  if (open.length)
    reasons.push({
      code: 'runNotRecorded',
      records: open.map((run) => ({ kind: 'run', key: run.key })),
      values: { open: open.length, total, run: open[0].key },
      action: { label: 'Go to bench', to: { kind: 'run', key: open[0].key }, place: 'bench' },
    });
  if (again.length)
    reasons.push({
      code: 'plannedAgain',
      records: again.map((run) => ({ kind: 'run', key: run.key })),
      values: { count: again.length, run: again[0].key },
      action: { label: 'Go to bench', to: { kind: 'run', key: again[0].key }, place: 'bench' },
    });
  return knotOf(reasons);
}

/** Does a result that a program sent count at a level, and if not, why not? */
export function programResultCounts(
  run: CordRun,
  level: string,
  policies: Pick<Policies, 'programResults' | 'qualifiedTools'>,
): 'counts' | 'programNotReviewed' | 'programDoesNotCount' {
  const asked = policies.programResults?.[level] ?? 'reviewed';
  if (asked === 'no') return 'programDoesNotCount';
  if (asked === 'qualified' && (policies.qualifiedTools ?? []).includes(run.tool ?? '')) return 'counts';
  return reviewedByAnother(run) ? 'counts' : 'programNotReviewed';
}

/** What is to be said of a result that came from another build; where several hold, the first. */
function carriedReason(
  run: CordRun,
  { key, from, holds }: CarriedResult,
  build: string,
  level: string,
  policies: Pick<Policies, 'carryResultsAt'>,
): Reason {
  const statement: Reason['records'] = [{ kind: 'carriedRuns', key }];
  const values = { key, from, build, level };
  if (!(policies.carryResultsAt ?? []).includes(level)) return runReason('carryNotAllowed', run, 'Open run', 'run', values, statement);
  if (holds === 'replaced') return runReason('carryReplaced', run, 'Open run', 'run', values, statement);
  if (holds === 'otherSources') return runReason('carryOtherSources', run, 'Open run', 'run', values, statement);
  return runReason('resultCarried', run, 'Open run', 'run', values, statement);
}

function runReason(
  code: Reason['code'],
  run: CordRun,
  label: string,
  place: NextAction['place'],
  values: Reason['values'] = {},
  more: Reason['records'] = [],
): Reason {
  return {
    code,
    records: [{ kind: 'run', key: run.key }, { kind: 'case', key: run.caseKey }, ...more],
    values: { run: run.key, case: run.caseKey, ...values },
    action: { label, to: { kind: 'run', key: run.key }, place },
  };
}

function standingReasons(run: CordRun, revision: number, problemsOfRun: ProblemsOfRun): Reason[] {
  const reasons: Reason[] = [];
  if (run.verdict === 'failed') {
    const problems = problemsOfRun.get(run.key) ?? [];
    const values = { step: run.failedStep ?? '', problem: problems.join(', ') };
    const more = problems.map((key) => ({ kind: 'problem' as const, key }));
    reasons.push(runReason('runFailed', run, 'Open run', 'run', values, more));
  } else if (run.returned) reasons.push(runReason('runReturned', run, 'Open run', 'run'));
  else if (run.verdict === 'blocked') reasons.push(runReason('runBlocked', run, 'Open run', 'run'));
  else if (run.verdict === 'deviation' && !run.deviationAccepted) reasons.push(runReason('deviationOpen', run, 'Review', 'review'));
  if (runOutdated(run, revision)) reasons.push(runReason('runOutdated', run, 'Decide', 'review'));
  return reasons;
}

/** Prove, rule 5: every result counted bears its signatures, with the independence asked for, and no blocking problem stands. */
export function judgeProve({ requirement: r, cases, problems }: Entry, profile: StandardProfile): JudgedKnot {
  const reasons: Reason[] = [];
  const unsigned = new Set<string>();
  const unreviewed = new Set<string>();
  const needsReview = profile.reviewAt.includes(r.level);
  for (const { of } of cases) {
    if (!of) continue;
    for (const key of of.runs.mismatched)
      reasons.push({
        code: 'hashMismatch',
        records: [{ kind: 'run', key }],
        values: { run: key },
        action: { label: 'Open run', to: { kind: 'run', key }, place: 'run' },
      });
    for (const { key: run, carried } of of.runs.carriedWrongly)
      reasons.push({
        code: 'carryMismatch',
        records: [
          { kind: 'run', key: run },
          { kind: 'carriedRuns', key: carried.key },
        ],
        values: { run, key: carried.key },
        action: { label: 'Open run', to: { kind: 'run', key: run }, place: 'run' },
      });
    for (const key of of.runs.unsigned) unsigned.add(key);
    if (needsReview) for (const key of of.runs.unreviewed) unreviewed.add(key);
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
  waiting('notSigned', 'Sign', [...unsigned]);
  waiting('notReviewed', 'Review', [...unreviewed]);
  for (const problem of new Set(problems))
    reasons.push({
      code: 'problemOpen',
      records: [{ kind: 'problem', key: problem }],
      values: { problem },
      action: { label: 'Open problem', to: { kind: 'problem', key: problem }, place: 'problem' },
    });
  return knotOf(reasons);
}
