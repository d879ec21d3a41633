import type { CaseContent, CaseStep } from '../design';
import type { Redline, StepResult } from './record';

type Words = NonNullable<Redline['after']>;
const wordsOf = ({ action, expected }: Words): Words => ({ action, expected });
const open: StepResult = { verdict: null, observed: '', at: null };

/** A run's procedure with the results that belong to its steps. */
export interface Procedure {
  readonly steps: readonly CaseStep[];
  readonly results: readonly StepResult[];
}

export interface RedlineAsked {
  /** The place of the step, from 1; of one that is added, the place that it gets. */
  readonly step: number;
  readonly what: Redline['what'];
  /** What is done and expected instead; of a step that is dropped nothing. */
  readonly after: Words | null;
  readonly reason: string;
}

/** Why a redline cannot be made; undefined where it can. */
export function redlineRefusal({ steps, results }: Procedure, { step, what, after, reason }: RedlineAsked): string | undefined {
  if (reason.trim().length < 3) return 'Say why the step is changed.';
  const most = what === 'added' ? steps.length + 1 : steps.length;
  if (!Number.isInteger(step) || step < 1 || step > most) return `There is no step ${step}.`;
  if (what !== 'dropped' && (!after?.action.trim() || !after.expected.trim())) return 'Say what is done, and what must be seen.';
  if (what === 'dropped' && steps.length === 1) return 'A run keeps at least one step.';
  const result = results[step - 1];
  if (what !== 'added' && result && (result.verdict !== null || result.observed))
    return `Step ${step} has a result already: what was done is not rewritten.`;
  const before = steps[step - 1];
  if (what === 'changed' && before && after && before.action === after.action && before.expected === after.expected)
    return 'Nothing is changed.';
  return undefined;
}

/** Why a run takes no redline as it stands: it is finished, or the step that is dropped holds evidence. */
export function redlineBarred(
  { finished, holdsEvidence }: { readonly finished: boolean; readonly holdsEvidence: boolean },
  { step, what }: Pick<RedlineAsked, 'step' | 'what'>,
): string | undefined {
  if (finished) return 'It is finished: correct a step of it first, then change what is left to do.';
  if (what === 'dropped' && holdsEvidence) return `Step ${step} holds evidence: take it off first, or record the step.`;
  return undefined;
}

/** The procedure after a redline, and the redline as the record keeps it. What a step asks to be read stays with it. */
export function redlined(procedure: Procedure, asked: RedlineAsked, by: string, at: string): Procedure & { readonly redline: Redline } {
  const { step, what, after, reason } = asked;
  const before = procedure.steps[step - 1];
  const steps = [...procedure.steps];
  const results = [...procedure.results];
  const words = after && wordsOf({ action: after.action.trim(), expected: after.expected.trim() });
  if (what === 'added' && words) {
    steps.splice(step - 1, 0, words);
    results.splice(step - 1, 0, open);
  } else if (what === 'dropped') {
    steps.splice(step - 1, 1);
    results.splice(step - 1, 1);
  } else if (words) {
    const { layout: _, ...rest } = before;
    steps[step - 1] = { ...rest, ...words };
  }
  const redline: Redline = {
    step,
    what,
    before: what === 'added' ? null : wordsOf(before),
    after: what === 'dropped' ? null : words,
    reason: reason.trim(),
    by,
    at,
  };
  return { steps, results, redline };
}

/**
 * A case with the redlines of a run taken into it, in their order, and those for which it no longer has the step: it was revised since, or the step
 * came from a called case or a data row.
 */
export function withRedlines(
  content: CaseContent,
  redlines: readonly Redline[],
): { readonly content: CaseContent; readonly taken: readonly Redline[]; readonly left: readonly Redline[] } {
  let steps = [...content.steps];
  const taken: Redline[] = [];
  const left: Redline[] = [];
  for (const redline of redlines) {
    const { step, what, before, after } = redline;
    if (what === 'added') {
      if (!after || step > steps.length + 1) left.push(redline);
      else {
        steps = [...steps.slice(0, step - 1), after, ...steps.slice(step - 1)];
        taken.push(redline);
      }
      continue;
    }
    // The step at its place where it still says so, else the only one that does.
    const says = (s: CaseStep | undefined): boolean => s?.action === before?.action && s?.expected === before?.expected && !s?.call;
    const same = steps.flatMap((s, i) => (says(s) ? [i] : []));
    const at = says(steps[step - 1]) ? step - 1 : same.length === 1 ? same[0] : -1;
    if (at < 0 || (what === 'dropped' && steps.length === 1)) {
      left.push(redline);
      continue;
    }
    if (what === 'dropped') steps = steps.filter((_, i) => i !== at);
    else if (after) {
      const { layout: _, ...rest } = steps[at];
      steps = steps.map((s, i) => (i === at ? { ...rest, ...after } : s));
    }
    taken.push(redline);
  }
  return { content: { ...content, steps }, taken, left };
}
