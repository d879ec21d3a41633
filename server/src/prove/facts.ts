import { groupBy } from '@core/base';
import { creditOfUnit, metrics, noCoverage, type Metric } from '@core/measure';
import {
  problemStands,
  summariseCode,
  type CodeSummary,
  type CordInput,
  type CordProblem,
  type CordTrace,
  type StandardProfile,
  type TracedUnit,
} from '@core/prove';
import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import { alias, type MySqlColumn } from 'drizzle-orm/mysql-core';
import { keysOfRecords, records, statementOfMany, traces, type Db, type StoredBuild, type Tx } from '../base';
import { carriedResults, codeTraces, CreditReader, rulesOf, standingAttestations, statusOfUnit } from '../measure';
import { faultyRecords, judgedRuns, problems } from '../run';
import { caseFacts, requirementFacts } from './record-facts';

/** All requirements of a project, or those that were chosen, by id. */
export type Scope = ReadonlySet<number> | 'all';

/** Facts from which cords are judged, with the ids behind the keys. */
export interface Facts {
  readonly input: CordInput;
  readonly idOf: ReadonlyMap<string, number>;
  readonly reader: CreditReader;
}

interface TraceRecord extends CordTrace {
  readonly fromId: number;
  readonly toId: number;
}

const fromEnd = alias(records, 'from_end');
const toEnd = alias(records, 'to_end');

/** Standing traces of a kind by an end, in the order in which they were drawn. */
const tracesBy = (end: MySqlColumn) =>
  statementOfMany<{ projectId: number; kind: string }, TraceRecord>(end, (db, where) =>
    db
      .select({
        fromId: traces.fromId,
        toId: traces.toId,
        from: fromEnd.key,
        to: toEnd.key,
        fromRevision: traces.fromRevision,
        toRevision: traces.toRevision,
        needsConfirmation: traces.needsConfirmation,
        drawnBy: traces.drawnBy,
        confirmedBy: traces.confirmedBy,
      })
      .from(traces)
      .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
      .innerJoin(toEnd, eq(toEnd.id, traces.toId))
      .where(
        and(eq(traces.projectId, sql.placeholder('projectId')), eq(traces.kind, sql.placeholder('kind')), isNull(traces.removedAt), where),
      )
      .orderBy(asc(traces.id)),
  );
const tracesFrom = tracesBy(traces.fromId);
const tracesTo = tracesBy(traces.toId);

const runRecord = alias(records, 'run_record');
const problemRows = statementOfMany(problems.id, (db, where) =>
  db
    .select({ row: problems, key: records.key, state: records.state, run: runRecord.key })
    .from(problems)
    .innerJoin(records, eq(records.id, problems.id))
    .leftJoin(runRecord, eq(runRecord.id, problems.runId))
    .where(where),
);

/** Problem reports that may stand on this build, against these requirements. */
async function problemFacts(tx: Db | Tx, projectId: number, build: StoredBuild, ids: readonly number[] | 'all'): Promise<CordProblem[]> {
  const against = await tracesTo(tx, ids, { projectId, kind: 'foundAgainst' });
  if (!against.length) return [];
  const found = groupBy(against, (t) => t.fromId);
  const rows = await problemRows(tx, [...found.keys()], {});
  return rows
    .sort((a, b) => a.row.id - b.row.id)
    .map(({ row, key, state, run }) => ({
      key,
      blocking: row.blocking,
      standing: problemStands({ open: state === 'open', foundIn: row.buildId, fixedIn: row.fixedInId }, build.id),
      requirements: (found.get(row.id) ?? []).map((t) => t.to),
      run,
    }));
}

/** A requirement and all that is derived from it, however deep, by its id. */
type Family = (id: number) => ReadonlySet<number>;

/** Reads what is derived from requirements. */
async function familiesOf(tx: Db | Tx, projectId: number, ids: readonly number[] | 'all'): Promise<Family> {
  const children = new Map<number, number[]>();
  if (ids === 'all')
    for (const [parent, list] of groupBy(
      await pairsTo(tx, 'all', { projectId }),
      (t) => t.to,
      (t) => t.from,
    ))
      children.set(parent, list);
  else
    for (let layer = [...new Set(ids)]; layer.length;) {
      const next = await pairsTo(tx, layer, { projectId });
      for (const id of layer) children.set(id, []);
      for (const { from, to } of next) children.get(to)?.push(from);
      layer = [...new Set(next.map(({ from }) => from))].filter((id) => !children.has(id));
    }
  return (id) => {
    const found = new Set([id]);
    for (const member of found) for (const child of children.get(member) ?? []) found.add(child);
    return found;
  };
}

const pairsTo = statementOfMany(traces.toId, (db, where) =>
  db
    .select({ from: traces.fromId, to: traces.toId })
    .from(traces)
    .where(and(eq(traces.projectId, sql.placeholder('projectId')), eq(traces.kind, 'parent'), isNull(traces.removedAt), where)),
);

