import type { Finding } from '../base';
import type { FileMeasurement } from './measurement';

/** One SF section of an LCOV tracefile, with the test name (TN) in force. */
export interface LcovSection {
  readonly test: string;
  readonly file: FileMeasurement;
}

const NEWLINE = 10;
const COMMA = 44;
const MINUS = 45;
const COLON = 58;
const findingLimit = 100;
/** A longer line is hostile: the longest honest one names a path or a C++ function. */
const lineLimit = 64 * 1024;

/**
 * Reads an LCOV tracefile by chunks; every finished section goes to `take`, so that memory holds one section at a time.
 * Understands TN SF FN FNDA FNL FNA DA BRDA, both forms of FN, and passes over the sums (LF LH …), which are checked by counting, not believed.
 * What is malformed, contradictory or cut off becomes a finding with its line; it never throws.
 */
export class LcovReader {
  readonly findings: Finding[] = [];
  sections = 0;
  private line = 0;
  private rest: Uint8Array | undefined;
  private test = '';
  private path: string | undefined;
  private lines: number[] = [];
  private branches: number[] = [];
  private functions = new Map<string, { name: string; line: number; hits: number }>();
  private aliases = new Map<string, { line: number; name?: string }>();
  private known = false;
  private readonly text = new TextDecoder();

  constructor(private readonly take: (section: LcovSection) => void) {}

  push(chunk: Uint8Array): void {
    let start = 0;
    if (this.rest) {
      const end = chunk.indexOf(NEWLINE);
      if (end < 0 && this.rest.length + chunk.length > lineLimit) {
        this.fault('error', 'The line is longer than any tracefile has; this is not an LCOV tracefile.');
        this.rest = undefined;
        return;
      }
      const joined = new Uint8Array(this.rest.length + (end < 0 ? chunk.length : end));
      joined.set(this.rest);
      joined.set(end < 0 ? chunk : chunk.subarray(0, end), this.rest.length);
      if (end < 0) {
        this.rest = joined;
        return;
      }
      this.rest = undefined;
      this.readLine(joined, 0, joined.length);
      start = end + 1;
    }
    for (let end = chunk.indexOf(NEWLINE, start); end >= 0; end = chunk.indexOf(NEWLINE, start)) {
      this.readLine(chunk, start, end);
      start = end + 1;
    }
    if (start < chunk.length) this.rest = chunk.slice(start);
  }

  /** Says that the input is over. A section that is still open was cut off. */
  finish(): void {
    if (this.rest) this.readLine(this.rest, 0, this.rest.length);
    this.rest = undefined;
    if (this.path !== undefined) this.fault('error', `The file ends inside the section of ${this.path}: it was cut off.`);
    else if (!this.sections) this.fault('error', 'No section (SF … end_of_record) was found: this is not an LCOV tracefile.');
  }

  private readLine(b: Uint8Array, start: number, stop: number): void {
    this.line++;
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
    else this.lines.push(line, this.count(hits));
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
    if (!plain || field !== 3 || digits === 0 || values[0] < 1) {
      this.badLine(b, start, end);
      return;
    }
    if (this.path === undefined) this.outside();
    else this.branches.push(values[0], values[1], values[2], values[3] < 0 ? -1 : this.count(values[3]));
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
      case 'end_of_record':
        this.close();
        return;
      case 'VER':
      case 'FNF':
      case 'FNH':
      case 'LF':
      case 'LH':
      case 'BRF':
      case 'BRH':
      case 'MCDC':
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
    if (tag === 'FN') this.functions.set(m[3], { name: m[3], line: Number(m[1]), hits: this.functions.get(m[3])?.hits ?? 0 });
    else if (tag === 'FNDA') {
      const f = this.functions.get(m[2]);
      if (f) f.hits += this.count(Number(m[1]));
      else this.fault('warning', `Hits for ${m[2].slice(0, 60)}, which no FN line names.`);
    } else if (tag === 'FNL') this.aliases.set(m[1], { line: Number(m[2]) });
    else this.functions.set(m[3], { name: m[3], line: this.aliases.get(m[1])?.line ?? 0, hits: this.count(Number(m[2])) });
  }

  private open(path: string): void {
    this.path = path.trim();
    this.lines = [];
    this.branches = [];
    this.functions = new Map();
    this.aliases = new Map();
  }

  private close(): void {
    if (this.path === undefined) {
      this.fault('error', 'end_of_record without a section.');
      return;
    }
    this.sections++;
    this.take({
      test: this.test,
      file: { path: this.path, lines: this.lines, branches: this.branches, functions: [...this.functions.values()] },
    });
    this.path = undefined;
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

  private fault(severity: Finding['severity'], text: string): void {
    if (this.findings.length < findingLimit) this.findings.push({ severity, row: Math.max(this.line, 1), text });
  }
}

/**
 * Which case a test name means. Some writers allow only letters, digits and `_` in TN, so that `C_018` means C-018.
 * Exact keys win over rewritten ones.
 */
export function caseOfTestName(test: string, keys: ReadonlySet<string>): string | undefined {
  const name =
    test
      .replace(/\.(info|lcov)$/i, '')
      .split(/[\\/]/)
      .pop() ?? '';
  return [name, name.replaceAll('_', '-'), name.toUpperCase().replaceAll('_', '-')].find((key) => keys.has(key));
}

/** The known source file that a measured path means: equal, or the only one whose path it ends with, whole segments compared. */
export function matchPath(measured: string, known: readonly string[]): string | undefined {
  const path = measured.replaceAll('\\', '/').replace(/^\.\//, '');
  if (known.includes(path)) return path;
  const matches = known.filter((candidate) => path.endsWith(`/${candidate}`) || candidate.endsWith(`/${path}`));
  return matches.length === 1 ? matches[0] : undefined;
}
