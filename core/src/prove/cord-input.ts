import type { Trace } from '../design';
import type { CoverageByMetric, Metric } from '../measure';
import type { RunVerdict, SignatureMeaning } from '../run';
import type { RequirementState, VerificationMethod } from '../specify';
import type { StandardProfile } from './profile';

/** Plain facts about one build, from which every cord is judged. Ids are the short keys. */
export interface CordInput {
  readonly build: string;
  readonly profile: StandardProfile;
  readonly requirements: readonly CordRequirement[];
  readonly cases: readonly CordCase[];
  /** from = child, to = parent. */
  readonly parents: readonly Trace[];
  /** from = case, to = requirement. */
  readonly verifies: readonly Trace[];
  /** Runs planned for this build, superseded ones left out. Later runs come later. */
  readonly runs: readonly CordRun[];
  readonly problems: readonly CordProblem[];
  /** Cases for which coverage is loaded on this build. */
  readonly measured: ReadonlySet<string>;
  /** Metrics that the coverage loaded for this build tells anything of. */
  readonly measuredMetrics: ReadonlySet<Metric>;
  /** Requirements to which code is traced directly, with where the code stands. */
  readonly codeOf: ReadonlyMap<string, readonly string[]>;
  /**
   * Credited coverage over the code of a requirement and of those derived from it, with the first place without credit
   * for each metric; asked for only where code is traced.
   */
  readonly coverageOf: (
    keys: ReadonlySet<string>,
  ) => { readonly totals: CoverageByMetric; readonly firstGap: (metric: Metric) => string | undefined } | undefined;
}

export interface CordRequirement {
  readonly key: string;
  readonly title: string;
  readonly revision: number;
  readonly state: RequirementState;
  readonly level: string;
  readonly method: VerificationMethod | '';
  readonly topLevel: boolean;
  readonly derived: boolean;
  readonly hasRationale: boolean;
  readonly notInCode: boolean;
  readonly notInCodeRationale: boolean;
}

export interface CordCase {
  readonly key: string;
  /** Its data rows as they are now; absent where it is run once. */
  readonly rows?: readonly string[];
  readonly revision: number;
  readonly approved: boolean;
}

export interface CordRun {
  readonly key: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly verdict: RunVerdict | null;
  readonly failedStep: number | null;
  readonly deviationAccepted: boolean;
  /** The case revision at which somebody said that the result stands; null while nobody has. */
  readonly carriedOverTo: number | null;
  readonly tester: string;
  readonly signatures: readonly { readonly meaning: SignatureMeaning; readonly login: string; readonly matches: boolean }[];
}

export interface CordProblem {
  readonly key: string;
  readonly blocking: boolean;
  readonly open: boolean;
  readonly requirements: readonly string[];
  readonly run: string | null;
}
