import { PointCollector } from '../collector';
import { isObject, JsonStream, listOf, type JsonObject, type JsonValue } from './json';
import { Findings, honestCount, isPlace, type CoverageReader, type TakeSection } from './reader';

/** The line on which a location begins. */
const lineOf = (location: JsonValue | undefined): unknown =>
  isObject(location) && isObject(location['start']) ? location['start']['line'] : undefined;

/**
 * Istanbul's JSON. A line has the hits of the statement on it that was run most, as Istanbul's own reports count it; statements
 * are not points of their own.
 */
export class IstanbulReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private readonly json = new JsonStream(['$.*'], (value, key) => this.file(value, key), this.found);

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.json.push(chunk);
  }

  finish(): void {
    this.json.finish();
    if (!this.json.broken && !this.sections) this.found.add('error', 'No file with statements was found: this is no Istanbul coverage.');
  }

  private file(value: JsonValue, key: string): void {
    // Some writers wrap each file in { data: … }.
    const wrapped = isObject(value) && isObject(value['data']) ? value['data'] : value;
    if (!isObject(wrapped) || !isObject(wrapped['statementMap']) || !isObject(wrapped['s'])) {
      this.found.add('error', 'This entry has no statements (statementMap and s).', { cell: key });
      return;
    }
    const path = typeof wrapped['path'] === 'string' ? wrapped['path'] : key;
    const report = (words: string): void => this.found.add('error', words, { cell: path });
    this.statements(wrapped['statementMap'], wrapped['s'], report);
    this.functions(isObject(wrapped['fnMap']) ? wrapped['fnMap'] : {}, isObject(wrapped['f']) ? wrapped['f'] : {}, report);
    this.branches(isObject(wrapped['branchMap']) ? wrapped['branchMap'] : {}, isObject(wrapped['b']) ? wrapped['b'] : {}, report);
    this.sections++;
    this.take({ test: '', file: this.points.finish(path) });
  }

  private statements(map: JsonObject, hits: JsonObject, report: (words: string) => void): void {
    const lines = new Map<number, number>();
    for (const [id, location] of Object.entries(map)) {
      const line = lineOf(location);
      if (!isPlace(line)) report(`Statement ${id} has no line.`);
      else lines.set(line, Math.max(lines.get(line) ?? 0, honestCount(hits[id], report)));
    }
    for (const [line, count] of [...lines].sort((x, y) => x[0] - y[0])) this.points.addLine(line, count);
  }

  private functions(map: JsonObject, hits: JsonObject, report: (words: string) => void): void {
    const names = new Set<string>();
    for (const [id, f] of Object.entries(map)) {
      const line = isObject(f) ? (lineOf(f['decl']) ?? lineOf(f['loc']) ?? f['line']) : undefined;
      if (!isObject(f) || !isPlace(line)) {
        report(`Function ${id} has no line.`);
        continue;
      }
      // Functions without a name share one: the line tells them apart.
      let name = typeof f['name'] === 'string' && f['name'] ? f['name'] : `(anonymous ${id})`;
      if (names.has(name)) name = `${name} (${id})`;
      names.add(name);
      this.points.addFunction(name, line, honestCount(hits[id], report));
    }
  }

  private branches(map: JsonObject, hits: JsonObject, report: (words: string) => void): void {
    let other = 0;
    for (const [id, branch] of Object.entries(map)) {
      const line = isObject(branch) ? (lineOf(branch['loc']) ?? branch['line']) : undefined;
      if (!isPlace(line)) report(`Branch ${id} has no line.`);
      else {
        const block = /^\d{1,9}$/.test(id) ? Number(id) : 1e9 + other++;
        listOf(hits[id]).forEach((count, i) => this.points.addBranch(line, block, i, honestCount(count, report)));
      }
    }
  }
}
