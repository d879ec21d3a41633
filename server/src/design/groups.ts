import type { GroupDetail, GroupSummary } from '@contract/design';
import { groupBy } from '@core/base';
import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm';
import {
  among,
  type Ids,
  account,
  changeRecord,
  freeKey,
  insertRecord,
  insertTraces,
  lockRecord,
  needRecord,
  recordFields,
  recordRows,
  records,
  Refusal,
  refuseRetired,
  refuseStale,
  removeTraceIn,
  traces,
  tracesAt,
  write,
  type Actor,
  type Db,
  type ListSource,
  type StoredRecord,
  type Tx,
  type Writing,
} from '../base';
import { needRequirement } from '../specify';
import { needCases, type StoredCase } from './store';
import { caseGroups, cases, groupMembers } from './tables';

const groupRows = account({
  name: 'case_groups',
  table: caseGroups,
  id: caseGroups.id,
  project: caseGroups.projectId,
  columns: [
    ['purpose', caseGroups.purpose],
    ['cases', caseGroups.cases],
  ],
});

/** Groups as lists show them, by their ids. */
export async function groupSummaries(db: Db | Tx, ids: Ids): Promise<(GroupSummary & { id: number })[]> {
  const rows = await db
    .select({ record: records, row: caseGroups })
    .from(caseGroups)
    .innerJoin(records, eq(records.id, caseGroups.id))
    .where(among(caseGroups.id, ids));
  const sums = new Map(
    (
      await db
        .select({
          id: groupMembers.groupId,
          n: sql<number>`count(*)`.mapWith(Number),
          minutes: sql<number>`sum(${cases.plannedMinutes})`.mapWith(Number),
        })
        .from(groupMembers)
        .innerJoin(cases, eq(cases.id, groupMembers.caseId))
        .where(among(groupMembers.groupId, ids))
        .groupBy(groupMembers.groupId)
    ).map(({ id, ...sum }) => [id, sum]),
  );
  const traced = groupBy(
    (await tracesAt(db, ids)).filter((t) => t.kind === 'together'),
    (t) => t.from,
    (t) => t.to,
  );
  return rows.map(({ record, row }) => ({
    id: record.id,
    key: record.key,
    title: record.title,
    purpose: row.purpose,
    revision: record.revision,
    state: record.retiredAt === null ? 'open' : 'retired',
    cases: sums.get(record.id)?.n ?? 0,
    minutes: sums.get(record.id)?.minutes ?? 0,
    requirements: [...(traced.get(record.key) ?? [])].sort(),
    own: { ...record.own } as GroupSummary['own'],
    updatedBy: record.updatedBy,
    updatedAt: record.updatedAt,
  }));
}

/** How groups are asked for in lists. */
export function groupList(projectId: number): ListSource {
  return {
    from: sql`from ${records} left join ${caseGroups} on ${caseGroups.id} = ${records.id}`,
    fields: {
      ...recordFields,
      cases: { value: sql`(select count(*) from ${groupMembers} gm where gm.group_id = ${records.id})`, type: 'number' },
    },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'group')) as ListSource['where'],
    sort: 'key',
  };
}

export async function groupDetail(db: Db | Tx, projectId: number, key: string): Promise<GroupDetail> {
  const record = await needRecord(db, projectId, 'group', key);
  const [{ id: _, ...summary }] = await groupSummaries(db, [record.id]);
  const members = await db
    .select({ key: records.key, title: records.title, state: records.state, plannedMinutes: cases.plannedMinutes })
    .from(groupMembers)
    .innerJoin(cases, eq(cases.id, groupMembers.caseId))
    .innerJoin(records, eq(records.id, groupMembers.caseId))
    .where(eq(groupMembers.groupId, record.id))
    .orderBy(asc(groupMembers.position));
  const all = await tracesAt(db, [record.id]);
  return { ...summary, members, traces: all.filter((t) => t.kind === 'together') };
}

/** The cases of a group, in their order. */
export async function groupCases(tx: Db | Tx, projectId: number, key: string): Promise<string[]> {
  return (await groupDetail(tx, projectId, key)).members.map((member) => member.key);
}

export interface GroupInput {
  readonly title: string;
  readonly purpose: string;
  readonly cases: readonly string[];
  readonly requirements: readonly string[];
}

