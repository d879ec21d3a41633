import type { CordCase, CordRequirement, CordTrace } from './cord-input';
import type { CaseRuns } from './case-runs';

/** A case with its runs sorted out, once for all requirements that it verifies. */
export interface CaseEntry {
  readonly case: CordCase;
  readonly runs: CaseRuns;
}

/** A requirement with all that is joined to it: every key is looked up once. */
export interface Entry {
  readonly requirement: CordRequirement;
  readonly parents: { readonly trace: CordTrace; readonly parent: CordRequirement | undefined }[];
  readonly children: string[];
  readonly cases: { readonly trace: CordTrace; readonly of: CaseEntry | undefined }[];
  readonly problems: string[];
}
