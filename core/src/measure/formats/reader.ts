import type { Finding } from '../../base';
import type { FileMeasurement } from '../file-measurement';

/** What one file of input says of one source file, with the name of the test in force (empty where the format has none). */
export interface CoverageSection {
  readonly test: string;
  readonly file: FileMeasurement;
}

export type TakeSection = (section: CoverageSection) => void;

/**
 * Reads one format by chunks. Every finished section goes to `take`, so that memory holds one at a time. What is malformed,
 * contradictory or cut off becomes a finding with its line or byte; a reader never throws and never goes on for ever.
 */
export interface CoverageReader {
  readonly findings: readonly Finding[];
  /** How many sections were handed over. */
  readonly sections: number;
  push(chunk: Uint8Array): void;
  /** Says that the input is over. */
  finish(): void;
}

const findingLimit = 100;

/** Findings, as many as a person reads; the rest is counted. */
export class Findings {
  readonly list: Finding[] = [];
  private more = 0;

  add(severity: Finding['severity'], text: string, place: { readonly row?: number; readonly cell?: string } = {}): void {
    if (this.list.length < findingLimit) this.list.push({ severity, text, ...place });
    else {
      // Errors are never lost behind a hundred warnings.
      const warning = severity === 'error' ? this.list.findIndex((f) => f.severity === 'warning') : -1;
      if (warning >= 0 && !this.list.some((f) => f.severity === 'error')) this.list[warning] = { severity, text, ...place };
      else this.more++;
      if (this.more === 1) this.list[findingLimit] = { severity: 'warning', text: 'There are more findings than are listed here.' };
    }
  }
}

/** A longer line of text is hostile: the longest honest one names a path or a C++ function. */
export const lineLimit = 64 * 1024;

/** Cuts bytes into lines and hands each over with its bounds, without copying but where a line spans two chunks. */
export class LineCutter {
  line = 0;
  private rest: Uint8Array | undefined;
  private broken = false;

  constructor(
    private readonly take: (bytes: Uint8Array, start: number, end: number) => void,
    private readonly tooLong: () => void,
    /**
     * Reads many whole lines at once from `start`, up to `end`, where a line ends; answers where it met a line that it leaves to `take`.
     * It counts the lines that it read into `line`.
     */
    private readonly takeMany: (bytes: Uint8Array, start: number, end: number) => number = (_, start) => start,
  ) {}

  push(chunk: Uint8Array): void {
    if (this.broken) return;
    let start = 0;
    if (this.rest) {
      const end = chunk.indexOf(10);
      if (end < 0 && this.rest.length + chunk.length > lineLimit) {
        this.broken = true;
        this.tooLong();
        return;
      }
      const joined = new Uint8Array(this.rest.length + (end < 0 ? chunk.length : end));
      joined.set(this.rest);
      joined.set(end < 0 ? chunk : chunk.subarray(0, end), this.rest.length);
      this.rest = undefined;
      if (end < 0) {
        this.rest = joined;
        return;
      }
      this.line++;
      this.take(joined, 0, joined.length);
      start = end + 1;
    }
    const whole = chunk.lastIndexOf(10) + 1;
    while (start < whole) {
      start = this.takeMany(chunk, start, whole);
      if (start >= whole) break;
      const end = chunk.indexOf(10, start);
      this.line++;
      this.take(chunk, start, end);
      start = end + 1;
    }
    if (start < chunk.length) this.rest = chunk.slice(start);
    if (this.rest && this.rest.length > lineLimit) {
      this.broken = true;
      this.tooLong();
    }
  }

  finish(): void {
    if (!this.rest || this.broken) return;
    this.line++;
    this.take(this.rest, 0, this.rest.length);
    this.rest = undefined;
  }
}

/** A count as a format gives it: a whole number from 0 to 2^53. Others are told, and taken as the nearest that can be held. */
export function honestCount(value: unknown, report: (words: string) => void): number {
  if (typeof value !== 'number' || Number.isNaN(value)) {
    report('A hit count is not a number.');
    return 0;
  }
  if (value < 0) {
    report('A hit count is negative.');
    return 0;
  }
  if (value > Number.MAX_SAFE_INTEGER) {
    report('A hit count is larger than can be held exactly.');
    return Number.MAX_SAFE_INTEGER;
  }
  return Math.floor(value);
}

/** A line or column number of a source: 1 to 2^31 - 1. */
export const isPlace = (value: unknown): value is number =>
  Number.isInteger(value) && (value as number) >= 1 && (value as number) <= 0x7fffffff;
