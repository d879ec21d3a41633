/** The five knots of a cord, which are the five areas of the product, in the order of the work. */
export const knots = ['specify', 'design', 'run', 'measure', 'prove'] as const;
export type Knot = (typeof knots)[number];

/** A value for each knot, in their order. */
export function perKnot<T>(value: (knot: Knot) => T): Record<Knot, T> {
  return { specify: value('specify'), design: value('design'), run: value('run'), measure: value('measure'), prove: value('prove') };
}

/** Kinds of versioned record: each has a key, a state, revisions with snapshots, and may be signed, traced, commented. */
export const recordKinds = [
  'project',
  'specification',
  'requirement',
  'case',
  'build',
  'round',
  'run',
  'problem',
  'upload',
  'attestation',
  'carry',
  'carriedRuns',
  'review',
  'baseline',
  'folder',
  'group',
  'flow',
  'parameters',
  'decisionTable',
  'stateTable',
] as const;
export type VersionedKind = (typeof recordKinds)[number];
/** What a link may lead to: a versioned record, a source file of the build, or a proof pack. */
export type RecordKind = VersionedKind | 'file' | 'pack';

/** How a record is named to people and in links. */
export interface RecordRef {
  readonly kind: RecordKind;
  readonly key: string;
}

/** What a person may be in a project. An auditor reads everything and changes nothing. */
export const roles = ['author', 'tester', 'reviewer', 'auditor', 'administrator'] as const;
export type Role = (typeof roles)[number];

/** A place in somebody's input and what is wrong there. `row` counts from 1 as a spreadsheet shows it. */
export interface Finding {
  readonly row?: number;
  readonly cell?: string;
  readonly severity: 'error' | 'warning';
  readonly text: string;
}
