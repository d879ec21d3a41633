import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

// A second program that works out credit again from a proof pack: from the coverage as it was loaded, the runs, the traces and the
// functions, each point a name in a set. It knows LCOV, and nothing of the code that wrote the pack.

interface RunRecord {
  readonly key: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly tester: string;
  readonly verdict: string | null;
  readonly finishedAt: string | null;
}
interface Measurement {
  readonly file: string;
  readonly run: string | null;
  readonly case: string | null;
  readonly caseRevision: number | null;
  readonly row: string | null;
  readonly configuration: string | null;
  readonly withdrawn: boolean;
  readonly parts: readonly { readonly path: string; readonly source: string; readonly partial: boolean; readonly superseded: boolean }[];
}
interface FunctionOf {
  readonly name: string;
  readonly start: number;
  readonly end: number;
}
interface CarriedUnit {
  readonly path: string;
  readonly unit: string;
  readonly source: string;
  readonly fromPath: string;
  readonly fromSource: string;
  readonly fromStart: number;
}
interface Figures {
  readonly found: number;
  readonly exercised: number;
  readonly credited: number;
}
const compared = ['function', 'line', 'branch'] as const;

interface Point {
  readonly metric: (typeof compared)[number];
  readonly line: number;
  readonly rest: string;
  readonly hit: boolean;
}
const nameOf = ({ metric, line, rest }: Point): string => (metric === 'function' ? `function ${rest}` : `${metric} ${line} ${rest}`);

/** The sections of an LCOV file: the test, the file, and its points. */
function readLcov(text: string): { readonly test: string; readonly path: string; readonly points: readonly Point[] }[] {
  const sections: { test: string; path: string; points: Point[] }[] = [];
  let [test, path] = ['', ''];
  let points: Point[] = [];
  const entries = new Map<string, number>();
  for (const line of text.split('\n')) {
    const [word, rest = ''] = [line.slice(0, line.indexOf(':')), line.slice(line.indexOf(':') + 1)];
    const values = rest.split(',');
    if (word === 'TN') test = rest;
    else if (word === 'SF') path = rest;
    else if (word === 'FN') entries.set(values[values.length - 1], Number(values[0]));
    else if (word === 'FNDA')
      points.push({ metric: 'function', line: entries.get(values[1]) ?? 0, rest: values[1], hit: Number(values[0]) > 0 });
    else if (word === 'DA') points.push({ metric: 'line', line: Number(values[0]), rest: '', hit: Number(values[1]) > 0 });
    else if (word === 'BRDA')
      points.push({
        metric: 'branch',
        line: Number(values[0]),
        rest: `${values[1]}.${values[2]}`,
        hit: values[3] !== '-' && Number(values[3]) > 0,
      });
    else if (line === 'end_of_record') {
      sections.push({ test, path, points });
      points = [];
      entries.clear();
    }
  }
  return sections;
}

