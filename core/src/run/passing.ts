import { judgeReading, typedNumber, type CaseStep } from '../design';
import type { ReadingResult } from './record';
import type { StepVerdict } from './verdict';

/** The readings that a step asks for, in their order, with what was typed of each; what it does not ask for is left out. */
export const readingsAsked = ({ readings = [] }: CaseStep, given: readonly ReadingResult[]): ReadingResult[] =>
  readings.map(({ name }) => ({ name, value: given.find((r) => r.name === name)?.value.trim() ?? '' }));

/** The verdict that the readings of a step propose; undefined while one is open, or where it asks for none that can be judged. */
export function proposedVerdict(step: CaseStep, given: readonly ReadingResult[]): 'pass' | 'fail' | undefined {
  const judged = (step.readings ?? []).map((reading) => judgeReading(reading, given.find((r) => r.name === reading.name)?.value ?? ''));
  if (judged.some((j) => j?.verdict === 'fail')) return 'fail';
  return judged.length && judged.every(Boolean) ? 'pass' : undefined;
}

/** What stands in the way of a verdict on a step: what it must be shown by is missing, a reading is no number, or words are missing where they differ. */
export function verdictFaults(
  step: CaseStep,
  {
    verdict,
    observed,
    readings,
  }: { readonly verdict: StepVerdict | null; readonly observed: string; readonly readings: readonly ReadingResult[] },
  evidence: readonly { readonly mime: string }[],
): { readonly path: 'readings' | 'observed' | 'evidence'; readonly text: string }[] {
  const asked = readingsAsked(step, readings);
  const faults: { path: 'readings' | 'observed' | 'evidence'; text: string }[] = asked.flatMap(({ name, value }) =>
    value && typedNumber(value) === undefined ? [{ path: 'readings' as const, text: `${name}: “${value}” is no number.` }] : [],
  );
  if (verdict !== 'pass' && verdict !== 'deviation') return faults;
  for (const { name, value } of asked)
    if (!value) faults.push({ path: 'readings', text: `${name} was not read: without it the step cannot pass.` });
  if (step.evidence === 'picture' && !evidence.some(({ mime }) => mime.startsWith('image/')))
    faults.push({ path: 'evidence', text: 'The step must be shown by a picture: without it, it cannot pass.' });
  if (step.evidence === 'file' && !evidence.length)
    faults.push({ path: 'evidence', text: 'The step must be shown by a file: without it, it cannot pass.' });
  if (verdict === 'pass' && proposedVerdict(step, asked) === 'fail' && !observed.trim())
    faults.push({ path: 'observed', text: 'A reading lies outside its limits: say why the step passes all the same.' });
  return faults;
}
