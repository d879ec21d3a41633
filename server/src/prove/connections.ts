import type { Connection } from '@contract/prove';
import { reachFrom, type Joint } from '@core/base';
import { and, eq, inArray, isNull, or, type SQL } from 'drizzle-orm';
import { listTraceKinds, needAnyRecord, needBuild, records, traces, type Db, type Tx } from '../base';
import { caseCalls, caseDepends, caseOrigins, groupMembers } from '../design';
import { attestations, carries, codeTraces, codeUnits, runsCarriedTo, sources } from '../measure';
import { problems, runs } from '../run';

const mostShown = 300;

/** A record by its id, or a function of the build's code by its place. */
type Node = number | string;

/**
 * Everything that is connected with a record, near first: by traces, runs of cases, rounds, problems, calls, code of the build and what was
 * attested of it. Runs, problems and code are those of the build, where one is named.
 */
export async function connectionsOf(
  db: Db,
  projectId: number,
  key: string,
  { build, far }: { readonly build?: string | undefined; readonly far: number },
): Promise<{ connections: Connection[]; more: boolean }> {
  return db.transaction(async (tx) => {
    const start = await needAnyRecord(tx, projectId, key);
    const buildId = build === undefined ? undefined : (await needBuild(tx, projectId, build)).id;
    const words = new Map((await listTraceKinds(tx, projectId)).map(({ name, forward, backward }) => [name, { forward, backward }]));
    const { reached, more } = await reachFrom<Node>(start.id, far, mostShown, async (layer) => {
      const ids = layer.filter((node) => typeof node === 'number');
      if (!ids.length) return [];
      return [
        ...(await tracesOf(tx, projectId, ids, words)),
        ...(await runsOf(tx, projectId, ids, buildId)),
        ...(await callsOf(tx, ids)),
        ...(await designedOf(tx, ids)),
        ...(await problemsOf(tx, projectId, ids, buildId)),
        ...(await codeOf(tx, projectId, ids, buildId)),
      ];
    });
    const found = [start.id, ...reached.map(({ key: node }) => node)].filter((node) => typeof node === 'number');
    const rows = new Map(
      (
        await tx
          .select({ id: records.id, kind: records.kind, key: records.key, title: records.title, state: records.state })
          .from(records)
          .where(inArray(records.id, found))
      ).map((row) => [row.id, row]),
    );
    const nameOf = (node: Node): string => (typeof node === 'number' ? (rows.get(node)?.key ?? '') : placeOf(node).key);
    const connections = reached.flatMap(({ key: node, from, via, distance }): Connection[] => {
      const way = { distance, from: nameOf(from), via };
      if (typeof node === 'string') return [{ kind: 'file', ...placeOf(node), state: '', ...way }];
      const row = rows.get(node);
      return row && row.kind !== 'project' ? [{ kind: row.kind, key: row.key, title: row.title, state: row.state, ...way }] : [];
    });
    return { connections, more };
  });
}

/** A function as it is named while records are walked through: its place, and its name. */
const codeNode = (path: string, line: number, unit: string): string => `${path}:${line}\n${unit}`;
function placeOf(node: string): { key: string; title: string } {
  const [key, title] = node.split('\n');
  return { key, title };
}

async function tracesOf(
  tx: Tx,
  projectId: number,
  ids: readonly number[],
  words: ReadonlyMap<string, { forward: string; backward: string }>,
): Promise<Joint<Node>[]> {
  const rows = await tx
    .select({ kind: traces.kind, from: traces.fromId, to: traces.toId })
    .from(traces)
    .where(and(eq(traces.projectId, projectId), isNull(traces.removedAt), either(ids)))
    .limit(mostShown * 4);
  return rows.map(({ kind, from, to }) => ({ from, to, ...(words.get(kind) ?? { forward: kind, backward: kind }) }));
}

const either = (ids: readonly number[]): SQL | undefined => or(inArray(traces.fromId, [...ids]), inArray(traces.toId, [...ids]));

async function runsOf(tx: Tx, projectId: number, ids: readonly number[], buildId: number | undefined): Promise<Joint<Node>[]> {
  const some = [...ids];
  const carried = buildId === undefined ? new Map<number, { id: number }>() : await runsCarriedTo(tx, buildId);
  const rows = await tx
    .select({ id: runs.id, caseId: runs.caseId, roundId: runs.roundId, supersedes: runs.supersedesId })
    .from(runs)
    .where(
      and(
        eq(runs.projectId, projectId),
        isNull(runs.withdrawnAt),
        buildId === undefined ? undefined : or(eq(runs.buildId, buildId), inArray(runs.id, [...carried.keys(), 0])),
        or(inArray(runs.id, some), inArray(runs.caseId, some), inArray(runs.roundId, some), inArray(runs.supersedesId, some)),
      ),
    )
    .limit(mostShown * 2);
  return rows.flatMap(({ id, caseId, roundId, supersedes }): Joint<Node>[] => [
    { from: caseId, to: id, forward: 'was run as', backward: 'is a run of' },
    { from: id, to: roundId, forward: 'was planned in', backward: 'holds the run' },
    ...(carried.has(id) ? [{ from: id, to: carried.get(id)?.id ?? 0, forward: 'was carried by', backward: 'carried' }] : []),
    ...(supersedes === null ? [] : [{ from: id, to: supersedes, forward: 'came after', backward: 'was run again as' }]),
  ]);
}

