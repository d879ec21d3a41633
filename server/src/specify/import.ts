import type { OwnValue } from '@contract/base';
import type { ImportSummary } from '@contract/specify';
import { compareKeys, groupBy, sha256Hex, writeCsv } from '@core/base';
import {
  inReadingOrder,
  previewRequirements,
  summariseImport,
  writeReqif,
  type ColumnMapping,
  type ExistingRequirement,
  type ImportContext,
  type ImportedRequirement,
  type ImportPreview,
} from '@core/specify';
import { and, asc, eq, inArray, isNull, max } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  insertRecords,
  insertTraces,
  listFields,
  lockRecord,
  noteKeys,
  ownRules,
  parseHere,
  parseWork,
  profileOf,
  recordRows,
  records,
  recordsByKey,
  Refusal,
  removeTraceIn,
  setOwnIn,
  traces,
  write,
  type Actor,
  type Db,
  type NewRecord,
  type OwnChange,
  type Parse,
  type StoredRecord,
  type Tx,
  type Writing,
} from '../base';
import { moveRequirement } from './place';
import { adoptCode, contentColumns, reviseRequirement, searchable } from './requirements';
import { contentOf, lockSpecification, needRequirement, needSpecification, requirementRows } from './store';
import { requirements } from './tables';

const batch = 500;
type End = Pick<StoredRecord, 'id' | 'kind' | 'key' | 'title' | 'revision' | 'state'>;

/** A table as it is read and compared. */
const parseTable = parseWork(
  'requirements',
  ({ csv, mapping, context }: { csv: string; mapping: ColumnMapping; context: ImportContext }): ImportPreview =>
    previewRequirements(csv, mapping, context),
);

/** What of it a person looks at: put together where it is read, since nobody waits for the rest. */
const parseSummary = parseWork(
  'requirements, in short',
  ({
    csv,
    mapping,
    context,
  }: {
    csv: string;
    mapping: ColumnMapping | undefined;
    context: ImportContext;
  }): ReturnType<typeof summariseImport> => summariseImport(previewRequirements(csv, mapping, context)),
);

/** What a table is compared with: what the project has, its levels, its own fields of requirements. */
async function contextOf(tx: Tx, projectId: number): Promise<ImportContext> {
  const { levels } = await profileOf(tx, projectId);
  const fields = (await listFields(tx, projectId))
    .filter((field) => field.kind === 'requirement' && !field.retired)
    .map(({ id, name, definition: { type, choices } }) => ({ id, name, type, choices }));
  return { existing: await existing(tx, projectId), levels, fields };
}

/** What a table would write; nothing is written. */
export async function previewImport(
  db: Db,
  projectId: number,
  { csv, mapping }: { csv: string; mapping?: ColumnMapping | undefined },
  parse: Parse = parseHere,
): Promise<ImportSummary> {
  const context = await db.transaction((tx) => contextOf(tx, projectId));
  const { findings, rows, mapping: chosen, ...summary } = await parseSummary(parse, { csv, mapping, context });
  return {
    ...summary,
    columns: [...summary.columns],
    mapping: { ...chosen } as Record<string, string>,
    findings: findings.map((finding) => ({ ...finding })),
    rows: rows.map(({ key, status, parents, content: { title, level, method } }) => ({
      key,
      status,
      parents: [...parents],
      content: { title, level, method },
    })),
  };
}

/** What was written: new requirements, changed ones, and how many were the same already. */
export interface Imported {
  readonly written: number;
  readonly changed: number;
  readonly same: number;
}

/** What the project has already under the keys of a table. */
async function existing(tx: Tx, projectId: number): Promise<Map<string, ExistingRequirement | null>> {
  const found = new Map<string, ExistingRequirement | null>(
    (await tx.select({ key: records.key }).from(records).where(eq(records.projectId, projectId))).map(({ key }) => [key, null]),
  );
  for (const { record, row, under, parents } of await wholeRequirements(tx, projectId, undefined))
    found.set(record.key, { content: contentOf({ record, row }), parents, under, own: record.own });
  return found;
}

async function wholeRequirements(tx: Db | Tx, projectId: number, specificationId: number | undefined) {
  const under = alias(records, 'under_record');
  const rows = await tx
    .select({ record: records, row: requirements, under: under.key })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .leftJoin(under, eq(under.id, requirements.underId))
    .where(
      and(
        eq(requirements.projectId, projectId),
        ...(specificationId === undefined ? [] : [eq(requirements.specificationId, specificationId)]),
      ),
    )
    .orderBy(asc(requirements.position));
  const parents = groupBy(
    await tx
      .select({ from: traces.fromId, to: records.key })
      .from(traces)
      .innerJoin(records, eq(records.id, traces.toId))
      .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'parent'), isNull(traces.removedAt))),
    (t) => t.from,
    (t) => t.to,
  );
  return rows.map((r) => ({ ...r, parents: [...(parents.get(r.record.id) ?? [])].sort(compareKeys) }));
}

