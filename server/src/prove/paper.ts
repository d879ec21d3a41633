import type { Knot } from '@core/base';
import type { BoardTotals, KnotState, LeftTheCount } from '@core/prove';
import type { RunRecord, Signature } from '@core/run';

/** What a paper is about. */
export interface PaperHead {
  readonly project: string;
  readonly build: string;
  readonly standard: string;
  readonly at: string;
  readonly seq: number;
  /** Name of the pack that it belongs to, its own number in it, and the fingerprint of the key that signs it. */
  readonly pack: string;
  readonly number: string;
  readonly fingerprint: string;
}

/** One part of many requirements: the table alone. */
export interface RequirementsPaper {
  readonly kind: 'requirements';
  readonly head: PaperHead;
  readonly cords: SummaryPaper['cords'];
}

export interface SummaryPaper {
  readonly kind: 'summary';
  readonly head: PaperHead;
  /** How many requirements there are; where those here are fewer, further papers hold the others. */
  readonly of: number;
  readonly counts: { readonly proved: number; readonly broken: number; readonly suspect: number; readonly waiting: number };
  readonly totals: BoardTotals['knots'];
  readonly left?: LeftTheCount;
  readonly cords: readonly {
    readonly key: string;
    readonly title: string;
    readonly level: string;
    readonly states: Record<Knot, KnotState>;
    readonly words: string;
  }[];
  readonly coverage: readonly { readonly name: string; readonly cells: readonly string[] }[];
  readonly note: string;
}

export interface RunsPaper {
  readonly kind: 'runs';
  readonly head: PaperHead;
  readonly runs: readonly {
    readonly record: RunRecord;
    readonly hash: string;
    readonly signatures: readonly Signature[];
    readonly problems: readonly string[];
    readonly notes: readonly string[];
  }[];
}
