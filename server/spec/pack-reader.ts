import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import Papa from 'papaparse';

// A second program that reads a proof pack: it knows the files and nothing of the code that wrote them, and computes their figures again.

interface Step {
  readonly verdict: string | null;
}
interface RunRecord {
  readonly key: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly tester: string;
  readonly verdict: string | null;
  readonly finishedAt: string | null;
  readonly steps: readonly Step[];
  readonly evidence: readonly { readonly step: number; readonly name: string; readonly sha256: string }[];
}
interface Signed {
  readonly meaning: string;
  readonly login: string;
  readonly hash: string;
}
interface Trace {
  readonly kind: string;
  readonly from: string;
  readonly fromRevision: number;
  readonly to: string;
  readonly toRevision: number;
}
interface Knot {
  readonly state: string;
  readonly reasons: readonly { readonly words: string }[];
}
interface Cord {
  readonly key: string;
  readonly title: string;
  readonly level: string;
  readonly knots: Readonly<Record<string, Knot>>;
  readonly firstBreak: string | null;
}
interface Point {
  readonly metric: string;
  readonly state: string;
  readonly hitBy: readonly string[];
}
interface Covered {
  readonly scope: string;
  readonly name: string;
  readonly coverage: Readonly<Record<string, { readonly found: number; readonly exercised: number; readonly credited: number }>>;
}

const knots = ['specify', 'design', 'run', 'measure', 'prove'] as const;

/** What was read and computed again, and everything in which the pack does not agree with itself. */
export interface Reading {
  readonly runs: number;
  readonly cords: number;
  readonly points: number;
  readonly signatures: number;
  readonly faults: readonly string[];
}