/** The cases of a group, and the traces that say that all of them together verify what it verifies. */
async function putMembers(w: Writing, id: number, chosen: readonly StoredCase[]): Promise<void> {
  await w.tx.delete(groupMembers).where(eq(groupMembers.groupId, id));
  if (chosen.length)
    await w.tx.insert(groupMembers).values(chosen.map(({ record }, i) => ({ groupId: id, caseId: record.id, position: i + 1 })));
}

/** Draws what is missing: the group to each requirement, and each of its cases to each of them. A requirement holds when all of them pass. */
async function traceTogether(
  w: Writing,
  group: StoredRecord,
  chosen: readonly StoredCase[],
  requirements: readonly string[],
): Promise<void> {
  const ends: StoredRecord[] = [];
  for (const key of new Set(requirements)) ends.push((await needRequirement(w.tx, w.actor.projectId, key)).record);
  const standing = await w.tx
    .select({ id: traces.id, kind: traces.kind, from: traces.fromId, to: traces.toId })
    .from(traces)
    .where(
      and(
        inArray(traces.fromId, [group.id, ...chosen.map((c) => c.record.id)]),
        inArray(traces.kind, ['together', 'verifies']),
        isNull(traces.removedAt),
      ),
    );
  const has = (kind: string, from: number, to: number): boolean => standing.some((t) => t.kind === kind && t.from === from && t.to === to);
  const wanted = new Set(ends.map((end) => end.id));
  for (const t of standing)
    if (t.kind === 'together' && t.from === group.id && !wanted.has(t.to))
      await removeTraceIn(w, t.id, `${group.key} verifies it no longer.`);
  await insertTraces(
    w,
    'together',
    ends.filter((end) => !has('together', group.id, end.id)).map((end) => [group, end] as const),
  );
  await insertTraces(
    w,
    'verifies',
    chosen.flatMap(({ record }) => ends.filter((end) => !has('verifies', record.id, end.id)).map((end) => [record, end] as const)),
  );
}

export async function addGroup(db: Db, actor: Actor, input: GroupInput): Promise<GroupDetail> {
  const key = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const chosen = await needCases(w.tx, projectId, input.cases);
    const made = await freeKey(w, 'G');
    const { title, purpose } = input;
    const id = await insertRecord(w, { kind: 'group', key: made, title, words: purpose, state: 'open' });
    await w.tx.insert(caseGroups).values({ id, projectId, purpose, cases: chosen.map((c) => c.record.id) });
    await putMembers(w, id, chosen);
    const said = { title, purpose, cases: input.cases, requirements: input.requirements };
    w.log({ action: 'group made', kind: 'group', key: made, after: said });
    w.snapshot({ recordId: id, revision: 1, state: 'open', snapshot: said });
    w.wrote(recordRows, id);
    w.wrote(groupRows, id);
    await traceTogether(w, await needRecord(w.tx, projectId, 'group', made), chosen, input.requirements);
    return made;
  });
  return groupDetail(db, actor.projectId, key);
}

export async function saveGroup(db: Db, actor: Actor, key: string, input: GroupInput & { readonly basedOn: number }): Promise<GroupDetail> {
  const { projectId } = actor;
  await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'group', key);
    refuseRetired(record);
    await refuseStale(record, input.basedOn, () => groupDetail(w.tx, projectId, record.key));
    const before = await groupDetail(w.tx, projectId, record.key);
    const chosen = await needCases(w.tx, projectId, input.cases);
    if (chosen.length !== input.cases.length)
      throw new Refusal('invalid', { fields: [{ path: 'cases', text: 'A case stands in it twice.' }] });
    const revision = record.revision + 1;
    const { title, purpose } = input;
    await changeRecord(w, record, { title, words: purpose, revision });
    await w.tx
      .update(caseGroups)
      .set({ purpose, cases: chosen.map((c) => c.record.id) })
      .where(eq(caseGroups.id, record.id));
    await putMembers(w, record.id, chosen);
    const said = { title, purpose, cases: input.cases, requirements: input.requirements };
    w.log({
      action: 'group changed',
      kind: 'group',
      key: record.key,
      before: { title: before.title, purpose: before.purpose, cases: before.members.map((m) => m.key), requirements: before.requirements },
      after: said,
    });
    w.snapshot({ recordId: record.id, revision, state: 'open', snapshot: { ...said, own: record.own } });
    w.wrote(recordRows, record.id);
    w.wrote(groupRows, record.id);
    await traceTogether(w, { ...record, revision, title }, chosen, input.requirements);
  });
  return groupDetail(db, projectId, key);
}
