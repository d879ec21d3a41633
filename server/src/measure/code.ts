import type { ListQuery, Page } from '@contract/base';
import type { Code, CodeFile, Diagnosis, FileDetail } from '@contract/measure';
import {
  addCoverage,
  coverageOf,
  creditOfUnit,
  diagnoseLine,
  lineCredits,
  metrics,
  noCoverage,
  percent,
  ratioOf,
  unitCoverages,
  type CreditContext,
  type Metric,
} from '@core/measure';
import { and, asc, countDistinct, eq, inArray, isNull, or } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  heldPage,
  heldRows,
  needBuild,
  profileOf,
  records,
  Refusal,
  standing,
  traces,
  write,
  type Actor,
  type Db,
  type HeldList,
  type StoredBuild,
  type Tx,
} from '../base';
import { needRequirement } from '../specify';
import { standingAttestations } from './attest';
import { CreditReader, rulesOf, type CreditedSource } from './credit';
import { insertCodeTraces } from './hand-traces';
import { codeTraceRows, needUnit } from './store';
import { codeTraces, measurements, sourceCredits, sources } from './tables';

/** What is said of the files of a build: headers that nothing measures are none of them. */
async function filesOf(db: Db, build: StoredBuild): Promise<CodeFile[]> {
  const rows = await db.select().from(sourceCredits).where(eq(sourceCredits.buildId, build.id)).orderBy(asc(sourceCredits.path));
  return rows
    .filter((file) => file.measured || !file.path.endsWith('.h'))
    .map(({ path, coverage, measured }) => ({ key: path, coverage, measured }));
}

export async function getCode(db: Db, build: StoredBuild, seq: number): Promise<Code> {
  const files = await filesOf(db, build);
  const [measured] = await db
    .select({ cases: countDistinct(measurements.caseId) })
    .from(measurements)
    .where(and(eq(measurements.buildId, build.id), eq(measurements.withdrawn, false)));
  return {
    build: build.name,
    files: files.length,
    first: files.find((file) => file.measured)?.key ?? null,
    total: files.reduce((sum, file) => addCoverage(sum, file.coverage), noCoverage),
    cases: measured.cases,
    seq,
  };
}

const shareIn = (metric: Metric, lane: 'exercised' | 'credited') => (file: CodeFile) => {
  const ratio = ratioOf(file.coverage[metric], lane);
  return ratio.found ? percent(ratio) : null;
};

/** How files are asked for: nothing of them stands in a table by itself, since each metric has its own share. */
export const codeList = (metric: Metric): HeldList<CodeFile> => ({
  fields: {
    key: ({ key }) => key,
    measured: ({ measured }) => measured,
    points: ({ coverage }) => coverage[metric].found,
    exercised: shareIn(metric, 'exercised'),
    credited: shareIn(metric, 'credited'),
  },
  words: ({ key }) => key,
  sort: 'key',
});

/** A page of the files of a build. */
export async function listCodeFiles(
  db: Db,
  build: StoredBuild,
  seq: number,
  query: ListQuery & { readonly metric: Metric },
): Promise<Page<CodeFile>> {
  return heldPage(await filesOf(db, build), codeList(query.metric), query, seq);
}

/** The same, for an export: of each metric what there is, what was exercised and what of it counts. */
export async function codeRows(db: Db, build: StoredBuild, query: Pick<ListQuery, 'filter' | 'sort'>, metric: Metric): Promise<object[]> {
  return heldRows(await filesOf(db, build), codeList(metric), query).map(({ key, measured, coverage }) => ({
    key,
    measured,
    ...Object.fromEntries(
      metrics.flatMap((name) => [
        [`${name}.points`, coverage[name].found],
        [`${name}.exercised`, coverage[name].exercised],
        [`${name}.credited`, coverage[name].credited],
      ]),
    ),
  }));
}

const fromEnd = alias(records, 'from_end');
const toEnd = alias(records, 'to_end');

