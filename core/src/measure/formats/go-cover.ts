import { PointCollector } from '../collector';
import { Findings, honestCount, isPlace, LineCutter, type CoverageReader, type TakeSection } from './reader';

/**
 * Go cover profiles (`mode: set|count|atomic`). A profile counts blocks; every line that a block touches counts as run as often
 * as the block on it that was run most. Blocks of one file stand together, or come again when profiles were joined.
 */
export class GoCoverReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private readonly text = new TextDecoder();
  private readonly cutter = new LineCutter(
    (b, start, end) => this.readLine(this.text.decode(b.subarray(start, end)).trim()),
    () => this.fault('The line is longer than any profile has.'),
  );
  private path = '';
  private counts = new Map<number, number>();
  private mode = '';

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.cutter.push(chunk);
  }

  finish(): void {
    this.cutter.finish();
    this.close();
    if (!this.sections) this.fault('No block was found: this is not a Go cover profile.');
  }

  private readLine(line: string): void {
    if (!line) return;
    if (line.startsWith('mode:')) {
      this.mode = line.slice(5).trim();
      if (!/^(set|count|atomic)$/.test(this.mode)) this.fault(`“${this.mode.slice(0, 40)}” is no mode of a profile.`);
      return;
    }
    const m = /^(.+):(\d+)\.\d+,(\d+)\.\d+ (\d+) (-?\d+)$/.exec(line);
    const [from, to] = [Number(m?.[2]), Number(m?.[3])];
    if (!m || !this.mode || !isPlace(from) || !isPlace(to) || to < from || to - from > 1_000_000) {
      this.fault(`“${line.slice(0, 60)}” cannot be read.`);
      return;
    }
    if (m[1] !== this.path) this.close();
    this.path = m[1];
    // A block without statements is no code.
    if (m[4] === '0') return;
    const count = honestCount(Number(m[5]), (words) => this.fault(words));
    for (let i = from; i <= to; i++) this.counts.set(i, Math.max(this.counts.get(i) ?? 0, count));
  }

  private close(): void {
    if (!this.counts.size) return;
    for (const [line, count] of [...this.counts].sort((x, y) => x[0] - y[0])) this.points.addLine(line, count);
    this.counts = new Map();
    this.sections++;
    this.take({ test: '', file: this.points.finish(this.path) });
  }

  private fault(text: string): void {
    this.found.add('error', text, { row: Math.max(1, this.cutter.line) });
  }
}
