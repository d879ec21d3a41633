import { groupBy, perKnot } from '@core/base';
import { addCoverage, coverageOf, noCoverage, type CoverageByMetric, type Metric } from '@core/measure';
import { judgeCords, shiftsOf, type CordShifts, type SettledCord, type StandardProfile } from '@core/prove';
import { and, desc, eq, gt, inArray, isNull, lt, sql } from 'drizzle-orm';
import {
  builds,
  ledger,
  ledgerHeads,
  packedSnapshot,
  projectedTable,
  projects,
  putMany,
  records,
  statement,
  statementOfMany,
  sumOfTouches,
  traces,
  type Db,
  type StoredBuild,
  type Touches,
  type Tx,
} from '../base';
import { carriedFrom, codeTraces, sourceCredits, sources, type CreditReader } from '../measure';
import { keepHistory } from './board-then';
import { asJudged, CordCounts, cordRow, leftTheCount, sameCord, statesOf, storedCord, type StoredCord } from './cord-rows';
import { doubtOf, idsOf, tooMany } from './doubt';
import { readFacts, type Scope } from './facts';
import { cords, judgedAt, projections } from './tables';

/** Other rules of judging, or of storing what was judged, make everything afresh: raise it with them. */
export const projectionVersion = 3;

/** More keys than this are not named to those who listen. */
const namedKeys = 500;

/** What was brought along. */
export interface Brought {
  readonly buildId: number;
  readonly seq: number;
  /** Keys of requirements whose cord is another one now; null for all. */
  readonly keys: readonly string[] | null;
}

/** Cords that are others now, as they were and as they are; the keys are null where there were none before. */
interface Judged {
  readonly keys: readonly string[] | null;
  readonly before: readonly StoredCord[];
  readonly after: readonly (typeof cords.$inferInsert)[];
}

const behindRows = statement((db) =>
  db
    .select({
      projectId: projections.projectId,
      buildId: projections.buildId,
      seq: projections.seq,
      version: projections.version,
      head: ledgerHeads.seq,
      closedSeq: builds.closedSeq,
    })
    .from(projections)
    .innerJoin(ledgerHeads, eq(ledgerHeads.projectId, projections.projectId))
    .innerJoin(builds, eq(builds.id, projections.buildId))
    .where(
      and(
        gt(projections.wantedAt, sql.placeholder('dayAgo')),
        sql`${projections.seq} < ${ledgerHeads.seq} and (${builds.closedSeq} is null or ${projections.seq} < ${builds.closedSeq})`,
      ),
    )
    .orderBy(desc(projections.wantedAt))
    .limit(50),
);
const presentRows = statement((db) =>
  db
    .select({ build: builds, name: records.key, head: ledgerHeads.seq, profile: projects.profile })
    .from(builds)
    .innerJoin(records, eq(records.id, builds.id))
    .innerJoin(projects, eq(projects.id, builds.projectId))
    .leftJoin(ledgerHeads, eq(ledgerHeads.projectId, builds.projectId))
    .where(eq(builds.id, sql.placeholder('buildId'))),
);
const touchRows = statement((db) =>
  db
    .select({ touches: ledger.touches })
    .from(ledger)
    .where(
      and(
        eq(ledger.projectId, sql.placeholder('projectId')),
        gt(ledger.seq, sql.placeholder('after')),
        sql`${ledger.seq} <= ${sql.placeholder('head')}`,
        sql`${ledger.touches} is not null`,
      ),
    ),
);
const cordRows = statementOfMany(cords.requirementId, (db, where) =>
  db
    .select(storedCord)
    .from(cords)
    .where(and(eq(cords.buildId, sql.placeholder('buildId')), where)),
);
/** Cords of what is derived from some requirements, directly. */
const childRows = statementOfMany(traces.toId, (db, where) =>
  db
    .select({ id: cords.requirementId, key: cords.key, states: cords.states, below: cords.below })
    .from(traces)
    .innerJoin(cords, and(eq(cords.requirementId, traces.fromId), eq(cords.buildId, sql.placeholder('buildId'))))
    .where(and(eq(traces.projectId, sql.placeholder('projectId')), eq(traces.kind, 'parent'), isNull(traces.removedAt), where)),
);

