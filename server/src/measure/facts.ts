import {
  addCoverage,
  coverageOf,
  creditFile,
  creditRules,
  metrics,
  moveBits,
  noCoverage,
  sizeOf,
  unionTables,
  unitCoverages,
  unpackFiles,
  unpackHits,
  unpackTable,
  type CodeUnit,
  type CreditContext,
  type FileCredit,
  type FileMeasurement,
  type MeasuredFile,
  type Metric,
  type PointTable,
  type UnitCoverage,
} from '@core/measure';
import {
  passingCases,
  type CordCase,
  type CordInput,
  type CordProblem,
  type CordRequirement,
  type CordRun,
  type StandardProfile,
} from '@core/prove';
import { groupBy } from '@core/base';
import { runHash } from '@core/run';
import { and, asc, eq, isNull } from 'drizzle-orm';
import { allTraces, ledgerHead, projects, signatures, wholeBlob, type Db, type Tx } from '../base';
import { cases } from '../design';
import { evidence, problems, runRecord, runs } from '../run';
import { requirements } from '../specify';
import { codeTraces, measurements, sources } from './tables';

/** Everything that is judged of one build, as it stood at one ledger number. */
export interface BuildFacts {
  readonly seq: number;
  readonly build: string;
  readonly input: CordInput;
  readonly files: readonly MeasuredFile[];
  readonly credits: readonly FileCredit[];
  readonly units: readonly UnitCoverage[];
  readonly context: CreditContext;
  readonly byHand: readonly { readonly path: string; readonly unit: string; readonly requirement: string }[];
  readonly measuredCases: readonly string[];
  readonly caseTitles: ReadonlyMap<string, string>;
}

interface Kept {
  readonly at: number;
  readonly facts: BuildFacts;
}
const kept = new Map<string, Kept>();
const readings = new Map<string, Promise<BuildFacts>>();
const keptLimit = 8;
/** However quiet the ledger is, stored records are read again after this time, so that a change behind our back is noticed. */
const staleAfter = 60_000;
/** Stored measurements never change, and neither do the points under a hash: both are unpacked once. */
const unpacked = new Map<number, readonly FileMeasurement[]>();
const tables = new Map<string, PointTable>();

/**
 * The facts of a build. Kept in memory while the ledger has not moved: any node may do so, since the ledger tells.
 * `head` is the ledger's last number where the caller has just read it.
 */
export async function buildFacts(db: Db, projectId: number, build: string, head?: number): Promise<BuildFacts> {
  const seq = head ?? (await ledgerHead(db, projectId));
  const id = `${projectId}:${build}`;
  const known = kept.get(id);
  if (known && known.facts.seq === seq && Date.now() - known.at < staleAfter) return known.facts;
  // Several who ask at once wait for one reading.
  const asked = `${id}:${seq}`;
  const reading = readings.get(asked) ?? db.transaction((tx) => readFacts(tx, projectId, build)).finally(() => readings.delete(asked));
  readings.set(asked, reading);
  const facts = await reading;
  kept.delete(id);
  kept.set(id, { at: Date.now(), facts });
  if (kept.size > keptLimit) kept.delete(kept.keys().next().value ?? '');
  return facts;
}

/** Reads the facts afresh, in the caller's snapshot. */
export async function readFacts(tx: Tx, projectId: number, build: string): Promise<BuildFacts> {
  const seq = await ledgerHead(tx, projectId);
  const [{ profile }] = await tx.select({ profile: projects.profile }).from(projects).where(eq(projects.id, projectId));
  const all = await allTraces(tx, projectId);
  const asTraces = (kind: 'parent' | 'verifies') =>
    all
      .filter((t) => t.kind === kind)
      .map((t) => ({ from: t.fromKey, to: t.toKey, fromRevision: t.fromRevision, toRevision: t.toRevision }));
  const verifies = asTraces('verifies');
  const caseRows = await tx
    .select({ key: cases.key, title: cases.title, revision: cases.revision, state: cases.state, rows: cases.rows })
    .from(cases)
    .where(eq(cases.projectId, projectId));
  const cordCases: CordCase[] = caseRows.map(({ key, revision, state, rows }) => ({
    key,
    revision,
    approved: state === 'approved',
    ...(rows?.length ? { rows: rows.map((row) => row.name) } : {}),
  }));
  const cordRuns = await readRuns(tx, projectId, build);
  const passing = passingCases(cordCases, cordRuns, profile.credit);
  const byCase = new Map<string, Set<string>>();
  for (const { from, to } of verifies) byCase.set(from, (byCase.get(from) ?? new Set()).add(to));
  const context: CreditContext = {
    verifies: byCase,
    passing,
    parents: asTraces('parent'),
    ...(profile.credit ? { policy: profile.credit } : {}),
  };
  const { files, byHand, measuredCases } = await readCode(tx, projectId, build);
  const rules = creditRules(context);
  const credits = files.map((file) => creditFile(file, rules));
  const units = unitCoverages(credits);
  const input = cordInput(
    build,
    profile,
    await readRequirements(tx, projectId),
    cordCases,
    asTraces('parent'),
    verifies,
    cordRuns,
    await readProblems(tx, projectId, build),
    units,
    credits,
    new Set(measuredCases),
  );
  return {
    seq,
    build,
    input,
    files,
    credits,
    units,
    context,
    byHand,
    measuredCases,
    caseTitles: new Map(caseRows.map((c) => [c.key, c.title])),
  };
}

