import { PointCollector } from '../collector';
import { conditionLimit, encodeVector, vectorOf, type VectorCode } from '../mcdc';
import { isObject, JsonStream, listOf, type JsonObject, type JsonValue } from './json';
import { Findings, honestCount, isPlace, type CoverageReader, type TakeSection } from './reader';

interface Segment {
  readonly line: number;
  readonly count: number;
  readonly hasCount: boolean;
  readonly entry: boolean;
  readonly gap: boolean;
}

/**
 * `llvm-cov export` JSON, versions 2.x and 3.x. Lines are derived from segments by the compiler's own rule (a line has the greatest
 * count of the regions that begin on it and of the one that reaches into it). A branch is one condition with its true and its
 * false outcome. `mcdc_records` tell for each condition whether independence was shown; newer versions add the executed vectors,
 * which are then believed instead.
 */
export class LlvmJsonReader implements CoverageReader {
  sections = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly points = new PointCollector();
  private readonly json = new JsonStream(['$.data.*.files.*', '$.data.*.functions.*'], (value) => this.value(value), this.found);
  private readonly flagged = new Set<string>();

  constructor(private readonly take: TakeSection) {}

  push(chunk: Uint8Array): void {
    this.json.push(chunk);
  }

  finish(): void {
    this.json.finish();
    if (!this.json.broken && !this.sections) this.found.add('error', 'No file was found: this is not an export of llvm-cov.');
  }

  private value(value: JsonValue): void {
    if (isObject(value) && typeof value['filename'] === 'string') this.file(value, value['filename']);
    else if (isObject(value) && typeof value['name'] === 'string' && Array.isArray(value['filenames'])) this.function(value, value['name']);
    else this.found.add('error', 'An entry is neither a file nor a function.');
  }

  private file(value: JsonObject, path: string): void {
    const report = (words: string): void => this.found.add('error', words, { cell: path });
    if (!Array.isArray(value['segments'])) report('The file has no segments (was it exported with -summary-only?).');
    else {
      this.lines(listOf(value['segments']), report);
      for (const branch of listOf(value['branches'])) this.branch(branch, report);
      for (const record of listOf(value['mcdc_records'])) this.mcdc(record, path, report);
    }
    this.sections++;
    this.take({ test: '', file: this.points.finish(path) });
  }

  /** A function's first region is its body; its file is the one that region stands in. */
  private function(value: JsonObject, name: string): void {
    const region = listOf(listOf(value['regions'])[0]);
    const path = listOf(value['filenames'])[Number(region[5]) || 0];
    if (typeof path !== 'string' || !isPlace(region[0])) {
      this.found.add('error', `Function ${name.slice(0, 80)} has no place.`);
      return;
    }
    this.points.addFunction(
      name,
      region[0],
      honestCount(value['count'], (words) => this.found.add('error', words, { cell: path })),
    );
    this.sections++;
    this.take({ test: '', file: this.points.finish(path) });
  }

  private lines(values: readonly JsonValue[], report: (words: string) => void): void {
    const segments: Segment[] = [];
    for (const s of values) {
      const [line, , count, hasCount, entry, gap] = listOf(s);
      if (!isPlace(line)) return report('A segment has no line.');
      segments.push({ line, count: honestCount(count, report), hasCount: hasCount === true, entry: entry === true, gap: gap === true });
    }
    let wrapped: Segment | undefined;
    for (let i = 0; i < segments.length;) {
      const first = segments[i].line;
      let end = i + 1;
      while (end < segments.length && segments[end].line === first) end++;
      this.lineOf(first, segments.slice(i, end), wrapped);
      wrapped = segments[end - 1];
      const next = segments[end]?.line;
      if (next !== undefined && next < first) return report('The segments are not in order.');
      if (next !== undefined && next - first > 1_000_000) return report('A segment reaches over a million lines.');
      for (let line = first + 1; next !== undefined && line < next; line++) this.lineOf(line, [], wrapped);
      i = end;
    }
  }

  private lineOf(line: number, here: readonly Segment[], wrapped: Segment | undefined): void {
    const starts = here.filter((s) => !s.gap && s.hasCount && s.entry);
    const skipped = here.length > 0 && !here[0].hasCount && here[0].entry;
    const mapped = (!skipped && (wrapped?.hasCount || starts.length > 0)) || here.some((s) => s.entry && s.hasCount && !s.gap);
    if (!mapped) return;
    this.points.addLine(line, Math.max(wrapped?.count ?? 0, ...starts.map((s) => s.count)));
  }

  /** [line, column, end line, end column, true, false, …] */
  private branch(value: JsonValue, report: (words: string) => void): void {
    const [line, column, , , yes, no] = listOf(value);
    if (!isPlace(line) || !isPlace(column)) return report('A branch has no place.');
    this.points.addBranch(line, column, 0, honestCount(no, report));
    this.points.addBranch(line, column, 1, honestCount(yes, report));
  }

  /** [line, column, end line, end column, …, [condition shown, …], and in newer versions [executed vectors]] */
  private mcdc(value: JsonValue, path: string, report: (words: string) => void): void {
    const fields = listOf(value);
    const [line, column] = fields;
    const flags = fields.find((f) => Array.isArray(f) && f.length > 0 && f.every((x) => typeof x === 'boolean'));
    const shown = listOf(flags).map((f) => f === true);
    if (!isPlace(line) || !isPlace(column) || !shown.length) return report('A decision has no place or no conditions.');
    const vectors = fields.filter(Array.isArray).flatMap((f) => (f === flags ? [] : vectorsOf(f as JsonValue[], shown.length)));
    if (!vectors.length && !this.flagged.has(path)) {
      this.flagged.add(path);
      this.found.add('warning', 'MC/DC is told by yes or no for each condition: merged over cases it is a lower bound.', { cell: path });
    }
    this.points.addDecision(line, column, shown.length, vectors, vectors.length ? [] : shown);
  }
}

/** `{ conditions: [true, false, null], result, executed }` for each executed vector. */
function vectorsOf(values: readonly JsonValue[], conditions: number): VectorCode[] {
  if (conditions > conditionLimit) return [];
  return values.flatMap((v) => {
    if (!isObject(v) || v['executed'] === false || typeof v['result'] !== 'boolean') return [];
    const given = listOf(v['conditions']);
    if (given.length !== conditions) return [];
    return encodeVector(
      vectorOf(
        given.map((c) => (typeof c === 'boolean' ? c : undefined)),
        v['result'],
      ),
      conditions,
    );
  });
}