/** Brings builds along with the ledger: what the new entries touch is judged again, and nothing else. */
export class Projector {
  /** How many cords of a build are alike, and for which number of its ledger that is true: counted again where somebody else brought it along. */
  private readonly counted = new Map<number, { readonly seq: number; readonly counts: CordCounts }>();

  constructor(
    private readonly db: Db,
    private readonly now: () => Date,
  ) {}

  /** Says that somebody asks for a build; it is then brought along until nobody has asked for a day. */
  async want(projectId: number, buildId: number): Promise<void> {
    const at = this.now().toISOString();
    await this.db
      .insert(projections)
      .values({ buildId, projectId, seq: 0, version: projectionVersion, wantedAt: at, totals: null })
      .onDuplicateKeyUpdate({ set: { wantedAt: at } });
  }

  /**
   * Builds that are behind their ledger and were asked for within a day; closed ones stay as they are. Those that nothing touched since are
   * brought along at once: what was judged of them is true for the present end as well.
   */
  async behind(): Promise<{ projectId: number; buildId: number }[]> {
    const dayAgo = new Date(this.now().getTime() - 24 * 3600_000).toISOString();
    const { buildId, seq: judgedTo, version } = projections;
    const rows = await behindRows(this.db, { dayAgo });
    const found: { projectId: number; buildId: number; seq: number; head: number; untouched: boolean }[] = [];
    for (const [project, some] of groupBy(rows, (row) => row.projectId)) {
      const known = some.filter((row) => row.seq > 0 && row.version === projectionVersion && row.closedSeq === null);
      const last = known.length ? await this.lastTouched(project, Math.min(...known.map(({ seq }) => seq))) : new Map<number, number>();
      for (const row of some) {
        const untouched = known.includes(row) && !(await this.touched(row, last));
        found.push({ projectId: project, buildId: row.buildId, seq: row.seq, head: row.head, untouched });
      }
    }
    // Only while it is where it was seen: whoever brought it along meanwhile, or closed it, knows better.
    for (const { buildId: build, seq, head } of found.filter(({ untouched }) => untouched)) {
      const [{ affectedRows }] = await this.db
        .update(projections)
        .set({ seq: head })
        .where(and(eq(buildId, build), eq(judgedTo, seq), eq(version, projectionVersion)));
      const counted = this.counted.get(build);
      if (affectedRows && counted?.seq === seq) this.counted.set(build, { ...counted, seq: head });
    }
    return found
      .filter(({ untouched }) => !untouched)
      .map(({ projectId: project, buildId: build }) => ({ projectId: project, buildId: build }));
  }

  /** The last entry behind a number that touches something on each build; what touches all builds stands under 0. */
  private async lastTouched(projectId: number, after: number): Promise<Map<number, number>> {
    // The number stands in the question, not in a join: so only what came behind it is read.
    const [rows] = (await this.db.execute(
      sql`select ifnull(json_value(${ledger.touches}, '$.build'), 0) as build, max(${ledger.seq}) as seq from ${ledger} where ${ledger.projectId} = ${projectId} and ${ledger.seq} > ${after} and ${ledger.touches} is not null group by 1`,
    )) as unknown as [Record<'build' | 'seq', number | string>[]];
    return new Map(rows.map(({ build, seq }) => [Number(build), Number(seq)]));
  }

  /** Was a build, or one from which results are carried to it, touched since it was judged? */
  private async touched(
    { buildId, seq }: { readonly buildId: number; readonly seq: number },
    last: ReadonlyMap<number, number>,
  ): Promise<boolean> {
    const since = (id: number): boolean => (last.get(id) ?? 0) > seq;
    if (since(0) || since(buildId)) return true;
    return last.size > 0 && [...(await carriedFrom(this.db, buildId))].some(since);
  }

  /** Makes one build true for the present end of its ledger. Undefined where another node is at it, or there is nothing to do. */
  async bring(projectId: number, buildId: number): Promise<Brought | undefined> {
    // What is counted here is true only once it is committed.
    const counted = this.counted.get(buildId);
    this.counted.delete(buildId);
    const done = await packedSnapshot(this.db, async (tx) => this.bringIn(tx, { projectId, buildId, counted }));
    if (done?.counts) this.counted.set(buildId, { seq: done.brought.seq, counts: done.counts });
    return done?.brought;
  }

