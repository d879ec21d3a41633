// For specs alone: what the page says, written a second time.
import type { Knot } from '../base';
import { metrics } from '../measure';
import type { CordInput, CordRequirement, CordRun, CordTrace } from './index';

export type Word = 'sound' | 'waiting' | 'broken' | 'suspect' | 'notReached' | 'notRequired';
/** A state and why: a code and the keys of the records that it counts, sorted. */
export interface Told {
  readonly state: Word;
  readonly because: readonly string[];
}
type Said = readonly [Word | 'informs', string, ...string[]];

const worst = (words: readonly Word[]): Word =>
  (['broken', 'suspect', 'waiting', 'notReached', 'sound'] as const).find((w) => words.includes(w)) ?? 'notRequired';
/** A reason in one word, to be compared. */
export const reasonLine = (code: string, keys: readonly string[]): string => [code, ...[...new Set(keys)].sort()].join(' ');
const tell = (said: readonly Said[], otherwise: Word = 'sound'): Told => {
  const states = said.flatMap(([word]) => (word === 'informs' ? [] : [word]));
  return {
    state: states.length ? worst(states) : otherwise,
    because: [...new Set(said.map(([, code, ...keys]) => reasonLine(code, keys)))].sort(),
  };
};
const unreached: Told = { state: 'notReached', because: [] };

/**
 * DESIGN.md section 3 written a second time, from the page and not from the code: slow, plain, each rule a question that is asked of
 * the facts again.
 */
