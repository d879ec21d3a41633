import { createHash } from 'node:crypto';
import { deflateRawSync, inflateRawSync } from 'node:zlib';
import type { LoadAnswer } from '@contract/measure';
import type { Finding } from '@core/base';
import { caseOfTestName, LcovReader, matchPath, mergeFile, sourceFunctions, type FileMeasurement } from '@core/measure';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import { needBuild, Refusal, write, type Actor, type Db, type Upload } from '../base';
import { cases } from '../design';
import { requirements } from '../specify';
import { readArchive } from './archive';
import { measurements, sources, type StoredMeasurement } from './tables';

const sourceEnding = /\.(c|h|cc|cpp|cxx|hpp|hh)$/i;
const archiveLimits = { bytes: 128 << 20, files: 20_000 };

/** Loads the source tree of a build; a tree loaded before is superseded. */
export function loadSources(
  db: Db,
  actor: Actor,
  build: string,
  file: Upload,
): Promise<{ files: number; functions: number; traces: number; findings: Finding[] }> {
  const unpacked = readArchive(file.bytes, archiveLimits, (path) => sourceEnding.test(path));
  if (!unpacked.length) throw new Refusal('unreadable', { detail: 'The archive holds no C or C++ source (.c, .h, .cpp, .hpp …).' });
  return write(db, actor, async (w) => {
    await needBuild(w.tx, actor.projectId, build);
    const known = new Set(
      (await w.tx.select({ key: requirements.key }).from(requirements).where(eq(requirements.projectId, actor.projectId))).map(
        (r) => r.key,
      ),
    );
    const mine = and(eq(sources.projectId, actor.projectId), eq(sources.build, build), isNull(sources.supersededAt));
    await w.tx.update(sources).set({ supersededAt: w.at }).where(mine);
    const findings: Finding[] = [];
    let functions = 0;
    let traced = 0;
    for (const { path, bytes } of unpacked) {
      const text = bytes.toString('utf8');
      const found = sourceFunctions(text);
      functions += found.length;
      for (const f of found)
        for (const key of f.requirements) {
          traced++;
          if (!known.has(key))
            findings.push({
              severity: 'warning',
              row: f.start,
              cell: path,
              text: `${f.name} names ${key}, which is no requirement of this project.`,
            });
        }
      await w.tx.insert(sources).values({
        projectId: actor.projectId,
        build,
        path,
        text,
        sha256: createHash('sha256').update(bytes).digest('hex'),
        functions: found,
      });
    }
    await w.log('sources loaded', 'build', build, null, {
      file: file.name,
      sha256: createHash('sha256').update(file.bytes).digest('hex'),
      files: unpacked.length,
      functions,
      traces: traced,
    });
    return { files: unpacked.length, functions, traces: traced, findings: findings.slice(0, 200) };
  });
}

export const packMeasurement = (files: StoredMeasurement): Buffer => deflateRawSync(JSON.stringify(files));
export const unpackMeasurement = (data: Buffer): StoredMeasurement =>
  JSON.parse(inflateRawSync(data).toString('utf8')) as StoredMeasurement;

/**
 * Loads LCOV tracefiles: all of them or, where one cannot be used, none. TN names the case; where it names none, the file's
 * name does. Sections of files that the build's source tree does not hold are left out and named; a file of which nothing fits is refused.
 */
export async function loadCoverage(db: Db, actor: Actor, build: string, files: readonly Upload[]): Promise<LoadAnswer> {
  const caseKeys = new Set((await db.select({ key: cases.key }).from(cases).where(eq(cases.projectId, actor.projectId))).map((c) => c.key));
  const tree = (
    await db
      .select({ path: sources.path })
      .from(sources)
      .where(and(eq(sources.projectId, actor.projectId), eq(sources.build, build), isNull(sources.supersededAt)))
  ).map((s) => s.path);
  if (!tree.length)
    throw new Refusal('stateForbids', {
      detail: `Load the source tree of ${build} first: without it nobody can say which program a tracefile is of.`,
    });
  const byCase = new Map<string, { fileName: string; sha256: string; parts: Map<string, FileMeasurement[]> }>();
  const findings: Finding[] = [];
  let sections = 0;
  for (const { name, bytes } of files) {
    const sha256 = createHash('sha256').update(bytes).digest('hex');
    const strange = new Set<string>();
    const unknownTests = new Set<string>();
    let fitting = 0;
    const reader = new LcovReader(({ test, file }) => {
      sections++;
      const path = matchPath(file.path, tree);
      const caseKey = caseOfTestName(test, caseKeys) ?? caseOfTestName(name, caseKeys);
      if (!path) strange.add(file.path);
      if (!caseKey) unknownTests.add(test || name);
      if (!path || !caseKey) return;
      fitting++;
      const entry = byCase.get(caseKey) ?? { fileName: name, sha256, parts: new Map<string, FileMeasurement[]>() };
      byCase.set(caseKey, entry);
      entry.parts.set(path, [...(entry.parts.get(path) ?? []), file]);
    });
    for (let at = 0; at < bytes.length; at += 1 << 20) reader.push(bytes.subarray(at, at + (1 << 20)));
    reader.finish();
    findings.push(...reader.findings.map((finding) => ({ ...finding, cell: name })));
    for (const path of strange)
      findings.push({
        severity: fitting ? 'warning' : 'error',
        cell: name,
        text: `${path} matches no source file of ${build}${fitting ? '; left out' : ''}.`,
      });
    for (const test of unknownTests)
      findings.push({
        severity: 'error',
        cell: name,
        text: `“${test}” names no case: set TN to the case’s key, or name the file after it.`,
      });
    if (!fitting && reader.sections)
      findings.push({ severity: 'error', cell: name, text: `Nothing in this file belongs to ${build}: is it of another program?` });
  }
  if (findings.some((finding) => finding.severity === 'error'))
    throw new Refusal('unreadable', { detail: 'The coverage was not loaded.', findings: findings.slice(0, 200) });
  return write(db, actor, async (w) => {
    await needBuild(w.tx, actor.projectId, build);
    const keys = [...byCase.keys()].sort();
    await w.tx
      .update(measurements)
      .set({ supersededAt: w.at })
      .where(
        and(
          eq(measurements.projectId, actor.projectId),
          eq(measurements.build, build),
          inArray(measurements.caseKey, keys),
          isNull(measurements.supersededAt),
        ),
      );
    for (const [caseKey, { fileName, sha256, parts }] of byCase) {
      const merged = [...parts].map(([path, list]) => mergeFile(path, list));
      await w.tx.insert(measurements).values({
        projectId: actor.projectId,
        build,
        caseKey,
        fileName,
        sha256,
        data: packMeasurement(merged),
        loadedBy: actor.login,
        loadedAt: w.at,
      });
    }
    await w.log('coverage loaded', 'build', build, null, {
      files: files.map((f) => ({ name: f.name, sha256: createHash('sha256').update(f.bytes).digest('hex') })),
      cases: keys,
      sections,
    });
    return { files: files.length, sections, cases: keys, findings: findings.slice(0, 200) };
  });
}
