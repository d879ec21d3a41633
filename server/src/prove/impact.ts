import type { ImpactAnswer } from '@contract/prove';
import { suspectEnds } from '@core/design';
import { impactOf, type ImpactRecord, type ImpactTrace } from '@core/specify';
import { and, asc, count, countDistinct, eq, inArray, isNotNull, isNull, ne, sql } from 'drizzle-orm';
import { alias, type MySqlColumn } from 'drizzle-orm/mysql-core';
import {
  inLastPacket,
  inOnePacket,
  ledgerHead,
  needBuild,
  needRecord,
  packedReading,
  records,
  statement,
  traces,
  type Db,
  type Tx,
} from '../base';
import { caseCalls, cases } from '../design';
import { codeTraces } from '../measure';
import { runs } from '../run';

const mostReached = 5000;
const fromEnd = alias(records, 'from_end');

/** A trace by the ids of its ends: what they are called is read once for each record, not for each trace. */
interface Edge {
  readonly id: number;
  readonly kind: ImpactTrace['kind'];
  readonly fromId: number;
  readonly toId: number;
  /** The revisions that it was confirmed at; of a call none. */
  readonly fromRevision: number | null;
  readonly toRevision: number | null;
}

const among = (column: MySqlColumn) => sql`${column} in (${sql.placeholder('ids')})`;
type Ids = { readonly ids: readonly number[] };

const tracesFrom = (end: typeof traces.toId | typeof traces.fromId) =>
  statement((db) =>
    db
      .select({
        id: traces.id,
        kind: traces.kind,
        fromId: traces.fromId,
        toId: traces.toId,
        fromRevision: traces.fromRevision,
        toRevision: traces.toRevision,
      })
      .from(traces)
      .where(and(among(end), inArray(traces.kind, ['parent', 'verifies']), isNull(traces.removedAt)))
      .orderBy(asc(traces.id)),
  );
const tracesAt = { below: tracesFrom(traces.toId), above: tracesFrom(traces.fromId) };

/** The traces to parents and of cases at some ends. */
const edgesAt = async (tx: Tx, where: keyof typeof tracesAt, given: Ids): Promise<Edge[]> =>
  (await tracesAt[where](tx, given)) as (Edge & { kind: 'parent' | 'verifies' })[];

const callers = statement((db) =>
  db.select({ fromId: caseCalls.caseId, toId: caseCalls.calledId }).from(caseCalls).where(among(caseCalls.calledId)),
);
const callsOf = async (tx: Tx, given: Ids): Promise<Edge[]> =>
  (await callers(tx, given)).map((row) => ({ ...row, id: 0, kind: 'calls', fromRevision: null, toRevision: null }));

const reachedRecords = statement((db) =>
  db
    .select({
      id: records.id,
      kind: records.kind,
      key: records.key,
      title: records.title,
      state: records.state,
      revision: records.revision,
      minutes: cases.plannedMinutes,
    })
    .from(records)
    .leftJoin(cases, eq(cases.id, records.id))
    .where(among(records.id)),
);

interface Resting {
  /** Of all that rests on it, and those that it rests on itself. */
  readonly edges: readonly Edge[];
  /** Those that are reached, the one where it begins first. */
  readonly ids: readonly number[];
  readonly requirementIds: readonly number[];
  readonly more: boolean;
}

/** Whatever rests on a record, layer by layer: what is derived from it, what verifies that, what calls those; and what it rests on itself. */
async function resting(tx: Tx, start: number): Promise<Resting> {
  const known = new Set([start]);
  const requirementIds = new Set([start]);
  const edges: Edge[] = [];
  const found = (more: boolean): Resting => ({ edges, ids: [...known], requirementIds: [...requirementIds], more });
  for (let layer = [start]; layer.length;) {
    const [traced, calling, above] = await inOnePacket(
      tx,
      () => edgesAt(tx, 'below', { ids: layer }),
      () => callsOf(tx, { ids: layer }),
      async () => (edges.length ? [] : edgesAt(tx, 'above', { ids: layer })),
    );
    const next = [...traced, ...calling];
    edges.push(...above, ...next);
    layer = [...new Set(next.map(({ fromId }) => fromId))].filter((id) => !known.has(id));
    if (known.size + layer.length > mostReached) return found(true);
    for (const id of layer) known.add(id);
    for (const { kind, fromId } of traced) if (kind === 'parent') requirementIds.add(fromId);
  }
  return found(false);
}