export function oracle(p: CordInput, key: string): Record<Knot, Told> {
  const r = p.requirements.find((q) => q.key === key) as CordRequirement;
  const mayOwn = p.profile.policies?.ownApprovalAt.includes(r.level) ?? false;
  const mine = p.verifies.filter((t) => t.to === key && p.cases.some((c) => c.key === t.from));
  const confirmed = (t: CordTrace): boolean => !t.needsConfirmation || (t.confirmedBy !== null && (mayOwn || t.confirmedBy !== t.drawnBy));
  const caseOf = (t: CordTrace) => p.cases.find((c) => c.key === t.from) as CordInput['cases'][number];

  /** What is to be said of the signatures under a text: `names` are the codes of its kind. */
  const signedOff = (
    text: { readonly author: string; readonly approvals: CordRequirement['approvals'] },
    names: { readonly mismatch: string; readonly nobody: string; readonly ownOnly: string; readonly own: string },
    keys: readonly string[],
  ): Said[] => {
    if (text.approvals.some((a) => !a.matches)) return [['broken', names.mismatch, ...keys]];
    if (text.approvals.some((a) => a.login !== text.author)) return [];
    if (!text.approvals.length) return [['waiting', names.nobody, ...keys]];
    return [mayOwn ? ['informs', names.own, ...keys] : ['waiting', names.ownOnly, ...keys]];
  };

  const specify = (): Told => {
    if (r.state !== 'approved') return tell([['waiting', r.state === 'draft' ? 'draft' : 'inReview', key]]);
    const codes = { mismatch: 'approvalMismatch', nobody: 'notApproved', ownOnly: 'ownApprovalOnly', own: 'ownApproval' };
    const said: Said[] = signedOff(r, codes, [key]);
    if (r.level === '') said.push(['broken', 'noLevel', key]);
    else if (!p.profile.levels.includes(r.level)) said.push(['broken', 'unknownLevel', key]);
    if (r.method === '') said.push(['broken', 'noMethod', key]);
    const up = p.parents.filter((t) => t.from === key);
    if (!up.length && !r.topLevel) {
      if (!r.derived) said.push(['broken', 'noParent', key]);
      else if (!r.hasRationale) said.push(['broken', 'derivedNoRationale', key]);
    }
    for (const t of up) {
      const parent = p.requirements.find((q) => q.key === t.to);
      if (!parent) said.push(['broken', 'parentGone', key, t.to]);
      else if (!confirmed(t)) said.push(['waiting', 'parentUnconfirmed', key, t.to]);
      else if (parent.revision > t.toRevision) said.push(['suspect', 'parentRevised', key, t.to]);
    }
    return tell(said);
  };

  const design = (): Told => {
    if (!mine.length) return tell([['broken', 'noCase', key]]);
    return tell(
      mine.flatMap((t): Said[] => {
        const c = caseOf(t);
        const codes = {
          mismatch: 'caseApprovalMismatch',
          nobody: 'caseNotApproved',
          ownOnly: 'caseOwnApprovalOnly',
          own: 'caseOwnApproval',
        };
        const said: Said[] = c.approved ? signedOff(c, codes, [key, c.key]) : [['waiting', 'caseDraft', key, c.key]];
        if (c.unapprovedCalls.length) said.push(['waiting', 'callUnapproved', key, c.key]);
        if (!confirmed(t)) said.push(['waiting', 'traceUnconfirmed', key, c.key]);
        else if (c.revision !== t.fromRevision || r.revision !== t.toRevision) said.push(['suspect', 'traceSuspect', key, c.key]);
        return said;
      }),
    );
  };

  /** The runs of every row and configuration that is planned: the newest finished, and the one planned last that is not. */
  const results = mine.map((t) => {
    const c = caseOf(t);
    const ofCase = p.runs.filter((x) => x.caseKey === c.key);
    const rows: readonly (string | null)[] = c.rows?.length ? c.rows : [null];
    const places = [...new Set(ofCase.map((x) => JSON.stringify([x.row, x.configuration])))].map((text) => {
      const [row, configuration] = JSON.parse(text) as [string | null, string];
      const here = ofCase.filter((x) => x.row === row && x.configuration === configuration);
      const standing = here
        .filter((x) => x.finished !== null)
        .sort((a, b) => (b.finished ?? 0) - (a.finished ?? 0))
        .at(0);
      return { row, standing, open: here.filter((x) => x.finished === null).at(-1) };
    });
    const seen = places.filter(({ row }) => rows.includes(row));
    const hidden = places.filter(({ row }) => !rows.includes(row)).flatMap(({ standing }) => standing ?? []);
    return { c, seen, hidden, missing: rows.some((row) => !seen.some((place) => place.row === row)) };
  });
  const problemsOf = (x: CordRun): string[] =>
    p.problems.filter((problem) => problem.standing && problem.run === x.key).map((problem) => problem.key);

  const runs = (): Told => {
    const said = results.flatMap(({ c, seen, hidden, missing }): Said[] => [
      ...(missing ? [['waiting', seen.length ? 'rowNotPlanned' : 'runNotPlanned', c.key] as const] : []),
      ...seen.flatMap(({ standing: x }): Said[] => {
        if (!x) return [];
        const about: Said[] = [];
        if (x.verdict === 'failed') about.push(['broken', 'runFailed', x.key, c.key, ...problemsOf(x)]);
        else if (x.returned) about.push(['broken', 'runReturned', x.key, c.key]);
        else if (x.verdict === 'blocked') about.push(['waiting', 'runBlocked', x.key, c.key]);
        else if (x.verdict === 'deviation' && !x.deviationAccepted) about.push(['waiting', 'deviationOpen', x.key, c.key]);
        if (x.tool !== undefined) {
          const rule = p.profile.policies?.programResults?.[r.level];
          const reviewedOnce = x.signatures.some((s) => s.meaning === 'reviewed' && s.login !== x.tester);
          const known = rule === 'qualified' && p.profile.policies?.qualifiedTools?.includes(x.tool) === true;
          if (rule === 'no') about.push(['waiting', 'programDoesNotCount', x.key, c.key]);
          else if (!known && !reviewedOnce) about.push(['waiting', 'programNotReviewed', x.key, c.key]);
        }
        if (x.carried) {
          const ends = [x.key, c.key, x.carried.key];
          const allowed = p.profile.policies?.carryResultsAt?.includes(r.level) === true;
          if (!allowed) about.push(['waiting', 'carryNotAllowed', ...ends]);
          else if (x.carried.holds === 'yes') about.push(['informs', 'resultCarried', ...ends]);
          else about.push(['suspect', x.carried.holds === 'replaced' ? 'carryReplaced' : 'carryOtherSources', ...ends]);
        }
        if (x.caseRevision < c.revision && (x.carriedOverTo ?? 0) < c.revision) about.push(['suspect', 'runOutdated', x.key, c.key]);
        return about;
      }),
      ...hidden.flatMap((x): Said[] => {
        const passed = x.verdict === 'passed' || (x.verdict === 'deviation' && x.deviationAccepted);
        return (passed && !x.returned) || x.setAside ? [] : [['suspect', 'outOfSight', x.key, c.key]];
      }),
    ]);
    const places = results.flatMap(({ seen }) => seen);
    const open = places.flatMap((place) => (place.standing || !place.open ? [] : [place.open.key]));
    const again = places.flatMap((place) => (place.standing && place.open ? [place.open.key] : []));
    if (open.length) said.push(['waiting', 'runNotRecorded', ...open]);
    if (again.length) said.push(['informs', 'plannedAgain', ...again]);
    return tell(said);
  };

  const measure = (): Told => {
    const code = p.code.get(key);
    if (r.notInCode) {
      if (code?.own.length) return tell([['broken', 'notInCodeButNamed', key]]);
      return r.notInCodeRationale ? tell([['informs', 'notInCode', key]], 'notRequired') : tell([['broken', 'notInCodeNoRationale', key]]);
    }
    const targets = p.profile.targets[r.level] ?? {};
    const asked = metrics.filter((m) => (targets[m] ?? 0) > 0);
    if (!asked.length) return tell([], 'notRequired');
    if (!code || code.units === 0) return tell([['broken', 'noCode', key]]);
    if (!code.casesMeasured) return tell([['waiting', 'noCoverage', key]]);
    const said: Said[] = code.unmeasured.map(({ status, paths }) => ['waiting', `code-${status}`, key, ...paths]);
    if (code.carried) said.push(['informs', 'carried', key, ...code.carried.keys]);
    for (const m of asked) {
      const { found, credited, justified } = code.totals[m];
      const attested = code.attested?.[m];
      if (found === 0 && code.measured > 0 && attested?.units === code.measured) said.push(['informs', 'attested', key, ...attested.keys]);
      else if (p.missingMetrics.has(m)) said.push(['waiting', 'noMetric', key]);
      else if (found === 0 && code.measured > 0) said.push(['waiting', 'noPoints', key]);
      else if (found > 0 && (100 * (credited + justified)) / found < (targets[m] ?? 0))
        said.push(['broken', 'underTarget', key, code.gaps[m] ?? '']);
    }
    return tell(said);
  };

  const prove = (): Told => {
    const said: Said[] = [];
    const standing = results.flatMap(({ seen }) => seen.flatMap((place) => place.standing ?? []));
    const performed = (x: CordRun): boolean => x.signatures.some((s) => s.meaning === 'performed' && s.login === x.tester);
    const reviewed = (x: CordRun): boolean => x.signatures.some((s) => s.meaning === 'reviewed' && s.login !== x.tester);
    for (const x of standing) if (x.signatures.some((s) => !s.matches)) said.push(['broken', 'hashMismatch', x.key]);
    for (const x of standing) if (x.carried?.matches === false) said.push(['broken', 'carryMismatch', x.key, x.carried.key]);
    const unsigned = standing.filter((x) => x.tool === undefined && !performed(x)).map((x) => x.key);
    const unreviewed = standing.filter((x) => performed(x) && !reviewed(x)).map((x) => x.key);
    if (unsigned.length) said.push(['waiting', 'notSigned', ...unsigned]);
    if (unreviewed.length && p.profile.reviewAt.includes(r.level)) said.push(['waiting', 'notReviewed', ...unreviewed]);
    for (const x of p.problems) if (x.standing && x.blocking && x.requirements.includes(key)) said.push(['broken', 'problemOpen', x.key]);
    return tell(said);
  };

  const cord: Record<Knot, Told> = { specify: specify(), design: unreached, run: unreached, measure: unreached, prove: unreached };
  const stops = ({ state }: Told): boolean => state === 'broken' || state === 'waiting';
  if (stops(cord.specify)) return cord;
  cord.design = design();
  if (stops(cord.design)) return cord;
  cord.run = runs();
  if (cord.run.state === 'broken') return cord;
  cord.measure = measure();
  if (cord.run.state !== 'waiting') cord.prove = prove();
  return cord;
}
