export interface CaseStep {
  readonly action: string;
  readonly expected: string;
}

/** What one revision of a verification case says. */
export interface CaseContent {
  readonly title: string;
  readonly objective: string;
  readonly preconditions: string;
  readonly steps: readonly CaseStep[];
  /** Planned duration of one run in minutes; 0 while nobody has said. */
  readonly plannedMinutes: number;
}

export const emptyCase: CaseContent = {
  title: '',
  objective: '',
  preconditions: '',
  steps: [{ action: '', expected: '' }],
  plannedMinutes: 0,
};

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
    if (!step.action.trim()) faults.push(`Step ${i + 1} has no action.`);
    if (!step.expected.trim()) faults.push(`Step ${i + 1} has no expected result.`);
  });
  return faults;
}

/** The list with one item moved from place to place; out-of-range places leave it as it is. */
export function moveItem<T>(items: readonly T[], from: number, to: number): T[] {
  const list = [...items];
  if (from < 0 || to < 0 || from >= list.length || to >= list.length) return list;
  list.splice(to, 0, ...list.splice(from, 1));
  return list;
}