/** What of a project's traces decides about credit in a file: those of the requirements that its code names, and of the cases that hit it. */
async function contextOf(
  tx: Db | Tx,
  projectId: number,
  profile: Awaited<ReturnType<typeof profileOf>>,
  requirementIds: readonly number[],
  caseIds: readonly number[],
  asOf: number | null,
): Promise<CreditContext> {
  const { credit } = profile;
  const wide = credit?.childCases || credit?.parentCases;
  const ends = [
    ...(requirementIds.length && !wide ? [inArray(traces.toId, [...requirementIds])] : []),
    ...(caseIds.length ? [inArray(traces.fromId, [...caseIds])] : []),
  ];
  const select = (kind: string) =>
    tx
      .select({ from: fromEnd.key, to: toEnd.key })
      .from(traces)
      .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
      .innerJoin(toEnd, eq(toEnd.id, traces.toId))
      .where(
        and(eq(traces.projectId, projectId), eq(traces.kind, kind), standing(asOf), ...(kind === 'verifies' && !wide ? [or(...ends)] : [])),
      );
  const verifies = new Map<string, Set<string>>();
  if (wide || ends.length)
    for (const { from, to } of await select('verifies')) verifies.set(from, (verifies.get(from) ?? new Set()).add(to));
  return { verifies, parents: wide ? await select('parent') : [], ...(credit ? { policy: credit } : {}) };
}

interface OpenFile {
  readonly source: CreditedSource;
  readonly context: CreditContext;
  readonly text: string;
  readonly sha256: string;
}

async function openFile(db: Db, projectId: number, build: StoredBuild, path: string): Promise<OpenFile> {
  return db.transaction(async (tx) => {
    const [row] = await tx
      .select()
      .from(sources)
      .where(and(eq(sources.buildId, build.id), eq(sources.path, path), isNull(sources.supersededAt)));
    if (!row) throw new Refusal('notFound', { detail: `The build ${build.name} has no source file ${path}.` });
    const profile = await profileOf(tx, projectId, build.closedSeq);
    const named = await tx
      .select({ id: codeTraces.requirementId })
      .from(codeTraces)
      .where(and(eq(codeTraces.buildId, build.id), eq(codeTraces.path, path), isNull(codeTraces.removedAt)));
    const asked = { projectId, buildId: build.id, profile, asOf: build.closedSeq };
    const reader = new CreditReader(tx, { ...asked, rules: { casesOf: () => new Set<string>() } });
    const context = await contextOf(
      tx,
      projectId,
      profile,
      named.flatMap(({ id }) => id ?? []),
      [...(await reader.measuredCases())],
      build.closedSeq,
    );
    const judged = new CreditReader(tx, { ...asked, rules: rulesOf(profile, context) });
    const [source] = await judged.filesOf([row.id]);
    return { source, context, text: row.text, sha256: row.sha256 };
  });
}

export async function getFile(db: Db, projectId: number, build: StoredBuild, path: string): Promise<FileDetail> {
  const { source, text, sha256 } = await openFile(db, projectId, build, path);
  const { credit, byHand } = source;
  const attested = await standingAttestations(db, build.id);
  return {
    path,
    text,
    sha256,
    status: source.status,
    setAside: [...source.setAside],
    units: unitCoverages([credit]).map(({ unit, totals }) => ({
      name: unit.name,
      start: unit.start,
      end: unit.end,
      requirements: [...unit.requirements],
      byHand: byHand.filter((t) => t.unit === unit.name).map((t) => t.requirementKey),
      attested: Object.entries(attested(path, unit.name) ?? {}).map(([metric, key]) => ({ key, metric })),
      carried: source.carried.get(unit.name)?.key ?? null,
      coverage: totals,
    })),
    lines: lineCredits(credit).map((line) => ({ ...line, hitBy: [...line.hitBy] })),
    coverage: coverageOf([credit]),
  };
}

export async function diagnose(db: Db, projectId: number, build: StoredBuild, path: string, line: number): Promise<Diagnosis> {
  const { source, context } = await openFile(db, projectId, build, path);
  const found = diagnoseLine(source.credit, line, context);
  if (!found) throw new Refusal('notFound', { detail: `Line ${line} of ${path} holds nothing that is measured.` });
  const titles = new Map(
    found.hitBy.length
      ? (
          await db
            .select({ key: records.key, title: records.title })
            .from(records)
            .where(and(eq(records.projectId, projectId), inArray(records.key, [...found.hitBy])))
        ).map((r) => [r.key, r.title])
      : [],
  );
  return {
    ...found,
    requirements: [...found.requirements],
    ownCases: [...found.ownCases],
    hitBy: found.hitBy.map((caseKey) => ({
      caseKey,
      title: titles.get(caseKey) ?? '',
      verifies: [...(context.verifies.get(caseKey) ?? [])],
    })),
    outcomes: found.outcomes.map(({ metric, detail, state, hitBy }) => ({
      metric: metric as Diagnosis['outcomes'][number]['metric'],
      detail,
      state,
      hitBy: [...hitBy],
    })),
    remedies: [...found.remedies],
  };
}

