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
}

/** Nobody approves their own work; credit waits for the tester's signature; a passed step says what was seen where a review is asked for. */
export function usualPolicies(reviewAt: readonly string[]): Policies {
  return { ownApprovalAt: [], creditNeedsSignature: true, observationAt: reviewAt, reasonLength: 3 };
}

/** The policies of a profile, the usual ones where it says nothing. */
export function policiesOf(profile: { readonly reviewAt: readonly string[]; readonly policies?: Policies }): Policies {
  return profile.policies ?? usualPolicies(profile.reviewAt);
}
