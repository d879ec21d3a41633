import { PointCollector } from '../collector';
import { Findings, honestCount, isPlace, type CoverageReader, type TakeSection } from './reader';
import { XmlStream, type Attributes } from './xml';

/**
 * Cobertura XML. Lines with hits, methods by their first line, and for a decision how many of its outcomes were taken. Which ones
 * the format does not tell: the first so many count as hit, so that after merging several files the number of branches is a lower bound.
 */
export class CoberturaReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private readonly xml = new XmlStream({ open: (name, a) => this.open(name, a), close: (name) => this.close(name) }, this.found);
  private root = '';
  private path: string | undefined;
  private method: { name: string; line: number; count: number } | undefined;

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.xml.push(chunk);
  }

  finish(): void {
    this.xml.finish();
    if (!this.xml.broken && !this.sections) this.found.add('error', 'No class with lines was found: this is no Cobertura report.');
  }

  private open(name: string, a: Attributes): void {
    this.root ||= name;
    if (name === 'class') {
      this.path = a['filename'];
      if (!this.path) this.fault('A class names no file.');
    } else if (name === 'method') this.method = { name: `${a['name'] ?? ''}${a['signature'] ?? ''}`, line: 0, count: 0 };
    else if (name === 'line' && this.path) this.line(a);
  }

  private close(name: string): void {
    if (name === 'method' && this.method) {
      if (this.method.line) this.points.addFunction(this.method.name, this.method.line, this.method.count);
      this.method = undefined;
    } else if (name === 'class' && this.path) {
      this.sections++;
      this.take({ test: '', file: this.points.finish(this.path) });
      this.path = undefined;
    }
  }

  private line(a: Attributes): void {
    const number = Number(a['number']);
    if (!isPlace(number)) return this.fault(`“${a['number']}” is no line number.`);
    const hits = honestCount(a['hits'] === undefined ? NaN : Number(a['hits']), (words) => this.fault(words));
    if (this.method) {
      // The class repeats its methods' lines: here they only say where the method begins.
      if (!this.method.line) this.method = { ...this.method, line: number, count: hits };
      return;
    }
    this.points.addLine(number, hits);
    if (a['branch'] !== 'true') return;
    const m = /\((\d+)\/(\d+)\)/.exec(a['condition-coverage'] ?? '');
    if (!m) return this.fault(`The branches of line ${number} are not counted (condition-coverage).`);
    const [taken, all] = [Number(m[1]), Number(m[2])];
    if (taken > all || all > 10_000) return this.fault(`${taken} of ${all} branches of line ${number}: that cannot be.`);
    for (let i = 0; i < all; i++) this.points.addBranch(number, 0, i, i < taken ? 1 : 0);
  }

  private fault(text: string): void {
    this.found.add('error', text, { row: this.xml.line });
  }
}
