import type { RequirementDetail, Specification } from '@contract/specify';
import { isKey, keyNumber, nextKey, type Role } from '@core/base';
import { approvalFaults, type RequirementContent, type RequirementState } from '@core/specify';
import { and, asc, count, eq, like } from 'drizzle-orm';
import { insertTrace, Refusal, write, type Actor, type Db, type Tx } from '../base';
import { contentOf, needRequirement, requirementDetail } from './store';
import { requirements, specifications } from './tables';

export async function listSpecifications(db: Db, projectId: number): Promise<Specification[]> {
  const rows = await db.select().from(specifications).where(eq(specifications.projectId, projectId)).orderBy(asc(specifications.id));
  const counts = await db
    .select({ specification: requirements.specification, n: count() })
    .from(requirements)
    .where(and(eq(requirements.projectId, projectId), eq(requirements.kind, 'requirement')))
    .groupBy(requirements.specification);
  return rows.map(({ key, title, prefix }) => ({ key, title, prefix, requirements: counts.find((c) => c.specification === key)?.n ?? 0 }));
}

export function addSpecification(db: Db, actor: Actor, told: { key: string; title: string; prefix: string }): Promise<Specification> {
  return write(db, actor, async (w) => {
    await w.tx.insert(specifications).values({ projectId: actor.projectId, ...told });
    await w.log('specification begun', 'specification', told.key, null, told);
    return { ...told, requirements: 0 };
  });
}

export async function needSpecification(db: Db | Tx, projectId: number, key: string): Promise<typeof specifications.$inferSelect> {
  const [row] = await db
    .select()
    .from(specifications)
    .where(and(eq(specifications.projectId, projectId), eq(specifications.key, key)));
  if (!row) throw new Refusal('notFound', { detail: `There is no specification ${key}.` });
  return row;
}

async function freeKey(tx: Tx, projectId: number, prefix: string): Promise<string> {
  const rows = await tx
    .select({ key: requirements.key })
    .from(requirements)
    .where(and(eq(requirements.projectId, projectId), like(requirements.key, `${prefix}-%`)));
  return nextKey(
    prefix,
    rows.reduce((greatest, { key }) => (key.startsWith(`${prefix}-`) && isKey(key) ? Math.max(greatest, keyNumber(key)) : greatest), 0),
  );
}

export interface NewRequirement {
  readonly specification: string;
  readonly under: string | null;
  readonly key?: string;
  readonly parent: string | null;
  readonly content: RequirementContent;
}

export function addRequirement(db: Db, actor: Actor, told: NewRequirement): Promise<RequirementDetail> {
  return write(db, actor, async (w) => {
    const specification = await needSpecification(w.tx, actor.projectId, told.specification);
    const key = told.key ?? (await freeKey(w.tx, actor.projectId, specification.prefix));
    if (!isKey(key))
      throw new Refusal('invalid', { fields: [{ path: 'key', text: 'A key is capitals, a hyphen and a number, as in BRK-007.' }] });
    if (!told.content.title.trim()) throw new Refusal('invalid', { fields: [{ path: 'title', text: 'Give it a title.' }] });
    if (told.under !== null) await needRequirement(w.tx, actor.projectId, told.under);
    const siblings = await w.tx
      .select({ n: count() })
      .from(requirements)
      .where(and(eq(requirements.projectId, actor.projectId), eq(requirements.specification, specification.key)));
    const [made] = await w.tx
      .insert(requirements)
      .values({
        projectId: actor.projectId,
        specification: specification.key,
        key,
        under: told.under,
        position: siblings[0].n + 1,
        revision: 1,
        state: 'draft',
        ...told.content,
        updatedBy: actor.login,
        updatedAt: w.at,
      })
      .$returningId();
    await w.keep('requirement', made.id, 1, told.content);
    await w.log('requirement written', 'requirement', key, null, { revision: 1, ...told.content });
    if (told.parent !== null)
      await insertTrace(w, 'parent', { key, revision: 1 }, await needRequirement(w.tx, actor.projectId, told.parent));
    return requirementDetail(w.tx, actor.projectId, key);
  });
}

