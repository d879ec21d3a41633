/**
 * A call of another case, at one revision of it: what is run stays what it was until the caller’s author takes a newer one. `with` fills the names in
 * the called case; its values may hold names of the caller.
 */
export interface CaseCall {
  readonly key: string;
  readonly revision: number;
  readonly with: Readonly<Record<string, string>>;
}

/** What a step asks to be read off an instrument. */
export interface StepReading {
  readonly name: string;
  /** The unit in which it is read; its limits may stand in another one of the same quantity. */
  readonly unit: string;
  /** The smallest difference that can be read, in that unit; 0 where nobody has said. */
  readonly resolution: number;
  /** As the requirement states them: `at most 120 ms`, `3.0 to 5.0 bar`, `70 km/h ± 2 %`. */
  readonly limits: string;
}

/** What a step must have been shown by before it can pass. */
export const stepEvidence = ['picture', 'file', 'reading'] as const;
export type StepEvidence = (typeof stepEvidence)[number];

export interface CaseStep {
  readonly action: string;
  readonly expected: string;
  /** Stands for all steps of another case; action and expected are then empty. */
  readonly call?: CaseCall;
  /** In a run’s frozen copy: the called case and step that this one comes from. */
  readonly from?: string;
  /** What is put in: beside what is done with it. */
  readonly data?: string;
  readonly readings?: readonly StepReading[];
  readonly evidence?: StepEvidence;
  /** The requirements, of those of its case, that this step shows. */
  readonly verifies?: readonly string[];
  /** Action and expected result as they are laid out, in HTML; absent where they are plain lines. */
  readonly layout?: { readonly action?: string; readonly expected?: string };
}

/** A row of data: the case is run once with each. `values` fills the names in braces in its texts. */
export interface CaseRow {
  readonly name: string;
  readonly values: Readonly<Record<string, string>>;
}

/** How many units a case is run on, and what may be claimed from it. */
export interface SampleReason {
  /** Shares above 0 and below 1. */
  readonly confidence: number;
  readonly reliability: number;
  /** How many of them may fail. */
  readonly failures: number;
}

/** The texts of a case that may have a layout. */
export const laidOutTexts = ['objective', 'preconditions', 'postconditions'] as const;

/** What a case may have beside its steps; one that has none of it is signed as cases always were. */
export interface CaseDetails {
  readonly postconditions: string;
  /** The name of its kind, of those that the project has; empty: a case of steps. */
  readonly kind: string;
  readonly priority: string;
  readonly tags: readonly string[];
  /** Addresses outside. */
  readonly addresses: readonly string[];
  /** Cases that must have passed before. */
  readonly dependsOn: readonly string[];
  /** The script that runs it, and what it is called with. */
  readonly script: string;
  readonly arguments: string;
  readonly samples: SampleReason | null;
  /** Its texts as they are laid out, in HTML. */
  readonly layout: Readonly<Partial<Record<(typeof laidOutTexts)[number], string>>>;
}

/** What one revision of a verification case says. */
export interface CaseContent extends Partial<CaseDetails> {
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

const noDetails: CaseDetails = {
  postconditions: '',
  kind: '',
  priority: '',
  tags: [],
  addresses: [],
  dependsOn: [],
  script: '',
  arguments: '',
  samples: null,
  layout: {},
};
export const caseDetailNames = Object.keys(noDetails) as readonly (keyof CaseDetails)[];

/** All details of a content, those that it does not have as nothing. */
export const caseDetailsOf = (content: Partial<CaseDetails>): CaseDetails =>
  Object.fromEntries(caseDetailNames.map((name) => [name, content[name] ?? noDetails[name]])) as unknown as CaseDetails;

const says = (value: CaseDetails[keyof CaseDetails]): boolean =>
  typeof value === 'string' ? value.trim() !== '' : Array.isArray(value) ? value.length > 0 : Object.keys(value ?? {}).length > 0;

/** Only the details that say something. */
export const saidCaseDetails = (content: Partial<CaseDetails>): Partial<CaseDetails> =>
  Object.fromEntries(Object.entries(caseDetailsOf(content)).filter(([, value]) => says(value as CaseDetails[keyof CaseDetails])));

/** A step without members that say nothing. */
export function saidStep({ action, expected, call, from, data, readings, evidence, verifies, layout }: CaseStep): CaseStep {
  return {
    action,
    expected,
    ...(call ? { call } : {}),
    ...(from === undefined ? {} : { from }),
    ...(data?.trim() ? { data } : {}),
    ...(readings?.length ? { readings } : {}),
    ...(evidence ? { evidence } : {}),
    ...(verifies?.length ? { verifies } : {}),
    ...(layout?.action || layout?.expected ? { layout } : {}),
  };
}

/** The content as it is kept: nothing that says nothing. */
export function saidCase({ title, objective, preconditions, steps, plannedMinutes, rows, ...more }: CaseContent): CaseContent {
  return {
    title,
    objective,
    preconditions,
    steps: steps.map(saidStep),
    plannedMinutes,
    ...(rows?.length ? { rows } : {}),
    ...saidCaseDetails(more),
  };
}

/** Does a content say more than cases could before there were details? */
export const saysMore = (content: CaseContent): boolean =>
  Object.keys(saidCaseDetails(content)).length > 0 ||
  content.steps.some(({ data, readings, evidence, verifies, layout }) =>
    Boolean(data?.trim() || readings?.length || evidence || verifies?.length || layout?.action || layout?.expected),
  );

/** The list with one item moved from place to place; out-of-range places leave it as it is. */
export function moveItem<T>(items: readonly T[], from: number, to: number): T[] {
  const list = [...items];
  if (from < 0 || to < 0 || from >= list.length || to >= list.length) return list;
  list.splice(to, 0, ...list.splice(from, 1));
  return list;
}

/** The list with some items moved, in their order, so many places up or down; they stop at its ends. */
export function moveItems<T>(
  items: readonly T[],
  places: readonly number[],
  by: number,
): { readonly items: T[]; readonly places: number[] } {
  const chosen = [...new Set(places)].filter((at) => at >= 0 && at < items.length).sort((a, b) => a - b);
  if (!chosen.length) return { items: [...items], places: [] };
  const shift = Math.max(-chosen[0], Math.min(items.length - 1 - chosen[chosen.length - 1], by));
  const moved = chosen.map((at) => items[at]);
  const rest = items.filter((_, at) => !chosen.includes(at));
  const targets = chosen.map((at) => at + shift);
  const result: T[] = [];
  for (let at = 0, next = 0, other = 0; at < items.length; at++) result.push(targets[next] === at ? moved[next++] : rest[other++]);
  return { items: result, places: targets };
}
