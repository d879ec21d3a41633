import type { CaseStep } from '../design';
import type { DeviceNote, Redline, StepResult } from './record';
import { redlineBarred, redlined, redlineRefusal, type RedlineAsked } from './redline';
import { rollUp, type RunVerdict } from './verdict';

/** What was done on a device that could not reach the server. Of a step also what it said before, as far as the device knew. */
export interface RecordedAway {
  readonly what: DeviceNote['what'];
  readonly step: number | null;
  /** By the device's clock; ISO 8601 UTC. */
  readonly at: string;
  readonly observed?: string;
  readonly verdict?: StepResult['verdict'];
  readonly readings?: StepResult['readings'];
  readonly seconds?: number;
  readonly conclusion?: string;
  /** Names of the files that came with it, or that were taken off. */
  readonly files?: readonly string[];
  /** What was changed of the step, and why. */
  readonly redline?: Omit<RedlineAsked, 'step'>;
  /** Title and words of a problem report; of one that was linked its key and title. */
  readonly title?: string;
  readonly text?: string;
}

/** What was recorded away and did not fit any more when it arrived: kept with the run, beside what stands. */
export interface HandedIn {
  readonly by: string;
  /** When it arrived, by the server's clock. */
  readonly at: string;
  /** What the device's clock said when it was handed in. */
  readonly sent: string;
  /** Why it could not be taken as a result. */
  readonly why: string;
  readonly recorded: readonly RecordedAway[];
}

/** What a step said, as far as whoever recorded knew: enough to find that another device recorded it meanwhile. */
export type StepBefore = Pick<StepResult, 'verdict' | 'observed'>;

const said = ({ verdict, observed }: StepBefore): string => JSON.stringify([verdict, observed.trim()]);

/**
 * Has a step been recorded elsewhere since a device saw it? Not where it says now what the device says as well: the same twice is one record.
 * `known` is absent where whoever records does not say what they knew.
 */
export const recordedElsewhere = (now: StepBefore, known: StepBefore | undefined, mine: StepBefore): boolean =>
  known !== undefined && said(now) !== said(known) && said(now) !== said(mine);

/** How much of a step's action a device says beside what it did at the step; characters. */
export const stepNamedBy = 200;

/** Is a step still the one at which a device did something? Another device may have added or dropped one before it. `of`: how its action begins. */
export const isStepOf = ({ action }: Pick<CaseStep, 'action'>, of: string | undefined): boolean =>
  of === undefined || action.slice(0, stepNamedBy) === of.slice(0, stepNamedBy);

/**
 * By how many seconds a device's clock runs ahead of the server's (behind: negative), taken from one message: what it said when it sent, and when
 * that arrived. The way of the message is in it, so it is right to a few seconds.
 */
export const clockAhead = ({ sent, arrived }: Pick<DeviceNote, 'sent' | 'arrived'>): number =>
  Math.round((Date.parse(sent) - Date.parse(arrived)) / 1000);

/** When something was done, by the server's clock: the device's time less what its clock is ahead. ISO 8601 UTC. */
export const doneAt = (note: Pick<DeviceNote, 'at' | 'sent' | 'arrived'>): string =>
  new Date(Date.parse(note.at) - clockAhead(note) * 1000).toISOString();

/** A device's clock is wrong where it differs by more than this; seconds. */
export const clockTolerance = 120;

/** What of a run changes while it is recorded. */
export interface Recording {
  readonly state: string;
  readonly steps: readonly StepResult[];
  readonly startedAt: string | null;
  readonly finishedAt: string | null;
  readonly seconds: number;
  readonly verdict: RunVerdict | null;
  readonly conclusion: string;
}

/** A run as it stands once the server has taken what was done away from it: what the device shows meanwhile. */
export function recordedOn<R extends Recording>(run: R, done: RecordedAway): R {
  const startedAt = run.startedAt ?? done.at;
  const begun = { ...run, startedAt, state: run.finishedAt ? run.state : 'onBench', seconds: Math.max(run.seconds, done.seconds ?? 0) };
  if (done.what === 'step') {
    const steps = run.steps.map((before, i): StepResult => {
      if (i !== (done.step ?? 0) - 1) return before;
      const verdict = done.verdict ?? null;
      return {
        verdict,
        observed: done.observed ?? '',
        at: verdict === null ? null : verdict === before.verdict ? before.at : done.at,
        ...((done.readings ?? before.readings) ? { readings: done.readings ?? before.readings ?? [] } : {}),
      };
    });
    return { ...begun, steps };
  }
  if (done.what !== 'finished') return begun;
  const verdict = rollUp(run.steps.map((step) => step.verdict));
  if (!verdict) return begun;
  return { ...begun, verdict, finishedAt: done.at, state: 'recorded', conclusion: done.conclusion?.trim() ?? run.conclusion };
}

/** A run with what a redline moves: its procedure, and what belongs to single steps. */
export interface Redlinable extends Recording {
  readonly case: { readonly steps: readonly CaseStep[] };
  readonly redlines: readonly Redline[];
  readonly evidence: readonly { readonly step: number }[];
  readonly problems: readonly { readonly step: number | null }[];
}

/** The place of a step after another one was added before it or dropped; both from 1. */
export function placeAfter(step: number, { what, step: at }: Pick<RedlineAsked, 'what' | 'step'>): number {
  if (what === 'added') return step >= at ? step + 1 : step;
  return what === 'dropped' && step > at ? step - 1 : step;
}

/** A run with a redline that was made away from the server, as the server will have it; or why it cannot be made. */
export function redlinedOn<R extends Redlinable>(run: R, asked: RedlineAsked, by: string, at: string): R | string {
  const before = { steps: run.case.steps, results: run.steps };
  const holdsEvidence = run.evidence.some((file) => file.step === asked.step);
  const refused = redlineBarred({ finished: run.finishedAt !== null, holdsEvidence }, asked) ?? redlineRefusal(before, asked);
  if (refused) return refused;
  const { steps, results, redline } = redlined(before, asked, by, at);
  return {
    ...recordedOn(run, { what: 'redlined', step: asked.step, at }),
    case: { ...run.case, steps },
    steps: results,
    redlines: [...run.redlines, redline],
    evidence: run.evidence.map((file) => ({ ...file, step: placeAfter(file.step, asked) })),
    problems: run.problems.map((one) => ({ ...one, step: one.step === null ? null : placeAfter(one.step, asked) })),
  };
}

/** What of a run others decide while a device is away with it. */
export interface Decided {
  readonly tester: string;
  readonly testerName: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly caseNow: number;
  readonly state: string;
  readonly supersededBy: string | null;
}

/** What was decided about a run between two looks at it, each in a sentence. */
export function decidedMeanwhile(before: Decided, now: Decided): string[] {
  const said: string[] = [];
  if (before.tester !== now.tester) said.push(`It was given to ${now.testerName}.`);
  if (before.caseNow !== now.caseNow)
    said.push(`${now.caseKey} has revision ${now.caseNow} now; this run is of revision ${now.caseRevision}.`);
  if (before.state !== now.state && now.state === 'superseded')
    said.push(`It was superseded${now.supersededBy ? ` by ${now.supersededBy}` : ''}.`);
  if (before.state !== now.state && now.state === 'withdrawn') said.push('It was withdrawn.');
  return said;
}
