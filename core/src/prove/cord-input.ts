import type { Trace } from '../design';
import type { CoverageByMetric, Metric } from '../measure';
import type { RunVerdict } from '../run';
import type { RequirementState, VerificationMethod } from '../specify';
import type { Knot } from '../base';
import type { KnotState } from './knot-state';
import type { StandardProfile } from './profile';

/** Plain facts about one build, from which cords are judged. Ids are the short keys. */
export interface CordInput {
  readonly build: string;
  readonly profile: StandardProfile;
  /** Those that are judged, and whatever else stands at the other end of their traces. */
  readonly requirements: readonly CordRequirement[];
  readonly cases: readonly CordCase[];
  /** from = child, to = parent. */
  readonly parents: readonly CordTrace[];
  /** from = case, to = requirement. */
  readonly verifies: readonly CordTrace[];
  /** Runs planned for this build, withdrawn ones left out, in the order in which they were planned. */
  readonly runs: readonly CordRun[];
  readonly problems: readonly CordProblem[];
  /** What the code of each requirement, and of those derived from it, has; absent where no code is traced to any of them. */
  readonly code: ReadonlyMap<string, CodeSummary>;
  /** Metrics that no format loaded for this build could give. */
  readonly missingMetrics: ReadonlySet<Metric>;
  /** Judged before and unchanged: the cords of children that are not judged here. */
  readonly settled?: ReadonlyMap<string, SettledCord>;
}

export interface SettledCord {
  readonly states: Readonly<Record<Knot, KnotState>>;
  readonly below: Readonly<Record<Knot, KnotState>> | null;
}

/** A signature under a text, and whether the text still is what was signed. */
export interface Approval {
  readonly login: string;
  readonly matches: boolean;
}

export interface CordRequirement {
  readonly key: string;
  readonly title: string;
  readonly revision: number;
  readonly state: RequirementState;
  /** Who wrote this revision. */
  readonly author: string;
  /** Approvals of this revision. */
  readonly approvals: readonly Approval[];
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
  readonly revision: number;
  readonly approved: boolean;
  readonly author: string;
  readonly approvals: readonly Approval[];
  /** Its data rows as they are now; absent where it is run once. */
  readonly rows?: readonly string[];
  /** Calls of revisions that were never approved, as `C-018 revision 2`. */
  readonly unapprovedCalls: readonly string[];
}

export interface CordTrace extends Trace {
  /** Drawn at something approved, or again after it was suspect: it counts once somebody other than its author confirmed it. */
  readonly needsConfirmation: boolean;
  readonly drawnBy: string;
  /** Who last confirmed it, null where nobody has since it was drawn. */
  readonly confirmedBy: string | null;
}

export interface CordRun {
  readonly key: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly verdict: RunVerdict | null;
  /** Ledger number at which it was finished; null while it is not. The greatest is the newest. */
  readonly finished: number | null;
  readonly failedStep: number | null;
  readonly deviationAccepted: boolean;
  /** A reviewer sent it back, to be run again. */
  readonly returned: boolean;
  /** A reviewer decided that it may stay out of sight, though the row or the form of the case that it is of is gone. */
  readonly setAside: boolean;
  /** The case revision at which a reviewer said that the result stands; null while nobody has. */
  readonly carriedOverTo: number | null;
  readonly tester: string;
  /** Of a run that a program did: its tool, as `name version`; absent where a person did it. */
  readonly tool?: string | undefined;
  readonly signatures: readonly { readonly meaning: string; readonly login: string; readonly matches: boolean }[];
  /** Of a result of another build that a reviewer carried to this one; absent of this build's own. */
  readonly carried?: CarriedResult | undefined;
}

/** How a result of another build came to this one, and whether that holds still. */
export interface CarriedResult {
  /** The signed statement. */
  readonly key: string;
  readonly from: string;
  /** It holds; this build has other sources than it was said of; the result does not stand on its own build any more. */
  readonly holds: 'yes' | 'otherSources' | 'replaced';
  /** Does the statement match its signature, and the run the hash that it names? */
  readonly matches: boolean;
}

/** A problem report that may stand on this build. */
export interface CordProblem {
  readonly key: string;
  readonly blocking: boolean;
  /** Found in this build or an earlier one, and not fixed in this one or before. */
  readonly standing: boolean;
  readonly requirements: readonly string[];
  readonly run: string | null;
}

/** Why a traced function is not measured: no file is loaded, only other text was measured, a part of a file, or the reader of sources does not find it. */
export type UnitStatus = 'measured' | 'neverLoaded' | 'otherText' | 'partial' | 'absent';

/** One function traced to a requirement or to one derived from it. */
export interface TracedUnit {
  readonly path: string;
  readonly name: string;
  readonly status: UnitStatus;
  /** Points credited to the requirement or to one derived from it. */
  readonly totals: CoverageByMetric;
  /** Attestations that stand for it at its present text, by metric: their keys. */
  readonly attested?: Readonly<Partial<Record<Metric, string>>>;
  /** Signed key of who carried what was measured of it before its file was exchanged: its own text is the same. */
  readonly carried?: string;
  /** Line of the first point without credit. */
  readonly firstGap: Readonly<Partial<Record<Metric, number>>>;
}

/** So many functions rest on these signed statements. */
export interface Attested {
  readonly units: number;
  readonly keys: readonly string[];
}

/** All code traced to a requirement or to those derived from it, summed up. */
export interface CodeSummary {
  /** Paths of code that names the requirement itself; empty where only code of derived ones counts. */
  readonly own: readonly string[];
  /** Is anything measured on this build that one of the cases that could credit it did? */
  readonly casesMeasured: boolean;
  readonly units: number;
  /** Functions that are not measured, by why: the first by name, how many, and their files. */
  readonly unmeasured: readonly {
    readonly status: Exclude<UnitStatus, 'measured'>;
    readonly first: string;
    readonly count: number;
    readonly paths: readonly string[];
  }[];
  /** Over the measured ones. */
  readonly measured: number;
  readonly totals: CoverageByMetric;
  /** How many of the measured ones somebody attested for a metric, and the keys of what they signed: never counted as points. */
  readonly attested?: Readonly<Partial<Record<Metric, Attested>>>;
  /** How many of the measured ones count by what was measured before their files were exchanged, and the keys of what was signed for that. */
  readonly carried?: Attested;
  /** First place without credit, `path:line`, for each metric that has one. */
  readonly gaps: Readonly<Partial<Record<Metric, string>>>;
}
