import { nextKey, type Json } from '@core/base';
import { normalText, packBits, sourceFunctions, unpackFiles, unpackHits, type SourceFunction } from '@core/measure';
import { and, asc, eq, sql } from 'drizzle-orm';
import {
  accountedTables,
  insertRecords,
  noteKeys,
  projects,
  records,
  revisions,
  rowHashes,
  sha256Of,
  snapshotWrite,
  write,
  type Actor,
  type Db,
  type Writing,
} from './base';
import { codeTraces, codeUnits, measurements, pointTable, sources, uploadFiles, uploads, type MeasuredPart } from './measure';

interface OldSource {
  readonly id: number;
  readonly project_id: number;
  readonly build: string;
  readonly path: string;
  readonly body: string;
  readonly sha256: string;
  readonly functions: string;
  readonly superseded_at: string | null;
}

interface OldMeasurement {
  readonly id: number;
  readonly build: string;
  readonly case_key: string;
  readonly file_name: string;
  readonly sha256: string;
  readonly data: Buffer;
  readonly loaded_by: string;
  readonly loaded_at: string;
  readonly superseded_at: string | null;
}

const rowsOf = async <T>(db: Pick<Db, 'execute'>, query: ReturnType<typeof sql>): Promise<T[]> =>
  ((await db.execute(query)) as unknown as [T[]])[0];

/**
 * What of the first release SQL alone cannot bring along: functions of sources, traces in the code, and measurements, which belonged to
 * a case on a build and now say at which revision. Then the ledger begins to account for the rows. Once done, the old tables go.
 */
export async function upgradeFirstRelease(db: Db): Promise<void> {
  const old = await rowsOf(db, sql`show tables like 'old_sources'`);
  if (!old.length) return;
  const done = await rowsOf<{ n: number }>(db, sql`select count(*) as n from settings where name = 'upgraded:2'`);
  if (!Number(done[0].n)) {
    for (const { id } of await db.select({ id: projects.id }).from(projects).orderBy(asc(projects.id))) {
      const [before] = await rowsOf<{ n: number }>(db, sql`select count(*) as n from ledger where project_id = ${id} and format > 1`);
      // A project that was done before the upgrade was cut off is not done again.
      if (Number(before.n)) continue;
      const actor: Actor = { login: 'upgrade', projectId: id, now: () => new Date() };
      await write(db, actor, (w) => upgradeProject(w));
    }
    await db.execute(sql`insert into settings values ('upgraded:2', 'done')`);
  }
  for (const table of ['old_sources', 'old_measurements', 'old_code_traces']) await db.execute(sql.raw(`drop table if exists ${table}`));
}

async function upgradeProject(w: Writing): Promise<void> {
  const { tx, actor } = w;
  const { projectId } = actor;
  const known = await tx
    .select({ id: records.id, key: records.key, kind: records.kind })
    .from(records)
    .where(eq(records.projectId, projectId));
  const buildId = new Map(known.filter((r) => r.kind === 'build').map((r) => [r.key, r.id]));
  const requirementId = new Map(known.filter((r) => r.kind === 'requirement').map((r) => [r.key, r.id]));
  const caseId = new Map(known.filter((r) => r.kind === 'case').map((r) => [r.key, r.id]));
  w.log({
    action: 'upgraded to records of format 2',
    kind: 'project',
    key: 'PROJECT',
    after: { records: known.length, note: 'From here on every entry accounts for the rows that it writes.' },
    touches: { all: true },
  });
  const units = await upgradeSources(w, buildId, requirementId);
  await upgradeHandTraces(w, units, requirementId);
  await upgradeMeasurements(w, buildId, caseId);
  for (const accounted of accountedTables()) {
    const ids = await tx.select({ id: accounted.id }).from(accounted.table).where(eq(accounted.project, projectId));
    const hashes = await rowHashes(
      tx,
      accounted,
      ids.map(({ id }) => Number(id)),
    );
    w.wroteBefore([...hashes].map(([id, hash]) => ({ table: accounted.name, id: String(id), hash })));
  }
  const snapshots = await tx.select().from(revisions).where(eq(revisions.projectId, projectId));
  w.wroteBefore(snapshots.map(({ snapshot, ...row }) => snapshotWrite({ ...row, snapshot: snapshot as Json })));
}

interface OldUnit {
  readonly buildId: number;
  readonly path: string;
  readonly name: string;
  readonly textHash: string;
}

async function upgradeSources(
  w: Writing,
  buildId: ReadonlyMap<string, number>,
  requirementId: ReadonlyMap<string, number>,
): Promise<OldUnit[]> {
  const { tx, actor } = w;
  const units: OldUnit[] = [];
  for (const old of await rowsOf<OldSource>(tx, sql`select * from old_sources where project_id = ${actor.projectId} order by id`)) {
    const build = buildId.get(old.build);
    if (build === undefined) continue;
    await tx.insert(sources).values({
      id: Number(old.id),
      projectId: actor.projectId,
      buildId: build,
      path: old.path,
      text: old.body,
      sha256: old.sha256,
      supersededAt: old.superseded_at,
    });
    const lines = old.body.split('\n');
    const stored = JSON.parse(old.functions) as SourceFunction[];
    const functions = (stored.length ? stored : sourceFunctions(old.body)).map((f) => ({
      ...f,
      textHash: sha256Of(normalText(lines.slice(f.start - 1, f.end))),
    }));
    if (functions.length)
      await tx
        .insert(codeUnits)
        .values(functions.map(({ name, start, end, textHash }) => ({ sourceId: Number(old.id), name, start, end, textHash })));
    if (old.superseded_at !== null) continue;
    for (const { name, textHash, requirements } of functions) {
      units.push({ buildId: build, path: old.path, name, textHash });
      for (const key of requirements)
        await tx.insert(codeTraces).values({
          projectId: actor.projectId,
          buildId: build,
          path: old.path,
          unit: name,
          textHash,
          requirementKey: key,
          requirementId: requirementId.get(key) ?? null,
          origin: 'source',
          by: actor.login,
          at: w.at,
          reason: 'Named in the source.',
        });
    }
  }
  return units;
}