function cordInput(
  build: string,
  profile: StandardProfile,
  cordRequirements: CordRequirement[],
  cordCases: CordCase[],
  parents: CordInput['parents'],
  verifies: CordInput['verifies'],
  cordRuns: CordRun[],
  cordProblems: CordProblem[],
  units: readonly UnitCoverage[],
  credits: readonly FileCredit[],
  measured: ReadonlySet<string>,
): CordInput {
  const whole = coverageOf(credits);
  const pairs = units.flatMap((unit) => unit.unit.requirements.map((key) => ({ key, unit })));
  const unitsOf = groupBy(
    pairs,
    (pair) => pair.key,
    (pair) => pair.unit,
  );
  return {
    build,
    profile,
    requirements: cordRequirements,
    cases: cordCases,
    parents,
    verifies,
    runs: cordRuns,
    problems: cordProblems,
    measured,
    measuredMetrics: new Set(metrics.filter((metric) => whole[metric].found > 0)),
    codeOf: new Map([...unitsOf].map(([key, list]) => [key, list.map((u) => u.path)])),
    coverageOf: (keys) => {
      const mine = [...new Set([...keys].flatMap((key) => unitsOf.get(key) ?? []))];
      if (!mine.length) return undefined;
      return {
        totals: mine.reduce((sum, unit) => addCoverage(sum, unit.totals), noCoverage),
        firstGap: (metric: Metric) => {
          const gap = mine.find((unit) => unit.firstGap[metric] !== undefined);
          return gap && `${gap.path}:${gap.firstGap[metric]}`;
        },
      };
    },
  };
}

async function readRequirements(tx: Tx, projectId: number): Promise<CordRequirement[]> {
  const rows = await tx
    .select({
      key: requirements.key,
      title: requirements.title,
      revision: requirements.revision,
      state: requirements.state,
      level: requirements.level,
      method: requirements.method,
      topLevel: requirements.topLevel,
      derived: requirements.derived,
      rationale: requirements.rationale,
      notInCode: requirements.notInCode,
      why: requirements.notInCodeRationale,
    })
    .from(requirements)
    .where(and(eq(requirements.projectId, projectId), eq(requirements.kind, 'requirement')));
  return rows.map(({ rationale, why, ...row }) => ({
    ...row,
    hasRationale: rationale.trim() !== '',
    notInCodeRationale: why.trim() !== '',
  }));
}

/** Runs with their signatures; every signed record is hashed again here, so that a changed one shows. */
async function readRuns(tx: Tx, projectId: number, build: string): Promise<CordRun[]> {
  const rows = await tx
    .select()
    .from(runs)
    .where(and(eq(runs.projectId, projectId), eq(runs.build, build), isNull(runs.supersededBy)))
    .orderBy(asc(runs.id));
  const signed = await tx.select().from(signatures).where(eq(signatures.projectId, projectId)).orderBy(asc(signatures.id));
  const files = await tx
    .select()
    .from(evidence)
    .where(and(eq(evidence.projectId, projectId), isNull(evidence.removedAt)))
    .orderBy(asc(evidence.id));
  const signedBy = groupBy(signed, (s) => s.runId);
  const filesOf = groupBy(files, (f) => f.runId);
  return rows.map((run) => {
    const mine = signedBy.get(run.id) ?? [];
    const hash = mine.length ? runHash(runRecord(run, filesOf.get(run.id) ?? [])) : '';
    const { key, caseKey, caseRevision, row, configuration, verdict, failedStep, deviationAccepted, carriedOverTo, tester } = run;
    return {
      key,
      caseKey,
      caseRevision,
      row,
      configuration,
      verdict,
      failedStep,
      deviationAccepted,
      carriedOverTo,
      tester,
      signatures: mine.map((s) => ({ meaning: s.meaning, login: s.login, matches: s.hash === hash })),
    };
  });
}

