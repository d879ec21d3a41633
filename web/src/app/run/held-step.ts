import type { RunDetail } from '@contract/run';
import { verdictFaults, type ReadingResult, type StepVerdict } from '@core/run';

/** The verdicts that a step can be given, in their order. */
export const verdicts: readonly { readonly name: StepVerdict; readonly label: string; readonly icon: string }[] = [
  { name: 'pass', label: 'Pass', icon: 'check' },
  { name: 'fail', label: 'Fail', icon: 'close' },
  { name: 'deviation', label: 'Deviation', icon: 'contrast' },
  { name: 'blocked', label: 'Blocked', icon: 'block' },
];

/** What was typed at a step and is not yet confirmed by the server, kept on this device. */
export interface HeldStep {
  readonly observed: string;
  readonly verdict: StepVerdict | null;
  readonly readings?: readonly ReadingResult[];
}

/** A verdict other than pass says what was observed; a pass as well, where the project asks for it. */
export const needsWords = ({ observed, verdict }: HeldStep, always: boolean): boolean =>
  verdict !== null && (always || verdict !== 'pass') && !observed.trim();
/** What stands in the way of a verdict at a step of a run, in words. */
export function stepFaults(run: RunDetail, step: number, held: HeldStep): string[] {
  const asked = run.case.steps[step];
  if (!asked) return [];
  const files = run.evidence.filter((file) => file.step === step + 1);
  return [
    ...(needsWords(held, run.observationAsked) ? ['Say what you observed: this verdict needs it.'] : []),
    ...verdictFaults(asked, { ...held, readings: held.readings ?? [] }, files).map(({ text }) => text),
  ];
}
/** A result as it is compared. */
export const heldText = ({ observed, verdict, readings = [] }: HeldStep): string => JSON.stringify([observed, verdict, readings]);