/** Traces by hand held for every build; now each build has its own. */
async function upgradeHandTraces(w: Writing, units: readonly OldUnit[], requirementId: ReadonlyMap<string, number>): Promise<void> {
  const old = await rowsOf<{ path: string; unit: string; requirement: string; by_login: string; at: string }>(
    w.tx,
    sql`select path, unit, requirement, by_login, at from old_code_traces where project_id = ${w.actor.projectId} and removed_at is null`,
  );
  for (const { path, unit, requirement, by_login: by, at } of old)
    for (const { buildId, textHash } of units.filter((u) => u.path === path && u.name === unit))
      await w.tx.insert(codeTraces).values({
        projectId: w.actor.projectId,
        buildId,
        path,
        unit,
        textHash,
        requirementKey: requirement,
        requirementId: requirementId.get(requirement) ?? null,
        origin: 'hand',
        by,
        at,
        reason: '',
      });
}

async function upgradeMeasurements(w: Writing, buildId: ReadonlyMap<string, number>, caseId: ReadonlyMap<string, number>): Promise<void> {
  const { tx, actor } = w;
  const old = await rowsOf<OldMeasurement>(tx, sql`select * from old_measurements where project_id = ${actor.projectId} order by id`);
  const hashes = new Map(
    (
      await tx
        .select({ buildId: sources.buildId, path: sources.path, sha256: sources.sha256 })
        .from(sources)
        .where(eq(sources.projectId, actor.projectId))
    ).map((s) => [`${s.buildId}\n${s.path}`, s.sha256]),
  );
  const loads = [...new Set(old.map((m) => `${m.build}\n${m.loaded_at}\n${m.loaded_by}`))];
  const keyOf = new Map(loads.map((load, i) => [load, nextKey('U', i)]));
  const ids = await insertRecords(
    w,
    loads.map((load) => {
      const mine = old.filter((m) => `${m.build}\n${m.loaded_at}\n${m.loaded_by}` === load);
      const title = mine.length === 1 ? mine[0].file_name : `${mine.length} files`;
      return { kind: 'upload' as const, key: keyOf.get(load) ?? '', title, words: mine.map((m) => m.file_name).join(' '), state: 'loaded' };
    }),
  );
  await noteKeys(w, keyOf.values());
  for (const load of loads) {
    const [build, at, by] = load.split('\n');
    const id = ids.get(keyOf.get(load) ?? '') ?? 0;
    await tx.update(records).set({ createdBy: by, createdAt: at, authoredBy: by }).where(eq(records.id, id));
    await tx.insert(uploads).values({ id, projectId: actor.projectId, buildId: buildId.get(build) ?? 0, findings: [] });
  }
  for (const m of old) {
    const build = buildId.get(m.build);
    const c = caseId.get(m.case_key);
    const uploadId = ids.get(keyOf.get(`${m.build}\n${m.loaded_at}\n${m.loaded_by}`) ?? '');
    if (build === undefined || c === undefined || uploadId === undefined) continue;
    const [file] = await tx
      .insert(uploadFiles)
      .values({ projectId: actor.projectId, uploadId, name: m.file_name, sha256: m.sha256, bytes: 0, format: '' })
      .$returningId();
    const [{ revision }] = await tx
      .select({ revision: sql<number>`ifnull(max(${revisions.revision}), 1)`.mapWith(Number) })
      .from(revisions)
      .where(and(eq(revisions.recordId, c), sql`${revisions.at} <= ${m.loaded_at}`));
    const parts: MeasuredPart[] = [];
    const chunks: Buffer[] = [];
    let at = 0;
    for (const { path, table, hits } of unpackFiles(m.data)) {
      const bytes = Buffer.from(packBits(unpackHits(path, await pointTable(tx, table), hits)));
      parts.push({ path, source: hashes.get(`${build}\n${path}`) ?? '', table, at, size: bytes.length });
      chunks.push(bytes);
      at += bytes.length;
    }
    await tx.insert(measurements).values({
      projectId: actor.projectId,
      buildId: build,
      uploadId,
      fileId: file.id,
      runId: null,
      caseId: c,
      caseRevision: revision,
      row: null,
      configuration: null,
      tool: 'release 1',
      parts,
      superseded: m.superseded_at === null ? [] : parts.map((part) => part.path),
      data: Buffer.concat(chunks),
      loadedAt: m.loaded_at,
      seq: 0,
      withdrawn: false,
    });
  }
}
