import type { ImpactAnswer } from '@contract/prove';
import { suspectEnds } from '@core/design';
import { impactOf, type ImpactRecord, type ImpactTrace } from '@core/specify';
import { and, asc, count, countDistinct, eq, inArray, isNotNull, isNull, ne, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { ledgerHead, needBuild, needRecord, records, traces, type Db, type Tx } from '../base';
import { caseCalls, cases } from '../design';
import { codeTraces } from '../measure';
import { runs } from '../run';

const mostReached = 5000;
const fromEnd = alias(records, 'from_end');
const toEnd = alias(records, 'to_end');

interface Edge extends ImpactTrace {
  readonly fromId: number;
}

const edgeColumns = {
  id: traces.id,
  kind: traces.kind,
  fromId: traces.fromId,
  from: fromEnd.key,
  to: toEnd.key,
  fromRevision: traces.fromRevision,
  toRevision: traces.toRevision,
  fromNow: fromEnd.revision,
  toNow: toEnd.revision,
};

/** The traces to parents and of cases at some ends, with whether they are in doubt. */
async function edgesAt(tx: Tx, end: typeof traces.toId | typeof traces.fromId, ids: readonly number[]): Promise<Edge[]> {
  const rows = await tx
    .select(edgeColumns)
    .from(traces)
    .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
    .innerJoin(toEnd, eq(toEnd.id, traces.toId))
    .where(and(inArray(end, [...ids]), inArray(traces.kind, ['parent', 'verifies']), isNull(traces.removedAt)))
    .orderBy(asc(traces.id));
  return rows.map(({ id, kind, fromId, from, to, fromRevision, toRevision, fromNow, toNow }) => ({
    id,
    kind: kind as 'parent' | 'verifies',
    fromId,
    from,
    to,
    suspect: suspectEnds({ from, to, fromRevision, toRevision }, fromNow, toNow).length > 0,
  }));
}

async function callsOf(tx: Tx, ids: readonly number[]): Promise<Edge[]> {
  const rows = await tx
    .select({ fromId: caseCalls.caseId, from: fromEnd.key, to: toEnd.key })
    .from(caseCalls)
    .innerJoin(fromEnd, eq(fromEnd.id, caseCalls.caseId))
    .innerJoin(toEnd, eq(toEnd.id, caseCalls.calledId))
    .where(inArray(caseCalls.calledId, [...ids]));
  return rows.map((row) => ({ ...row, id: 0, kind: 'calls', suspect: false }));
}

/** Whatever rests on a record, layer by layer: what is derived from it, what verifies that, what calls those. */
async function resting(tx: Tx, start: number): Promise<{ edges: Edge[]; ids: number[]; more: boolean }> {
  const known = new Set([start]);
  const edges: Edge[] = [];
  for (let layer = [start]; layer.length;) {
    const next: Edge[] = [...(await edgesAt(tx, traces.toId, layer)), ...(await callsOf(tx, layer))];
    edges.push(...next);
    layer = [...new Set(next.map(({ fromId }) => fromId))].filter((id) => !known.has(id));
    if (known.size + layer.length > mostReached) return { edges, ids: [...known], more: true };
    for (const id of layer) known.add(id);
  }
  return { edges, ids: [...known], more: false };
}

/** What a change of a requirement reaches on a build; told as it stands in one moment. */
export function requirementImpact(db: Db, projectId: number, key: string, build: string | undefined): Promise<ImpactAnswer> {
  return db.transaction(async (tx) => {
    const start = await needRecord(tx, projectId, 'requirement', key);
    const buildId = build === undefined ? undefined : (await needBuild(tx, projectId, build)).id;
    const { edges, ids, more } = await resting(tx, start.id);
    const above = await edgesAt(tx, traces.fromId, [start.id]);
    const planned = new Map(
      (await tx.select({ id: cases.id, minutes: cases.plannedMinutes }).from(cases).where(inArray(cases.id, ids))).map((row) => [
        row.id,
        row.minutes,
      ]),
    );
    const stood =
      buildId === undefined
        ? []
        : await tx
            .select({ id: runs.caseId, n: count() })
            .from(runs)
            .where(
              and(
                eq(runs.buildId, buildId),
                inArray(runs.caseId, ids),
                isNotNull(runs.finishedAt),
                isNull(runs.withdrawnAt),
                isNull(runs.supersededById),
              ),
            )
            .groupBy(runs.caseId);
    const runsOf = new Map(stood.map(({ id, n }) => [id, n]));
    const rows = await tx
      .select({ id: records.id, kind: records.kind, key: records.key, title: records.title, state: records.state })
      .from(records)
      .where(inArray(records.id, ids));
    const facts = rows.map(({ id, kind, ...record }): ImpactRecord => ({
      ...record,
      kind: kind as ImpactRecord['kind'],
      minutes: planned.get(id) ?? 0,
      runs: runsOf.get(id) ?? 0,
    }));
    const all = [...edges, ...above].map(({ fromId: _, ...edge }) => edge);
    const { suspect, reached, minutes, toDo } = impactOf(start.key, { records: facts, traces: all });
    const requirementIds = rows.filter(({ kind }) => kind === 'requirement').map(({ id }) => id);
    return {
      suspect: [...suspect],
      reached: [...reached],
      minutes,
      toDo: [...toDo],
      functions: buildId === undefined ? 0 : await functionsOf(tx, buildId, requirementIds),
      problems: await problemsAt(tx, requirementIds),
      more,
      seq: await ledgerHead(tx, projectId),
    };
  });
}

async function functionsOf(tx: Tx, buildId: number, ids: readonly number[]): Promise<number> {
  const [{ n }] = await tx
    .select({ n: countDistinct(sql`${codeTraces.path}, ${codeTraces.unit}`) })
    .from(codeTraces)
    .where(and(eq(codeTraces.buildId, buildId), inArray(codeTraces.requirementId, [...ids]), isNull(codeTraces.removedAt)));
  return n;
}

/** Problem reports that were found against any of them and are not closed. */
const problemsAt = (tx: Tx, ids: readonly number[]): Promise<{ key: string; title: string }[]> =>
  tx
    .selectDistinct({ key: fromEnd.key, title: fromEnd.title })
    .from(traces)
    .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
    .where(and(eq(traces.kind, 'foundAgainst'), inArray(traces.toId, [...ids]), isNull(traces.removedAt), ne(fromEnd.state, 'closed')))
    .orderBy(asc(fromEnd.key))
    .limit(200);
