import { iec61508, type CordInput, type CordProblem, type CordRequirement, type CordRun, type StandardProfile } from '@core/prove';
import { metrics, type CoverageByMetric, type Metric } from '@core/measure';

/**
 * What people did, as somebody would keep it who was told of each act and knows section 3 of the design: plain lists, asked again for
 * each question. Nothing of it comes from the server but names and numbers of what an act made.
 */
interface Text {
  readonly key: string;
  revision: number;
  state: 'draft' | 'review' | 'approved';
  author: string;
  approvals: string[];
}
export interface ToldRequirement extends Text {
  level: string;
  topLevel: boolean;
  notInCode: boolean;
}
export interface ToldCase extends Text {
  rows: string[];
  everApproved: boolean;
}
export interface ToldTrace {
  readonly kind: 'verifies' | 'parent';
  readonly from: string;
  readonly to: string;
  fromRevision: number;
  toRevision: number;
  readonly needsConfirmation: boolean;
  readonly drawnBy: string;
  confirmedBy: string | null;
  removed: boolean;
}
export interface ToldRun {
  readonly key: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly build: string;
  readonly planned: number;
  readonly rerun: boolean;
  verdict: CordRun['verdict'];
  finished: number | null;
  deviationAccepted: boolean;
  returned: boolean;
  setAside: boolean;
  withdrawn: boolean;
  carriedOverTo: number | null;
  signatures: { meaning: 'performed' | 'reviewed'; login: string }[];
}
interface ToldProblem {
  readonly key: string;
  readonly build: string;
  readonly run: string | null;
  open: boolean;
  fixedIn: string | null;
  requirements: string[];
}
/** A function of the sources: its first line, and a number that is another one where its text is. */
export interface ToldFunction {
  readonly name: string;
  readonly start: number;
  readonly text: number;
  readonly requirements: readonly string[];
}
/** A point of a function: metric, how many lines behind its first, and which of several there. */
type Point = readonly [Metric, number, number];
export const pointsOfFunction: readonly Point[] = [
  ['function', 0, 0],
  ['line', 0, 0],
  ['line', 2, 0],
  ['line', 3, 0],
  ['line', 4, 0],
  ['branch', 2, 0],
  ['branch', 2, 1],
];
interface ToldUpload {
  readonly key: string;
  readonly build: string;
  readonly run: string | null;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly loaded: number;
  /** Number of the sources that it was matched to. */
  readonly sources: number;
  readonly hits: ReadonlyMap<string, ReadonlySet<number>>;
  withdrawn: boolean;
  superseded: boolean;
}
interface ToldCarry {
  readonly key: string;
  readonly build: string;
  readonly unit: string;
  readonly to: number;
  readonly from: number;
  withdrawn: boolean;
}

export const path = 'src/f.c';

type Place = Pick<ToldRun, 'build' | 'caseKey' | 'row' | 'configuration'>;
const samePlace = (x: Place, y: Place): boolean =>
  x.build === y.build && x.caseKey === y.caseKey && x.row === y.row && x.configuration === y.configuration;

export class Story {
  tick = 0;
  readonly builds: string[] = [];
  readonly requirements: ToldRequirement[] = [];
  readonly cases: ToldCase[] = [];
  readonly traces: ToldTrace[] = [];
  readonly runs: ToldRun[] = [];
  readonly problems: ToldProblem[] = [];
  readonly uploads: ToldUpload[] = [];
  readonly carries: ToldCarry[] = [];
  /** Texts of the one source file, and which of them each build has. */
  readonly texts: (readonly ToldFunction[])[] = [];
  readonly sourcesOf = new Map<string, number>();
  readonly profile: StandardProfile = { ...iec61508, credit: { childCases: false, parentCases: false, deviations: true } };

  textOf(key: string): ToldRequirement | ToldCase | undefined {
    return [...this.requirements, ...this.cases].find((text) => text.key === key);
  }

  draw(kind: ToldTrace['kind'], from: string, to: string, by: string): void {
    const ends = [this.textOf(from), this.textOf(to)];
    const needsConfirmation =
      ends.some((end) => end?.state === 'approved') || this.traces.some((t) => t.kind === kind && t.from === from && t.to === to);
    this.traces.push({
      kind,
      from,
      to,
      fromRevision: ends[0]?.revision ?? 0,
      toRevision: ends[1]?.revision ?? 0,
      needsConfirmation,
      drawnBy: by,
      confirmedBy: needsConfirmation ? null : by,
      removed: false,
    });
  }

