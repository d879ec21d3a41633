import type { ThreadRow } from '@contract/prove';
import { compareKeys, groupBy } from '@core/base';
import { suspectEnds } from '@core/design';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { among, type Ids, records, traces, type Db, type Tx } from '../base';
import { codeTraces } from '../measure';
import { runs } from '../run';
import { requirementsById } from '../specify';

const fromEnd = alias(records, 'from_end');
const toEnd = alias(records, 'to_end');
type End = ThreadRow['parents'][number];

/** What each of some requirements hangs together with; results and code are those of a build, where one is named. */
export async function threadsById(db: Db | Tx, ids: Ids, buildId: number | undefined): Promise<(ThreadRow & { id: number })[]> {
  const shown = await requirementsById(db, ids);
  const columns = {
    kind: traces.kind,
    fromId: traces.fromId,
    toId: traces.toId,
    fromRevision: traces.fromRevision,
    toRevision: traces.toRevision,
    from: { key: fromEnd.key, title: fromEnd.title, state: fromEnd.state, revision: fromEnd.revision },
    to: { key: toEnd.key, title: toEnd.title, state: toEnd.state, revision: toEnd.revision },
  };
  const drawn = (at: typeof traces.fromId | typeof traces.toId, kinds: readonly string[]) =>
    db
      .select(columns)
      .from(traces)
      .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
      .innerJoin(toEnd, eq(toEnd.id, traces.toId))
      .where(and(among(at, ids), inArray(traces.kind, [...kinds]), isNull(traces.removedAt)));
  type Drawn = Awaited<ReturnType<typeof drawn>>[number];
  const doubtful = (t: Drawn): boolean =>
    suspectEnds({ from: t.from.key, to: t.to.key, fromRevision: t.fromRevision, toRevision: t.toRevision }, t.from.revision, t.to.revision)
      .length > 0;
  const up = await drawn(traces.fromId, ['parent']);
  const down = await drawn(traces.toId, ['parent', 'verifies', 'foundAgainst']);
  const end = ({ key, title, state }: Drawn['from'], suspect: boolean): End => ({ key, title, state, suspect });
  const inOrder = (ends: readonly End[]): End[] => [...ends].sort((a, b) => compareKeys(a.key, b.key));
  const upOf = groupBy(up, (t) => t.fromId);
  const downOf = groupBy(down, (t) => t.toId);
  const runsOf =
    buildId === undefined
      ? new Map<number, End[]>()
      : await resultsOf(db, buildId, [...new Set(down.flatMap((t) => (t.kind === 'verifies' ? [t.fromId] : [])))]);
  const code =
    buildId === undefined
      ? []
      : await db
          .selectDistinct({ requirement: codeTraces.requirementId, unit: codeTraces.unit })
          .from(codeTraces)
          .where(and(eq(codeTraces.buildId, buildId), among(codeTraces.requirementId, ids), isNull(codeTraces.removedAt)));
  const codeOf = groupBy(
    code,
    (c) => c.requirement ?? 0,
    (c) => c.unit,
  );
  return shown.map((r) => {
    const below = downOf.get(r.id) ?? [];
    const of = (kind: string): End[] =>
      inOrder(below.filter((t) => t.kind === kind).map((t) => end(t.from, kind !== 'foundAgainst' && doubtful(t))));
    return {
      id: r.id,
      key: r.key,
      title: r.title,
      state: r.state,
      level: r.level,
      specification: r.specification,
      needsParent: r.kind === 'requirement' && !r.topLevel && !r.derived,
      parents: inOrder((upOf.get(r.id) ?? []).map((t) => end(t.to, doubtful(t)))),
      children: of('parent'),
      cases: of('verifies'),
      runs: inOrder(below.flatMap((t) => (t.kind === 'verifies' ? (runsOf.get(t.fromId) ?? []) : []))),
      functions: [...(codeOf.get(r.id) ?? [])].sort(),
      notInCode: r.notInCode,
      problems: of('foundAgainst'),
    };
  });
}

/** Runs of cases on a build that nothing took the place of: each with its verdict, or how far it is. */
async function resultsOf(db: Db | Tx, buildId: number, caseIds: readonly number[]): Promise<Map<number, End[]>> {
  if (!caseIds.length) return new Map();
  const rows = await db
    .select({ caseId: runs.caseId, verdict: runs.verdict, key: records.key, title: records.title, state: records.state })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(eq(runs.buildId, buildId), inArray(runs.caseId, [...caseIds]), isNull(runs.withdrawnAt), isNull(runs.supersededById)));
  return groupBy(
    rows,
    (row) => row.caseId,
    ({ key, title, state, verdict }) => ({ key, title, state: verdict ?? state, suspect: false }),
  );
}