async function readProblems(tx: Tx, projectId: number, build: string): Promise<CordProblem[]> {
  const rows = await tx
    .select()
    .from(problems)
    .where(and(eq(problems.projectId, projectId), eq(problems.build, build)));
  return rows.map(({ key, blocking, state, requirements: keys, run }) => ({
    key,
    blocking,
    open: state === 'open',
    requirements: keys,
    run,
  }));
}

async function readCode(
  tx: Tx,
  projectId: number,
  build: string,
): Promise<{ files: MeasuredFile[]; byHand: BuildFacts['byHand']; measuredCases: string[] }> {
  const mine = await tx
    .select({ path: sources.path, functions: sources.functions })
    .from(sources)
    .where(and(eq(sources.projectId, projectId), eq(sources.build, build), isNull(sources.supersededAt)))
    .orderBy(asc(sources.path));
  const byHand = await tx
    .select({ path: codeTraces.path, unit: codeTraces.unit, requirement: codeTraces.requirement })
    .from(codeTraces)
    .where(and(eq(codeTraces.projectId, projectId), isNull(codeTraces.removedAt)));
  const stored = await tx
    .select({ id: measurements.id, caseKey: measurements.caseKey })
    .from(measurements)
    .where(and(eq(measurements.projectId, projectId), eq(measurements.build, build), isNull(measurements.supersededAt)))
    .orderBy(asc(measurements.caseKey));
  const hits: { caseKey: string; file: FileMeasurement }[] = [];
  for (const { id, caseKey } of stored) for (const file of await measured(tx, id)) hits.push({ caseKey, file });
  const byPath = groupBy(hits, (hit) => hit.file.path);
  const files = mine.map(({ path, functions }) => {
    const units = functions.map((f): CodeUnit => ({
      name: f.name,
      start: f.start,
      end: f.end,
      requirements: [
        ...new Set([...f.requirements, ...byHand.filter((t) => t.path === path && t.unit === f.name).map((t) => t.requirement)]),
      ],
    }));
    return measuredFile(path, units, byPath.get(path) ?? []);
  });
  return { files, byHand, measuredCases: stored.map((s) => s.caseKey) };
}

const noPoints: PointTable = unionTables([unpackTable(new Uint8Array(metrics.length + 1))]).table;

/** The hits of all cases over one table: the same for all, or the union of theirs. */
function measuredFile(path: string, units: CodeUnit[], hits: readonly { caseKey: string; file: FileMeasurement }[]): MeasuredFile {
  const { table, places } = hits.length ? unionTables(hits.map(({ file }) => file.table)) : { table: noPoints, places: undefined };
  const byCase = hits.map(({ caseKey, file }, i) => {
    const moved = places?.[i];
    return { caseKey, bits: moved ? moveBits(file.bits, moved, sizeOf(table)) : file.bits, vectors: file.vectors };
  });
  return { path, table, units, byCase };
}

async function measured(tx: Tx, id: number): Promise<readonly FileMeasurement[]> {
  const known = unpacked.get(id);
  if (known) return known;
  const [{ data }] = await tx.select({ data: measurements.data }).from(measurements).where(eq(measurements.id, id));
  const files: FileMeasurement[] = [];
  for (const { path, table, hits } of unpackFiles(data)) files.push(unpackHits(path, await pointTable(tx, table), hits));
  unpacked.set(id, files);
  if (unpacked.size > 2000) unpacked.delete(unpacked.keys().next().value ?? 0);
  return files;
}

async function pointTable(tx: Tx, hash: string): Promise<PointTable> {
  const known = tables.get(hash);
  if (known) return known;
  const table = unpackTable(await wholeBlob(tx, hash));
  tables.set(hash, table);
  if (tables.size > 5000) tables.delete(tables.keys().next().value ?? '');
  return table;
}
