import { PointCollector } from '../collector';
import type { FileMeasurement } from '../file-measurement';
import { fileTotals } from '../measurement';
import { Findings, LineCutter, type CoverageReader, type TakeSection } from './reader';

const NEWLINE = 10;
const COMMA = 44;
const MINUS = 45;
const COLON = 58;

/** A number past what a table can hold is held there. */
const held = (value: number): number => Math.min(value, 0xffffffff);

const sums = [
  ['LF', 'line', 'found'],
  ['LH', 'line', 'hit'],
  ['BRF', 'branch', 'found'],
  ['BRH', 'branch', 'hit'],
  ['FNF', 'function', 'found'],
  ['FNH', 'function', 'hit'],
] as const;

/**
 * Reads LCOV tracefiles of old and new writers: TN SF VER FN (with and without an end line) FNL FNA FNDA BRDA (`-`, `e`, text for
 * the branch) DA (with checksum) MCDC, and end_of_record. The sums (LF LH FNF FNH BRF BRH MCF MCH) are checked by counting, not believed.
 */
export class LcovReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private test = '';
  private path: string | undefined;
  private aliases = new Map<string, number>();
  private branchNames = new Map<string, number>();
  /** MCDC records of a section: how often each sense of each condition was shown. */
  private senses = new Map<string, { line: number; place: number; size: number; hits: Float64Array }>();
  private sums = new Map<string, number>();
  private known = false;
  private readonly text = new TextDecoder();
  private readonly lines = new LineCutter(
    (b, start, end) => this.readLine(b, start, end),
    () => this.fault('error', 'The line is longer than any tracefile has; this is not an LCOV tracefile.'),
    (b, start, end) => this.plainLines(b, start, end),
  );

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.lines.push(chunk);
  }

  /** A section that is still open was cut off. */
  finish(): void {
    this.lines.finish();
    if (this.path !== undefined) this.fault('error', `The file ends inside the section of ${this.path}: it was cut off.`);
    else if (!this.sections) this.fault('error', 'No section (SF … end_of_record) was found: this is not an LCOV tracefile.');
  }

  /**
   * Nine lines of ten are `DA:line,hits` or `BRDA:line,block,branch,taken` of small numbers: these are read here, byte by byte, without
   * looking for the end of the line first. Whatever is not exactly that is left to `readLine`. Numbers of up to 9 digits need no check of size.
   */
  private plainLines(b: Uint8Array, from: number, end: number): number {
    if (this.path === undefined) return from;
    const { points, lines } = this;
    let start = from;
    let read = 0;
    while (start < end) {
      let i = start;
      const branch = b[i] === 66 && b[i + 1] === 82 && b[i + 2] === 68 && b[i + 3] === 65 && b[i + 4] === COLON;
      if (branch) i += 5;
      else if (b[i] === 68 && b[i + 1] === 65 && b[i + 2] === COLON) i += 3;
      else break;
      const fields = branch ? 4 : 2;
      let [line, second, third, value] = [0, 0, 0, 0];
      let field = 1;
      let digits = 0;
      let c = b[i];
      for (;;) {
        if (c >= 48 && c <= 57) {
          value = value * 10 + c - 48;
          digits++;
        } else if (c === COMMA && field < fields && digits > 0 && digits < 10) {
          if (field === 1) line = value;
          else if (field === 2) second = value;
          else third = value;
          field++;
          value = digits = 0;
        } else if (c === MINUS && field === 4 && digits === 0 && b[i + 1] === NEWLINE) {
          digits = 1;
        } else break;
        c = b[++i];
      }
      if (c !== NEWLINE || field !== fields || digits === 0 || digits > 9 || line === 0) break;
      if (branch) points.addBranch(line, second, third, value);
      else points.addLine(line, value);
      start = i + 1;
      read++;
    }
    lines.line += read;
    return start;
  }

  private readLine(b: Uint8Array, start: number, stop: number): void {
    let end = stop;
    while (end > start && (b[end - 1] === 13 || b[end - 1] === 32)) end--;
    if (end === start) return;
    const c0 = b[start];
    const c1 = b[start + 1];
    if (c0 === 68 && c1 === 65 && b[start + 2] === COLON) this.da(b, start + 3, end);
    else if (c0 === 66 && c1 === 82 && b[start + 2] === 68 && b[start + 4] === COLON) this.brda(b, start + 5, end);
    else this.other(this.text.decode(b.subarray(start, end)));
  }

  /** DA:line,hits[,checksum] */
  private da(b: Uint8Array, start: number, end: number): void {
    let i = start;
    let line = 0;
    let hits = 0;
    let c = b[i];
    while (i < end && c >= 48 && c <= 57) {
      line = line * 10 + c - 48;
      c = b[++i];
    }
    const comma = i;
    if (i < end && c === COMMA) {
      c = b[++i];
      while (i < end && c >= 48 && c <= 57) {
        hits = hits * 10 + c - 48;
        c = b[++i];
      }
    }
    if (comma === start || i <= comma + 1 || (i < end && c !== COMMA) || line < 1 || line > 0x7fffffff) {
      this.badLine(b, start, end);
      return;
    }
    if (this.path === undefined) this.outside();
    else this.points.addLine(line, this.count(hits));
  }

  /** BRDA:line,[e]block,branch,taken — the branch may be text in newer writers; taken is `-` where the decision was not evaluated. */
  private brda(b: Uint8Array, start: number, end: number): void {
    const values = [0, 0, 0, 0];
    let field = 0;
    let digits = 0;
    let plain = true;
    for (let i = start; i < end; i++) {
      const c = b[i];
      if (c >= 48 && c <= 57) {
        values[field] = values[field] * 10 + c - 48;
        digits++;
      } else if (c === COMMA && digits > 0 && field < 3) {
        field++;
        digits = 0;
      } else if (c === MINUS && field === 3 && digits === 0 && i === end - 1) {
        values[3] = -1;
        digits++;
      } else if (c === 101 && field === 1 && digits === 0) continue;
      else {
        plain = false;
        break;
      }
    }
    if (!plain && this.namedBranch(b, start, end)) return;
    if (!plain || field !== 3 || digits === 0 || values[0] < 1 || values[0] > 0x7fffffff) {
      this.badLine(b, start, end);
      return;
    }
    if (this.path === undefined) this.outside();
    else this.points.addBranch(values[0], held(values[1]), held(values[2]), values[3] < 0 ? 0 : this.count(values[3]));
  }

  /** Newer writers may name an outcome by an expression; its number is then the order in which the names of its block came. */
  private namedBranch(b: Uint8Array, start: number, end: number): boolean {
    const m = /^(\d+),e?(\d+),(.+),(\d+|-)$/.exec(this.text.decode(b.subarray(start, end)));
    if (!m || Number(m[1]) < 1 || this.path === undefined) return false;
    const block = `${m[1]}:${m[2]}:`;
    const id = block + m[3];
    let outcome = this.branchNames.get(id);
    if (outcome === undefined) {
      outcome = [...this.branchNames.keys()].filter((known) => known.startsWith(block)).length;
      this.branchNames.set(id, outcome);
    }
    this.points.addBranch(held(Number(m[1])), held(Number(m[2])), outcome, m[4] === '-' ? 0 : this.count(Number(m[4])));
    return true;
  }

  private other(text: string): void {
    const colon = text.indexOf(':');
    const tag = colon < 0 ? text : text.slice(0, colon);
    const value = text.slice(colon + 1);
    switch (tag) {
      case 'TN':
        this.test = value.trim();
        this.known = true;
        return;
      case 'SF':
        if (this.path !== undefined) this.fault('error', `A new file begins inside the section of ${this.path}.`);
        this.open(value);
        this.known = true;
        return;
      case 'FN':
      case 'FNDA':
      case 'FNL':
      case 'FNA':
        if (this.path === undefined) this.outside();
        else this.fn(tag, value);
        return;
      case 'MCDC':
        if (this.path === undefined) this.outside();
        else this.mcdc(value);
        return;
      case 'end_of_record':
        this.close();
        return;
      case 'LF':
      case 'LH':
      case 'BRF':
      case 'BRH':
      case 'FNF':
      case 'FNH':
        this.sums.set(tag, Number(value));
        return;
      case 'VER':
      case 'MCF':
      case 'MCH':
        return;
      default:
        if (text.startsWith('#')) return;
        this.fault(this.known ? 'warning' : 'error', `“${text.slice(0, 60)}” is not a line of an LCOV tracefile.`);
    }
  }

  /** FN:line,[endLine,]name — FNDA:hits,name — FNL:index,line[,endLine] and FNA:index,hits,name in newer writers. */
  private fn(tag: string, value: string): void {
    const m =
      tag === 'FN'
        ? /^(\d+),(?:(\d+),)?(.+)$/.exec(value)
        : tag === 'FNDA'
          ? /^(\d+),(.+)$/.exec(value)
          : tag === 'FNL'
            ? /^(\d+),(\d+)(?:,\d+)?$/.exec(value)
            : /^(\d+),(\d+),(.+)$/.exec(value);
    if (!m) {
      this.fault('error', `${tag}:${value.slice(0, 60)} cannot be read.`);
      return;
    }
    if (tag === 'FN') this.points.addFunction(m[3], held(Number(m[1])), 0);
    else if (tag === 'FNDA') {
      if (this.points.knowsFunction(m[2])) this.points.addFunction(m[2], 0, this.count(Number(m[1])));
      else this.fault('warning', `Hits for ${m[2].slice(0, 60)}, which no FN line names.`);
    } else if (tag === 'FNL') this.aliases.set(m[1], held(Number(m[2])));
    else this.points.addFunction(m[3], this.aliases.get(m[1]) ?? 0, this.count(Number(m[2])));
  }

  /** MCDC:line,[e]conditions,t|f,taken,index,expression — one record for either sense of each condition of a decision. */
  private mcdc(value: string): void {
    const m = /^(\d+),e?(\d+),([tf]),(\d+|-),(\d+),/.exec(value);
    const [line, size, index] = [Number(m?.[1]), Number(m?.[2]), Number(m?.[5])];
    if (!m || line < 1 || size < 1 || size > 64 || index >= size) {
      this.fault('error', `MCDC:${value.slice(0, 60)} cannot be read.`);
      return;
    }
    // Decisions of one line are told apart by their size alone; a second one of the same size begins where an index repeats.
    const id = `${line}:${size}`;
    const decision = this.senses.get(id) ?? { line: held(line), place: size, size, hits: new Float64Array(2 * size) };
    this.senses.set(id, decision);
    decision.hits[2 * index + (m[3] === 't' ? 1 : 0)] += m[4] === '-' ? 0 : this.count(Number(m[4]));
  }

  private open(path: string): void {
    // What a section that was never closed had gathered is dropped with it.
    if (this.path !== undefined) this.points.finish(this.path);
    this.path = path.trim();
    this.aliases = new Map();
    this.branchNames = new Map();
    this.senses = new Map();
    this.sums = new Map();
  }

  private close(): void {
    if (this.path === undefined) {
      this.fault('error', 'end_of_record without a section.');
      return;
    }
    for (const { line, place, size, hits } of this.senses.values()) {
      hits.forEach((count, b) => this.points.add('condition', line, place, b, count));
      // Both senses shown to matter by themselves: the condition is independent.
      const shown = Array.from({ length: size }, (_, i) => hits[2 * i] > 0 && hits[2 * i + 1] > 0);
      this.points.addDecision(line, place, size, [], shown);
    }
    const file = this.points.finish(this.path);
    this.checkSums(file);
    this.sections++;
    this.take({ test: this.test, file });
    this.path = undefined;
  }

  private checkSums(file: FileMeasurement): void {
    if (!this.sums.size) return;
    const totals = fileTotals(file);
    for (const [tag, metric, lane] of sums) {
      const said = this.sums.get(tag);
      if (said !== undefined && said !== totals[metric][lane])
        this.fault('error', `${tag} says ${said} for ${this.path}, but ${totals[metric][lane]} were counted: the file contradicts itself.`);
    }
  }

  /** A count past 2^53 is no longer exact: it is held there. */
  private count(hits: number): number {
    if (hits <= Number.MAX_SAFE_INTEGER) return hits;
    this.fault('warning', 'A hit count is larger than can be held exactly.');
    return Number.MAX_SAFE_INTEGER;
  }

  private badLine(b: Uint8Array, start: number, end: number): void {
    this.fault('error', `“${this.text.decode(b.subarray(Math.max(0, start - 5), Math.min(end, start + 60)))}” cannot be read.`);
  }

  private outside(): void {
    this.fault('error', 'Coverage data outside a section (no SF before it).');
  }

  private fault(severity: 'error' | 'warning', text: string): void {
    this.found.add(severity, text, { row: Math.max(this.lines.line, 1) });
  }
}