const namedUnits = statementOfMany(codeTraces.requirementId, (db, where) =>
  db
    .select({ requirementId: codeTraces.requirementId, path: codeTraces.path, unit: codeTraces.unit })
    .from(codeTraces)
    .where(
      and(
        eq(codeTraces.buildId, sql.placeholder('buildId')),
        isNull(codeTraces.removedAt),
        where ?? sql`${codeTraces.requirementId} is not null`,
      ),
    )
    .orderBy(asc(codeTraces.path), asc(codeTraces.unit)),
);

/** So many source files are read together. */
const filesAtOnce = 20;

/** What the code of requirements has, theirs and that of what is derived from them. */
async function codeFacts(
  tx: Db | Tx,
  projectId: number,
  build: StoredBuild,
  ids: readonly number[] | 'all',
  family: Family,
  keyOf: ReadonlyMap<number, string>,
  reader: CreditReader,
  casesOf: (requirements: readonly string[]) => ReadonlySet<string>,
): Promise<Map<string, CodeSummary>> {
  const wanted = ids === 'all' ? [...keyOf.keys()] : ids;
  const families = new Map(wanted.map((id) => [id, family(id)]));
  const members = ids === 'all' ? 'all' : [...new Set([...families.values()].flatMap((set) => [...set]))];
  const named = await namedUnits(tx, members, { buildId: build.id });
  const unitsOf = groupBy(named, (t) => t.requirementId ?? 0);
  const memberKeys = new Map(keyOf);
  const strange = [...new Set([...families.values()].flatMap((set) => [...set]))].filter((id) => !memberKeys.has(id));
  for (const [id, key] of await keysOfRecords(tx, strange)) memberKeys.set(id, key);
  const [known, attested, measuredCases] = await Promise.all([reader.sources(), standingAttestations(tx, build.id), reader.keysOfCases()]);
  const measuredKeys = new Set(measuredCases.values());
  const summaries = new Map<string, CodeSummary>();
  const sourceIds = [...new Set(named.flatMap(({ path }) => known.get(path)?.id ?? []))];
  for (let at = 0; at < sourceIds.length; at += filesAtOnce) await reader.filesOf(sourceIds.slice(at, at + filesAtOnce));
  for (const id of wanted) {
    const set = families.get(id) ?? new Set([id]);
    const units = new Map<string, { path: string; unit: string }>();
    for (const member of set) for (const t of unitsOf.get(member) ?? []) units.set(`${t.path}\n${t.unit}`, t);
    if (!units.size) continue;
    const cases = casesOf([...set].flatMap((member) => memberKeys.get(member) ?? []));
    const files = new Map(
      (await reader.filesOf([...units.values()].flatMap(({ path }) => known.get(path)?.id ?? []))).map((file) => [file.path, file]),
    );
    const traced = [...units.values()].map(({ path, unit }): TracedUnit => {
      const file = files.get(path);
      const u = file?.credit.file.units.findIndex((candidate) => candidate.name === unit) ?? -1;
      if (!file || u < 0) return { path, name: unit, status: 'absent', totals: noCoverage, firstGap: {} };
      const signed = attested(path, unit);
      const carried = file.carried.get(unit)?.key;
      return {
        path,
        name: unit,
        status: statusOfUnit(file, unit),
        ...creditOfUnit(file.credit, u, cases),
        ...(signed ? { attested: signed } : {}),
        ...(carried ? { carried } : {}),
      };
    });
    const order = (x: TracedUnit, y: TracedUnit): number => (x.path < y.path ? -1 : x.path > y.path ? 1 : x.name < y.name ? -1 : 1);
    const own = [...new Set((unitsOf.get(id) ?? []).map((t) => t.path))].sort();
    const casesMeasured = [...cases].some((key) => measuredKeys.has(key));
    summaries.set(memberKeys.get(id) ?? '', summariseCode(own, casesMeasured, traced.sort(order)));
  }
  return summaries;
}

/** The metrics that no file measured on a build has any point of. */
async function missingMetrics(reader: CreditReader, measured: (metric: Metric) => Promise<boolean>): Promise<Set<Metric>> {
  if (!(await reader.measured()).length) return new Set();
  const missing = new Set<Metric>();
  for (const metric of metrics) if (!(await measured(metric))) missing.add(metric);
  return missing;
}

export interface FactsQuestion {
  readonly projectId: number;
  readonly build: StoredBuild;
  readonly profile: StandardProfile;
  /** Requirements that are judged. */
  readonly judged: Scope;
  /** Those of them whose code has to be looked at again; of the others `known` tells what it had. */
  readonly credited: Scope;
  readonly known?: ReadonlyMap<string, CodeSummary>;
  readonly settled?: CordInput['settled'];
  /** Source files that are looked at again whatever the requirements ask for. */
  readonly sources?: readonly number[];
  /** Requirements named in the source files that are looked at again. */
  readonly named?: readonly number[];
  /** Does any source file of the build have points of a metric? */
  readonly hasMetric: (reader: CreditReader, metric: Metric) => Promise<boolean>;
}

