import type { CaseContent } from '../design';
import { doneByProgram } from './results';
import type { RunVerdict, StepVerdict } from './verdict';

/** What was read off an instrument. */
export interface ReadingResult {
  readonly name: string;
  /** As it was typed, in the unit that the step asks for; empty while nothing was read. */
  readonly value: string;
}

export interface StepResult {
  readonly verdict: StepVerdict | null;
  readonly observed: string;
  /** When the verdict was given, ISO 8601 UTC; null while open. */
  readonly at: string | null;
  /** Where the step asks for readings, in their order. */
  readonly readings?: readonly ReadingResult[];
}

/** A finished result that its tester corrected before signing: what it said first, and why it was corrected. */
export interface Correction {
  readonly at: string;
  readonly reason: string;
  readonly verdict: RunVerdict | null;
  readonly steps: readonly StepResult[];
}

/** A change of a step for one run only: what was planned, what was done instead, and why. It is offered to the case's author. */
export interface Redline {
  /** The place of the step in the run's procedure, from 1. */
  readonly step: number;
  readonly what: 'changed' | 'added' | 'dropped';
  readonly before: { readonly action: string; readonly expected: string } | null;
  readonly after: { readonly action: string; readonly expected: string } | null;
  readonly reason: string;
  readonly by: string;
  readonly at: string;
}

/** The program that did a run, under the identity of its token. */
export interface PerformedBy {
  readonly program: string;
  readonly tool: string;
  readonly version: string;
}

/** The clock of a run, corrected by hand: seconds before and after. */
export interface ClockChange {
  readonly at: string;
  readonly from: number;
  readonly to: number;
  readonly reason: string;
}

/** What a device recorded while it could not reach the server: its own time beside that of the arrival, since its clock may be wrong. */
export interface DeviceNote {
  readonly what: 'begun' | 'step' | 'evidence' | 'evidenceRemoved' | 'redlined' | 'problem' | 'linked' | 'finished';
  /** The step, from 1; null: the run as a whole. */
  readonly step: number | null;
  /** When it was done, by the device's clock; ISO 8601 UTC. */
  readonly at: string;
  /** What the device's clock said when it sent it. */
  readonly sent: string;
  /** When it arrived, by the server's clock. */
  readonly arrived: string;
}

export interface EvidenceNote {
  readonly step: number;
  readonly name: string;
  readonly mime: string;
  readonly bytes: number;
  readonly sha256: string;
}

/**
 * The record of a test after IEC 62304:2006+A1:2015, 5.7.5 (recalled): procedure and expected result, result and
 * anomalies, version tested, configuration, tools, date, tester. This is what a signature is bound to.
 */
export interface RunRecord {
  readonly key: string;
  readonly round: string;
  readonly build: string;
  readonly configuration: string;
  readonly unit: string;
  readonly tools: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  /** The case as it stood when the run was planned: a frozen copy. */
  readonly case: CaseContent;
  readonly row: string | null;
  readonly tester: string;
  readonly startedAt: string | null;
  readonly finishedAt: string | null;
  /** Time on the clock in seconds. */
  readonly seconds: number;
  readonly steps: readonly StepResult[];
  readonly evidence: readonly EvidenceNote[];
  readonly verdict: RunVerdict | null;
  /** Oldest first; what format 1 could not hold is empty there. */
  readonly corrections: readonly Correction[];
  /** What format 6 holds beside: absent where there is none of it. */
  readonly more?: RunMore;
}

/** What a run may have beside its steps. */
export interface RunMore {
  /** What it shows as a whole, in its tester's words. */
  readonly conclusion: string;
  readonly redlines: readonly Redline[];
  readonly performedBy: PerformedBy | null;
  readonly clock: readonly ClockChange[];
  /** What format 7 holds beside: what was recorded away from the server. */
  readonly device: readonly DeviceNote[];
}

export const noMore: RunMore = { conclusion: '', redlines: [], performedBy: null, clock: [], device: [] };

/** Has a run anything of what format 6 holds? */
export const saysMoreOfRun = ({ conclusion, redlines, performedBy, clock }: RunMore): boolean =>
  conclusion.trim() !== '' || redlines.length > 0 || performedBy !== null || clock.length > 0;

/** What a signature may mean. A project may name further ones; these are those that the rules know. */
export const signatureMeanings = [
  'performed',
  'reviewed',
  'carried over',
  'deviation accepted',
  'sources exchanged',
  'set aside',
  'returned',
  'approved',
  'closed',
  'baselined',
  'review closed',
  'exception granted',
  'policy',
  'withdrawn',
  'attested',
  'measurements carried',
  'results carried',
] as const;
export type SignatureMeaning = (typeof signatureMeanings)[number];

/** What a signature shows: printed name, date and time, meaning (21 CFR 11.50, recalled), and the hash that it is bound to (11.70, recalled). */
export interface Signature {
  /** One of those that the rules know, or one of the project's own. */
  readonly meaning: string;
  readonly login: string;
  readonly printedName: string;
  readonly at: string;
  readonly hash: string;
  readonly reason: string;
}

export type SignRefusal =
  'notFinished' | 'superseded' | 'withdrawn' | 'returned' | 'notTester' | 'alreadySigned' | 'notPerformed' | 'sameperson' | 'changed';

/** Whether a person may sign a run now, and if not, why not. */
export function signRefusal(
  meaning: 'performed' | 'reviewed',
  login: string,
  run: {
    readonly tester: string;
    readonly verdict: RunVerdict | null;
    readonly superseded: boolean;
    readonly withdrawn: boolean;
    readonly returned: boolean;
    readonly hash: string;
  },
  signatures: readonly Pick<Signature, 'meaning' | 'login' | 'hash'>[],
): SignRefusal | undefined {
  if (run.verdict === null) return 'notFinished';
  if (run.superseded) return 'superseded';
  if (run.withdrawn) return 'withdrawn';
  if (run.returned) return 'returned';
  if (signatures.some((s) => s.meaning === meaning)) return 'alreadySigned';
  if (meaning === 'performed') return login === run.tester ? undefined : 'notTester';
  // What a program did, nobody signs as performed: whoever reviews it answers for it.
  if (doneByProgram(run.tester)) return undefined;
  const performed = signatures.find((s) => s.meaning === 'performed');
  if (!performed) return 'notPerformed';
  if (performed.login === login || run.tester === login) return 'sameperson';
  return performed.hash === run.hash ? undefined : 'changed';
}