  revised(text: ToldRequirement | ToldCase, by: string): void {
    text.revision++;
    text.state = 'draft';
    text.author = by;
    text.approvals = [];
    // A case that nobody ever approved is still being designed: its author has both ends before them.
    if ('everApproved' in text && !text.everApproved)
      for (const t of this.traces)
        if (!t.removed && t.kind === 'verifies' && t.from === text.key && t.fromRevision === text.revision - 1) t.fromRevision++;
  }

  approved(text: ToldRequirement | ToldCase, by: string): void {
    text.state = 'approved';
    text.approvals.push(by);
    if ('everApproved' in text) text.everApproved = true;
    // Whoever approves a text looked at what its author traced it to.
    for (const t of this.traces) if (!t.removed && t.from === text.key && t.confirmedBy === null && t.drawnBy !== by) t.confirmedBy = by;
  }

  planned(run: Pick<ToldRun, 'key' | 'caseKey' | 'caseRevision' | 'row' | 'configuration' | 'build'>): void {
    this.runs.push({
      ...run,
      planned: ++this.tick,
      // Where something stands already.
      rerun: this.runs.some((x) => samePlace(x, run) && x.finished !== null && !x.withdrawn),
      verdict: null,
      finished: null,
      deviationAccepted: false,
      returned: false,
      setAside: false,
      withdrawn: false,
      carriedOverTo: null,
      signatures: [],
    });
  }

  /** What the same tool says again of a subject takes the place of what it said before. */
  load(upload: Omit<ToldUpload, 'withdrawn' | 'superseded' | 'loaded'>): void {
    for (const before of this.uploads)
      if (
        !before.withdrawn &&
        before.build === upload.build &&
        before.run === upload.run &&
        before.caseKey === upload.caseKey &&
        before.caseRevision === upload.caseRevision
      )
        before.superseded = true;
    this.uploads.push({ ...upload, loaded: ++this.tick, withdrawn: false, superseded: false });
  }

  private standing(kind: ToldTrace['kind']): ToldTrace[] {
    return this.traces.filter((t) => t.kind === kind && !t.removed);
  }

  private family(key: string): Set<string> {
    const found = new Set([key]);
    for (const member of found) for (const t of this.standing('parent')) if (t.to === member) found.add(t.from);
    return found;
  }

  /** Is a result one that gives credit: the newest of its row and configuration, passing, of the case as it is, signed by its tester? */
  private credits(x: ToldRun): boolean {
    const c = this.cases.find(({ key }) => key === x.caseKey) as ToldCase;
    const rivals = this.runs.filter((y) => samePlace(x, y) && !y.withdrawn && y.finished !== null);
    return (
      x.finished !== null &&
      !x.withdrawn &&
      !x.returned &&
      rivals.every((y) => (y.finished ?? 0) <= (x.finished ?? 0)) &&
      (x.verdict === 'passed' || (x.verdict === 'deviation' && x.deviationAccepted)) &&
      (c.rows.length ? c.rows.includes(x.row ?? '') : x.row === null) &&
      Math.max(x.caseRevision, x.carriedOverTo ?? 0) >= c.revision &&
      x.signatures.some((s) => s.meaning === 'performed' && s.login === 'tester')
    );
  }

  private uploadCounts(u: ToldUpload): boolean {
    return this.runs.some((x) => {
      if (x.build !== u.build || x.caseKey !== u.caseKey || !this.credits(x)) return false;
      if (u.run !== null) return x.key === u.run;
      return x.caseRevision === u.caseRevision && !(x.rerun && u.loaded < x.planned);
    });
  }

