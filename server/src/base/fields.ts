import type { Field, FieldDefinition, OwnValue } from '@contract/base';
import { needsValue, type VersionedKind } from '@core/base';
import { and, asc, eq, isNull } from 'drizzle-orm';
import { account } from './accounted';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { cleanHtml } from './rich-text';
import { fields, people } from './tables';
import { write, type Actor, type Writing } from './writing';

export const fieldRows = account({
  name: 'fields',
  table: fields,
  id: fields.id,
  project: fields.projectId,
  columns: [
    ['kind', fields.kind],
    ['name', fields.name],
    ['definition', fields.definition],
    ['retiredAt', fields.retiredAt],
  ],
});

export async function listFields(db: Db | Tx, projectId: number): Promise<Field[]> {
  const rows = await db
    .select()
    .from(fields)
    .where(eq(fields.projectId, projectId))
    .orderBy(asc(fields.kind), asc(fields.position), asc(fields.id));
  return rows.map(({ id, kind, name, description, definition, position, retiredAt }) => ({
    id,
    kind,
    name,
    description,
    definition,
    position,
    retired: retiredAt !== null,
  }));
}

interface FieldInput {
  readonly name: string;
  readonly description: string;
  readonly definition: FieldDefinition;
}

function checkDefinition({ type, choices, least, most }: FieldDefinition): void {
  const wrong = (path: string, text: string): Refusal => new Refusal('invalid', { fields: [{ path, text }] });
  if ((type === 'choice' || type === 'choices') && !choices.length) throw wrong('definition.choices', 'Name what can be chosen.');
  if (new Set(choices).size < choices.length) throw wrong('definition.choices', 'A choice stands twice.');
  if (least !== undefined && most !== undefined && least > most) throw wrong('definition.least', 'The least is more than the most.');
}

export function addField(db: Db, actor: Actor, input: FieldInput & { readonly kind: VersionedKind }): Promise<Field[]> {
  checkDefinition(input.definition);
  return write(db, actor, async (w) => {
    const all = await listFields(w.tx, actor.projectId);
    const position = all.filter((field) => field.kind === input.kind).length;
    const { kind, name, description, definition } = input;
    const [made] = await w.tx
      .insert(fields)
      .values({ projectId: actor.projectId, kind, name, description, definition, position })
      .$returningId();
    w.log({ action: 'field added', kind: 'field', key: name, after: input });
    w.wrote(fieldRows, made.id);
    return listFields(w.tx, actor.projectId);
  });
}

/** Changes a field. Its values stay where they are, under its id: renaming loses nothing. Its type changes only while nothing is written in it. */
export function saveField(
  db: Db,
  actor: Actor,
  id: number,
  input: FieldInput & { readonly position: number; readonly retired: boolean },
): Promise<Field[]> {
  checkDefinition(input.definition);
  return write(db, actor, async (w) => {
    const [row] = await w.tx
      .select()
      .from(fields)
      .where(and(eq(fields.projectId, actor.projectId), eq(fields.id, id)))
      .for('update');
    if (!row) throw new Refusal('notFound', { detail: 'There is no such field.' });
    if (row.definition.type !== input.definition.type)
      throw new Refusal('stateForbids', { detail: 'A field keeps its type: retire it and add another.' });
    const { name, description, definition, position, retired } = input;
    await w.tx
      .update(fields)
      .set({ name, description, definition, position, retiredAt: retired ? (row.retiredAt ?? w.at) : null })
      .where(eq(fields.id, id));
    w.log({ action: 'field changed', kind: 'field', key: name, before: { name: row.name, definition: row.definition }, after: input });
    w.wrote(fieldRows, id);
    return listFields(w.tx, actor.projectId);
  });
}

