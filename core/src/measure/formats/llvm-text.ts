import { PointCollector } from '../collector';
import { conditionLimit, encodeVector, vectorOf, type VectorCode } from '../mcdc';
import { Findings, isPlace, LineCutter, type CoverageReader, type TakeSection } from './reader';

const letters: Readonly<Record<string, boolean | undefined>> = { T: true, F: false, '-': undefined };
const scale: Readonly<Record<string, number>> = { '': 1, k: 1e3, M: 1e6, G: 1e9, T: 1e12, P: 1e15, E: 1e18 };

interface Open {
  readonly line: number;
  readonly column: number;
  conditions: number;
  readonly vectors: VectorCode[];
}

/**
 * The text of `llvm-cov show --show-mcdc`: the one place where LLVM 18 to 20 print which vectors of a decision were executed. Lines come
 * with it (counts over 999 are rounded there); branches where `--show-branches=count` was given. What LLVM says of a pair is not
 * believed: independence is judged from the vectors.
 */
export class LlvmTextReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private readonly text = new TextDecoder();
  private readonly lines = new LineCutter(
    (b, start, end) => this.readLine(this.text.decode(b.subarray(start, end)).replace(/\r$/, '')),
    () => this.fault('error', 'The line is longer than any that llvm-cov prints.'),
  );
  private path = '';
  private any = false;
  private decision: Open | undefined;
  private truncated = false;

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.lines.push(chunk);
  }

  finish(): void {
    this.lines.finish();
    if (this.decision) this.fault('error', 'The file ends inside a decision: it was cut off.');
    this.close();
    if (!this.sections) this.fault('error', 'No source line was found: this is not the text of llvm-cov show.');
  }

  private readLine(line: string): void {
    const source = /^\s*(\d+)\|\s*([\d.]*)([kMGTPE]?)\|/.exec(line);
    if (source) {
      this.endDecision();
      const number = Number(source[1]);
      if (!isPlace(number)) return;
      this.any = true;
      // Without a count the line holds nothing that is measured.
      if (source[2]) this.points.addLine(number, Math.round(Number(source[2]) * scale[source[3]]));
      return;
    }
    const file = /^(\S.*):$/.exec(line);
    if (file && /[\\/.]/.test(file[1]) && !line.startsWith('|')) {
      this.close();
      this.path = file[1];
      return;
    }
    this.detail(line);
  }

  private detail(line: string): void {
    const branch = /^\s*\|\s+Branch \((\d+):(\d+)\): \[True: ([\d.]+)([kMGTPE]?), False: ([\d.]+)([kMGTPE]?)\]/.exec(line);
    if (branch) {
      const [, at, column, yes, yesScale, no, noScale] = branch;
      this.points.addBranch(Number(at), Number(column), 0, Math.round(Number(no) * scale[noScale]));
      this.points.addBranch(Number(at), Number(column), 1, Math.round(Number(yes) * scale[yesScale]));
      return;
    }
    const opened = /MC\/DC Decision Region \((\d+):(\d+)\) to/.exec(line);
    if (opened) {
      this.endDecision();
      this.decision = { line: Number(opened[1]), column: Number(opened[2]), conditions: 0, vectors: [] };
      return;
    }
    if (!this.decision) return;
    const many = /Number of Conditions: (\d+)/.exec(line);
    if (many) this.decision.conditions = Number(many[1]);
    const vector = /^\s*\|\s+\d+ \{ ([TF-](?:[, ]+[TF-])*) *= ([TF])\s*\}/.exec(line);
    if (vector) {
      const values = vector[1].split(',').map((v) => letters[v.trim()]);
      if (values.length !== this.decision.conditions) this.fault('error', 'The vector has another number of conditions than its decision.');
      else if (values.length <= conditionLimit)
        this.decision.vectors.push(encodeVector(vectorOf(values, vector[2] === 'T'), values.length));
      else if (!this.truncated) {
        this.truncated = true;
        this.fault('warning', `Decisions of more than ${conditionLimit} conditions are not judged.`);
      }
    }
    if (/MC\/DC Coverage for Decision/.test(line)) this.endDecision();
  }

  private endDecision(): void {
    const open = this.decision;
    this.decision = undefined;
    if (!open) return;
    if (!open.conditions) this.fault('error', 'A decision does not say how many conditions it has.');
    else if (isPlace(open.line)) this.points.addDecision(open.line, open.column, open.conditions, open.vectors);
  }

  private close(): void {
    this.endDecision();
    const file = this.points.finish(this.path);
    if (this.any) {
      this.sections++;
      this.take({ test: '', file });
    }
    this.any = false;
  }

  private fault(severity: 'error' | 'warning', text: string): void {
    this.found.add(severity, text, { row: Math.max(1, this.lines.line) });
  }
}
