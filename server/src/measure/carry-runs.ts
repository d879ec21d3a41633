import type { CarriedResults, ResultOffers } from '@contract/run';
import { envelope2, groupBy } from '@core/base';
import { changedFunctions, outsideFunctions, type CodeFunction, type FunctionChange } from '@core/measure';
import { combinations, inPresentForm, policiesOf, sourcesDigest, whyNotCarried, type ResultToCarry } from '@core/prove';
import { and, asc, eq, isNull } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  among,
  type Ids,
  account,
  freeKey,
  insertRecord,
  needBuild,
  needOpenBuild,
  profileOf,
  proveSigner,
  records,
  Refusal,
  signatures,
  traces,
  write,
  type Actor,
  type Db,
  type ListSource,
  type StoredBuild,
  type Tx,
} from '../base';
import { cases } from '../design';
import { judgedRuns, type JudgedRun } from '../run';
import { requirements } from '../specify';
import { placeOf, sourcesOf, standingStatements } from './carried-results';
import { functionsOf, hitBy, revisionsThen } from './again';
import { signStatement, statementList, withdrawStatement } from './statement';
import { runCarries, sources, type CarriedRun } from './tables';

export const runCarryRows = account({
  name: 'run_carries',
  table: runCarries,
  id: runCarries.id,
  project: runCarries.projectId,
  columns: [
    ['buildId', runCarries.buildId],
    ['fromBuildId', runCarries.fromBuildId],
    ['runs', runCarries.runs],
    ['functions', runCarries.functions],
    ['outside', runCarries.outside],
    ['sources', runCarries.sources],
    ['argument', runCarries.argument],
    ['withdrawnAt', runCarries.withdrawnAt],
  ],
});

/** What somebody puts their name under: these results of another build hold for this one, because of this. */
export interface CarriedRunsText {
  readonly build: string;
  readonly from: string;
  readonly runs: readonly Omit<CarriedRun, 'runId' | 'caseId'>[];
  readonly functions: readonly FunctionChange[];
  readonly outside: readonly string[];
  /** Digest of the sources of `build` when it was said. */
  readonly sources: string;
  readonly argument: string;
  readonly state: 'stands' | 'withdrawn';
}
export const carriedRunsText = (key: string, revision: number, content: CarriedRunsText): string =>
  envelope2('carriedRuns', key, revision, {
    ...content,
    runs: content.runs.map((run) => ({ ...run, requirements: run.requirements.map((r) => ({ ...r })) })),
    functions: content.functions.map((f) => ({ ...f })),
    outside: [...content.outside],
  });

const plainRuns = (runs: readonly CarriedRun[]): CarriedRunsText['runs'] => runs.map(({ runId: _, caseId: __, ...run }) => run);

/** What changed of the code between two builds. */
async function changeOf(tx: Db | Tx, from: StoredBuild, to: StoredBuild) {
  const [old, now] = [await functionsOf(tx, from), await functionsOf(tx, to)];
  const functions = changedFunctions(old, now);
  const [before, after] = [await sourcesOf(tx, from.id), await sourcesOf(tx, to.id)];
  const there = new Map(after.map((file) => [file.path, file]));
  const [inOld, inNew] = [groupBy(old, (f) => f.path), groupBy(now, (f) => f.path)];
  const rest = async (id: number, of: readonly CodeFunction[] = []): Promise<string> => {
    const [{ text }] = await tx.select({ text: sources.text }).from(sources).where(eq(sources.id, id));
    return outsideFunctions(text, of);
  };
  const outside: string[] = [];
  for (const { id, path, sha256 } of before) {
    const other = there.get(path);
    if (other?.sha256 === sha256) continue;
    if (!other || (await rest(id, inOld.get(path))) !== (await rest(other.id, inNew.get(path)))) outside.push(path);
  }
  const known = new Set(before.map(({ path }) => path));
  outside.push(...after.flatMap(({ path }) => (known.has(path) ? [] : [path])));
  return { old, functions, outside: outside.sort(), digest: sourcesDigest(after) };
}

