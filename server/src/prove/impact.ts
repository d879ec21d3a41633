import type { ImpactAnswer } from '@contract/prove';
import { suspectEnds } from '@core/design';
import { impactOf, type ImpactRecord, type ImpactTrace } from '@core/specify';
import { and, asc, count, countDistinct, eq, inArray, isNotNull, isNull, ne, sql } from 'drizzle-orm';
import { alias, type MySqlColumn } from 'drizzle-orm/mysql-core';
import { inOnePacket, ledgerHead, needBuild, needRecord, packedReading, records, statement, traces, type Db, type Tx } from '../base';
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

const among = (column: MySqlColumn) => sql`${column} in (${sql.placeholder('ids')})`;
type Ids = { readonly ids: readonly number[] };

const edgesFrom = (end: typeof traces.toId | typeof traces.fromId) =>
  statement((db) =>
    db
      .select(edgeColumns)
      .from(traces)
      .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
      .innerJoin(toEnd, eq(toEnd.id, traces.toId))
      .where(and(among(end), inArray(traces.kind, ['parent', 'verifies']), isNull(traces.removedAt)))
      .orderBy(asc(traces.id)),
  );
const edges = { below: edgesFrom(traces.toId), above: edgesFrom(traces.fromId) };

/** The traces to parents and of cases at some ends, with whether they are in doubt. */
async function edgesAt(tx: Tx, where: keyof typeof edges, given: Ids): Promise<Edge[]> {
  const rows = await edges[where](tx, given);
  return rows.map(({ id, kind, fromId, from, to, fromRevision, toRevision, fromNow, toNow }) => ({
    id,
    kind: kind as 'parent' | 'verifies',
    fromId,
    from,
    to,
    suspect: suspectEnds({ from, to, fromRevision, toRevision }, fromNow, toNow).length > 0,
  }));
}

const callers = statement((db) =>
  db
    .select({ fromId: caseCalls.caseId, from: fromEnd.key, to: toEnd.key })
    .from(caseCalls)
    .innerJoin(fromEnd, eq(fromEnd.id, caseCalls.caseId))
    .innerJoin(toEnd, eq(toEnd.id, caseCalls.calledId))
    .where(among(caseCalls.calledId)),
);
const callsOf = async (tx: Tx, given: Ids): Promise<Edge[]> =>
  (await callers(tx, given)).map((row) => ({ ...row, id: 0, kind: 'calls', suspect: false }));

const reachedRecords = statement((db) =>
  db
    .select({
      id: records.id,
      kind: records.kind,
      key: records.key,
      title: records.title,
      state: records.state,
      minutes: cases.plannedMinutes,
    })
    .from(records)
    .leftJoin(cases, eq(cases.id, records.id))
    .where(among(records.id)),
);

interface Resting {
  readonly edges: readonly Edge[];
  /** Those that are reached, the one where it begins first. */
  readonly ids: readonly number[];
  readonly requirementIds: readonly number[];
  readonly more: boolean;
}

/** Whatever rests on a record, layer by layer: what is derived from it, what verifies that, what calls those; and what it rests on itself. */
async function resting(tx: Tx, start: number): Promise<Resting & { readonly above: readonly Edge[] }> {
  const known = new Set([start]);
  const requirementIds = new Set([start]);
  const reached: Edge[] = [];
  let above: readonly Edge[] = [];
  let first = true;
  const found = (more: boolean) => ({ edges: reached, above, ids: [...known], requirementIds: [...requirementIds], more });
  for (let layer = [start]; layer.length;) {
    const [traced, calling, own] = await inOnePacket(
      tx,
      () => edgesAt(tx, 'below', { ids: layer }),
      () => callsOf(tx, { ids: layer }),
      async () => (first ? edgesAt(tx, 'above', { ids: layer }) : above),
    );
    above = own;
    first = false;
    const next = [...traced, ...calling];
    reached.push(...next);
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
    const { edges: below, above, ids, requirementIds, more } = await resting(tx, start.id);
    const [stood, rows, functions, problems, seq] = await inOnePacket(
      tx,
      async () => (built ? standingRuns(tx, built.id, ids) : []),
      () => reachedRecords(tx, { ids }),
      async () => (built ? functionsOf(tx, built.id, requirementIds) : 0),
      () => problemsAt(tx, { ids: requirementIds }),
      () => ledgerHead(tx, projectId),
    );
    const runsOf = new Map(stood.map(({ id, n }) => [id, n]));
    const facts = rows.map(({ id, kind, minutes: planned, ...record }): ImpactRecord => ({
      ...record,
      kind: kind as ImpactRecord['kind'],
      minutes: planned ?? 0,
      runs: runsOf.get(id) ?? 0,
    }));
    const all = [...below, ...above].map(({ fromId: _, ...edge }) => edge);
    const { suspect, reached, minutes, toDo } = impactOf(start.key, { records: facts, traces: all });
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
