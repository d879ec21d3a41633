import type { Baseline, BaselineComparison, BaselineDetail, BaselineRow } from '@contract/specify';
import { groupBy, textHash } from '@core/base';
import {
  baselineChanges,
  baselineContent,
  baselineText2,
  compareBaselines,
  inReadingOrder,
  withWords,
  type BaselineChange,
  type BaselineChangeKind,
  type BaselineContent,
  type BaselineRequirement,
} from '@core/specify';
import { and, asc, eq, inArray, isNull, or, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  among,
  type Ids,
  ownWords,
  account,
  freeKey,
  insertRecord,
  ledgerHead,
  listFields,
  needRecord,
  parseHere,
  parseWork,
  proveSigner,
  putSignature,
  recordFields,
  recordRows,
  records,
  Refusal,
  shownSignature,
  signaturesOf,
  storeBlob,
  traces,
  wholeBlob,
  write,
  type Actor,
  type Db,
  type ListSource,
  type Parse,
  type Tx,
} from '../base';
import { contentOf, needSpecification } from './store';
import { baselines, requirementDetails, requirements } from './tables';

const baselineRows = account({
  name: 'baselines',
  table: baselines,
  id: baselines.id,
  project: baselines.projectId,
  columns: [
    ['seq', baselines.seq],
    ['description', baselines.description],
    ['specifications', baselines.specifications],
    ['sha256', baselines.sha256],
    ['requirements', baselines.requirements],
    ['traces', baselines.traces],
  ],
});

export async function baselinesById(db: Db | Tx, ids: Ids): Promise<(Baseline & { id: number })[]> {
  const rows = await db
    .select({ record: records, row: baselines })
    .from(baselines)
    .innerJoin(records, eq(records.id, baselines.id))
    .where(among(baselines.id, ids));
  return rows.map(({ record, row: { seq, specifications, projectId: _, ...row } }) => ({
    ...row,
    key: record.key,
    title: record.title,
    specifications: [...specifications],
    asOf: seq,
    createdBy: record.createdBy,
    createdAt: record.createdAt,
  }));
}

export function baselineList(projectId: number): ListSource {
  return {
    from: sql`from ${records} left join ${baselines} on ${baselines.id} = ${records.id}`,
    fields: {
      ...recordFields,
      requirements: { value: baselines.requirements, type: 'number' },
      specifications: { value: baselines.specifications, type: 'text', list: sql`${baselines.specifications}` },
    },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'baseline')) as SQL,
    sort: '-createdAt',
  };
}

const underRecord = alias(records, 'under_record');
const fromRecord = alias(records, 'from_record');
const toRecord = alias(records, 'to_record');

/** Some specifications whole, as they stand in this transaction. */
export async function specificationsNow(tx: Tx, projectId: number, keys: readonly string[]): Promise<BaselineContent> {
  const seq = await ledgerHead(tx, projectId);
  const fields = new Map((await listFields(tx, projectId)).map((field) => [String(field.id), field.name]));
  const specifications: { key: string; title: string }[] = [];
  const all: BaselineRequirement[] = [];
  const ids: number[] = [];
  for (const key of keys) {
    const { id, record } = await needSpecification(tx, projectId, key);
    specifications.push({ key: record.key, title: record.title });
    const rows = await tx
      .select({ record: records, row: requirements, details: requirementDetails, under: underRecord.key })
      .from(requirements)
      .innerJoin(records, eq(records.id, requirements.id))
      .leftJoin(underRecord, eq(underRecord.id, requirements.underId))
      .leftJoin(requirementDetails, eq(requirementDetails.id, requirements.id))
      .where(eq(requirements.specificationId, id))
      .orderBy(asc(requirements.position), asc(requirements.id));
    ids.push(...rows.map(({ record: { id: rowId } }) => rowId));
    all.push(
      ...inReadingOrder(
        rows.map(({ record: r, row, details, under }) => ({
          key: r.key,
          specification: record.key,
          revision: r.revision,
          state: r.state,
          under,
          content: contentOf({ record: r, row, details }),
          own: Object.fromEntries(Object.entries(r.own).map(([field, value]) => [fields.get(field) ?? field, ownWords(value)])),
        })),
      ),
    );
  }
  return { seq, specifications, requirements: all, traces: await tracesOf(tx, ids) };
}