interface Offer {
  readonly answer: ResultOffers['rows'][number];
  readonly carried: CarriedRun;
  readonly tester: string;
}

/** Every standing result of a build, with why it may not be carried to another. */
async function offersOf(tx: Db | Tx, projectId: number, from: StoredBuild, to: StoredBuild) {
  if (from.id === to.id) throw new Refusal('invalid', { fields: [{ path: 'to', text: 'Choose two builds.' }] });
  const change = await changeOf(tx, from, to);
  const changed = new Set(change.functions.flatMap((f) => (f.what === 'added' ? [] : [`${f.path}\n${f.name}`])));
  const hits = await hitBy(tx, from, change.old);
  const [there, own] = [await judgedRuns(tx, projectId, to.id, 'all'), await judgedRuns(tx, projectId, from.id, 'all', { finished: true })];
  const finished = new Set(there.filter((run) => run.finished !== null).map(placeOf));
  const configurations = groupBy(
    there,
    (run) => run.caseId,
    (run) => run.configuration,
  );
  const carried = new Set((await standingStatements(tx, to.id)).flatMap(({ row }) => row.runs.map(placeOf)));
  const of = new Map((await caseRowsOf(tx, projectId)).map((c) => [c.id, c]));
  const verified = groupBy(await verifiedOf(tx, projectId), (t) => t.caseId);
  const then = await revisionsThen(
    tx,
    verified,
    own.map((run) => ({ run: { finishedSeq: run.finished } })),
  );
  const { carryResultsAt = [] } = policiesOf(await profileOf(tx, projectId));
  const code = { functions: change.functions.length, outside: change.outside };
  const whatIsThere = (run: JudgedRun): ResultToCarry['there'] => {
    if (finished.has(placeOf(run))) return 'finished';
    if (carried.has(placeOf(run))) return 'carried';
    return configurations.get(run.caseId)?.includes(run.configuration) === false ? 'otherwise' : 'nothing';
  };
  const offers: Offer[] = [];
  for (const [caseId, runs] of groupBy(own, (run) => run.caseId)) {
    const c = of.get(caseId);
    if (!c) continue;
    const mine = verified.get(caseId) ?? [];
    const hit = [...(hits.get(caseId) ?? [])].map((at) => change.old[at]);
    for (const { standing: run } of combinations(runs)) {
      if (!run || !inPresentForm(run, { rows: c.rows })) continue;
      const why = whyNotCarried(
        {
          run,
          caseRevision: c.revision,
          caseApproved: c.state === 'approved',
          requirements: mine.map((r) => ({ key: r.key, level: r.level, revised: then(r.id, run.finished ?? 0) < r.revision })),
          hit: hits.has(caseId) ? hit.map(({ path, name }) => ({ path, name, changed: changed.has(`${path}\n${name}`) })) : undefined,
          there: whatIsThere(run),
        },
        code,
        carryResultsAt,
      );
      const said = {
        run: run.key,
        case: c.key,
        row: run.row,
        configuration: run.configuration,
        requirements: mine.map(({ key, revision }) => ({ key, revision })),
        functionsHit: hits.has(caseId) ? hit.length : null,
      };
      offers.push({
        answer: { ...said, title: c.title, verdict: run.verdict ?? '', why },
        carried: { ...said, runId: run.id, hash: run.hash ?? '', caseId, caseRevision: Math.max(run.caseRevision, run.carriedOverTo ?? 0) },
        tester: run.tester,
      });
    }
  }
  const order = new Map([...of.values()].map(({ key }, i) => [key, i]));
  offers.sort((a, b) => (order.get(a.carried.case) ?? 0) - (order.get(b.carried.case) ?? 0) || a.carried.runId - b.carried.runId);
  return { offers, change, allowedAt: carryResultsAt };
}

