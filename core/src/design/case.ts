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

/** The list with one item moved from place to place; out-of-range places leave it as it is. */
export function moveItem<T>(items: readonly T[], from: number, to: number): T[] {
  const list = [...items];
  if (from < 0 || to < 0 || from >= list.length || to >= list.length) return list;
  list.splice(to, 0, ...list.splice(from, 1));
  return list;
}
