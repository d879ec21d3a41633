import type { Finding } from '../../base';
import { Findings, LineCutter } from './reader';
import { XmlStream, type Attributes } from './xml';

/** What an automated run says of one test. */
export interface TestResult {
  /** Suite and class, as far as the format tells them. */
  readonly group: string;
  readonly name: string;
  readonly verdict: 'passed' | 'failed' | 'skipped';
  readonly seconds: number | null;
  readonly message: string;
}

export interface ResultReader {
  readonly findings: readonly Finding[];
  readonly results: number;
  push(chunk: Uint8Array): void;
  finish(): void;
}

const messageLimit = 10_000;

/** What a test is by its `status` or `result` alone, where a writer puts no element inside: ctest does so for what is disabled. */
function verdictOf(a: Attributes): TestResult['verdict'] {
  const said = [a['status'], a['result']].map((word) => word?.toLowerCase() ?? '');
  if (said.some((word) => /^(fail|failed|failure|error|broken|timeout)$/.test(word))) return 'failed';
  if (said.some((word) => /^(disabled|not ?run|skip|skipped|suppressed|ignored|pending)$/.test(word))) return 'skipped';
  return 'passed';
}

/**
 * JUnit XML: a test fails by `failure` or `error`, whatever else is said of it, is left out by `skipped` or by a status that says it was not
 * run, and passes otherwise.
 */
export class JunitReader implements ResultReader {
  results = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private readonly suites: string[] = [];
  private test: { group: string; name: string; verdict: TestResult['verdict']; seconds: number | null; message: string } | undefined;
  private listening = false;
  private readonly xml = new XmlStream(
    {
      open: (name, a) => this.open(name, a),
      close: (name) => this.close(name),
      text: (text) => this.text(text),
    },
    this.found,
  );

  constructor(private readonly take: (result: TestResult) => void) {}

  push(chunk: Uint8Array): void {
    this.xml.push(chunk);
  }

  finish(): void {
    this.xml.finish();
    if (!this.xml.broken && !this.results) this.found.add('error', 'No test case was found: these are no JUnit results.');
  }

  private open(name: string, a: Attributes): void {
    if (name === 'testsuite') this.suites.push(a['name'] ?? '');
    else if (name === 'testcase') {
      if (!a['name']) this.found.add('error', 'A test case has no name.', { row: this.xml.line });
      const seconds = Number(a['time']);
      this.test = {
        // Node's own runner names every class “test”: there the suites tell what it belongs to.
        group: a['classname'] && a['classname'] !== 'test' ? a['classname'] : this.suites.filter(Boolean).join(' / '),
        name: a['name'] ?? '',
        verdict: verdictOf(a),
        seconds: a['time'] === undefined || !(seconds >= 0) ? null : seconds,
        message: '',
      };
    } else if (this.test && (name === 'failure' || name === 'error' || name === 'skipped')) {
      if (name !== 'skipped') this.test.verdict = 'failed';
      else if (this.test.verdict !== 'failed') this.test.verdict = 'skipped';
      this.test.message = (a['message'] ?? '').slice(0, messageLimit);
      this.listening = true;
    }
  }

  private text(text: string): void {
    if (this.listening && this.test && text.trim())
      this.test.message = `${this.test.message}\n${text.trim()}`.trim().slice(0, messageLimit);
  }

  private close(name: string): void {
    if (name === 'testsuite') this.suites.pop();
    else if (name === 'failure' || name === 'error' || name === 'skipped') this.listening = false;
    else if (name === 'testcase' && this.test) {
      this.results++;
      this.take(this.test);
      this.test = undefined;
    }
  }
}

/** TAP, versions 12 to 14: `ok` and `not ok` lines at the outermost level; TODO counts as left out when it fails, as TAP means it. */
export class TapReader implements ResultReader {
  results = 0;
  private readonly found = new Findings();
  readonly findings = this.found.list;
  private planned: number | undefined;
  private readonly decoder = new TextDecoder();
  private readonly cutter = new LineCutter(
    (b, start, end) => this.readLine(this.decoder.decode(b.subarray(start, end)).trimEnd()),
    () => this.fault('error', 'The line is longer than any that TAP has.'),
  );

  constructor(private readonly take: (result: TestResult) => void) {}

  push(chunk: Uint8Array): void {
    this.cutter.push(chunk);
  }

  finish(): void {
    this.cutter.finish();
    if (this.planned !== undefined && this.planned !== this.results)
      this.fault('error', `${this.planned} tests were planned, ${this.results} are told: it was cut off.`);
    else if (!this.results) this.fault('error', 'No test line (ok, not ok) was found: this is not TAP.');
    else if (this.planned === undefined) this.fault('warning', 'No plan (1..n) says how many tests there should be.');
  }

  private readLine(line: string): void {
    const plan = /^1\.\.(\d+)/.exec(line);
    if (plan) this.planned = Number(plan[1]);
    if (/^Bail out!/i.test(line)) this.fault('error', line);
    const m = /^(not )?ok\b(?:\s+(\d+))?(?:\s*-\s*|\s+)?([^#]*)(?:#\s*(skip|todo)\S*\s*(.*))?/i.exec(line);
    if (!m || !/^(not )?ok/.test(line)) return;
    const directive = m[4]?.toLowerCase();
    const failed = m[1] !== undefined;
    this.results++;
    this.take({
      group: '',
      name: m[3].trim() || `test ${m[2] ?? this.results}`,
      verdict: directive === 'skip' || (directive === 'todo' && failed) ? 'skipped' : failed ? 'failed' : 'passed',
      seconds: null,
      message: (m[5] ?? '').trim(),
    });
  }

  private fault(severity: 'error' | 'warning', text: string): void {
    this.found.add(severity, text, { row: Math.max(1, this.cutter.line) });
  }
}