const caseRowsOf = async (tx: Db | Tx, projectId: number) =>
  (
    await tx
      .select({
        id: records.id,
        key: records.key,
        title: records.title,
        revision: records.revision,
        state: records.state,
        rows: cases.rows,
      })
      .from(cases)
      .innerJoin(records, eq(records.id, cases.id))
      .where(and(eq(cases.projectId, projectId), isNull(records.retiredAt)))
      .orderBy(asc(records.keyPrefix), asc(records.keyNumber))
  ).map(({ rows, ...c }) => ({ ...c, rows: (rows ?? []).map(({ name }) => name) }));

const verifiedOf = (tx: Db | Tx, projectId: number) =>
  tx
    .select({ caseId: traces.fromId, id: records.id, key: records.key, revision: records.revision, level: requirements.level })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.toId))
    .innerJoin(requirements, eq(requirements.id, traces.toId))
    .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'verifies'), isNull(traces.removedAt)))
    .orderBy(asc(records.keyPrefix), asc(records.keyNumber));

const offersShown = 2000;

export async function resultOffers(
  db: Db,
  projectId: number,
  { from, to }: { readonly from: string; readonly to: string },
): Promise<ResultOffers> {
  const before = await needBuild(db, projectId, from);
  const { offers, change, allowedAt } = await offersOf(db, projectId, before, await needBuild(db, projectId, to));
  const earlier = groupBy(
    (await standingStatements(db, before.id)).filter((statement) => statement.from !== to),
    (statement) => statement.from,
    ({ row }) => row.runs.length,
  );
  const rows = offers.map(({ answer }) => answer);
  const [free, held] = [rows.filter(({ why }) => !why.length), rows.filter(({ why }) => why.length)];
  return {
    free: free.length,
    held: held.length,
    rows: [...free, ...held].slice(0, offersShown),
    functions: change.functions.map(({ path, name, what }) => ({ path, name, what })),
    outside: change.outside,
    allowedAt: [...allowedAt],
    earlier: [...earlier].map(([build, numbers]) => ({ build, results: numbers.reduce((sum, n) => sum + n, 0) })),
  };
}

/** Carries, signed, results of one build to another. Whoever recorded them does not say so. */
export async function carryRuns(
  db: Db,
  actor: Actor,
  input: {
    readonly from: string;
    readonly to: string;
    readonly runs: readonly string[];
    readonly argument: string;
    readonly password: string;
  },
): Promise<CarriedResults> {
  const signer = await proveSigner(db, actor, input.password);
  const id = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const build = await needOpenBuild(w.tx, projectId, input.to);
    const from = await needBuild(w.tx, projectId, input.from);
    const { offers, change } = await offersOf(w.tx, projectId, from, build);
    const offered = new Map(offers.map((offer) => [offer.answer.run, offer]));
    const chosen = [...new Set(input.runs)].map((key, i) => {
      const offer = offered.get(key);
      const why = offer ? offer.answer.why : [`it is no standing result of ${from.name}`];
      if (offer && actor.login === offer.tester) why.push('you recorded it: somebody else says that it holds');
      if (!offer || why.length)
        throw new Refusal('stateForbids', {
          detail: `${key} is not carried: ${why.join(', ')}.`,
          fields: [{ path: `runs.${i}`, text: why.join(', ') }],
        });
      return offer.carried;
    });
    const key = await freeKey(w, 'CRN');
    const { argument } = input;
    const carryId = await insertRecord(w, {
      kind: 'carriedRuns',
      key,
      title: `${chosen.length === 1 ? 'A result' : `${chosen.length} results`} of ${from.name} for ${build.name}`,
      words: `${chosen.map((run) => `${run.run} ${run.case}`).join(' ')} ${argument}`.slice(0, 20_000),
      state: 'stands',
    });
    const { functions, outside, digest } = change;
    const stored = { runs: chosen, functions, outside, sources: digest, argument };
    await w.tx.insert(runCarries).values({ id: carryId, projectId, buildId: build.id, fromBuildId: from.id, ...stored });
    const content: CarriedRunsText = { build: build.name, from: from.name, ...stored, runs: plainRuns(chosen), state: 'stands' };
    await signStatement(w, signer, {
      recordId: carryId,
      kind: 'carriedRuns',
      key,
      revision: 1,
      state: 'stands',
      content,
      text: carriedRunsText(key, 1, content),
      meaning: 'results carried',
      reason: argument,
      action: 'results carried',
      after: { build: build.name, from: from.name, runs: chosen.length, argument },
      touches: { build: build.id, results: [...new Set(chosen.map(({ caseId }) => caseId))] },
    });
    w.wrote(runCarryRows, carryId);
    return carryId;
  });
  return shown(db, id);
}

