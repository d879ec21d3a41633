import type { OwnMeaning } from './meanings';

/** What a project asks of its people beyond its standard, as data. Every change of it is signed. */
export interface Policies {
  /**
   * Levels at which people may approve what they wrote and confirm traces that they drew: a two-person team is real. Every cord
   * that rests on it says so.
   */
  readonly ownApprovalAt: readonly string[];
  /** Does a result give credit only once its tester signed it? */
  readonly creditNeedsSignature: boolean;
  /** Levels at which a step may not pass without an observation in words. */
  readonly observationAt: readonly string[];
  /** Least number of characters of a reason. */
  readonly reasonLength: number;
  /** Does a signature need a session that was opened with a second factor? */
  readonly signingNeedsFactor?: boolean | undefined;
  /** Kinds of case whose runs may be recorded whole, without stepping; the empty name is a case of no kind. */
  readonly shortRecordFor?: readonly string[] | undefined;
  /** How results that programs sent count, by level; where nothing is said, once a person has reviewed them. */
  readonly programResults?: Readonly<Record<string, ProgramResults>> | undefined;
  /** Tools, as `name version`, whose qualification is on record: their results count by themselves where the level asks for no more. */
  readonly qualifiedTools?: readonly string[] | undefined;
  /** Levels at which a reviewer may carry a result from one build to another whose changes it did not reach; none where nothing is said. */
  readonly carryResultsAt?: readonly string[] | undefined;
  /** What signatures may mean here beside what the rules ask for. */
  readonly meanings?: readonly OwnMeaning[] | undefined;
}

/** Counts once reviewed; counts by itself where its tool is qualified, else once reviewed; does not count. */
export const programResultPolicies = ['reviewed', 'qualified', 'no'] as const;
export type ProgramResults = (typeof programResultPolicies)[number];

/** Nobody approves their own work; credit waits for the tester's signature; a passed step says what was seen where a review is asked for. */
export function usualPolicies(reviewAt: readonly string[]): Policies {
  return { ownApprovalAt: [], creditNeedsSignature: true, observationAt: reviewAt, reasonLength: 3 };
}

/** The policies of a profile, the usual ones where it says nothing. */
export function policiesOf(profile: { readonly reviewAt: readonly string[]; readonly policies?: Policies }): Policies {
  return profile.policies ?? usualPolicies(profile.reviewAt);
}