/** Works out what is credited to each requirement of a pack, and says where its figures are others. */
export function recredit(folder: string): { readonly requirements: number; readonly credited: number; readonly faults: readonly string[] } {
  const json = <T>(name: string): T => JSON.parse(readFileSync(join(folder, name), 'utf8')) as T;
  const sha256 = (name: string): string =>
    createHash('sha256')
      .update(readFileSync(join(folder, name)))
      .digest('hex');
  const faults: string[] = [];
  const { profile } = json<{
    profile: { credit?: { childCases: boolean; parentCases: boolean; deviations: boolean }; policies?: { creditNeedsSignature: boolean } };
  }>('configuration.json');
  if (profile.credit?.childCases || profile.credit?.parentCases)
    faults.push('credit by cases of other requirements is not worked out here');

  const cases = json<{ key: string; revision: number; rows?: { name: string }[] }[]>('cases.json');
  const traces = json<{ kind: string; from: string; to: string }[]>('trace/traces.json');
  const { decisions } = json<{ decisions: { run: string; choice: string }[] }>('deviations.json');
  const decided = (run: string, choice: string): boolean => decisions.some((d) => d.run === run && d.choice === choice);
  const runs = readdirSync(join(folder, 'runs'), { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map(({ name }) => json<RunRecord>(`runs/${name}/record.json`));

  /** Results that give credit: the newest of each row and configuration, if it passes, of the case as it is now, signed by its tester. */
  const crediting = (caseKey: string): RunRecord[] => {
    const c = cases.find(({ key }) => key === caseKey);
    const rows = c?.rows?.map(({ name }) => name) ?? [];
    const finished = runs.filter((run) => run.caseKey === caseKey && run.finishedAt !== null && !decided(run.key, 'withdrawn'));
    return finished.filter((run) => {
      const newer = finished.some(
        (other) => other.row === run.row && other.configuration === run.configuration && (other.finishedAt ?? '') > (run.finishedAt ?? ''),
      );
      const passed =
        run.verdict === 'passed' ||
        (run.verdict === 'deviation' && (profile.credit?.deviations ?? true) && decided(run.key, 'deviation accepted'));
      const present = rows.length ? rows.includes(run.row ?? '') : run.row === null;
      const current = run.caseRevision === c?.revision || decided(run.key, 'carried over');
      const signed = json<{ meaning: string; login: string; hash: string }[]>(`runs/${run.key}/signatures.json`).some(
        (s) => s.meaning === 'performed' && s.login === run.tester && s.hash === sha256(`runs/${run.key}/record.json`),
      );
      return (
        !newer &&
        passed &&
        present &&
        current &&
        !decided(run.key, 'returned') &&
        (signed || !(profile.policies?.creditNeedsSignature ?? true))
      );
    });
  };
  const counts = (m: Measurement): boolean =>
    m.case !== null &&
    crediting(m.case).some((run) =>
      m.run !== null
        ? run.key === m.run
        : run.caseRevision === m.caseRevision &&
          (m.row === null || m.row === run.row) &&
          (m.configuration === null || m.configuration === run.configuration),
    );

  const loaded = new Map<string, ReturnType<typeof readLcov>>();
  const sectionsOf = (file: string): ReturnType<typeof readLcov> => {
    const known = loaded.get(file) ?? readLcov(readFileSync(join(folder, file), 'utf8'));
    loaded.set(file, known);
    return known;
  };
  const measurements = json<Measurement[]>('coverage/measurements.json').filter((m) => !m.withdrawn);
  /** What was measured of a file's text: by which case, whether that counts, and the points. */
  const measuredOf = (path: string, source: string) =>
    measurements.flatMap((m) => {
      const part = m.parts.find((p) => p.path === path && p.source === source && !p.superseded);
      if (!part) return [];
      const points = sectionsOf(m.file)
        .filter((s) => s.path.endsWith(path) && (m.run !== null || !cases.some(({ key }) => key === s.test) || s.test === m.case))
        .flatMap((s) => s.points);
      return [{ caseKey: m.case, counts: counts(m), partial: part.partial, points }];
    });
  const files = json<{ path: string; sha256: string; functions: FunctionOf[] }[]>('coverage/functions.json');
  const carried = json<{ state: string; units: CarriedUnit[] }[]>('coverage/carried.json')
    .filter(({ state }) => state === 'stands')
    .flatMap(({ units }) => units);

  interface Piece {
    readonly caseKey: string | null;
    readonly counts: boolean;
    readonly partial: boolean;
    readonly points: readonly Point[];
  }
  const within = (points: readonly Point[], name: string, start: number, end: number): Point[] =>
    points.filter((p) => (p.metric === 'function' && p.rest === name) || (p.line >= start && p.line <= end));
  /** What is measured of a function, there and on the text before where somebody carried it; undefined where that is nothing, or a part. */
  const ofFunction = (path: string, name: string): Piece[] | undefined => {
    const file = files.find((f) => f.path === path);
    const unit = file?.functions.find((f) => f.name === name);
    if (!file || !unit) return undefined;
    const here = measuredOf(path, file.sha256).map((m) => ({ ...m, points: within(m.points, name, unit.start, unit.end) }));
    const before = carried
      .filter((c) => c.path === path && c.unit === name && c.source === file.sha256)
      .flatMap((c) =>
        measuredOf(c.fromPath, c.fromSource).map((m) => ({
          ...m,
          points: within(m.points, name, c.fromStart, c.fromStart + unit.end - unit.start).map((p) => ({
            ...p,
            line: p.line + unit.start - c.fromStart,
          })),
        })),
      );
    const all = [...here, ...before];
    return all.length && !all.some((m) => m.partial) ? all : undefined;
  };

  const toCode = json<{ path: string; unit: string; requirement: string }[]>('trace/code.json');
  const { items } = json<{ items: { scope: string; name: string; coverage: Record<string, Figures> }[] }>('coverage/coverage.json');
  const said = items.filter(({ scope }) => scope === 'requirement');
  let credited = 0;
  for (const { name: key, coverage } of said) {
    const family = new Set([key]);
    for (const member of family) for (const t of traces) if (t.kind === 'parent' && t.to === member) family.add(t.from);
    const own = new Set(traces.filter((t) => t.kind === 'verifies' && family.has(t.to)).map((t) => t.from));
    const places = new Set(toCode.filter((t) => family.has(t.requirement)).map((t) => `${t.path}\n${t.unit}`));
    const sums = Object.fromEntries(compared.map((metric) => [metric, { found: 0, exercised: 0, credited: 0 }]));
    for (const place of places) {
      const [path, unit] = place.split('\n');
      const pieces = ofFunction(path, unit);
      if (!pieces) continue;
      for (const metric of compared) {
        const names = (of: readonly Piece[], hit: boolean): number =>
          new Set(of.flatMap(({ points }) => points.filter((p) => p.metric === metric && (p.hit || !hit)).map(nameOf))).size;
        const mine = pieces.filter((m) => m.counts && m.caseKey !== null && own.has(m.caseKey));
        sums[metric].found += names(pieces, false);
        sums[metric].exercised += names(pieces, true);
        sums[metric].credited += names(mine, true);
      }
    }
    for (const metric of compared) {
      const [stands, found] = [coverage[metric], sums[metric]];
      credited += found.credited;
      if (stands.found !== found.found || stands.exercised !== found.exercised || stands.credited !== found.credited)
        faults.push(
          `${key}, ${metric}: ${stands.found}/${stands.exercised}/${stands.credited} stands there, ${found.found}/${found.exercised}/${found.credited} comes of what was loaded`,
        );
    }
  }
  const named = new Set(said.map(({ name }) => name));
  for (const { requirement } of toCode) if (!named.has(requirement)) faults.push(`${requirement} has code, and no figures`);
  return { requirements: said.length, credited, faults };
}