/** Takes back what was carried, signed. */
export async function withdrawCarriedRuns(
  db: Db,
  actor: Actor,
  key: string,
  input: { readonly reason: string; readonly password: string },
): Promise<CarriedResults> {
  const id = await withdrawStatement(db, actor, 'carriedRuns', key, input, async (w, carryId) => {
    const [{ row, from }] = await w.tx
      .select({ row: runCarries, from: records.key })
      .from(runCarries)
      .innerJoin(records, eq(records.id, runCarries.fromBuildId))
      .where(eq(runCarries.id, carryId));
    const { buildId, withdrawnAt, runs, functions, outside, sources: digest, argument } = row;
    return {
      buildId,
      withdrawnAt,
      content: (build): CarriedRunsText => ({
        build,
        from,
        runs: plainRuns(runs),
        functions,
        outside,
        sources: digest,
        argument,
        state: 'withdrawn',
      }),
      text: carriedRunsText,
      action: 'carried results withdrawn',
      touches: { build: buildId, results: [...new Set(runs.map(({ caseId }) => caseId))] },
      change: () => w.tx.update(runCarries).set({ withdrawnAt: w.at }).where(eq(runCarries.id, carryId)),
      rows: runCarryRows,
    };
  });
  return shown(db, id);
}

async function shown(db: Db, id: number): Promise<CarriedResults> {
  const [{ id: _, ...carried }] = await runCarriesById(db, [id]);
  return carried;
}

/** How statements of a build are asked for in lists. */
export const runCarryList = (projectId: number, buildId: number): ListSource =>
  statementList('carriedRuns', { table: runCarries, id: runCarries.id, build: runCarries.buildId }, projectId, buildId);

const fromRecord = alias(records, 'from_record');
const toRecord = alias(records, 'to_record');

export async function runCarriesById(db: Db | Tx, ids: Ids): Promise<(CarriedResults & { id: number })[]> {
  const rows = await db
    .select({ record: records, row: runCarries, from: fromRecord.key, build: toRecord.key, signer: signatures.printedName })
    .from(runCarries)
    .innerJoin(records, eq(records.id, runCarries.id))
    .innerJoin(fromRecord, eq(fromRecord.id, runCarries.fromBuildId))
    .innerJoin(toRecord, eq(toRecord.id, runCarries.buildId))
    .innerJoin(signatures, and(eq(signatures.recordId, runCarries.id), eq(signatures.meaning, 'results carried')))
    .where(among(runCarries.id, ids))
    .orderBy(asc(runCarries.id));
  return rows.map(({ record, row, from, build, signer }) => ({
    id: row.id,
    key: record.key,
    build,
    from,
    runs: plainRuns(row.runs).map((run) => ({ ...run, requirements: run.requirements.map((r) => ({ ...r })) })),
    functions: row.functions.map((f) => ({ ...f })),
    outside: [...row.outside],
    argument: row.argument,
    by: signer,
    at: record.createdAt,
    state: row.withdrawnAt === null ? 'stands' : 'withdrawn',
  }));
}