/** What a change of a requirement reaches on a build; told as it stands in one moment. */
export function requirementImpact(db: Db, projectId: number, key: string, build: string | undefined): Promise<ImpactAnswer> {
  return packedReading(db, async (tx) => {
    const [start, built] = await inOnePacket(
      tx,
      () => needRecord(tx, projectId, 'requirement', key),
      async () => (build === undefined ? undefined : needBuild(tx, projectId, build)),
    );
    const { edges, ids, requirementIds, more } = await resting(tx, start.id);
    const ends = [...new Set([...ids, ...edges.filter(({ fromId }) => fromId === start.id).map(({ toId }) => toId)])];
    const [stood, rows, functions, problems, seq] = await inLastPacket(
      tx,
      async () => (built ? standingRuns(tx, built.id, ids) : []),
      () => reachedRecords(tx, { ids: ends }),
      async () => (built ? functionsOf(tx, built.id, requirementIds) : 0),
      () => problemsAt(tx, { ids: requirementIds }),
      () => ledgerHead(tx, projectId),
    );
    const runsOf = new Map(stood.map(({ id, n }) => [id, n]));
    const reachedIds = new Set(ids);
    const facts = rows
      .filter(({ id }) => reachedIds.has(id))
      .map(({ id, kind, minutes: planned, revision: _, ...record }): ImpactRecord => ({
        ...record,
        kind: kind as ImpactRecord['kind'],
        minutes: planned ?? 0,
        runs: runsOf.get(id) ?? 0,
      }));
    const byId = new Map(rows.map((row) => [row.id, row]));
    const drawn = edges.flatMap(({ id, kind, fromId, toId, fromRevision, toRevision }): ImpactTrace[] => {
      const [from, to] = [byId.get(fromId), byId.get(toId)];
      // Of very many the last are not read.
      if (!from || !to) return [];
      const confirmed = { from: from.key, to: to.key, fromRevision: fromRevision ?? from.revision, toRevision: toRevision ?? to.revision };
      return [{ id, kind, from: from.key, to: to.key, suspect: suspectEnds(confirmed, from.revision, to.revision).length > 0 }];
    });
    const { suspect, reached, minutes, toDo } = impactOf(start.key, { records: facts, traces: drawn });
    return { suspect: [...suspect], reached: [...reached], minutes, toDo: [...toDo], functions, problems, more, seq };
  });
}

/** How many runs of each case stand on a build. */
const standingRuns = (tx: Tx, buildId: number, ids: readonly number[]): Promise<{ id: number; n: number }[]> =>
  tx
    .select({ id: runs.caseId, n: count() })
    .from(runs)
    .where(
      and(
        eq(runs.buildId, buildId),
        inArray(runs.caseId, [...ids]),
        isNotNull(runs.finishedAt),
        isNull(runs.withdrawnAt),
        isNull(runs.supersededById),
      ),
    )
    .groupBy(runs.caseId);

async function functionsOf(tx: Tx, buildId: number, ids: readonly number[]): Promise<number> {
  const [{ n }] = await tx
    .select({ n: countDistinct(sql`${codeTraces.path}, ${codeTraces.unit}`) })
    .from(codeTraces)
    .where(and(eq(codeTraces.buildId, buildId), inArray(codeTraces.requirementId, [...ids]), isNull(codeTraces.removedAt)));
  return n;
}

/** Problem reports that were found against any of them and are not closed. */
const problemsAt = statement((db) =>
  db
    .selectDistinct({ key: fromEnd.key, title: fromEnd.title })
    .from(traces)
    .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
    .where(and(eq(traces.kind, 'foundAgainst'), among(traces.toId), isNull(traces.removedAt), ne(fromEnd.state, 'closed')))
    .orderBy(asc(fromEnd.key))
    .limit(200),
);
