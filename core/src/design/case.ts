import type { Finding } from '../base';
import { placeholderFindings } from './cases/placeholder';

/**
 * A call of another case, at one revision of it: what is run stays what it was until the caller’s author takes a newer one. `with` fills the names in
 * the called case; its values may hold names of the caller.
 */
export interface CaseCall {
  readonly key: string;
  readonly revision: number;
  readonly with: Readonly<Record<string, string>>;
}

export interface CaseStep {
  readonly action: string;
  readonly expected: string;
  /** Stands for all steps of another case; action and expected are then empty. */
  readonly call?: CaseCall;
  /** In a run’s frozen copy: the called case and step that this one comes from. */
  readonly from?: string;
}

/** A row of data: the case is run once with each. `values` fills the names in braces in its texts. */
export interface CaseRow {
  readonly name: string;
  readonly values: Readonly<Record<string, string>>;
}

/** What one revision of a verification case says. */
export interface CaseContent {
  readonly title: string;
  readonly objective: string;
  readonly preconditions: string;
  readonly steps: readonly CaseStep[];
  /** Planned duration of one run in minutes; 0 while nobody has said. */
  readonly plannedMinutes: number;
  /** Absent where the case is run once, without data. */
  readonly rows?: readonly CaseRow[];
}

export const emptyCase: CaseContent = {
  title: '',
  objective: '',
  preconditions: '',
  steps: [{ action: '', expected: '' }],
  plannedMinutes: 0,
};

/** The same content as plain lists that a message can carry. */
export function plainContent({ steps, rows, ...rest }: CaseContent) {
  return {
    ...rest,
    steps: steps.map(({ call, ...step }) => ({ ...step, ...(call ? { call: { ...call, with: { ...call.with } } } : {}) })),
    ...(rows?.length ? { rows: rows.map(({ name, values }) => ({ name, values: { ...values } })) } : {}),
  };
}

/**
 * What stands in the way of an approval. Common practice: one action a step, one expected result that can be observed,
 * so that somebody else can run it.
 */
export function caseFaults(content: CaseContent): string[] {
  const faults: string[] = [];
  if (!content.title.trim()) faults.push('It has no title.');
  if (!content.objective.trim()) faults.push('It has no objective.');
  if (!content.steps.length) faults.push('It has no steps.');
  content.steps.forEach((step, i) => {
    if (step.call) return;
    if (!step.action.trim()) faults.push(`Step ${i + 1} has no action.`);
    if (!step.expected.trim()) faults.push(`Step ${i + 1} has no expected result.`);
  });
  const names = (content.rows ?? []).map((row) => row.name.trim());
  if (names.some((name) => !name)) faults.push('A data row has no name.');
  if (new Set(names).size < names.length) faults.push('Two data rows have the same name.');
  faults.push(...rowFindings(content).flatMap((finding) => (finding.severity === 'error' ? [finding.text] : [])));
  return faults;
}

/** What does not go together between the texts and the data rows of a case. */
export function rowFindings(content: CaseContent): Finding[] {
  return placeholderFindings(
    content,
    (content.rows ?? []).map((row) => row.values),
  );
}

/** The list with one item moved from place to place; out-of-range places leave it as it is. */
export function moveItem<T>(items: readonly T[], from: number, to: number): T[] {
  const list = [...items];
  if (from < 0 || to < 0 || from >= list.length || to >= list.length) return list;
  list.splice(to, 0, ...list.splice(from, 1));
  return list;
}
