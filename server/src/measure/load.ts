import { createHash } from 'node:crypto';
import type { LoadAnswer, LoadQuery } from '@contract/measure';
import type { Finding } from '@core/base';
import {
  caseOfTestName,
  CoverageLoad,
  formatWords,
  matchPath,
  mergeFile,
  packFiles,
  packHits,
  packTable,
  pointsInCommon,
  sourceFunctions,
  unionTables,
  unpackFiles,
  unpackTable,
  type FileMeasurement,
  type PathMapping,
  type StoredFile,
} from '@core/measure';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import { needBuild, Refusal, storeBlob, wholeBlob, write, type Actor, type Db, type Upload } from '../base';
import { cases } from '../design';
import { requirements } from '../specify';
import { readArchive } from './archive';
import { measurements, sources } from './tables';

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
        sha256: sha256Of(bytes),
        functions: found,
      });
    }
    await w.log('sources loaded', 'build', build, null, {
      file: file.name,
      sha256: sha256Of(file.bytes),
      files: unpacked.length,
      functions,
      traces: traced,
    });
    return { files: unpacked.length, functions, traces: traced, findings: findings.slice(0, 200) };
  });
}

/** What the files of one upload hold, before it is known whether all of it can be used. */
interface Gathered {
  readonly byCase: Map<string, { readonly fileName: string; readonly sha256: string; readonly parts: Map<string, FileMeasurement[]> }>;
  readonly findings: Finding[];
  readonly read: LoadAnswer['read'];
  readonly results: LoadAnswer['results'];
}

/**
 * Loads coverage of any format that the core reads: all files or, where one cannot be used, none, unless the caller asked to keep
 * what is good. A test name in the file names the case; where there is none, the file's name does. Sections of files that the build's
 * source tree does not hold are left out and named; a file of which nothing fits is refused. Test results are read and told, not recorded.
 */
export async function loadCoverage(
  db: Db,
  actor: Actor,
  build: string,
  files: readonly Upload[],
  asked: LoadQuery = {},
): Promise<LoadAnswer> {
  const caseKeys = new Set((await db.select({ key: cases.key }).from(cases).where(eq(cases.projectId, actor.projectId))).map((c) => c.key));
  const tree = (
    await db
      .select({ path: sources.path })
      .from(sources)
      .where(and(eq(sources.projectId, actor.projectId), eq(sources.build, build), isNull(sources.supersededAt)))
  ).map((s) => s.path);
  if (!tree.length)
    throw new Refusal('stateForbids', {
      detail: `Load the source tree of ${build} first: without it nobody can say which program a coverage file is of.`,
    });
  const gathered: Gathered = { byCase: new Map(), findings: [], read: [], results: [] };
  for (const file of files) readFile(file, build, caseKeys, tree, asked, gathered);
  const { byCase, findings, read, results } = gathered;
  if ((asked.faults !== 'keepGood' && findings.some((finding) => finding.severity === 'error')) || (!byCase.size && !results.length))
    throw new Refusal('unreadable', { detail: 'The coverage was not loaded.', findings: findings.slice(0, 200) });
  const keys = [...byCase.keys()].sort();
  findings.push(...(await otherPoints(db, actor.projectId, build, byCase)));
  const sections = read.reduce((n, file) => n + file.sections, 0);
  const answer = { files: files.length, sections, cases: keys, read, results: results.slice(0, 500), findings: findings.slice(0, 200) };
  if (!byCase.size) return answer;
  return write(db, actor, async (w) => {
    await needBuild(w.tx, actor.projectId, build);
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
      const stored: StoredFile[] = [];
      for (const [path, list] of parts) {
        const merged = mergeFile(path, list);
        // The points are the same for every case of a build: they are stored once, under their hash.
        const table = await storeBlob(w.tx, Buffer.from(packTable(merged.table)));
        stored.push({ path, table, hits: packHits(merged) });
      }
      await w.tx.insert(measurements).values({
        projectId: actor.projectId,
        build,
        caseKey,
        fileName,
        sha256,
        data: Buffer.from(packFiles(stored)),
        loadedBy: actor.login,
        loadedAt: w.at,
      });
    }
    await w.log('coverage loaded', 'build', build, null, {
      files: files.map((f, i) => ({ name: f.name, sha256: sha256Of(f.bytes), format: read[i]?.format ?? '' })),
      cases: keys,
      sections,
    });
    return answer;
  });
}

