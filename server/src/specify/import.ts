import type { BulkAct } from '@contract/base';
import type { ImportSummary } from '@contract/specify';
import { sha256Hex } from '@core/base';
import {
  previewRequirements,
  summariseImport,
  tableColumns,
  type ColumnMapping,
  type ExistingRequirement,
  type ImportContext,
  type ImportPreview,
  type ReqifKept,
} from '@core/specify';
import { eq } from 'drizzle-orm';
import {
  listFields,
  lockRecord,
  noteBulk,
  ownRules,
  parseHere,
  parseWork,
  profileOf,
  readManyWritten,
  records,
  recordsByKey,
  Refusal,
  retireIn,
  write,
  type Actor,
  type Db,
  type DoneItem,
  type Parse,
  type Tx,
} from '../base';
import { keepExchange } from './exchange';
import { importMapping, keepMapping } from './import-mapping';
import { insertNew, reviseImported } from './import-writing';
import { wholeRequirements } from './exports';
import { contentOf, lockSpecification } from './store';

/** A job says how far it is after so many rows. */
const toldEvery = 500;

/** A table as it is read and compared. */
const parseTable = parseWork(
  'requirements',
  ({ csv, mapping, context }: { csv: string; mapping: ColumnMapping; context: ImportContext }): ImportPreview =>
    previewRequirements(csv, mapping, context),
);

/** A table that is to be looked at, and what it is compared with. */
export interface Looked {
  readonly csv: string;
  readonly mapping: ColumnMapping | undefined;
  readonly context: ImportContext;
}

/** What of a table a person looks at: put together where it is read, since nobody waits for the rest. */
export const summaryOf = ({ csv, mapping, context }: Looked): Summary =>
  summariseImport(previewRequirements(csv, mapping, context), context.existing);
type Summary = ReturnType<typeof summariseImport>;
const parseSummary = parseWork('requirements, in short', summaryOf);

/** What a table is compared with: what the project has, its levels, its own fields of requirements. */
export async function contextOf(
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
    known: mapping ?? (await importMapping(tx, projectId, tableColumns(csv))),
  }));
  return asShown(await parseSummary(parse, { csv, mapping: known, context }));
}

/** As a message carries it. */
export function asShown({ findings, rows, missing, mapping: chosen, ...summary }: Summary): ImportSummary {
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

/** A job that imports: told how far it is; throws where somebody cancelled it. */
export interface ImportingJob {
  readonly id: number;
  reached(part: number, words: string): Promise<void>;
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
export async function importRequirements(
  db: Db,
  actor: Actor,
  input: ImportInput,
  parse: Parse = parseHere,
  /** The job that does it, where one does. */
  job?: ImportingJob,
): Promise<Imported> {
  // Before anything is locked.
  const laidOut = await readLayouts(input.layouts, parse);
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    // Rights are those of the moment, not of the asking.
    if (job) w.needRole('author');
    const specification = await lockSpecification(w, input.specification);
    const context = {
      ...(await contextOf(w.tx, projectId, specification.record.key)),
      ...laidOut,
    };
    const preview = await parseTable(parse, { csv: input.csv, mapping: input.mapping, context });
    await job?.reached(0.3, `${preview.rows.length} rows are read`);
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
    await job?.reached(0.6, `${fresh.length} new ones are written`);
    for (const [i, row] of changed.entries()) {
      await reviseImported(w, row, rules, 'The imported table says so.');
      if (i % toldEvery === toldEvery - 1)
        await job?.reached(0.6 + (0.3 * i) / changed.length, `${i + 1} of ${changed.length} changed ones are written`);
    }
    for (const key of gone)
      await retireIn(w, await lockRecord(w, 'requirement', key), true, `The imported table ${input.fileName} does not name it.`);
    if (input.exchange) await keepExchange(w, specification.id, input.exchange);
    const now = await recordsByKey(w.tx, projectId, [...[...fresh, ...changed].map(({ key }) => key), ...gone]);
    const done = (key: string, words: string, undo: BulkAct): DoneItem[] => {
      const record = now.get(key);
      return record ? [{ record, words, undo }] : [];
    };
    await job?.reached(0.95, 'It is entered into the ledger');
    const bulk = await noteBulk(
      w,
      { act: 'import', fileName: input.fileName },
      `Import of ${input.fileName}`,
      [
        ...fresh.flatMap(({ key }) => done(key, 'new', { act: 'retire' })),
        ...changed.flatMap(({ key }) => {
          const before = context.existing.get(key);
          const revision = context.revisions.get(key) ?? 1;
          return done(key, 'changed', { act: 'revert', revision, under: before?.under ?? null, parents: [...(before?.parents ?? [])] });
        }),
        ...gone.flatMap((key) => done(key, 'retired', { act: 'restore' })),
      ],
      job?.id,
    );
    return { ...answer, bulk };
  });
}
