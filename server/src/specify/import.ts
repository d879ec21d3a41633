import { compareKeys, sha256Hex, writeCsv } from '@core/base';
import { previewRequirements, type ColumnMapping } from '@core/specify';
import { and, asc, eq, isNull, max, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  insertRecords,
  insertTraces,
  lockRecord,
  noteKeys,
  profileOf,
  recordRows,
  records,
  recordsByKey,
  Refusal,
  traces,
  write,
  type Actor,
  type Db,
  type NewRecord,
  type StoredRecord,
} from '../base';
import { adoptCode, contentColumns, searchable } from './requirements';
import { needSpecification, requirementRows } from './store';
import { requirements } from './tables';

const batch = 500;

/** Writes a requirements table, all rows or none; the same rules as the preview in the browser. */
export function importRequirements(
  db: Db,
  actor: Actor,
  input: { specification: string; fileName: string; csv: string; mapping: ColumnMapping },
): Promise<{ written: number }> {
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const specification = await needSpecification(w.tx, projectId, (await lockRecord(w, 'specification', input.specification)).key);
    const known = await w.tx.select({ key: records.key }).from(records).where(eq(records.projectId, projectId));
    const { levels } = await profileOf(w.tx, projectId);
    const preview = previewRequirements(input.csv, input.mapping, { existing: new Set(known.map((r) => r.key)), levels });
    const errors = preview.findings.filter((finding) => finding.severity === 'error');
    if (errors.length) throw new Refusal('importErrors', { findings: [...errors] });
    if (!preview.rows.length) throw new Refusal('importErrors', { detail: 'The table has no rows.' });
    const { rows } = preview;
    const [{ last }] = await w.tx
      .select({ last: max(requirements.position) })
      .from(requirements)
      .where(eq(requirements.specificationId, specification.id));
    const ids = await insertRecords(
      w,
      rows.map((row): NewRecord => ({
        kind: 'requirement',
        key: row.key,
        title: row.content.title,
        words: searchable(row.content),
        state: 'draft',
      })),
    );
    await noteKeys(w, ids.keys());
    const elsewhere = await recordsByKey(
      w.tx,
      projectId,
      [...new Set(rows.flatMap((row) => [row.parent, row.under]))].filter((key): key is string => key !== null && !ids.has(key)),
    );
    const idOf = (key: string | null): number | null => (key === null ? null : (ids.get(key) ?? elsewhere.get(key)?.id ?? null));
    for (let at = 0; at < rows.length; at += batch)
      await w.tx.insert(requirements).values(
        rows.slice(at, at + batch).map((row, i) => ({
          id: ids.get(row.key) ?? 0,
          projectId,
          specificationId: specification.id,
          underId: idOf(row.under),
          position: (last ?? 0) + at + i + 1,
          ...contentColumns(row.content),
        })),
      );
    await adoptCode(w, ids);
    const all = [...ids.values()];
    w.log({
      action: 'requirements imported',
      kind: 'specification',
      key: specification.record.key,
      after: {
        file: input.fileName,
        sha256: sha256Hex(input.csv),
        rows: rows.length,
        first: rows[0].key,
        last: rows[rows.length - 1].key,
      },
      touches: all.length > 500 ? { all: true } : { texts: all, requirements: all },
    });
    w.snapshot(...rows.map((row) => ({ recordId: ids.get(row.key) ?? 0, revision: 1, state: 'draft', snapshot: row.content })));
    w.wrote(recordRows, ...all);
    w.wrote(requirementRows, ...all);
    const made = (key: string, title: string): Pick<StoredRecord, 'id' | 'kind' | 'key' | 'title' | 'revision' | 'state'> => ({
      id: ids.get(key) ?? 0,
      kind: 'requirement',
      key,
      title,
      revision: 1,
      state: 'draft',
    });
    const titles = new Map(rows.map((row) => [row.key, row.content.title]));
    await insertTraces(
      w,
      'parent',
      rows.flatMap((row) => {
        if (row.parent === null) return [];
        const parent = elsewhere.get(row.parent) ?? made(row.parent, titles.get(row.parent) ?? '');
        return [[made(row.key, row.content.title), parent] as const];
      }),
    );
    return { written: rows.length };
  });
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

/** The requirements of a specification (or of all) as a CSV table that the import reads. */
export async function exportRequirements(db: Db, projectId: number, specification: string | undefined): Promise<string> {
  const specificationId = specification ? (await needSpecification(db, projectId, specification)).id : undefined;
  const under = alias(records, 'under_record');
  const rows = await db
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
  const parents = await db
    .select({ from: traces.fromId, to: sql<string>`min(${records.key})` })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.toId))
    .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'parent'), isNull(traces.removedAt)))
    .groupBy(traces.fromId);
  const parentOf = new Map(parents.map((t) => [t.from, t.to]));
  return writeCsv(
    columns,
    rows
      .sort((a, b) => compareKeys(a.record.key, b.record.key))
      .map(({ record, row: r, under: heading }) => [
        record.key,
        r.kind,
        heading,
        record.title,
        r.text,
        r.rationale,
        r.level,
        r.method,
        parentOf.get(r.id) ?? null,
        r.topLevel ? 'yes' : '',
        r.derived ? 'yes' : '',
        r.notInCodeRationale,
        record.state,
        record.revision,
      ]),
  );
}