/** Below this share of points in common, two measurements are of two tools or of two builds of the program. */
const sameToolShare = 0.5;

/** Says where the loaded cases were measured in other points than the cases that are there: both would count, each by itself. */
async function otherPoints(db: Db, projectId: number, build: string, byCase: Gathered['byCase']): Promise<Finding[]> {
  const stored = await db
    .select({ caseKey: measurements.caseKey, data: measurements.data })
    .from(measurements)
    .where(and(eq(measurements.projectId, projectId), eq(measurements.build, build), isNull(measurements.supersededAt)))
    .limit(byCase.size + 20);
  const other = stored.find(({ caseKey }) => !byCase.has(caseKey));
  if (!other) return [];
  const tables = new Map(unpackFiles(other.data).map(({ path, table }) => [path, table]));
  for (const [caseKey, { fileName, parts }] of byCase)
    for (const [path, list] of parts) {
      const hash = tables.get(path);
      if (
        hash === undefined ||
        pointsInCommon(unionTables(list.map((file) => file.table)).table, unpackTable(await wholeBlob(db, hash))) >= sameToolShare
      )
        continue;
      const text = `${caseKey} was measured in ${path} by other points than ${other.caseKey}: by another tool, or another build of the program. Both count, each by itself: load all cases of a build from one tool.`;
      return [{ severity: 'warning', cell: fileName, text }];
    }
  return [];
}

const sha256Of = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');

function readFile(
  { name, bytes }: Upload,
  build: string,
  caseKeys: ReadonlySet<string>,
  tree: readonly string[],
  asked: LoadQuery,
  { byCase, findings, read, results }: Gathered,
): void {
  const mapping: PathMapping = {
    prefixes: asked.from === undefined ? [] : [{ from: asked.from, to: asked.to ?? '' }],
    ignoreCase: asked.ignoreCase === 'yes',
  };
  const strange = new Set<string>();
  const unknownTests = new Set<string>();
  let fitting = 0;
  const load = new CoverageLoad(
    {
      section: ({ test, file }) => {
        const path = matchPath(file.path, tree, mapping);
        const caseKey = caseOfTestName(test, caseKeys) ?? caseOfTestName(name, caseKeys);
        if (!path) strange.add(file.path);
        if (!caseKey) unknownTests.add(test || name);
        if (!path || !caseKey) return;
        fitting++;
        const entry = byCase.get(caseKey) ?? { fileName: name, sha256: sha256Of(bytes), parts: new Map<string, FileMeasurement[]>() };
        byCase.set(caseKey, entry);
        const parts = entry.parts.get(path);
        if (parts) parts.push(file);
        else entry.parts.set(path, [file]);
      },
      result: (result) => results.push({ ...result, caseKey: caseOfTestName(result.name, caseKeys) ?? null }),
    },
    asked.faults,
  );
  for (let at = 0; at < bytes.length; at += 1 << 20) load.push(bytes.subarray(at, at + (1 << 20)));
  const done = load.finish();
  read.push({ name, format: done.format ? formatWords[done.format] : 'unknown', sections: done.sections, results: done.results });
  const say = (severity: Finding['severity'], text: string): void => void findings.push({ severity, cell: name, text });
  for (const { severity, row, cell, text } of done.findings)
    findings.push({ severity, ...(row === undefined ? {} : { row }), cell: name, text: cell === undefined ? text : `${cell}: ${text}` });
  for (const path of strange)
    say(fitting ? 'warning' : 'error', `${path} matches no source file of ${build}${fitting ? '; left out' : ''}.`);
  for (const test of unknownTests) say('error', `“${test}” names no case: set TN to the case’s key, or name the file after it.`);
  if (!fitting && done.sections && !done.refused) say('error', `Nothing in this file belongs to ${build}: is it of another program?`);
  if (done.results) say('warning', `${done.results} test results were read. They are not recorded: a run is recorded on the Bench.`);
}