/** The traces that stand at some records, on either end. */
async function tracesOf(tx: Tx, ids: readonly number[]): Promise<BaselineContent['traces']> {
  const found = new Map<number, BaselineContent['traces'][number]>();
  for (let at = 0; at < ids.length; at += 500) {
    const part = ids.slice(at, at + 500);
    const rows = await tx
      .select({ trace: traces, from: fromRecord.key, to: toRecord.key })
      .from(traces)
      .innerJoin(fromRecord, eq(fromRecord.id, traces.fromId))
      .innerJoin(toRecord, eq(toRecord.id, traces.toId))
      .where(and(isNull(traces.removedAt), or(inArray(traces.fromId, part), inArray(traces.toId, part))))
      .orderBy(asc(traces.id));
    for (const { trace, from, to } of rows)
      found.set(trace.id, {
        kind: trace.kind,
        from,
        to,
        fromRevision: trace.fromRevision,
        toRevision: trace.toRevision,
        confirmed: trace.confirmedAt !== null,
      });
  }
  return [...found].sort(([a], [b]) => a - b).map(([, trace]) => trace);
}

export interface NewBaseline {
  readonly title: string;
  readonly description: string;
  readonly specifications: readonly string[];
  readonly password: string;
}

/** Keeps some specifications as they stand now, and signs what is kept. */
export async function addBaseline(db: Db, actor: Actor, input: NewBaseline): Promise<BaselineDetail> {
  const signer = await proveSigner(db, actor, input.password);
  const key = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const specifications = [...new Set(input.specifications)];
    const content = await specificationsNow(w.tx, projectId, specifications);
    if (!content.requirements.length)
      throw new Refusal('invalid', { fields: [{ path: 'specifications', text: 'There is nothing in them yet.' }] });
    const made = await freeKey(w, 'BL');
    const text = baselineText2(made, content);
    const sha256 = await storeBlob(w.tx, Buffer.from(text));
    const { title, description } = input;
    const id = await insertRecord(w, {
      kind: 'baseline',
      key: made,
      title,
      words: `${description} ${specifications.join(' ')}`,
      state: 'signed',
    });
    await w.tx.insert(baselines).values({
      id,
      projectId,
      seq: content.seq,
      description,
      specifications: content.specifications.map((s) => s.key),
      sha256,
      requirements: content.requirements.filter((r) => r.content.kind === 'requirement').length,
      traces: content.traces.length,
    });
    w.log({
      action: 'baseline made',
      kind: 'baseline',
      key: made,
      after: { title, description, specifications, sha256, printedName: signer.printedName },
    });
    w.snapshot({ recordId: id, revision: 1, state: 'signed', snapshot: { title, description, specifications, sha256 }, hash: sha256 });
    w.wrote(recordRows, id);
    w.wrote(baselineRows, id);
    await putSignature(w, signer, {
      recordId: id,
      revision: 1,
      meaning: 'baselined',
      format: 2,
      hash: textHash(text),
      reason: description,
    });
    return made;
  });
  return baselineDetail(db, actor.projectId, key);
}

export async function baselineDetail(db: Db, projectId: number, key: string): Promise<BaselineDetail> {
  const record = await needRecord(db, projectId, 'baseline', key);
  const [{ id, ...shown }] = await baselinesById(db, [record.id]);
  const signed = await signaturesOf(db, [id]);
  const later = await db
    .select({ key: records.key, specifications: baselines.specifications })
    .from(baselines)
    .innerJoin(records, eq(records.id, baselines.id))
    .where(and(eq(baselines.projectId, projectId), sql`${baselines.id} > ${id}`))
    .orderBy(sql`${baselines.id} desc`)
    .limit(500);
  const newer = later.find(({ specifications }) => shown.specifications.every((s) => specifications.includes(s)));
  return { ...shown, signatures: signed.map(shownSignature), newer: newer?.key ?? null };
}