async function callsOf(tx: Tx, ids: readonly number[]): Promise<Joint<Node>[]> {
  const some = [...ids];
  const rows = await tx
    .selectDistinct({ from: caseCalls.caseId, to: caseCalls.calledId })
    .from(caseCalls)
    .where(or(inArray(caseCalls.caseId, some), inArray(caseCalls.calledId, some)))
    .limit(mostShown);
  return rows.map(({ from, to }) => ({ from, to, forward: 'calls', backward: 'is called by' }));
}

/** What cases depend on, the groups that they stand in, and what they were made of. */
async function designedOf(tx: Tx, ids: readonly number[]): Promise<Joint<Node>[]> {
  const some = [...ids];
  const depends = await tx
    .select({ from: caseDepends.caseId, to: caseDepends.onId })
    .from(caseDepends)
    .where(or(inArray(caseDepends.caseId, some), inArray(caseDepends.onId, some)))
    .limit(mostShown);
  const members = await tx
    .select({ from: groupMembers.groupId, to: groupMembers.caseId })
    .from(groupMembers)
    .where(or(inArray(groupMembers.groupId, some), inArray(groupMembers.caseId, some)))
    .limit(mostShown);
  const made = await tx
    .select({ from: caseOrigins.id, to: caseOrigins.sourceId })
    .from(caseOrigins)
    .where(or(inArray(caseOrigins.id, some), inArray(caseOrigins.sourceId, some)))
    .limit(mostShown);
  return [
    ...depends.map((joint) => ({ ...joint, forward: 'depends on', backward: 'must have passed before' })),
    ...members.map((joint) => ({ ...joint, forward: 'holds', backward: 'stands in the group' })),
    ...made.map((joint) => ({ ...joint, forward: 'was made of', backward: 'gave the case' })),
  ];
}

async function problemsOf(tx: Tx, projectId: number, ids: readonly number[], buildId: number | undefined): Promise<Joint<Node>[]> {
  const some = [...ids];
  const rows = await tx
    .select({ id: problems.id, run: problems.runId, caseId: problems.caseId, build: problems.buildId })
    .from(problems)
    .where(
      and(eq(problems.projectId, projectId), or(inArray(problems.id, some), inArray(problems.runId, some), inArray(problems.caseId, some))),
    )
    .limit(mostShown);
  return rows.flatMap(({ id, run, caseId, build }): Joint<Node>[] => [
    ...(run === null ? [] : [{ from: id, to: run, forward: 'was raised from', backward: 'raised' }]),
    ...(run === null && caseId !== null ? [{ from: id, to: caseId, forward: 'was found by', backward: 'found' }] : []),
    ...(buildId === undefined ? [{ from: id, to: build, forward: 'was found in', backward: 'has problem' }] : []),
  ]);
}

async function codeOf(tx: Tx, projectId: number, ids: readonly number[], buildId: number | undefined): Promise<Joint<Node>[]> {
  if (buildId === undefined) return [];
  const named = await tx
    .selectDistinct({ requirement: codeTraces.requirementId, path: codeTraces.path, unit: codeTraces.unit, line: codeUnits.start })
    .from(codeTraces)
    .innerJoin(sources, and(eq(sources.buildId, codeTraces.buildId), eq(sources.path, codeTraces.path), isNull(sources.supersededAt)))
    .innerJoin(codeUnits, and(eq(codeUnits.sourceId, sources.id), eq(codeUnits.name, codeTraces.unit)))
    .where(and(eq(codeTraces.buildId, buildId), isNull(codeTraces.removedAt), inArray(codeTraces.requirementId, [...ids])))
    .limit(mostShown);
  const units = new Map(named.map((row) => [`${row.path}\n${row.unit}`, codeNode(row.path, row.line, row.unit)]));
  const attested = units.size
    ? await tx
        .select({ id: attestations.id, path: attestations.path, unit: attestations.unit })
        .from(attestations)
        .where(and(eq(attestations.projectId, projectId), eq(attestations.buildId, buildId), isNull(attestations.withdrawnAt)))
    : [];
  const carried = units.size
    ? await tx
        .select({ id: carries.id, units: carries.units })
        .from(carries)
        .where(and(eq(carries.buildId, buildId), isNull(carries.withdrawnAt)))
    : [];
  return [
    ...named.flatMap(({ requirement, path, line, unit }): Joint<Node>[] =>
      requirement === null
        ? []
        : [{ from: requirement, to: codeNode(path, line, unit), forward: 'is implemented by', backward: 'implements' }],
    ),
    ...named.flatMap(({ requirement, path, unit }): Joint<Node>[] =>
      requirement === null
        ? []
        : [
            ...attested.filter((a) => a.path === path && a.unit === unit).map(({ id }) => ({ id, backward: 'is attested for' })),
            ...carried
              .filter(({ units: list }) => list.some((c) => c.path === path && c.unit === unit))
              .map(({ id }) => ({ id, backward: 'is carried for' })),
          ].map(({ id, backward }) => ({ from: requirement, to: id, forward: 'rests on', backward })),
    ),
  ];
}
