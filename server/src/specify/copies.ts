import type { OwnValue } from '@contract/base';
import { inReadingOrder, type ImportedRequirement } from '@core/specify';
import { and, eq, inArray } from 'drizzle-orm';
import {
  picturesIn,
  attachmentRows,
  attachments,
  freeKeys,
  listFields,
  memberships,
  ownRules,
  profileOf,
  projects,
  recordsByKey,
  Refusal,
  write,
  type Actor,
  type Db,
  type Tx,
  type Writing,
} from '../base';
import { wholeRequirements } from './exports';
import { insertNew } from './import';
import { contentOf, lockSpecification, needRequirement } from './store';

export interface CopyOut {
  readonly keys: readonly string[];
  readonly into: { readonly project: string; readonly specification: string; readonly under: string | null };
  readonly traces: boolean;
}

/** Where somebody writes: another project in which they are an author. */
async function needTarget(db: Db, login: string, personId: number, slug: string): Promise<Actor> {
  const rows = await db
    .select({ id: projects.id, role: memberships.role })
    .from(projects)
    .innerJoin(memberships, and(eq(memberships.projectId, projects.id), eq(memberships.personId, personId)))
    .where(eq(projects.slug, slug));
  if (!rows.length) throw new Refusal('notFound', { detail: `There is no project ${slug}, or you are not in it.` });
  if (!rows.some(({ role }) => role === 'author')) throw new Refusal('forbidden', { detail: `You are no author in ${slug}.` });
  return { login, projectId: rows[0].id, now: () => new Date() };
}

type Whole = Awaited<ReturnType<typeof wholeRequirements>>[number];

/** What is chosen with all that stands below it, in reading order. */
async function chosenBranches(tx: Tx, projectId: number, keys: readonly string[]): Promise<Whole[]> {
  const all = inReadingOrder((await wholeRequirements(tx, projectId, undefined)).map((row) => ({ ...row, key: row.record.key })));
  const wanted = new Set(keys);
  const strange = keys.filter((key) => !all.some((row) => row.key === key));
  if (strange.length) throw new Refusal('notFound', { detail: `There is no requirement ${strange.slice(0, 10).join(', ')}.` });
  return all.filter((row) => wanted.has(row.key) || (row.under !== null && wanted.has(row.under) && wanted.add(row.key)));
}

/** Copies requirements into a specification of another project, in draft, all or none: as the tree that they are, with their pictures. */
export async function copyOut(
  db: Db,
  actor: Actor,
  personId: number,
  { keys, into, traces }: CopyOut,
): Promise<{ copies: { from: string; to: string }[]; left: string[] }> {
  const target = await needTarget(db, actor.login, personId, into.project);
  if (target.projectId === actor.projectId)
    throw new Refusal('invalid', { fields: [{ path: 'into.project', text: 'This is the same project.' }] });
  const { rows, fields } = await db.transaction(async (tx) => ({
    rows: await chosenBranches(tx, actor.projectId, keys),
    fields: new Map((await listFields(tx, actor.projectId)).map((field) => [String(field.id), field])),
  }));
  const left: string[] = [];
  const copies = await write(db, target, async (w) => {
    const specification = await lockSpecification(w, into.specification);
    const top = into.under === null ? null : await needRequirement(w.tx, target.projectId, into.under);
    if (top && top.row.specificationId !== specification.id)
      throw new Refusal('invalid', { fields: [{ path: 'into.under', text: `${into.under} stands in another specification.` }] });
    const { levels } = await profileOf(w.tx, target.projectId);
    const theirs = (await listFields(w.tx, target.projectId)).filter((field) => field.kind === 'requirement' && !field.retired);
    const made = await freeKeys(w, specification.prefix, rows.length);
    const keyOf = new Map(rows.map(({ record }, i) => [record.key, made[i]]));
    const rules = await ownRules(w, 'requirement');
    const copied: ImportedRequirement[] = [];
    for (const [i, { record, row, details, under, parents }] of rows.entries()) {
      const content = contentOf({ record, row, details });
      if (content.level && !levels.includes(content.level)) left.push(`${record.key}: ${into.project} has no level ${content.level}.`);
      const own: Record<string, OwnValue> = {};
      for (const [id, value] of Object.entries(record.own)) {
        const mine = fields.get(id);
        const same = theirs.find((field) => field.name === mine?.name && field.definition.type === mine.definition.type);
        // A value that the other project's field refuses stays behind; it is said, and the rest comes along.
        const taken = same && (await rules({}, { [String(same.id)]: value }).catch(() => undefined));
        if (taken) Object.assign(own, taken);
        else if (value !== null) left.push(`${record.key}: ${into.project} has no place for ${mine?.name ?? 'a field'}.`);
      }
      const outside = traces ? parents.filter((parent) => !keyOf.has(parent)) : parents;
      if (outside.length) left.push(`${record.key}: the trace to ${outside.join(', ')}.`);
      copied.push({
        row: i + 1,
        key: made[i],
        status: 'new',
        parents: traces ? parents.flatMap((parent) => keyOf.get(parent) ?? []) : [],
        under: under === null ? null : (keyOf.get(under) ?? null),
        content: levels.includes(content.level) ? content : { ...content, level: '' },
        own,
      });
    }
    w.log({ action: 'requirements copied here', kind: 'specification', key: into.specification, after: { rows: rows.length } });
    await insertNew(w, specification.id, copied, rules, top?.record.id ?? null);
    await copyPictures(w, actor.projectId, copied);
    return rows.map(({ record }, i) => ({ from: record.key, to: made[i] }));
  });
  return { copies, left };
}

/** The pictures of copied texts become files of the copies. */
async function copyPictures(w: Writing, from: number, copied: readonly ImportedRequirement[]): Promise<void> {
  const shown = copied.flatMap(({ key, content }) => [...new Set(picturesIn(content.html))].map((hash) => ({ key, hash })));
  if (!shown.length) return;
  const hashes = [...new Set(shown.map(({ hash }) => hash))];
  const files = await w.tx
    .select()
    .from(attachments)
    .where(and(eq(attachments.projectId, from), inArray(attachments.sha256, hashes)));
  const fileOf = new Map(files.map((file) => [file.sha256, file]));
  const records = await recordsByKey(w.tx, w.actor.projectId, [...new Set(shown.map(({ key }) => key))]);
  for (const { key, hash } of shown) {
    const [file, record] = [fileOf.get(hash), records.get(key)];
    if (!file || !record) continue;
    const { name, mime, bytes, sha256 } = file;
    const row = {
      projectId: w.actor.projectId,
      recordId: record.id,
      name,
      mime,
      bytes,
      sha256,
      by: w.actor.login,
      at: w.at,
      removedAt: null,
    };
    const [{ id }] = await w.tx.insert(attachments).values(row).$returningId();
    w.wrote(attachmentRows, id);
  }
}
