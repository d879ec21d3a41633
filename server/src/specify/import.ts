import { compareKeys, sha256Hex } from '@core/base';
import { previewRequirements, writeCsv, type ColumnMapping } from '@core/specify';
import { and, eq, isNull, max } from 'drizzle-orm';
import { projects, Refusal, revisions, traces, write, type Actor, type Db } from '../base';
import { needSpecification } from './requirements';
import { requirements } from './tables';

const batch = 500;

/** Writes a requirements table, all rows or none; the same rules as the preview in the browser. */
export function importRequirements(
  db: Db,
  actor: Actor,
  told: { specification: string; fileName: string; csv: string; mapping: ColumnMapping },
): Promise<{ written: number }> {
  return write(db, actor, async (w) => {
    const { projectId, login } = actor;
    await needSpecification(w.tx, projectId, told.specification);
    const [project] = await w.tx.select({ profile: projects.profile }).from(projects).where(eq(projects.id, projectId));
    const known = await w.tx
      .select({ key: requirements.key, revision: requirements.revision })
      .from(requirements)
      .where(eq(requirements.projectId, projectId));
    const revisionOf = new Map(known.map((r) => [r.key, r.revision]));
    const preview = previewRequirements(told.csv, told.mapping, { existing: new Set(revisionOf.keys()), levels: project.profile.levels });
    const errors = preview.findings.filter((finding) => finding.severity === 'error');
    if (errors.length) throw new Refusal('importErrors', { findings: [...errors] });
    if (!preview.rows.length) throw new Refusal('importErrors', { detail: 'The table has no rows.' });
    const [{ last }] = await w.tx
      .select({ last: max(requirements.position) })
      .from(requirements)
      .where(and(eq(requirements.projectId, projectId), eq(requirements.specification, told.specification)));
    const { rows } = preview;
    for (let at = 0; at < rows.length; at += batch) {
      const part = rows.slice(at, at + batch);
      await w.tx.insert(requirements).values(
        part.map((row, i) => ({
          projectId,
          specification: told.specification,
          key: row.key,
          under: row.under,
          position: (last ?? 0) + at + i + 1,
          revision: 1,
          state: 'draft' as const,
          ...row.content,
          updatedBy: login,
          updatedAt: w.at,
        })),
      );
    }
    const made = await w.tx
      .select({ id: requirements.id, key: requirements.key })
      .from(requirements)
      .where(eq(requirements.projectId, projectId));
    const idOf = new Map(made.map((r) => [r.key, r.id]));
    for (let at = 0; at < rows.length; at += batch) {
      const part = rows.slice(at, at + batch);
      await w.tx.insert(revisions).values(
        part.map((row) => ({
          kind: 'requirement',
          recordId: idOf.get(row.key) ?? 0,
          revision: 1,
          projectId,
          snapshot: { ...row.content },
          by: login,
          at: w.at,
        })),
      );
      const drawn = part.flatMap((row) =>
        row.parent === null
          ? []
          : [
              {
                projectId,
                kind: 'parent' as const,
                fromKey: row.key,
                toKey: row.parent,
                fromRevision: 1,
                toRevision: revisionOf.get(row.parent) ?? 1,
                confirmedBy: login,
                confirmedAt: w.at,
                reason: '',
              },
            ],
      );
      if (drawn.length) await w.tx.insert(traces).values(drawn);
    }
    await w.log('requirements imported', 'specification', told.specification, null, {
      file: told.fileName,
      sha256: sha256Hex(told.csv),
      rows: rows.length,
      first: rows[0].key,
      last: rows[rows.length - 1].key,
    });
    return { written: rows.length };
  });
}

/** The requirements of a specification (or of all) as a CSV table that the import reads. */
export async function exportRequirements(db: Db, projectId: number, specification: string | undefined): Promise<string> {
  const rows = await db
    .select()
    .from(requirements)
    .where(and(eq(requirements.projectId, projectId), ...(specification ? [eq(requirements.specification, specification)] : [])));
  const parents = await db
    .select({ from: traces.fromKey, to: traces.toKey })
    .from(traces)
    .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'parent'), isNull(traces.removedAt)));
  const parentOf = new Map(parents.map((t) => [t.from, t.to]));
  return writeCsv(
    [
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
    ],
    rows
      .sort((a, b) => compareKeys(a.key, b.key))
      .map((r) => [
        r.key,
        r.kind,
        r.under,
        r.title,
        r.text,
        r.rationale,
        r.level,
        r.method,
        parentOf.get(r.key) ?? null,
        r.topLevel ? 'yes' : '',
        r.derived ? 'yes' : '',
        r.notInCodeRationale,
        r.state,
        r.revision,
      ]),
  );
}