/** Says by hand that a function implements a requirement, or takes that back. Traces in the source stay: they are changed there. */
export async function traceCode(
  db: Db,
  actor: Actor,
  buildName: string,
  input: { path: string; unit: string; requirement: string; traced: boolean; reason: string },
): Promise<FileDetail> {
  const { path, unit, requirement, traced, reason } = input;
  const build = await needBuild(db, actor.projectId, buildName);
  await write(db, actor, async (w) => {
    if (build.closedSeq !== null) throw new Refusal('closed', { detail: `${buildName} is closed.` });
    const known = await needUnit(w.tx, build.id, { path, unit });
    const { record } = await needRequirement(w.tx, actor.projectId, requirement);
    const present = await w.tx
      .select({ id: codeTraces.id, origin: codeTraces.origin })
      .from(codeTraces)
      .where(
        and(
          eq(codeTraces.buildId, build.id),
          eq(codeTraces.path, path),
          eq(codeTraces.unit, unit),
          eq(codeTraces.requirementKey, record.key),
          isNull(codeTraces.removedAt),
        ),
      )
      .for('update');
    if (traced && present.length) throw new Refusal('exists', { detail: `${unit} is traced to ${requirement} already.` });
    const mine = present.find((t) => t.origin === 'hand');
    if (!traced && !mine)
      throw new Refusal('stateForbids', {
        detail: `The trace of ${unit} to ${requirement} stands in the source (@req): take it back there.`,
      });
    w.log({
      action: traced ? 'code traced' : 'code trace taken back',
      kind: 'file',
      key: `${path} ${unit}`.slice(0, 700),
      before: traced ? null : { build: build.name, requirement: record.key },
      after: traced ? { build: build.name, requirement: record.key, reason } : { reason },
      touches: { build: build.id, requirements: [record.id], sources: [known.sourceId] },
    });
    if (traced)
      await insertCodeTraces(w, [
        {
          projectId: actor.projectId,
          buildId: build.id,
          path,
          unit,
          textHash: known.textHash,
          requirementKey: record.key,
          requirementId: record.id,
          origin: 'hand',
          by: actor.login,
          at: w.at,
          reason,
        },
      ]);
    else if (mine) {
      await w.tx.update(codeTraces).set({ removedAt: w.at }).where(eq(codeTraces.id, mine.id));
      w.wrote(codeTraceRows, mine.id);
    }
  });
  return getFile(db, actor.projectId, build, path);
}

/** The code that implements a requirement itself, function by function, with what is credited to it. */
export async function requirementCode(db: Db, projectId: number, build: StoredBuild, key: string) {
  return db.transaction(async (tx) => {
    const { record } = await needRequirement(tx, projectId, key);
    const named = await tx
      .select({ path: codeTraces.path, unit: codeTraces.unit })
      .from(codeTraces)
      .where(and(eq(codeTraces.buildId, build.id), eq(codeTraces.requirementId, record.id), isNull(codeTraces.removedAt)))
      .limit(500);
    const profile = await profileOf(tx, projectId, build.closedSeq);
    const rules = rulesOf(profile, await contextOf(tx, projectId, profile, [record.id], [], build.closedSeq));
    const reader = new CreditReader(tx, { projectId, buildId: build.id, profile, rules, asOf: build.closedSeq });
    const known = await reader.sources();
    const files = await reader.filesOf(named.flatMap(({ path }) => known.get(path)?.id ?? []));
    const cases = rules.casesOf([record.key]);
    const units = files.flatMap(({ path, credit }) =>
      credit.file.units.flatMap((unit, u) =>
        unit.requirements.includes(record.key)
          ? [{ path, name: unit.name, start: unit.start, coverage: creditOfUnit(credit, u, cases).totals }]
          : [],
      ),
    );
    return { units, total: units.length ? units.reduce((sum, u) => addCoverage(sum, u.coverage), noCoverage) : null };
  });
}