  /** What the code of a requirement, and of those derived from it, has on a build. */
  private code(build: string, key: string): CordInput['code'] extends ReadonlyMap<string, infer C> ? C | undefined : never {
    const family = this.family(key);
    const version = this.sourcesOf.get(build);
    const functions = version === undefined ? [] : this.texts[version];
    const mine = functions.filter((f) => f.requirements.some((r) => family.has(r))).sort((a, b) => (a.name < b.name ? -1 : 1));
    if (!mine.length) return undefined;
    const own = new Set(
      this.standing('verifies')
        .filter((t) => family.has(t.to))
        .map((t) => t.from),
    );
    const here = this.uploads.filter((u) => u.build === build && !u.withdrawn);
    const heard = here.filter((u) => !u.superseded);
    const unmeasured = new Map<string, string[]>();
    const totals = Object.fromEntries(metrics.map((m) => [m, { found: 0, exercised: 0, credited: 0, justified: 0 }]));
    const gaps: Partial<Record<Metric, string>> = {};
    const carriedBy: string[] = [];
    let measured = 0;
    for (const f of mine) {
      const carried = this.carries.filter((c) => c.build === build && !c.withdrawn && c.unit === f.name && c.to === version);
      const there = heard.filter((u) => u.hits.has(f.name));
      const rests = there.filter((u) => u.sources === version || carried.some((c) => c.from === u.sources));
      const present = heard.some((u) => u.sources === version);
      const borne = carried.filter((c) => heard.some((u) => u.sources === c.from));
      if (!present && !borne.length) {
        const status = heard.length ? 'otherText' : 'neverLoaded';
        unmeasured.set(status, [...(unmeasured.get(status) ?? []), f.name]);
        continue;
      }
      measured++;
      if (borne.length) carriedBy.push((borne.at(-1) as ToldCarry).key);
      pointsOfFunction.forEach(([metric, line], i) => {
        if (!rests.length) return;
        const sum = totals[metric] as { found: number; exercised: number; credited: number };
        sum.found++;
        if (rests.some((u) => u.hits.get(f.name)?.has(i))) sum.exercised++;
        if (rests.some((u) => own.has(u.caseKey) && u.hits.get(f.name)?.has(i) && this.uploadCounts(u))) sum.credited++;
        else gaps[metric] ??= `${path}:${f.start + line}`;
      });
    }
    return {
      own: functions.some((f) => f.requirements.includes(key)) ? [path] : [],
      casesMeasured: here.some((u) => own.has(u.caseKey)),
      units: mine.length,
      unmeasured: (['neverLoaded', 'otherText'] as const).flatMap((status) => {
        const names = unmeasured.get(status) ?? [];
        return names.length ? [{ status, first: `${path} ${names[0]}`, count: names.length, paths: [path] }] : [];
      }),
      measured,
      totals: totals as unknown as CoverageByMetric,
      gaps,
      ...(carriedBy.length ? { carried: { units: carriedBy.length, keys: [...new Set(carriedBy)].sort() } } : {}),
    };
  }

  private problemsOn(build: string): CordProblem[] {
    const at = (name: string): number => this.builds.indexOf(name);
    return this.problems
      .filter((x) => x.requirements.length)
      .map(({ key, run, requirements, open, fixedIn, build: found }) => ({
        key,
        run,
        requirements,
        blocking: true,
        standing: at(found) <= at(build) && (fixedIn === null ? open : at(build) < at(fixedIn)),
      }));
  }

  /** The facts on a build, from which cords are judged. */
  facts(build: string): CordInput {
    const version = this.sourcesOf.get(build);
    const heard = this.uploads.filter((u) => u.build === build && !u.withdrawn);
    const functions = version === undefined ? [] : this.texts[version];
    const present = heard.some(
      (u) =>
        !u.superseded &&
        (u.sources === version
          ? u.hits.size > 0
          : functions.some((f) =>
              this.carries.some((c) => c.build === build && !c.withdrawn && c.unit === f.name && c.to === version && c.from === u.sources),
            )),
    );
    const known = new Set<Metric>(present ? ['function', 'line', 'branch'] : []);
    return {
      build,
      profile: this.profile,
      requirements: this.requirements.map((r): CordRequirement => ({
        ...r,
        title: r.key,
        approvals: r.approvals.map((login) => ({ login, matches: true })),
        method: 'test',
        derived: false,
        hasRationale: false,
        notInCodeRationale: r.notInCode,
      })),
      cases: this.cases.map(({ rows, state, approvals, everApproved: _, ...c }) => ({
        ...c,
        approved: state === 'approved',
        approvals: approvals.map((login) => ({ login, matches: true })),
        unapprovedCalls: [],
        ...(rows.length ? { rows } : {}),
      })),
      parents: this.standing('parent'),
      verifies: this.standing('verifies'),
      runs: this.runs
        .filter((x) => x.build === build && !x.withdrawn)
        .map((x) => ({ ...x, failedStep: null, tester: 'tester', signatures: x.signatures.map((s) => ({ ...s, matches: true })) })),
      problems: this.problemsOn(build),
      code: new Map(
        this.requirements.flatMap((r) => {
          const code = this.code(build, r.key);
          return code ? [[r.key, code]] : [];
        }),
      ),
      missingMetrics: new Set(heard.length ? metrics.filter((m) => !known.has(m)) : []),
    };
  }
}