/** Writes a requirements table, all rows or none; the same rules as the preview. What is there already becomes a new revision where it differs. */
export function importRequirements(
  db: Db,
  actor: Actor,
  input: { specification: string; fileName: string; csv: string; mapping: ColumnMapping },
  parse: Parse = parseHere,
): Promise<Imported> {
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const specification = await lockSpecification(w, input.specification);
    const preview = await parseTable(parse, { csv: input.csv, mapping: input.mapping, context: await contextOf(w.tx, projectId) });
    const errors = preview.findings.filter((finding) => finding.severity === 'error');
    if (errors.length) throw new Refusal('importErrors', { findings: [...errors] });
    if (!preview.rows.length) throw new Refusal('importErrors', { detail: 'The table has no rows.' });
    const fresh = preview.rows.filter((row) => row.status === 'new');
    const changed = preview.rows.filter((row) => row.status === 'changed');
    const answer = { written: fresh.length, changed: changed.length, same: preview.rows.length - fresh.length - changed.length };
    if (!fresh.length && !changed.length) return answer;
    w.log({
      action: 'requirements imported',
      kind: 'specification',
      key: specification.record.key,
      after: { file: input.fileName, sha256: sha256Hex(input.csv), rows: preview.rows.length, ...answer },
    });
    const rules = await ownRules(w, 'requirement');
    await insertNew(w, specification.id, fresh, rules);
    for (const row of changed) await reviseImported(w, row, rules);
    return answer;
  });
}

/** Own values of a row, checked by the fields' own rules; a refusal names the row. */
async function ownOf(rules: OwnChange, row: ImportedRequirement): Promise<Record<string, OwnValue>> {
  try {
    return await rules({}, row.own as Record<string, OwnValue>);
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    const findings = (error.more.fields ?? []).map(({ path, text }) => ({
      severity: 'error' as const,
      row: row.row,
      cell: path.replace(/^own\./, ''),
      text,
    }));
    throw new Refusal('importErrors', { findings });
  }
}

export async function insertNew(
  w: Writing,
  specificationId: number,
  rows: readonly ImportedRequirement[],
  rules: OwnChange,
  /** What those stand under that name nothing. */
  topId: number | null = null,
): Promise<void> {
  if (!rows.length) return;
  const { projectId } = w.actor;
  const [{ last }] = await w.tx
    .select({ last: max(requirements.position) })
    .from(requirements)
    .where(eq(requirements.specificationId, specificationId));
  const own = new Map<string, Record<string, OwnValue>>();
  for (const row of rows) own.set(row.key, await ownOf(rules, row));
  const ids = await insertRecords(
    w,
    rows.map((row): NewRecord => ({
      kind: 'requirement',
      key: row.key,
      title: row.content.title,
      words: searchable(row.content),
      state: 'draft',
      own: own.get(row.key) ?? {},
    })),
  );
  await noteKeys(w, ids.keys());
  const elsewhere = await recordsByKey(
    w.tx,
    projectId,
    [...new Set(rows.flatMap((row) => [...row.parents, row.under]))].filter((key): key is string => key !== null && !ids.has(key)),
  );
  const idOf = (key: string | null): number | null => (key === null ? topId : (ids.get(key) ?? elsewhere.get(key)?.id ?? null));
  for (let at = 0; at < rows.length; at += batch)
    await w.tx.insert(requirements).values(
      rows.slice(at, at + batch).map((row, i) => ({
        id: ids.get(row.key) ?? 0,
        projectId,
        specificationId,
        underId: idOf(row.under),
        position: (last ?? 0) + at + i + 1,
        ...contentColumns(row.content),
      })),
    );
  await adoptCode(w, ids);
  const all = [...ids.values()];
  w.log({
    action: `${rows.length} requirements imported, new`,
    kind: 'requirement',
    key: `${rows[0].key} … ${rows[rows.length - 1].key}`,
    touches: all.length > 500 ? { all: true } : { texts: all, requirements: all },
  });
  w.snapshot(
    ...rows.map((row) => {
      const values = own.get(row.key) ?? {};
      return {
        recordId: ids.get(row.key) ?? 0,
        revision: 1,
        state: 'draft',
        snapshot: { ...row.content, ...(Object.keys(values).length ? { own: values } : {}) },
      };
    }),
  );
  w.wrote(recordRows, ...all);
  w.wrote(requirementRows, ...all);
  const titles = new Map(rows.map((row) => [row.key, row.content.title]));
  const made = (key: string): End => ({
    id: ids.get(key) ?? 0,
    kind: 'requirement',
    key,
    title: titles.get(key) ?? '',
    revision: 1,
    state: 'draft',
  });
  await insertTraces(
    w,
    'parent',
    rows.flatMap((row) => row.parents.map((parent) => [made(row.key), elsewhere.get(parent) ?? made(parent)] as const)),
  );
}