  private async bringIn(
    tx: Tx,
    { projectId, buildId, counted }: { projectId: number; buildId: number; counted: { seq: number; counts: CordCounts } | undefined },
  ): Promise<{ readonly brought: Brought; readonly counts: CordCounts | undefined } | undefined> {
    const [row] = await tx
      .select({ seq: projections.seq, version: projections.version, totals: projections.totals })
      .from(projections)
      .where(eq(projections.buildId, buildId))
      .for('update', { skipLocked: true });
    if (!row) return undefined;
    // The first plain reading fixes the snapshot: everything below is true for this number.
    const { head, build, profile } = await this.present(tx, buildId);
    const { closedSeq } = build;
    if (row.seq >= head || (closedSeq !== null && row.seq >= closedSeq)) return undefined;
    const afresh = row.seq === 0 || row.version !== projectionVersion;
    const touches = afresh ? ({ all: true } as Touches) : await this.touchesBetween(tx, build, row.seq, head);
    const seq = closedSeq === null ? head : Math.max(closedSeq, row.seq);
    // The first judgement has no past; later ones keep what was until then.
    const until = row.seq > 0 || (await this.wasJudged(tx, buildId)) ? seq : undefined;
    let { keys, before, after }: Judged = { keys: [], before: [], after: [] };
    if (touches) {
      const doubt = touches.all ? undefined : await doubtOf(tx, projectId, buildId, touches);
      ({ keys, before, after } =
        doubt && doubt.judged.size <= tooMany
          ? await this.judge(tx, projectId, { build, profile }, doubt, until)
          : await this.judge(tx, projectId, { build, profile }, { judged: 'all', credited: 'all', sources: 'all' }, until));
    }
    const others = keys === null || keys.length > 0 || afresh;
    let counts = counted?.seq === row.seq && !afresh ? counted.counts : undefined;
    if (counts) {
      for (const cord of before) counts.add(cord, -1);
      for (const cord of after) counts.add(cord, 1);
    } else if (others) counts = await CordCounts.read(tx, buildId);
    const totals = others ? counts?.totals() : undefined;
    // Only a text leaves the count; what has left it may be counted from another closing on.
    const mayLeave = closedSeq === null && (afresh || touches?.all || touches?.texts?.length || row.totals?.left);
    const left = totals && mayLeave ? await leftTheCount(tx, projectId) : undefined;
    await tx.insert(judgedAt).ignore().values({ buildId, seq });
    await tx
      .update(projections)
      .set({ seq, version: projectionVersion, ...(totals ? { totals: left ? { ...totals, left } : totals } : {}) })
      .where(eq(projections.buildId, buildId));
    const given = keys !== null && keys.length > namedKeys ? null : keys;
    if (given === null || given.length || afresh)
      await tx.insert(projectedTable).values({ projectId, buildId, seq, at: this.now().toISOString(), keys: given });
    return { brought: { buildId, seq, keys: given }, counts };
  }

  /** The ledger's end, and what the build is judged by. */
  private async present(tx: Tx, buildId: number): Promise<{ head: number; build: StoredBuild; profile: StandardProfile }> {
    const [row] = await presentRows(tx, { buildId });
    return { head: row.head ?? 0, build: { ...row.build, name: row.name }, profile: row.profile };
  }

  /** Was the build judged before? */
  private async wasJudged(tx: Tx, buildId: number): Promise<boolean> {
    const [row] = await tx.select({ seq: judgedAt.seq }).from(judgedAt).where(eq(judgedAt.buildId, buildId)).limit(1);
    return row !== undefined;
  }

  private async touchesBetween(tx: Tx, { id: buildId, projectId }: StoredBuild, after: number, head: number): Promise<Touches | undefined> {
    const [rows, carried] = await Promise.all([touchRows(tx, { projectId, after, head }), carriedFrom(tx, buildId)]);
    return sumOfTouches(
      rows.map((r) => r.touches),
      buildId,
      carried,
    );
  }

