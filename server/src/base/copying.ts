import type { OwnValue } from '@contract/base';
import type { VersionedKind } from '@core/base';
import { and, eq, inArray } from 'drizzle-orm';
import { attachmentRows } from './collaboration';
import type { Db } from './database';
import { Refusal } from './errors';
import { listFields, ownRules } from './fields';
import { recordsByKey } from './records';
import { picturesIn } from './rich-text';
import { attachments, memberships, projects } from './tables';
import type { Actor, Writing } from './writing';

/** Where somebody copies records to: another project, in which they are an author. */
export async function copyTarget(db: Db, { login, projectId, now, parse }: Actor, personId: number, slug: string): Promise<Actor> {
  const rows = await db
    .select({ id: projects.id, role: memberships.role })
    .from(projects)
    .innerJoin(memberships, and(eq(memberships.projectId, projects.id), eq(memberships.personId, personId)))
    .where(eq(projects.slug, slug));
  if (!rows.length) throw new Refusal('notFound', { detail: `There is no project ${slug}, or you are not in it.` });
  if (!rows.some(({ role }) => role === 'author')) throw new Refusal('forbidden', { detail: `You are no author in ${slug}.` });
  if (rows[0].id === projectId) throw new Refusal('invalid', { fields: [{ path: 'into.project', text: 'This is the same project.' }] });
  return { login, projectId: rows[0].id, now, ...(parse ? { parse } : {}) };
}

type Fields = Awaited<ReturnType<typeof listFields>>;

/** How values of one project's own fields become those of the other's: by name and type; what has no place there is said. */
export async function ownValuesInto(
  w: Writing,
  kind: VersionedKind,
  { fields, project, rules }: { readonly fields: Fields; readonly project: string; readonly rules: Awaited<ReturnType<typeof ownRules>> },
): Promise<(own: Readonly<Record<string, unknown>>) => Promise<{ own: Record<string, OwnValue>; missing: string[] }>> {
  const mine = new Map(fields.map((field) => [String(field.id), field]));
  const theirs = (await listFields(w.tx, w.actor.projectId)).filter((field) => field.kind === kind && !field.retired);
  return async (values) => {
    const own: Record<string, OwnValue> = {};
    const missing: string[] = [];
    for (const [id, value] of Object.entries(values)) {
      const field = mine.get(id);
      const same = theirs.find(({ name, definition }) => name === field?.name && definition.type === field.definition.type);
      // A value that the other project's field refuses stays behind; it is said, and the rest comes along.
      const taken = same && (await rules({}, { [String(same.id)]: value as OwnValue }).catch(() => undefined));
      if (taken) Object.assign(own, taken);
      else if (value !== null) missing.push(`${project} has no place for ${field?.name ?? 'a field'}.`);
    }
    return { own, missing };
  };
}

/** The pictures and files that stand in copied texts become files of the copies. */
export async function copyFilesOf(
  w: Writing,
  from: number,
  copied: readonly { readonly key: string; readonly html: string }[],
): Promise<void> {
  const shown = copied.flatMap(({ key, html }) => [...new Set(picturesIn(html))].map((hash) => ({ key, hash })));
  if (!shown.length) return;
  const hashes = [...new Set(shown.map(({ hash }) => hash))];
  const files = await w.tx
    .select()
    .from(attachments)
    .where(and(eq(attachments.projectId, from), inArray(attachments.sha256, hashes)));
  const fileOf = new Map(files.map((file) => [file.sha256, file]));
  const made = await recordsByKey(w.tx, w.actor.projectId, [...new Set(shown.map(({ key }) => key))]);
  for (const { key, hash } of shown) {
    const [file, record] = [fileOf.get(hash), made.get(key)];
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
