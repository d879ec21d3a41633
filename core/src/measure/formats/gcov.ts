import { PointCollector } from '../collector';
import { isObject, JsonStream, listOf, type JsonObject, type JsonValue } from './json';
import { Findings, honestCount, isPlace, type CoverageReader, type TakeSection } from './reader';

/**
 * gcov's JSON (`gcov --json-format -b`, also several documents one after the other). A line that stands in several functions
 * (templates, inlined code) has the sum of their hits. `conditions` of newer compilers are the outcomes of conditions that were shown to
 * decide by themselves (masking MC/DC); a condition is independent where both of its outcomes were.
 */
export class GcovReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private readonly json = new JsonStream(['$.files.*'], (value) => this.file(value), this.found);

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.json.push(chunk);
  }

  finish(): void {
    this.json.finish();
    if (!this.json.broken && !this.sections) this.found.add('error', 'No file with lines was found: this is not gcov’s JSON.');
  }

  private file(value: JsonValue): void {
    if (!isObject(value) || typeof value['file'] !== 'string' || !Array.isArray(value['lines'])) {
      this.found.add('error', 'A file has no name or no lines.');
      return;
    }
    const path = value['file'];
    const report = (words: string): void => this.found.add('error', words, { cell: path });
    for (const f of listOf(value['functions'])) {
      if (!isObject(f) || typeof f['name'] !== 'string' || !isPlace(f['start_line'])) report('A function has no name or no line.');
      else {
        const name = typeof f['demangled_name'] === 'string' && f['demangled_name'] ? f['demangled_name'] : f['name'];
        this.points.addFunction(name, f['start_line'], honestCount(f['execution_count'], report));
      }
    }
    /** Branches, conditions and calls of a line are numbered over all functions that it stands in. */
    const next = { branches: new Map<number, number>(), decisions: new Map<number, number>(), calls: new Map<number, number>() };
    for (const line of listOf(value['lines'])) {
      if (!isObject(line) || !isPlace(line['line_number'])) report('A line has no number.');
      else this.line(line, line['line_number'], next, report);
    }
    this.sections++;
    this.take({ test: '', file: this.points.finish(path) });
  }

  private line(
    line: JsonObject,
    number: number,
    next: Readonly<Record<'branches' | 'decisions' | 'calls', Map<number, number>>>,
    report: (words: string) => void,
  ): void {
    this.points.addLine(number, honestCount(line['count'], report));
    const after = (map: Map<number, number>): number => {
      const at = map.get(number) ?? 0;
      map.set(number, at + 1);
      return at;
    };
    for (const branch of listOf(line['branches']))
      this.points.addBranch(number, 0, after(next.branches), honestCount(isObject(branch) ? branch['count'] : undefined, report));
    for (const call of listOf(line['calls']))
      this.points.add('call', number, 0, after(next.calls), honestCount(isObject(call) ? call['returned'] : undefined, report));
    for (const condition of listOf(line['conditions'])) {
      const outcomes = isObject(condition) ? condition['count'] : undefined;
      if (!isObject(condition) || typeof outcomes !== 'number' || outcomes % 2 || outcomes < 2 || outcomes > 128) {
        report(`A decision on line ${number} does not say how many outcomes its conditions have.`);
        continue;
      }
      const place = after(next.decisions);
      const missing = { 0: new Set(listOf(condition['not_covered_false'])), 1: new Set(listOf(condition['not_covered_true'])) };
      const shown = Array.from({ length: outcomes / 2 }, (_, i) => !missing[0].has(i) && !missing[1].has(i));
      shown.forEach((_, i) => {
        this.points.add('condition', number, place, 2 * i, missing[0].has(i) ? 0 : 1);
        this.points.add('condition', number, place, 2 * i + 1, missing[1].has(i) ? 0 : 1);
      });
      this.points.addDecision(number, place, shown.length, [], shown);
    }
  }
}