/** Reads an unpacked proof pack. */
export function readPack(folder: string): Reading {
  const text = (name: string): string => readFileSync(join(folder, name), 'utf8');
  const json = <T>(name: string): T => JSON.parse(text(name)) as T;
  const sha256 = (name: string): string =>
    createHash('sha256')
      .update(readFileSync(join(folder, name)))
      .digest('hex');
  const faults: string[] = [];
  const need = (holds: boolean, fault: string): void => void (holds || faults.push(fault));

  // Every file is listed with its hash, and every listed one is there.
  const listed = new Map(
    text('SHA256SUMS')
      .trim()
      .split('\n')
      .map((line) => [line.slice(66), line.slice(0, 64)]),
  );
  const there = readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name).slice(folder.length + 1))
    .filter((name) => !name.startsWith('SHA256SUMS'));
  for (const name of there) need(listed.get(name) === sha256(name), `${name} is not as it is listed`);
  need(listed.size === there.length, `${listed.size} files are listed, ${there.length} are there`);

  // Runs: the verdict follows from the steps, signatures are under the very bytes, evidence has its hash.
  const folders = readdirSync(join(folder, 'runs'), { withFileTypes: true }).filter((entry) => entry.isDirectory());
  const runs = folders.map(({ name: key }) => json<RunRecord>(`runs/${key}/record.json`));
  const signed = new Map<string, Signed[]>();
  let signatures = 0;
  for (const record of runs) {
    const verdicts = record.steps.map((step) => step.verdict);
    const worst = ['blocked', 'deviation'].find((verdict) => verdicts.includes(verdict));
    // A failure ends a run; every other verdict needs all steps.
    const follows = verdicts.includes('fail') ? 'fail' : verdicts.includes(null) || !verdicts.length ? null : (worst ?? 'pass');
    const said = { failed: 'fail', passed: 'pass', blocked: 'blocked', deviation: 'deviation' }[record.verdict ?? ''] ?? null;
    if (record.finishedAt !== null) need(said === follows, `${record.key} says ${record.verdict}, its steps ${follows}`);
    const mine = json<Signed[]>(`runs/${record.key}/signatures.json`);
    signed.set(record.key, mine);
    signatures += mine.length;
    const hash = sha256(`runs/${record.key}/record.json`);
    for (const { hash: bound, meaning, login } of mine) {
      need(bound === hash, `${record.key}: ${login} signed ${meaning} on another text`);
      need(meaning !== 'performed' || login === record.tester, `${record.key}: performed is signed by ${login}, not by its tester`);
      need(meaning !== 'reviewed' || login !== record.tester, `${record.key}: its own tester reviewed it`);
    }
    for (const { step, name, sha256: noted } of record.evidence) {
      const file = there.find((path) => path.startsWith(`runs/${record.key}/evidence/`) && sha256(path) === noted);
      need(file !== undefined, `${record.key} step ${step}: no file here is ${name}`);
    }
  }

  // A knot Run that is sound stands on a result of every case, row and configuration of which the newest one passed.
  const { decisions } = json<{ decisions: readonly { run: string; choice: string }[] }>('deviations.json');
  const decided = (run: string, choice: string): boolean => decisions.some((d) => d.run === run && d.choice === choice);
  const newest = new Map<string, RunRecord>();
  for (const record of runs) {
    if (record.finishedAt === null || decided(record.key, 'withdrawn')) continue;
    const place = [record.caseKey, record.row, record.configuration].join('\n');
    const before = newest.get(place);
    if (!before || (before.finishedAt ?? '') < record.finishedAt) newest.set(place, record);
  }
  const standing = (caseKey: string): RunRecord[] => [...newest.values()].filter((record) => record.caseKey === caseKey);
  const passes = ({ key, verdict }: RunRecord): boolean =>
    verdict === 'passed' || (verdict === 'deviation' && decided(key, 'deviation accepted'));
  const verifies = json<Trace[]>('trace/traces.json').filter(({ kind }) => kind === 'verifies');
  const casesOf = (requirement: string): string[] => verifies.filter(({ to }) => to === requirement).map(({ from }) => from);
  const revisionOf = new Map(json<{ key: string; revision: number }[]>('cases.json').map(({ key, revision }) => [key, revision]));
  const { cords } = json<{ cords: readonly Cord[] }>('cords/cords.json');
  for (const { key, knots: all } of cords) {
    const cases = casesOf(key);
    const results = cases.flatMap(standing);
    if (all['design'].state === 'sound') need(cases.length > 0, `${key}: Design is sound, and no case verifies it`);
    if (all['run'].state === 'sound') {
      for (const c of cases) need(standing(c).length > 0, `${key}: Run is sound, and ${c} has no result`);
      for (const result of results) {
        need(passes(result), `${key}: Run is sound, and ${result.key} ${result.verdict}`);
        const present = revisionOf.get(result.caseKey) ?? 0;
        const carried = decided(result.key, 'carried over');
        need(
          result.caseRevision === present || carried,
          `${key}: Run is sound on ${result.key}, of an older revision of ${result.caseKey}`,
        );
      }
    }
    if (results.some(({ verdict }) => verdict === 'failed')) need(all['run'].state !== 'sound', `${key}: a run failed, and Run is sound`);
    if (all['prove'].state === 'sound')
      for (const { key: run } of results)
        need(signed.get(run)?.some(({ meaning }) => meaning === 'performed') ?? false, `${key}: Prove is sound, and ${run} is not signed`);
  }

  // The first break is the first knot that is neither sound nor needed; the table of breaks names every knot that is open.
  for (const { key, knots: all, firstBreak } of cords) {
    const open = knots.filter((knot) => !['sound', 'notRequired'].includes(all[knot].state));
    need(
      (open.find((knot) => all[knot].state !== 'notReached') ?? open[0] ?? null) === firstBreak,
      `${key}: its first break is not ${firstBreak}`,
    );
  }
  const breaks = Papa.parse<Record<string, string>>(text('breaks.csv'), { header: true, skipEmptyLines: true }).data;
  const broken = cords.filter(({ firstBreak }) => firstBreak !== null).map(({ key }) => key);
  const named = new Set(breaks.map((row) => row['requirement']));
  for (const key of broken) need(named.has(key), `${key} is broken, and the table of breaks leaves it out`);
  for (const key of named) need(broken.includes(key ?? ''), `${key} is sound, and stands in the table of breaks`);

  // Coverage: the figures of a file are its points, those of the build its files; a credited point was hit by a case that passed.
  const { items, points } = json<{ items: readonly Covered[]; points: readonly { path: string; points: readonly Point[] }[] }>(
    'coverage/coverage.json',
  );
  let count = 0;
  const total = new Map<string, { found: number; exercised: number; credited: number }>();
  for (const file of points) {
    const sums = new Map<string, { found: number; exercised: number; credited: number }>();
    for (const { metric, state, hitBy } of file.points) {
      count++;
      for (const into of [sums, total]) {
        const sum = into.get(metric) ?? { found: 0, exercised: 0, credited: 0 };
        into.set(metric, sum);
        sum.found++;
        if (state !== 'neverHit') sum.exercised++;
        if (state === 'credited') sum.credited++;
      }
      if (state === 'credited')
        need(
          hitBy.some((c) => standing(c).some(passes)),
          `${file.path}: a credited point, and no case passed that hit it`,
        );
      if (state === 'neverHit') need(hitBy.length === 0, `${file.path}: a point never hit is hit by ${hitBy.join(', ')}`);
    }
    compare(
      items.find(({ scope, name }) => scope === 'file' && name === file.path),
      sums,
      file.path,
    );
  }
  compare(
    items.find(({ scope }) => scope === 'build'),
    total,
    'the build',
  );
  function compare(
    item: Covered | undefined,
    sums: ReadonlyMap<string, { found: number; exercised: number; credited: number }>,
    name: string,
  ): void {
    if (!item) return void (sums.size && faults.push(`${name} has points and no figures`));
    for (const [metric, { found, exercised, credited }] of Object.entries(item.coverage)) {
      const sum = sums.get(metric) ?? { found: 0, exercised: 0, credited: 0 };
      const same = sum.found === found && sum.exercised === exercised && sum.credited === credited;
      need(
        same,
        `${name}, ${metric}: ${found}/${exercised}/${credited} stands there, ${sum.found}/${sum.exercised}/${sum.credited} is in its points`,
      );
    }
  }

  // The matrix holds every trace between a requirement and a case.
  const matrix = Papa.parse<Record<string, string>>(text('trace/matrix.csv'), { header: true, skipEmptyLines: true }).data;
  const pairs = new Set(matrix.map((row) => `${row['requirement']} ${row['case']}`));
  for (const { from, to } of verifies)
    if (cords.some(({ key }) => key === to)) need(pairs.has(`${to} ${from}`), `the matrix leaves out ${from} of ${to}`);
  return { runs: runs.length, cords: cords.length, points: count, signatures, faults };
}