  private async judge(
    tx: Tx,
    projectId: number,
    { build, profile }: { readonly build: StoredBuild; readonly profile: StandardProfile },
    scope: { judged: Scope; credited: Scope; sources: ReadonlySet<number> | 'all' },
    until: number | undefined,
  ): Promise<Judged> {
    const all = scope.judged === 'all';
    // Sources first: whether a metric is measured at all is asked of what is stored of them.
    const [before, settled, metricsKnown, named] = await Promise.all([
      this.storedCords(tx, build.id, scope.judged),
      all ? undefined : this.settledChildren(tx, projectId, build.id, scope.judged),
      this.measuredMetrics(tx, build.id, scope.sources),
      this.namedIn(tx, build.id, scope.sources),
    ]);
    const credited: Scope =
      scope.judged === 'all' || scope.credited === 'all'
        ? 'all'
        : new Set([...scope.credited, ...[...scope.judged].filter((id) => !before.has(id))]);
    const { input, idOf, reader } = await readFacts(tx, {
      projectId,
      build,
      profile,
      judged: scope.judged,
      credited,
      known: new Map([...before.values()].flatMap((cord) => (cord.code ? [[cord.key, cord.code] as const] : []))),
      ...(settled ? { settled } : {}),
      ...(scope.sources === 'all' ? {} : { sources: [...scope.sources] }),
      named,
      hasMetric: (own, metric) => metricsKnown(own, metric),
    });
    await this.writeSources(tx, build.id, reader, scope.sources);
    const wanted = new Set(idOf.keys());
    const judged = judgeCords(input, wanted);
    const rows = judged.map((cord) => cordRow(build.id, idOf.get(cord.key) ?? 0, cord, input.code.get(cord.key)));
    const changed = rows.filter((row) => {
      const old = before.get(row.requirementId);
      return !old || !sameCord(row, old);
    });
    await putMany(tx, cords, changed);
    const gone = [...before.values()].filter((old) => !wanted.has(old.key));
    const was = (old: StoredCord | undefined) => ({ before: old ? asJudged(old) : null });
    if (until !== undefined)
      await keepHistory(tx, build.id, until, [
        ...changed.map(({ requirementId }) => ({ requirementId, ...was(before.get(requirementId)) })),
        ...gone.map((old) => ({ requirementId: old.requirementId, ...was(old) })),
      ]);
    for (let at = 0; at < gone.length; at += 500)
      await tx.delete(cords).where(
        and(
          eq(cords.buildId, build.id),
          inArray(
            cords.requirementId,
            gone.slice(at, at + 500).map((old) => old.requirementId),
          ),
        ),
      );
    return {
      keys: all && before.size === 0 ? null : [...changed.map((row) => row.key), ...gone.map((old) => old.key)],
      before: [...changed.flatMap(({ requirementId }) => before.get(requirementId) ?? []), ...gone],
      after: changed,
    };
  }

  private async storedCords(tx: Tx, buildId: number, scope: Scope): Promise<Map<number, StoredCord>> {
    const rows = await cordRows(tx, scope === 'all' ? 'all' : [...scope], { buildId });
    return new Map(rows.map((row) => [row.requirementId, row]));
  }

  /** Cords of the children of what is judged, as they were judged before. */
  private async settledChildren(tx: Tx, projectId: number, buildId: number, judged: Scope): Promise<Map<string, SettledCord>> {
    const settled = new Map<string, SettledCord>();
    if (judged === 'all' || !judged.size) return settled;
    const rows = await childRows(tx, [...judged], { projectId, buildId });
    // One that is judged now may be gone: what was stored of it says nothing any more.
    for (const { id, key, states, below } of rows)
      if (!judged.has(id)) settled.set(key, { states: statesOf(states), below: below === null ? null : statesOf(below) });
    return settled;
  }

  /** The requirements that the code of these files names: what is credited there rests on their cases too. */
  private async namedIn(tx: Tx, buildId: number, files: ReadonlySet<number> | 'all'): Promise<number[]> {
    if (files === 'all' || !files.size) return [];
    return idsOf(
      tx
        .selectDistinct({ id: codeTraces.requirementId })
        .from(codeTraces)
        .innerJoin(sources, and(eq(sources.buildId, codeTraces.buildId), eq(sources.path, codeTraces.path)))
        .where(and(eq(codeTraces.buildId, buildId), inArray(sources.id, [...files]), isNull(codeTraces.removedAt))),
    );
  }

