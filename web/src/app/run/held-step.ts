import type { ReadingResult, StepVerdict } from '@core/run';

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
/** A result as it is compared. */
export const heldText = ({ observed, verdict, readings = [] }: HeldStep): string => JSON.stringify([observed, verdict, readings]);