/** Reads what decides about the cords of some requirements, or of all, on one build, in the caller's snapshot. */
export async function readFacts(tx: Db | Tx, question: FactsQuestion): Promise<Facts> {
  const { projectId, build, profile, judged, credited } = question;
  const ids = judged === 'all' ? 'all' : [...judged];
  // What is asked together goes to the database together.
  const [parents, below, verifies, faulty] = await Promise.all([
    tracesFrom(tx, ids, { projectId, kind: 'parent' }),
    ids === 'all' ? [] : tracesTo(tx, ids, { projectId, kind: 'parent' }),
    tracesTo(tx, ids, { projectId, kind: 'verifies' }),
    faultyRecords(tx, projectId),
  ]);
  const needed = ids === 'all' ? 'all' : [...new Set([...ids, ...parents.map((t) => t.toId)])];
  const caseIds = ids === 'all' ? 'all' : [...new Set(verifies.map((t) => t.fromId))];
  const [own, cordCases, ofBuild, carried, reported] = await Promise.all([
    requirementFacts(tx, projectId, needed, faulty),
    caseFacts(tx, projectId, caseIds, faulty),
    judgedRuns(tx, projectId, build.id, caseIds, { faulty }),
    carriedResults(tx, projectId, build, caseIds, faulty),
    problemFacts(tx, projectId, build, ids),
  ]);
  const caseKeys = new Map(cordCases.map((c) => [c.id, c.key]));
  const runs = [...ofBuild, ...carried].map((run) => ({
    ...run,
    caseKey: caseKeys.get(run.caseId) ?? '',
  }));
  const keyOf = new Map(own.filter((r) => judged === 'all' || judged.has(r.id)).map((r) => [r.id, r.key]));
  const creditedIds = credited === 'all' ? 'all' : [...credited].filter((id) => keyOf.has(id));
  const family = await familiesOf(tx, projectId, creditedIds);
  const rules = rulesOf(profile, await creditTraces(tx, projectId, profile, creditedIds, family, question.named ?? [], parents, verifies));
  const reader = new CreditReader(tx, { projectId, buildId: build.id, profile, rules, faulty, read: { cases: caseIds, runs: ofBuild } });
  // What is looked at anyway is read in one go with what the requirements ask for.
  const files = question.sources ?? [];
  for (let at = 0; at < files.length; at += filesAtOnce) await reader.filesOf(files.slice(at, at + filesAtOnce));
  const code = new Map(question.known ?? []);
  const fresh =
    creditedIds === 'all' || creditedIds.length
      ? await codeFacts(tx, projectId, build, creditedIds, family, keyOf, reader, rules.casesOf)
      : new Map<string, CodeSummary>();
  for (const [id, key] of keyOf) if (credited === 'all' || credited.has(id)) code.delete(key);
  for (const [key, summary] of fresh) code.set(key, summary);
  const unique = new Map([...parents, ...below].map((t) => [`${t.fromId}:${t.toId}`, t]));
  return {
    reader,
    idOf: new Map([...keyOf].map(([id, key]) => [key, id])),
    input: {
      build: build.name,
      profile,
      requirements: own,
      cases: cordCases,
      parents: [...unique.values()],
      verifies,
      runs,
      problems: reported,
      code,
      missingMetrics: await missingMetrics(reader, (metric) => question.hasMetric(reader, metric)),
      ...(question.settled ? { settled: question.settled } : {}),
    },
  };
}

/** The traces that decide which cases credit what: of the families of what is judged. */
async function creditTraces(
  tx: Db | Tx,
  projectId: number,
  profile: StandardProfile,
  ids: readonly number[] | 'all',
  family: Family,
  named: readonly number[],
  parents: readonly TraceRecord[],
  verifies: readonly TraceRecord[],
): Promise<{ verifies: Map<string, Set<string>>; parents: readonly { from: string; to: string }[] }> {
  const wide = profile.credit?.childCases || profile.credit?.parentCases;
  let list = verifies;
  let up: readonly TraceRecord[] = ids === 'all' ? parents : [];
  if (ids !== 'all') {
    if (wide) {
      list = await tracesTo(tx, 'all', { projectId, kind: 'verifies' });
      up = await tracesTo(tx, 'all', { projectId, kind: 'parent' });
    } else {
      const members = [...new Set([...named, ...ids.flatMap((id) => [...family(id)])])];
      list = await tracesTo(tx, members, { projectId, kind: 'verifies' });
    }
  }
  const byCase = new Map<string, Set<string>>();
  for (const { from, to } of list) byCase.set(from, (byCase.get(from) ?? new Set()).add(to));
  return { verifies: byCase, parents: up };
}
