import type { Bits } from './bits';
import type { VectorCode } from './mcdc/vector';
import type { PointTable } from './point';

/** The vectors of one decision that were executed: a sorted set of codes. */
export interface DecisionVectors {
  readonly line: number;
  readonly place: number;
  readonly codes: readonly VectorCode[];
}

/**
 * What was hit in one source file, by one run or by several merged. Points of the metric mcdc are hit where independence
 * was shown: by the vectors, where a source gives them, else by its own word, which after merging is a lower bound.
 */
export interface FileMeasurement {
  readonly path: string;
  readonly table: PointTable;
  readonly bits: Bits;
  /** How often each point was hit; whole numbers to 2^53. */
  readonly counts: Float64Array;
  readonly vectors: readonly DecisionVectors[];
}
