import type { BulkAct, OwnValue } from '@contract/base';
import type { ImportedRequirement, RequirementContent } from '@core/specify';
import { and, desc, eq, inArray, isNull, lte, max } from 'drizzle-orm';
import {
  insertRecords,
  insertTraces,
  lockRecord,
  noteKeys,
  ownRules,
  recordRows,
  records,
  recordsByKey,
  Refusal,
  removeTraceIn,
  revisions,
  setOwnIn,
  traces,
  type BulkDone,
  type NewRecord,
  type OwnChange,
  type StoredRecord,
  type Writing,
} from '../base';
import { moveRequirement, placeOf } from './place';
import { adoptCode, asKept, contentColumns, putDetails, reviseRequirement, searchable, tracedTo } from './requirements';
import { contentOf, needRequirement, requirementRows, type StoredRequirement } from './store';
import { requirements } from './tables';

/** So many rows are written in one statement. */
const batch = 500;
type End = Pick<StoredRecord, 'id' | 'kind' | 'key' | 'title' | 'revision' | 'state'>;

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