  /** Which metrics the build's files have points of: those looked at now from what is read, the others from what is stored. */
  private async measuredMetrics(
    tx: Tx,
    buildId: number,
    fresh: ReadonlySet<number> | 'all',
  ): Promise<(reader: CreditReader, metric: Metric) => Promise<boolean>> {
    const rows = fresh === 'all' ? [] : await tx.select().from(sourceCredits).where(eq(sourceCredits.buildId, buildId));
    const stored = rows.filter((row) => fresh !== 'all' && !fresh.has(row.sourceId));
    const sum = stored.reduce<CoverageByMetric>((total, row) => addCoverage(total, row.coverage), noCoverage);
    let now: Promise<CoverageByMetric> | undefined;
    return async (reader, metric) => {
      if (sum[metric].found > 0) return true;
      now ??= (async () => coverageOf((await reader.filesOf(await this.freshSources(reader, fresh))).map((file) => file.credit)))();
      return (await now)[metric].found > 0;
    };
  }

  private async freshSources(reader: CreditReader, fresh: ReadonlySet<number> | 'all'): Promise<number[]> {
    const known = [...(await reader.sources()).values()].map(({ id }) => id);
    return fresh === 'all' ? known : known.filter((id) => fresh.has(id));
  }

  /** Stores the coverage of source files that was doubtful. */
  private async writeSources(tx: Tx, buildId: number, reader: CreditReader, fresh: ReadonlySet<number> | 'all'): Promise<void> {
    const ids = await this.freshSources(reader, fresh);
    const rows = (await reader.filesOf(ids)).map(({ sourceId, path, credit }) => ({
      sourceId,
      buildId,
      path,
      measured: credit.file.byCase.length > 0,
      coverage: coverageOf([credit]),
    }));
    for (let at = 0; at < rows.length; at += 200)
      await tx
        .insert(sourceCredits)
        .values(rows.slice(at, at + 200))
        .onDuplicateKeyUpdate({ set: { measured: sql`values(measured)`, coverage: sql`values(coverage)`, path: sql`values(path)` } });
    if (fresh === 'all') {
      const present = new Set(ids);
      const stored = await tx.select({ id: sourceCredits.sourceId }).from(sourceCredits).where(eq(sourceCredits.buildId, buildId));
      const gone = stored.map(({ id }) => id).filter((id) => !present.has(id));
      if (gone.length) await tx.delete(sourceCredits).where(inArray(sourceCredits.sourceId, gone));
    }
  }

  /** Judges a build by another profile beside what is stored, and stores nothing: what would be others. */
  async preview(projectId: number, buildId: number, profile: StandardProfile): Promise<CordShifts> {
    return packedSnapshot(this.db, async (tx) => {
      const { build, profile: now } = await this.present(tx, buildId);
      const stored = [...(await this.storedCords(tx, buildId, 'all')).values()];
      const hasMetric = await this.measuredMetrics(tx, buildId, new Set());
      // Where the same gives credit, each requirement's code has what it has.
      const sameCredit = JSON.stringify([now.credit, now.policies]) === JSON.stringify([profile.credit, profile.policies]);
      const { input, idOf } = await readFacts(tx, {
        projectId,
        build,
        profile,
        judged: 'all',
        credited: sameCredit ? new Set<number>() : 'all',
        known: new Map(stored.flatMap((cord) => (cord.code ? [[cord.key, cord.code] as const] : []))),
        hasMetric,
      });
      return shiftsOf(
        stored.map(({ key, states }) => ({ key, states: statesOf(states) })),
        judgeCords(input, new Set(idOf.keys())).map(({ key, knots: judged }) => ({
          key,
          states: perKnot((knot) => judged[knot].state),
        })),
      );
    });
  }

  /** Forgets old rows of the event log of the boards: nobody is so far behind. */
  async tidy(): Promise<void> {
    await this.db.delete(projectedTable).where(lt(projectedTable.at, new Date(this.now().getTime() - 3600_000).toISOString()));
  }

  /** Makes everything of a build afresh at its next bringing-along. */
  async forget(buildId: number): Promise<void> {
    await this.db.update(projections).set({ seq: 0 }).where(eq(projections.buildId, buildId));
  }
}