/** Brings a requirement that is there to what the table says: content, own fields, place and parents, each as the single act does it. */
async function reviseImported(w: Writing, row: ImportedRequirement, rules: OwnChange): Promise<void> {
  const { projectId } = w.actor;
  await lockRecord(w, 'requirement', row.key);
  const stored = await needRequirement(w.tx, projectId, row.key);
  const before = contentOf(stored);
  // A table holds words: where they are the same, the layout stays.
  const layout = before.html && before.text === row.content.text ? { html: before.html } : {};
  await reviseRequirement(w, stored, { ...row.content, ...layout }, 'The imported table says so.');
  const now = await needRequirement(w.tx, projectId, row.key);
  const own = await ownOf(rules, row);
  const change: Record<string, OwnValue> = {
    ...Object.fromEntries(Object.keys(now.record.own).map((id) => [id, null])),
    ...own,
  };
  const differs = Object.entries(change).some(([id, value]) => JSON.stringify(now.record.own[id] ?? null) !== JSON.stringify(value));
  if (differs) await setOwnIn(w, now.record, change);
  const under = row.under === null ? null : (await needRequirement(w.tx, projectId, row.under)).record.id;
  if (under !== now.row.underId) await moveRequirement(w, now, now.row.specificationId, row.under, null);
  const standing = await w.tx
    .select({ id: traces.id, key: records.key })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.toId))
    .where(and(eq(traces.fromId, now.record.id), eq(traces.kind, 'parent'), isNull(traces.removedAt)));
  for (const trace of standing)
    if (!row.parents.includes(trace.key)) await removeTraceIn(w, trace.id, 'The imported table does not name it.');
  const has = new Set(standing.map((trace) => trace.key));
  const added = row.parents.filter((key) => !has.has(key));
  if (!added.length) return;
  const ends = await w.tx
    .select()
    .from(records)
    .where(and(eq(records.projectId, projectId), inArray(records.key, added)));
  const from = (await needRequirement(w.tx, projectId, row.key)).record;
  await insertTraces(
    w,
    'parent',
    ends.map((to) => [from, to] as const),
  );
}

const columns = [
  'key',
  'kind',
  'under',
  'title',
  'text',
  'rationale',
  'level',
  'method',
  'parent',
  'top level',
  'derived',
  'not in code',
  'state',
  'revision',
];

const cellOf = (value: OwnValue | undefined): string | number =>
  value === undefined || value === null
    ? ''
    : Array.isArray(value)
      ? value.join('; ')
      : typeof value === 'boolean'
        ? value
          ? 'yes'
          : 'no'
        : value;

/** The requirements of a specification (or of all) as a CSV table; imported again it changes nothing. */
export async function exportRequirements(db: Db, projectId: number, specification: string | undefined): Promise<string> {
  const specificationId = specification ? (await needSpecification(db, projectId, specification)).id : undefined;
  const rows = await wholeRequirements(db, projectId, specificationId);
  const fields = (await listFields(db, projectId)).filter((field) => field.kind === 'requirement' && !field.retired);
  return writeCsv(
    [...columns, ...fields.map((field) => field.name)],
    rows
      .sort((a, b) => compareKeys(a.record.key, b.record.key))
      .map(({ record, row: r, under, parents }) => [
        record.key,
        r.kind,
        under,
        record.title,
        r.text,
        r.rationale,
        r.level,
        r.method,
        parents.join('; '),
        r.topLevel ? 'yes' : '',
        r.derived ? 'yes' : '',
        r.notInCode ? r.notInCodeRationale || 'yes' : '',
        record.state,
        record.revision,
        ...fields.map((field) => cellOf(record.own[String(field.id)])),
      ]),
  );
}

/** A specification as ReqIF, written while it is read: what comes back is recognised by its keys. */
export async function exportReqif(db: Db, projectId: number, key: string): Promise<Generator<string>> {
  const { record, id } = await needSpecification(db, projectId, key);
  const { levels } = await profileOf(db, projectId);
  const rows = await wholeRequirements(db, projectId, id);
  return writeReqif({
    title: record.title,
    key: record.key,
    createdAt: record.updatedAt,
    levels,
    rows: inReadingOrder(
      rows.map(({ record: r, row, under, parents }) => ({
        key: r.key,
        under,
        content: contentOf({ record: r, row }),
        state: r.state,
        revision: r.revision,
        updatedAt: r.updatedAt,
        parents,
      })),
    ),
  });
}
