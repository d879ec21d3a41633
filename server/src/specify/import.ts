import type { BulkAct, OwnValue } from '@contract/base';
import type { ImportSummary } from '@contract/specify';
import { sha256Hex } from '@core/base';
import {
  previewRequirements,
  summariseImport,
  type ColumnMapping,
  type ExistingRequirement,
  type ImportContext,
  type ImportedRequirement,
  type ImportPreview,
  type ReqifKept,
  type RequirementContent,
} from '@core/specify';
import { and, desc, eq, inArray, isNull, lte, max } from 'drizzle-orm';
import {
  insertRecords,
  insertTraces,
  listFields,
  lockRecord,
  noteBulk,
  noteKeys,
  ownRules,
  parseHere,
  parseWork,
  profileOf,
  readManyWritten,
  recordRows,
  records,
  recordsByKey,
  Refusal,
  removeTraceIn,
  retireIn,
  revisions,
  setOwnIn,
  traces,
  write,
  type Actor,
  type BulkDone,
  type Db,
  type DoneItem,
  type NewRecord,
  type OwnChange,
  type Parse,
  type StoredRecord,
  type Tx,
  type Writing,
} from '../base';
import { keepExchange } from './exchange';
import { importMapping, keepMapping } from './import-mapping';
import { wholeRequirements } from './exports';
import { moveRequirement, placeOf } from './place';
import { adoptCode, asKept, contentColumns, putDetails, reviseRequirement, searchable, tracedTo } from './requirements';
import { contentOf, lockSpecification, needRequirement, requirementRows, type StoredRequirement } from './store';
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
  }): ReturnType<typeof summariseImport> => summariseImport(previewRequirements(csv, mapping, context), context.existing),
);

/** What a table is compared with: what the project has, its levels, its own fields of requirements. */
async function contextOf(
  tx: Tx,
  projectId: number,
  specification: string | undefined,
): Promise<ImportContext & { readonly revisions: ReadonlyMap<string, number> }> {
  const { levels } = await profileOf(tx, projectId);
  const fields = (await listFields(tx, projectId))
    .filter((field) => field.kind === 'requirement' && !field.retired)
    .map(({ id, name, definition: { type, choices } }) => ({ id, name, type, choices }));
  const { found, revisions } = await existing(tx, projectId);
  return { existing: found, revisions, levels, fields, ...(specification === undefined ? {} : { specification }) };
}

/** The layouts that come with a table, as a text can hold them; nothing where none come with it. */
const readLayouts = async (layouts: ImportInput['layouts'], parse: Parse): Promise<Pick<ImportContext, 'layouts'>> =>
  layouts ? { layouts: await readManyWritten({ parse }, layouts) } : {};

const shownMissing = 200;

/** What a table would write; nothing is written. */
export async function previewImport(
  db: Db,
  projectId: number,
  {
    csv,
    mapping,
    specification,
    layouts,
  }: {
    csv: string;
    mapping?: ColumnMapping | undefined;
    specification?: string | undefined;
    layouts?: Readonly<Record<string, string>> | undefined;
  },
  parse: Parse = parseHere,
): Promise<ImportSummary> {
  const laidOut = await readLayouts(layouts, parse);
  const { known, ...context } = await db.transaction(async (tx) => ({
    ...(await contextOf(tx, projectId, specification)),
    ...laidOut,
    known: mapping ? undefined : await importMapping(tx, projectId, csv),
  }));
  const { findings, rows, missing, mapping: chosen, ...summary } = await parseSummary(parse, { csv, mapping: mapping ?? known, context });
  return {
    ...summary,
    columns: [...summary.columns],
    missing: missing.length,
    missingKeys: missing.slice(0, shownMissing),
    mapping: { ...chosen } as Record<string, string>,
    findings: findings.map((finding) => ({ ...finding })),
    rows: rows.map(({ key, status, parents, differences, content: { title, level, method } }) => ({
      key,
      status,
      parents: [...parents],
      differences: differences.map((difference) => ({ ...difference })),
      content: { title, level, method },
    })),
  };
}

/** What was written: new requirements, changed ones, and how many were the same already. */
export interface Imported {
  readonly written: number;
  readonly changed: number;
  readonly same: number;
  readonly retired: number;
  /** The act that can be taken back as one; null where nothing was written. */
  readonly bulk: number | null;
}

/** What the project has already under the keys of a table. */
async function existing(tx: Tx, projectId: number) {
  const found = new Map<string, ExistingRequirement | null>(
    (await tx.select({ key: records.key }).from(records).where(eq(records.projectId, projectId))).map(({ key }) => [key, null]),
  );
  const revisions = new Map<string, number>();
  for (const { record, row, details, specification, under, parents } of await wholeRequirements(tx, projectId, undefined)) {
    revisions.set(record.key, record.revision);
    found.set(record.key, {
      content: contentOf({ record, row, details }),
      parents,
      under,
      own: record.own,
      specification,
      retired: record.retiredAt !== null,
    });
  }
  return { found, revisions };
}

export interface ImportInput {
  readonly specification: string;
  readonly fileName: string;
  readonly csv: string;
  readonly mapping: ColumnMapping;
  /** What becomes of what the specification has and the table does not name. */
  readonly missing?: 'leave' | 'retire';
  readonly exchange?: ReqifKept | undefined;
  /** Texts that are laid out, by key, as HTML that somebody sent. */
  readonly layouts?: Readonly<Record<string, string>> | undefined;
}