/** The file of a baseline; refused where its bytes are not those that were signed. */
export async function baselineFile(db: Db, projectId: number, key: string): Promise<Buffer> {
  const record = await needRecord(db, projectId, 'baseline', key);
  const [{ sha256 }] = await db.select({ sha256: baselines.sha256 }).from(baselines).where(eq(baselines.id, record.id));
  return wholeBlob(db, sha256);
}

interface AskedRows {
  readonly text: string;
  readonly words: string;
  readonly skip: number;
  readonly limit: number;
}
const readRows = parseWork('baseline', ({ text, words, skip, limit }: AskedRows): { rows: BaselineRow[]; total: number } => {
  const { requirements: all, traces: drawn } = baselineContent(text);
  const parents = groupBy(
    drawn.filter((t) => t.kind === 'parent'),
    (t) => t.from,
    (t) => t.to,
  );
  const depths = new Map<string, number>();
  for (const { key, under } of all) depths.set(key, under === null ? 0 : (depths.get(under) ?? -1) + 1);
  const found = withWords(all, words);
  return {
    rows: found.slice(skip, skip + limit).map(({ own, content, ...r }) => ({
      ...r,
      content: { ...content },
      own: { ...own },
      depth: depths.get(r.key) ?? 0,
      parents: [...(parents.get(r.key) ?? [])],
    })),
    total: found.length,
  };
});

export async function readBaseline(
  db: Db,
  projectId: number,
  key: string,
  query: Omit<AskedRows, 'text'>,
  parse: Parse = parseHere,
): Promise<{ rows: BaselineRow[]; total: number }> {
  return readRows(parse, { ...query, text: (await baselineFile(db, projectId, key)).toString() });
}

interface AskedChanges {
  readonly before: string;
  readonly after: string;
}
const compare = parseWork('baseline comparison', ({ before, after }: AskedChanges): BaselineChange[] =>
  compareBaselines(baselineContent(before), baselineContent(after)),
);

/** What is otherwise in another baseline, or now, than in this one; and what the other side is true for. */
export async function changesSince(
  db: Db,
  projectId: number,
  key: string,
  other: string,
  parse: Parse = parseHere,
): Promise<{ changes: readonly BaselineChange[]; asOf: number }> {
  const before = (await baselineFile(db, projectId, key)).toString();
  if (other) {
    const after = (await baselineFile(db, projectId, other)).toString();
    return { changes: await compare(parse, { before, after }), asOf: (await baselineDetail(db, projectId, other)).asOf };
  }
  const { specifications } = await baselineDetail(db, projectId, key);
  const now = await db.transaction((tx) => specificationsNow(tx, projectId, specifications));
  return { changes: await compare(parse, { before, after: baselineText2(key, now) }), asOf: now.seq };
}

export async function comparison(
  db: Db,
  projectId: number,
  key: string,
  query: { readonly with: string; readonly what?: BaselineChangeKind | undefined; readonly skip: number; readonly limit: number },
  parse: Parse,
): Promise<BaselineComparison> {
  const { changes, asOf } = await changesSince(db, projectId, key, query.with, parse);
  const asked = changes.filter(({ what }) => query.what === undefined || what === query.what);
  return {
    counts: baselineChanges.map((what) => ({ what, count: changes.filter((c) => c.what === what).length })),
    rows: asked.slice(query.skip, query.skip + query.limit).map(({ what, title, key: of, revisions: [was, is], differences }) => ({
      what,
      key: of,
      title,
      before: was,
      after: is,
      differences: differences.map((d) => ({ ...d })),
    })),
    total: asked.length,
    asOf,
  };
}