function fault(definition: FieldDefinition, value: OwnValue, logins: ReadonlySet<string>): string | undefined {
  const { type, choices, least, most } = definition;
  switch (type) {
    case 'number':
      if (typeof value !== 'number' || !Number.isFinite(value)) return 'A number is wanted.';
      if (least !== undefined && value < least) return `At least ${least}.`;
      return most !== undefined && value > most ? `At most ${most}.` : undefined;
    case 'yesNo':
      return typeof value === 'boolean' ? undefined : 'Yes or no is wanted.';
    case 'choices':
      return Array.isArray(value) && value.every((item) => choices.includes(item)) ? undefined : `Some of: ${choices.join(', ')}.`;
    case 'choice':
      return typeof value === 'string' && choices.includes(value) ? undefined : `One of: ${choices.join(', ')}.`;
    case 'person':
      return typeof value === 'string' && logins.has(value) ? undefined : 'The sign-in name of somebody here is wanted.';
    case 'date':
      return typeof value === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(value) && !Number.isNaN(Date.parse(value))
        ? undefined
        : 'A date as 2026-04-30 is wanted.';
    case 'address':
      return typeof value === 'string' && URL.canParse(value) && /^(https?|mailto):/.test(value)
        ? undefined
        : 'A web or mail address is wanted.';
    case 'text':
    case 'richText':
      return typeof value === 'string' ? undefined : 'Text is wanted.';
  }
}

/** Own values after a change: checked against their fields, rich text cleaned, empty ones left out. Refuses with the field's name. */
export type OwnChange = (
  before: Readonly<Record<string, OwnValue>>,
  change: Readonly<Record<string, OwnValue>>,
) => Promise<Record<string, OwnValue>>;

/** How own values of a kind change, by the fields of the moment: read once, for however many records. */
export async function ownRules({ tx, actor }: Writing, kind: VersionedKind): Promise<OwnChange> {
  const known = new Map(
    (await listFields(tx, actor.projectId)).filter((field) => field.kind === kind).map((field) => [String(field.id), field]),
  );
  const logins = new Set((await tx.select({ login: people.login }).from(people)).map((p) => p.login));
  return async (before, change) => {
    const after: Record<string, OwnValue> = { ...before };
    for (const [id, value] of Object.entries(change)) {
      const field = known.get(id);
      const wrong =
        !field || field.retired
          ? 'There is no such field here.'
          : value === null || value === ''
            ? undefined
            : fault(field.definition, value, logins);
      if (wrong) throw new Refusal('invalid', { fields: [{ path: `own.${field?.name ?? id}`, text: wrong }] });
      if (value === null || value === '') delete after[id];
      else after[id] = field?.definition.type === 'richText' ? await cleanHtml(actor, String(value)) : value;
    }
    return after;
  };
}

type FieldRow = typeof fields.$inferSelect;
const readIn = new WeakMap<Tx, Map<string, Promise<FieldRow[]>>>();

/** The fields of a kind that are in use: read once in a transaction, for however many records. */
function fieldsNow(tx: Tx, projectId: number, kind: VersionedKind): Promise<FieldRow[]> {
  const known = readIn.get(tx) ?? new Map<string, Promise<FieldRow[]>>();
  readIn.set(tx, known);
  const name = `${projectId} ${kind}`;
  const rows =
    known.get(name) ??
    tx
      .select()
      .from(fields)
      .where(and(eq(fields.projectId, projectId), eq(fields.kind, kind), isNull(fields.retiredAt)))
      .execute();
  known.set(name, rows);
  return rows;
}

/** Own fields that must have a value in this state at this level and have none, by name. */
export async function missingOwn(
  tx: Tx,
  projectId: number,
  kind: VersionedKind,
  own: Readonly<Record<string, OwnValue>>,
  state: string,
  level: string,
): Promise<string[]> {
  const rows = await fieldsNow(tx, projectId, kind);
  return rows.filter(({ id, definition }) => needsValue(definition, state, level) && own[String(id)] === undefined).map((row) => row.name);
}

/** A value of an own field as people read it. */
export const ownWords = (value: unknown): string =>
  typeof value === 'boolean'
    ? value
      ? 'yes'
      : 'no'
    : Array.isArray(value)
      ? value.join(', ')
      : typeof value === 'string' || typeof value === 'number'
        ? String(value)
        : '';
