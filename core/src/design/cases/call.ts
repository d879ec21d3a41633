import type { Finding } from '../../base';
import type { CaseContent, CaseRow, CaseStep } from '../case';
import type { Row, RowValue } from '../rows';
import { fillStep, fillText, placeholdersIn, textsOf } from './placeholder';

/** A step that stands for all steps of another case, with values for its names; a value may itself hold names of the caller. */
export interface CallStep {
  readonly call: string;
  readonly with: Readonly<Record<string, RowValue>>;
}

export interface CallableCase {
  readonly key: string;
  readonly preconditions: string;
  readonly steps: readonly (CaseStep | CallStep)[];
}

/** A step as a run freezes it. */
export interface ExpandedStep extends CaseStep {
  readonly number: number;
  /** Where it comes from: the case that is run first, then each called one, with the step’s number there. */
  readonly origin: readonly { readonly case: string; readonly step: number }[];
}

export interface Expansion {
  readonly preconditions: string;
  readonly steps: readonly ExpandedStep[];
  readonly findings: readonly Finding[];
}

/** How a called revision is found among others of the same case. */
export const revisionId = (key: string, revision: number): string => `${key}@${revision}`;

/** A case’s content as calls are followed through it. */
export function callableOf(key: string, { preconditions, steps }: Pick<CaseContent, 'preconditions' | 'steps'>): CallableCase {
  return {
    key,
    preconditions,
    steps: steps.map((step) => {
      const { call } = step;
      return call ? { call: revisionId(call.key, call.revision), with: call.with } : step;
    }),
  };
}

const isCall = (step: CaseStep | CallStep): step is CallStep => 'call' in step;
/** A case that calls and calls again is cut off here. */
const stepLimit = 5000;

/**
 * A case with everything in place: called steps where they are called, numbered through, names filled from the row and from what each call
 * binds. Loops of calls, unknown cases and names that nothing fills are findings; steps behind a loop are left out.
 */
export function expandCase(key: string, cases: ReadonlyMap<string, CallableCase>, row: Row = {}): Expansion {
  const findings: Finding[] = [];
  const steps: ExpandedStep[] = [];
  const preconditions: string[] = [];
  const say = (cell: string, text: string): void => {
    if (!findings.some((f) => f.cell === cell && f.text === text)) findings.push({ severity: 'error', cell, text });
  };
  const open = (text: string, place: string): void => {
    for (const name of placeholdersIn(text)) say(place, `Nothing fills {{${name}}} here.`);
  };
  const walk = (at: string, values: Row, origin: ExpandedStep['origin']): void => {
    const found = cases.get(at);
    const caller = origin.at(-1);
    const place = caller ? `${caller.case} step ${caller.step}` : at;
    if (!found) return say(place, `There is no case ${at.replace('@', ' revision ')}.`);
    const path = [...origin.map((o) => o.case), found.key];
    if (path.indexOf(found.key) < path.length - 1)
      return say(place, `A loop of calls: ${path.slice(path.indexOf(found.key)).join(' → ')}.`);
    const before = fillText(found.preconditions, values).trim();
    if (before && !preconditions.includes(before)) preconditions.push(before);
    found.steps.forEach((step, i) => {
      if (steps.length >= stepLimit) return say(key, `The case has more than ${stepLimit} steps.`);
      const here = [...origin, { case: found.key, step: i + 1 }];
      if (isCall(step)) {
        const bound = Object.fromEntries(
          Object.entries(step.with).map(([name, value]) => [name, typeof value === 'string' ? fillText(value, values) : value]),
        );
        for (const value of Object.values(bound)) if (typeof value === 'string') open(value, `${found.key} step ${i + 1}`);
        walk(step.call, bound, here);
      } else {
        const filled = fillStep(step, values);
        for (const { text } of textsOf({ preconditions: '', steps: [filled] })) open(text, `${found.key} step ${i + 1}`);
        steps.push({ ...filled, number: steps.length + 1, origin: here });
      }
    });
  };
  walk(key, row, []);
  preconditions.forEach((text) => open(text, `${key} preconditions`));
  return { preconditions: preconditions.join('\n'), steps, findings };
}

/**
 * A case as one run freezes it: called steps in their place, each saying where it comes from, everything filled in, and the row kept beside it. `called`
 * holds the called revisions by `revisionId`.
 */
export function freezeCase(
  key: string,
  content: CaseContent,
  row: CaseRow | undefined,
  called: ReadonlyMap<string, CallableCase>,
): { readonly content: CaseContent; readonly findings: readonly Finding[] } {
  const { rows: _, ...rest } = content;
  const whole = expandCase(key, new Map([...called, [key, callableOf(key, content)]]), row?.values);
  const steps = whole.steps.map(({ origin, number: __, ...step }): CaseStep => {
    const last = origin[origin.length - 1];
    return { ...step, ...(origin.length > 1 ? { from: `${last.case} step ${last.step}` } : {}) };
  });
  const after = fillText(content.postconditions ?? '', row?.values ?? {}).trim();
  // A script is one step: it is run, and says whether it passed.
  if (!steps.length && content.script?.trim())
    steps.push({
      action: fillText(`Run ${content.script} ${content.arguments ?? ''}`, row?.values ?? {}).trim(),
      expected: 'It ends without a failure.',
    });
  return {
    content: {
      ...rest,
      preconditions: whole.preconditions,
      steps,
      ...(after ? { postconditions: after } : {}),
      ...(row ? { rows: [row] } : {}),
    },
    findings: whole.findings,
  };
}
