/** What a case of a kind is made of: steps with an expected result each, points to look at, or a script that runs it. */
export const caseParts = ['steps', 'checklist', 'script'] as const;
export type CasePart = (typeof caseParts)[number];

/** A kind of case, as a project names it. */
export interface CaseKind {
  /** Stays as it is: cases say it. */
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly part: CasePart;
  /** Must a run of it hold some evidence before it passes? */
  readonly evidence: boolean;
  /** The project’s own fields that cases of this kind have, by their ids; none: all of them. */
  readonly fields: readonly number[];
  /** No new case is of it. */
  readonly retired: boolean;
}

/** The kinds with which every project begins. */
export const usualCaseKinds: readonly CaseKind[] = [
  ['hardware', 'Hardware test', 'Run by hand on the product or a rig.', 'steps', false],
  ['software', 'Software test', 'Run by hand on the software.', 'steps', false],
  ['automated', 'Automated test', 'A script runs it.', 'script', false],
  ['inspection', 'Inspection', 'Points that are looked at.', 'checklist', true],
  ['analysis', 'Analysis', 'Points that are worked out on paper.', 'checklist', true],
  ['demonstration', 'Demonstration', 'Shown in use, without measuring.', 'steps', false],
].map(([name, title, description, part, evidence]) => ({
  name: name as string,
  title: title as string,
  description: description as string,
  part: part as CasePart,
  evidence: evidence as boolean,
  fields: [],
  retired: false,
}));

/** Of what a case is made: of its kind’s part, or of steps where its kind is not known. */
export const partOf = (kind: string | undefined, kinds: readonly CaseKind[]): CasePart =>
  kinds.find(({ name }) => name === kind)?.part ?? 'steps';