/**
 * Writes a requirements table, all rows or none; the same rules as the preview. What is there already becomes a new revision where it
 * differs; what the table does not name is left alone or retired. All of it can be taken back as one.
 */
export async function importRequirements(db: Db, actor: Actor, input: ImportInput, parse: Parse = parseHere): Promise<Imported> {
  // Before anything is locked.
  const laidOut = await readLayouts(input.layouts, parse);
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const specification = await lockSpecification(w, input.specification);
    const context = {
      ...(await contextOf(w.tx, projectId, specification.record.key)),
      ...laidOut,
    };
    const preview = await parseTable(parse, { csv: input.csv, mapping: input.mapping, context });
    const errors = preview.findings.filter((finding) => finding.severity === 'error');
    if (errors.length) throw new Refusal('importErrors', { findings: [...errors] });
    if (!preview.rows.length) throw new Refusal('importErrors', { detail: 'The table has no rows.' });
    const fresh = preview.rows.filter((row) => row.status === 'new');
    const changed = preview.rows.filter((row) => row.status === 'changed');
    const gone = input.missing === 'retire' ? preview.missing : [];
    const answer = {
      written: fresh.length,
      changed: changed.length,
      same: preview.rows.length - fresh.length - changed.length,
      retired: gone.length,
    };
    await keepMapping(w, preview.columns, input.mapping);
    if (!fresh.length && !changed.length && !gone.length) {
      if (input.exchange) await keepExchange(w, specification.id, input.exchange);
      return { ...answer, bulk: null };
    }
    w.log({
      action: 'requirements imported',
      kind: 'specification',
      key: specification.record.key,
      after: { file: input.fileName, sha256: sha256Hex(input.csv), rows: preview.rows.length, ...answer },
    });
    const rules = await ownRules(w, 'requirement');
    await insertNew(w, specification.id, fresh, rules);
    for (const row of changed) await reviseImported(w, row, rules, 'The imported table says so.');
    for (const key of gone)
      await retireIn(w, await lockRecord(w, 'requirement', key), true, `The imported table ${input.fileName} does not name it.`);
    if (input.exchange) await keepExchange(w, specification.id, input.exchange);
    const now = await recordsByKey(w.tx, projectId, [...[...fresh, ...changed].map(({ key }) => key), ...gone]);
    const done = (key: string, words: string, undo: BulkAct): DoneItem[] => {
      const record = now.get(key);
      return record ? [{ record, words, undo }] : [];
    };
    const bulk = await noteBulk(w, { act: 'import', fileName: input.fileName }, `Import of ${input.fileName}`, [
      ...fresh.flatMap(({ key }) => done(key, 'new', { act: 'retire' })),
      ...changed.flatMap(({ key }) => {
        const before = context.existing.get(key);
        const revision = context.revisions.get(key) ?? 1;
        return done(key, 'changed', { act: 'revert', revision, under: before?.under ?? null, parents: [...(before?.parents ?? [])] });
      }),
      ...gone.flatMap((key) => done(key, 'retired', { act: 'restore' })),
    ]);
    return { ...answer, bulk };
  });
}

/** Own values of a row, checked by the fields' own rules; a refusal names the row. */
async function ownOf(rules: OwnChange, row: Pick<ImportedRequirement, 'row' | 'own'>): Promise<Record<string, OwnValue>> {
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
  await putDetails(w, new Map(rows.map((row) => [ids.get(row.key) ?? 0, row.content])));
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

/** Brings a requirement that is there to what is given: content, own fields, place and parents, each as the single act does it. */
export async function reviseImported(
  w: Writing,
  row: Pick<ImportedRequirement, 'row' | 'key' | 'parents' | 'under' | 'content' | 'own'>,
  rules: OwnChange,
  reason: string,
): Promise<void> {
  const { projectId } = w.actor;
  await lockRecord(w, 'requirement', row.key);
  const stored = await needRequirement(w.tx, projectId, row.key);
  const before = contentOf(stored);
  // A table holds words: where they are the same, the layout stays.
  const layout = before.html && before.text === row.content.text ? { html: before.html } : {};
  await reviseRequirement(w, stored, { ...layout, ...row.content }, reason);
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
  for (const trace of standing) if (!row.parents.includes(trace.key)) await removeTraceIn(w, trace.id, reason);
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

/** Brings back what a revision of a requirement said, with its place and parents of then: what an import changed is taken back so. */
export async function revertRequirement(
  w: Writing,
  stored: StoredRequirement,
  { revision, under, parents }: Extract<BulkAct, { act: 'revert' }>,
  reason: string,
): Promise<BulkDone> {
  const { record } = stored;
  const [then] = await w.tx
    .select({ snapshot: revisions.snapshot })
    .from(revisions)
    .where(and(eq(revisions.recordId, record.id), lte(revisions.revision, revision)))
    .orderBy(desc(revisions.seq))
    .limit(1);
  if (!then) throw new Refusal('notFound', { detail: `${record.key} has no revision ${revision}.` });
  const { own, ...content } = then.snapshot as unknown as RequirementContent & { own?: ImportedRequirement['own'] };
  const place = await placeOf(w, stored);
  const standing = (await tracedTo(w.tx, 'parent', [record.id])).map(({ key }) => key);
  const rules = await ownRules(w, 'requirement');
  await reviseImported(w, { row: 0, key: record.key, content: asKept(content), own: own ?? {}, under, parents }, rules, reason);
  return {
    words: `as revision ${revision} said`,
    undo: { act: 'revert', revision: record.revision, under: place.under, parents: standing },
  };
}
