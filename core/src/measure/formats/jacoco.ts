import { PointCollector } from '../collector';
import { Findings, honestCount, isPlace, type CoverageReader, type TakeSection } from './reader';
import { XmlStream, type Attributes } from './xml';

/**
 * JaCoCo XML. A line is hit where any of its instructions was; branches are counted by line, not told apart (see Cobertura); a method
 * is hit where its METHOD counter says so. Paths are package and source file.
 */
export class JacocoReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private readonly xml = new XmlStream({ open: (name, a) => this.open(name, a), close: (name) => this.close(name) }, this.found);
  private packageName = '';
  private className = '';
  private sourceOfClass = '';
  private source: string | undefined;
  private method: { name: string; line: number; hit: number } | undefined;
  /** Methods come with their classes, before the source files that they stand in. */
  private methods = new Map<string, { name: string; line: number; hit: number }[]>();

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.xml.push(chunk);
  }

  finish(): void {
    this.xml.finish();
    if (!this.xml.broken && !this.sections) this.found.add('error', 'No source file with lines was found: this is no JaCoCo report.');
  }

  private open(name: string, a: Attributes): void {
    switch (name) {
      case 'package':
        this.packageName = a['name'] ?? '';
        this.methods = new Map();
        return;
      case 'class':
        this.className = a['name'] ?? '';
        this.sourceOfClass = a['sourcefilename'] ?? '';
        return;
      case 'method':
        this.method = { name: `${this.className}.${a['name'] ?? ''}${a['desc'] ?? ''}`, line: Number(a['line']) || 0, hit: 0 };
        return;
      case 'counter':
        if (this.method && a['type'] === 'METHOD') this.method.hit = this.count(a['covered']);
        return;
      case 'sourcefile':
        this.source = a['name'];
        return;
      case 'line':
        if (this.source) this.line(a);
    }
  }

  private close(name: string): void {
    if (name === 'method' && this.method) {
      const list = this.methods.get(this.sourceOfClass) ?? [];
      list.push(this.method);
      this.methods.set(this.sourceOfClass, list);
      this.method = undefined;
    } else if (name === 'sourcefile' && this.source) {
      for (const { name: method, line, hit } of this.methods.get(this.source) ?? []) this.points.addFunction(method, line, hit);
      this.sections++;
      this.take({ test: '', file: this.points.finish(this.packageName ? `${this.packageName}/${this.source}` : this.source) });
      this.source = undefined;
    }
  }

  private line(a: Attributes): void {
    const number = Number(a['nr']);
    if (!isPlace(number)) return this.fault(`“${a['nr']}” is no line number.`);
    this.points.addLine(number, this.count(a['ci']) > 0 ? 1 : 0);
    const taken = this.count(a['cb']);
    const all = taken + this.count(a['mb']);
    if (all > 10_000) return this.fault(`${all} branches on line ${number}: that cannot be.`);
    for (let i = 0; i < all; i++) this.points.addBranch(number, 0, i, i < taken ? 1 : 0);
  }

  private count(text: string | undefined): number {
    return honestCount(text === undefined ? NaN : Number(text), (words) => this.fault(words));
  }

  private fault(text: string): void {
    this.found.add('error', text, { row: this.xml.line });
  }
}