/** Saves a new revision. A revision saved by somebody else in between is a conflict, answered with the stored version. */
export function saveRequirement(
  db: Db,
  actor: Actor,
  key: string,
  basedOn: number,
  content: RequirementContent,
): Promise<RequirementDetail> {
  return write(db, actor, async (w) => {
    const row = await needRequirement(w.tx, actor.projectId, key);
    if (row.revision !== basedOn)
      throw new Refusal('conflict', {
        detail: `${row.updatedBy} saved revision ${row.revision} in between.`,
        current: await requirementDetail(w.tx, actor.projectId, key),
      });
    if (!content.title.trim()) throw new Refusal('invalid', { fields: [{ path: 'title', text: 'Give it a title.' }] });
    const before = contentOf(row);
    if (JSON.stringify(before) === JSON.stringify(content)) return requirementDetail(w.tx, actor.projectId, key);
    const revision = row.revision + 1;
    await w.tx
      .update(requirements)
      .set({ ...content, revision, state: 'draft', updatedBy: actor.login, updatedAt: w.at })
      .where(eq(requirements.id, row.id));
    await w.keep('requirement', row.id, revision, content);
    await w.log('requirement revised', 'requirement', key, { revision: row.revision, ...before }, { revision, ...content });
    return requirementDetail(w.tx, actor.projectId, key);
  });
}

/** Who may move a record to a state: authors ask for review and take back, reviewers approve and send back. */
export function checkStateChange(roles: readonly Role[], state: RequirementState): void {
  if (state === 'approved' && !roles.includes('reviewer')) throw new Refusal('forbidden', { detail: 'Only a reviewer approves.' });
}

export function setRequirementState(
  db: Db,
  actor: Actor,
  roles: readonly Role[],
  key: string,
  basedOn: number,
  state: RequirementState,
): Promise<RequirementDetail> {
  checkStateChange(roles, state);
  return write(db, actor, async (w) => {
    const row = await needRequirement(w.tx, actor.projectId, key);
    if (row.revision !== basedOn)
      throw new Refusal('conflict', {
        detail: `${row.updatedBy} saved revision ${row.revision} in between: read it first.`,
        current: await requirementDetail(w.tx, actor.projectId, key),
      });
    const faults = state === 'draft' ? [] : approvalFaults(contentOf(row));
    if (faults.length) throw new Refusal('stateForbids', { detail: faults.join(' ') });
    if (row.state !== state) {
      await w.tx.update(requirements).set({ state }).where(eq(requirements.id, row.id));
      await w.log(
        state === 'approved' ? 'requirement approved' : state === 'review' ? 'review asked for' : 'sent back to draft',
        'requirement',
        key,
        { revision: row.revision, state: row.state },
        { revision: row.revision, state },
      );
    }
    return requirementDetail(w.tx, actor.projectId, key);
  });
}

/** Moves a requirement under a heading, before a sibling (at the end without one). A place below itself is refused. */
export function placeRequirement(
  db: Db,
  actor: Actor,
  key: string,
  under: string | null,
  before: string | null,
): Promise<RequirementDetail> {
  return write(db, actor, async (w) => {
    const row = await needRequirement(w.tx, actor.projectId, key);
    const all = await w.tx
      .select({ id: requirements.id, key: requirements.key, under: requirements.under, position: requirements.position })
      .from(requirements)
      .where(and(eq(requirements.projectId, actor.projectId), eq(requirements.specification, row.specification)))
      .orderBy(asc(requirements.position));
    const byKey = new Map(all.map((item) => [item.key, item]));
    if (under !== null && !byKey.has(under)) throw new Refusal('notFound', { detail: `There is no ${under} in this specification.` });
    for (let up: string | null | undefined = under, i = 0; up && i < all.length; up = byKey.get(up)?.under, i++)
      if (up === key) throw new Refusal('stateForbids', { detail: 'A requirement cannot stand below itself.' });
    const siblings = all.filter((item) => item.under === under && item.key !== key);
    const at = before === null ? siblings.length : siblings.findIndex((item) => item.key === before);
    const next = siblings[at < 0 ? siblings.length : at]?.position;
    const previous = siblings[(at < 0 ? siblings.length : at) - 1]?.position;
    const position = next === undefined ? (previous ?? 0) + 1 : previous === undefined ? next - 1 : (previous + next) / 2;
    await w.tx.update(requirements).set({ under, position }).where(eq(requirements.id, row.id));
    await w.log('requirement moved', 'requirement', key, { under: row.under, position: row.position }, { under, position });
    return requirementDetail(w.tx, actor.projectId, key);
  });
}
