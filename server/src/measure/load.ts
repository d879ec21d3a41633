import { gunzipSync } from 'node:zlib';
import type { LoadAnswer, LoadQuery } from '@contract/measure';
import { groupBy, type Finding } from '@core/base';
import {
  agreeOnTools,
  caseOfTestName,
  codeLines,
  CoverageLoad,
  formatWords,
  heldAgainst,
  matchPath,
  mergeFile,
  type FileMeasurement,
  type LoadedFile,
  type PathMapping,
} from '@core/measure';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import {
  freeKey,
  insertRecord,
  needOpenBuild,
  parseHere,
  parseWork,
  recordRows,
  records,
  Refusal,
  revisions,
  storeBlob,
  write,
  sha256Of,
  type Actor,
  type Db,
  type Parse,
  type StoredBuild,
  type Tx,
  type Upload,
  type Writing,
} from '../base';
import { runs } from '../run';
import { measurementRows, packParts, partHits, uploadFileRows, uploadRows, type MatchedFile } from './store';
import { measurements, sources, uploadFiles, uploads } from './tables';

/** To what a part of an upload is bound. */
interface Subject {
  readonly runId: number | null;
  readonly caseId: number | null;
  readonly caseKey: string;
  readonly caseRevision: number | null;
  readonly row: string | null;
  readonly configuration: string | null;
  /** For people. */
  readonly words: string;
}

const nobody: Subject = {
  runId: null,
  caseId: null,
  caseKey: '',
  caseRevision: null,
  row: null,
  configuration: null,
  words: 'nobody: exercised only',
};
const subjectName = (s: Subject): string => [s.runId, s.caseId, s.caseRevision, s.row, s.configuration].join('|');

/** What the files of one upload hold, before it is known whether all of it can be used. */
interface Gathered {
  readonly parts: Map<
    string,
    { subject: Subject; file: number; tool: string; files: Map<string, FileMeasurement[]>; partial: Set<string> }
  >;
  readonly findings: Finding[];
  readonly read: LoadAnswer['read'];
  readonly results: LoadAnswer['results'];
}

interface Known {
  readonly build: StoredBuild;
  readonly tree: ReadonlyMap<string, { id: number; sha256: string; lines: number; hasCode: Uint8Array }>;
  readonly keys: ReadonlySet<string>;
  /** A key in a name, as what it means here. */
  readonly subjects: ReadonlyMap<string, Subject>;
  readonly run: Subject | undefined;
}

/** Cases at their approved revision, and the runs of the build, by key: what names of tests and files may mean. */
async function subjectsOf(db: Db, projectId: number, build: StoredBuild): Promise<Map<string, Subject>> {
  const subjects = new Map<string, Subject>();
  const approved = await db
    .select({ recordId: revisions.recordId, revision: revisions.revision })
    .from(revisions)
    .where(and(eq(revisions.projectId, projectId), eq(revisions.state, 'approved')));
  const newest = new Map<number, number>();
  for (const { recordId, revision } of approved) newest.set(recordId, Math.max(newest.get(recordId) ?? 0, revision));
  const all = await db
    .select({ id: records.id, key: records.key, revision: records.revision })
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.kind, 'case')));
  const keyOf = new Map(all.map((c) => [c.id, c.key]));
  for (const { id, key, revision } of all) {
    const at = newest.get(id) ?? revision;
    subjects.set(key, {
      ...nobody,
      caseId: id,
      caseKey: key,
      caseRevision: at,
      words: `${key} revision ${at}${newest.has(id) ? '' : ' (never approved)'}`,
    });
  }
  const planned = await db
    .select({
      id: runs.id,
      key: records.key,
      caseId: runs.caseId,
      caseRevision: runs.caseRevision,
      row: runs.row,
      configuration: runs.configuration,
    })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(eq(runs.buildId, build.id), isNull(runs.withdrawnAt)));
  for (const { id, key, caseId, caseRevision, row, configuration } of planned)
    subjects.set(key, {
      runId: id,
      caseId,
      caseKey: keyOf.get(caseId) ?? '',
      caseRevision,
      row,
      configuration,
      words: `${key} of ${keyOf.get(caseId) ?? ''}`,
    });
  return subjects;
}

/**
 * Loads coverage of any format that the core reads: all files or, where one cannot be used, none, unless the caller asked to keep
 * what is good. A test name in the file says to what it belongs; where there is none, the file's name does. Sections of files that the build's
 * source tree does not hold are left out and named; a file of which nothing fits is refused. Test results are read and told, not recorded.
 */
export async function loadCoverage(
  db: Db,
  actor: Actor,
  buildName: string,
  files: readonly Upload[],
  asked: LoadQuery = {},
  parse: Parse = parseHere,
): Promise<LoadAnswer> {
  const { projectId } = actor;
  const build = await needOpenBuild(db, projectId, buildName);
  const tree = new Map(
    (
      await db
        .select({ id: sources.id, path: sources.path, sha256: sources.sha256, text: sources.text })
        .from(sources)
        .where(and(eq(sources.buildId, build.id), isNull(sources.supersededAt)))
    ).map(({ path, text, ...rest }) => [path, { ...rest, ...codeLines(text) }]),
  );
  if (!tree.size)
    throw new Refusal('stateForbids', {
      detail: `Load the source tree of ${buildName} first: without it nobody can say which program a coverage file is of.`,
    });
  const subjects = await subjectsOf(db, projectId, build);
  const run = asked.run === undefined ? undefined : subjects.get(asked.run);
  if (asked.run !== undefined && run?.runId == null)
    throw new Refusal('notFound', { detail: `There is no run ${asked.run} on ${buildName}.` });
  const known: Known = { build, tree, keys: new Set(subjects.keys()), subjects, run };
  const gathered: Gathered = { parts: new Map(), findings: [], read: [], results: [] };
  const bind = boundByHand(asked.bind);
  for (const [i, file] of files.entries()) {
    const content = await parseCoverage(parse, { bytes: file.bytes, faults: asked.faults });
    readFile(file.name, content, i, known, asked, bind, gathered);
  }
  reportTwice(files, gathered);
  const { parts, findings, read, results } = gathered;
  const preview = asked.preview === 'yes';
  if (
    !preview &&
    ((asked.faults !== 'keepGood' && findings.some((finding) => finding.severity === 'error')) || (!parts.size && !results.length))
  )
    throw new Refusal('unreadable', { detail: 'The coverage was not loaded.', findings: findings.slice(0, 200) });
  const sections = read.reduce((n, file) => n + file.sections, 0);
  const list = [...parts.values()];
  const caseKeys = [...new Set(list.flatMap(({ subject }) => subject.caseKey || []))].sort();
  const answer = {
    files: files.length,
    sections,
    cases: caseKeys,
    bound: list.slice(0, 500).map(({ subject, file, files: own }) => ({ file: files[file].name, to: subject.words, files: own.size })),
    read,
    results: results.slice(0, 500),
    findings: findings.slice(0, 200),
  };
  if (!parts.size || preview) return answer;
  return write(db, actor, async (w) => {
    await needOpenBuild(w.tx, projectId, buildName);
    const key = await freeKey(w, 'U');
    findings.push(...(await otherTools(w.tx, build, list)));
    const uploadId = await insertRecord(w, {
      kind: 'upload',
      key,
      title: files.length === 1 ? files[0].name.slice(0, 300) : `${files.length} files`,
      words: `${files.map((f) => f.name).join(' ')} ${caseKeys.join(' ')}`,
      state: 'loaded',
    });
    await w.tx.insert(uploads).values({ id: uploadId, projectId, buildId: build.id, findings: findings.slice(0, 200) });
    const caseIds = [...new Set(list.flatMap(({ subject }) => subject.caseId ?? []))];
    const touched = [...new Set(list.flatMap(({ files: own }) => [...own.keys()].flatMap((path) => tree.get(path)?.id ?? [])))];
    w.log({
      action: 'coverage loaded',
      kind: 'upload',
      key,
      after: {
        build: build.name,
        files: files.map((f, i) => ({ name: f.name, sha256: sha256Of(f.bytes), format: read[i]?.format ?? '' })),
        bound: answer.bound.slice(0, 200),
        sections,
      },
      touches: { results: caseIds, sources: touched },
    });
    w.wrote(recordRows, uploadId);
    w.wrote(uploadRows, uploadId);
    const fileIds: number[] = [];
    for (const [i, { name, bytes }] of files.entries()) {
      const sha256 = await storeBlob(w.tx, bytes);
      const [made] = await w.tx
        .insert(uploadFiles)
        .values({ projectId, uploadId, name: name.slice(0, 300), sha256, bytes: bytes.length, format: read[i]?.format ?? '' })
        .$returningId();
      fileIds.push(made.id);
    }
    w.wrote(uploadFileRows, ...fileIds);
    await supersedeParts(w, build, list);
    w.withSeq(async (seq) => {
      for (const { subject, file, tool, files: own, partial } of list) {
        const matched = [...own].map(([path, measured]): MatchedFile => ({
          file: mergeFile(path, measured),
          source: tree.get(path)?.sha256 ?? '',
          partial: partial.has(path),
        }));
        const { words: _, caseKey: _caseKey, ...bound } = subject;
        const [made] = await w.tx
          .insert(measurements)
          .values({
            projectId,
            buildId: build.id,
            uploadId,
            fileId: fileIds[file],
            ...bound,
            tool,
            ...(await packParts(w.tx, matched)),
            superseded: [],
            loadedAt: w.at,
            seq,
            withdrawn: false,
          })
          .$returningId();
        w.wrote(measurementRows, made.id);
      }
    });
    return { ...answer, upload: key, findings: findings.slice(0, 200) };
  });
}

/** What the same tool said before of the same subject is superseded, of those source files only that it speaks of again. */
async function supersedeParts(
  w: Writing,
  build: StoredBuild,
  list: readonly { subject: Subject; tool: string; files: Map<string, unknown> }[],
): Promise<void> {
  const caseIds = [...new Set(list.flatMap(({ subject }) => subject.caseId ?? []))];
  const before = await w.tx
    .select({
      id: measurements.id,
      runId: measurements.runId,
      caseId: measurements.caseId,
      caseRevision: measurements.caseRevision,
      row: measurements.row,
      configuration: measurements.configuration,
      tool: measurements.tool,
      parts: measurements.parts,
      superseded: measurements.superseded,
    })
    .from(measurements)
    .where(
      and(
        eq(measurements.buildId, build.id),
        eq(measurements.withdrawn, false),
        caseIds.length ? inArray(measurements.caseId, caseIds) : isNull(measurements.caseId),
      ),
    );
  const again = groupBy(list, ({ subject, tool }) => `${subjectName(subject)}|${tool}`);
  for (const m of before) {
    const now = again.get(`${[m.runId, m.caseId, m.caseRevision, m.row, m.configuration].join('|')}|${m.tool}`);
    if (!now) continue;
    const paths = m.parts.map((part) => part.path).filter((path) => now.some(({ files }) => files.has(path)));
    const superseded = [...new Set([...m.superseded, ...paths])].sort();
    if (superseded.length === m.superseded.length) continue;
    await w.tx.update(measurements).set({ superseded }).where(eq(measurements.id, m.id));
    w.wrote(measurementRows, m.id);
  }
}

/** Says where another tool has measured these files in other points: one is a file's measure for a metric, the other is set aside. */
async function otherTools(
  tx: Tx,
  build: StoredBuild,
  list: readonly { subject: Subject; tool: string; files: ReadonlyMap<string, readonly FileMeasurement[]> }[],
): Promise<Finding[]> {
  const tools = new Set(list.map(({ tool }) => tool));
  const stored = await tx
    .select({ id: measurements.id, tool: measurements.tool, parts: measurements.parts, data: measurements.data })
    .from(measurements)
    .where(and(eq(measurements.buildId, build.id), eq(measurements.withdrawn, false)))
    .limit(200);
  const others = [...new Map(stored.filter(({ tool }) => !tools.has(tool)).map((m) => [m.tool, m])).values()];
  const findings: Finding[] = [];
  for (const { tool, files } of list)
    for (const other of others) {
      if (findings.some((f) => f.text.includes(`by ${other.tool} in`))) continue;
      for (const [path, measured] of files) {
        const part = other.parts.find((p) => p.path === path);
        if (!part) continue;
        const hits = await partHits(tx, other.id, part, async () => other.data.subarray(part.at, part.at + part.size));
        const { setAside } = agreeOnTools([
          { tool, ...mergeFile(path, measured) },
          { tool: other.tool, ...hits },
        ]);
        if (!setAside.length) continue;
        const words = [...new Set(setAside.map((s) => s.metric))].join(', ');
        const text = `${path} was measured by ${other.tool} in other points (${words}) than by ${tool}: one of them is the file’s measure, the other is set aside.`;
        findings.push({ severity: 'warning', cell: path, text });
        break;
      }
    }
  return findings;
}

/** What people said by hand about each file: a key, or empty for nobody. */
function boundByHand(text: string | undefined): ReadonlyMap<string, string> {
  if (text === undefined) return new Map();
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    value = undefined;
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value) || !Object.values(value).every((key) => typeof key === 'string'))
    throw new Refusal('invalid', { fields: [{ path: 'bind', text: 'A JSON object of file names with keys is wanted.' }] });
  return new Map(Object.entries(value as Record<string, string>));
}

/** Unpacked, a file may be so large, and so many times as large as it came. */
const unpackedLimit = 512 << 20;
const ratioLimit = 400;
const smallFile = 8 << 20;

/** Plain bytes of a file that may be gzipped, its check sum verified; refused where it grows too far. */
function unpacked(bytes: Buffer): Buffer | string {
  if (bytes[0] !== 0x1f || bytes[1] !== 0x8b) return bytes;
  const most = Math.min(unpackedLimit, Math.max(smallFile, bytes.length * ratioLimit));
  try {
    return gunzipSync(bytes, { maxOutputLength: most });
  } catch (error) {
    const { code, message } = error as Error & { code?: string };
    if (code === 'ERR_BUFFER_TOO_LARGE')
      return `It unpacks to more than ${most >> 20} MiB: at most ${unpackedLimit >> 20} MiB, and ${ratioLimit} times its packed size, are taken.`;
    return /check/.test(message)
      ? 'The packed data does not have the check sum that it says: it is damaged.'
      : 'The packed data ends too early or is damaged.';
  }
}

interface CoverageContent {
  readonly sections: readonly { readonly test: string; readonly file: FileMeasurement }[];
  readonly results: readonly {
    group: string;
    name: string;
    verdict: 'passed' | 'failed' | 'skipped';
    seconds: number | null;
    message: string;
  }[];
  readonly done: Pick<LoadedFile, 'format' | 'findings' | 'refused'> & { readonly sections: number; readonly results: number };
}

/** Reads one file of coverage or results, whatever its format. */
const parseCoverage = parseWork('coverage', ({ bytes, faults }: { bytes: Uint8Array; faults: LoadQuery['faults'] }): CoverageContent => {
  const sections: CoverageContent['sections'][number][] = [];
  const results: CoverageContent['results'][number][] = [];
  const plain = unpacked(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
  if (typeof plain === 'string')
    return {
      sections,
      results,
      done: { format: null, findings: [{ severity: 'error', text: plain }], refused: true, sections: 0, results: 0 },
    };
  const load = new CoverageLoad({ section: (section) => sections.push(section), result: (result) => results.push({ ...result }) }, faults);
  for (let from = 0; from < plain.length; from += 1 << 20) load.push(plain.subarray(from, from + (1 << 20)));
  return { sections, results, done: load.finish() };
});

/** One tool that says twice in one upload what the same subject reached in the same source: nobody can know which is meant. */
function reportTwice(files: readonly Upload[], { parts, findings }: Gathered): void {
  const first = new Map<string, number>();
  for (const { subject, file, tool, files: own } of parts.values()) {
    if (subject.caseId === null) continue;
    for (const path of own.keys()) {
      const name = `${subjectName(subject)}|${tool}|${path}`;
      const before = first.get(name);
      if (before === undefined || before === file) {
        first.set(name, file);
        continue;
      }
      findings.push({
        severity: 'error',
        cell: files[file].name,
        text: `${files[before].name} and ${files[file].name} both say what ${subject.words} reached in ${path}: choose one, or bind them to their runs.`,
      });
      break;
    }
  }
}

function readFile(
  name: string,
  { sections: measured, results: reported, done }: CoverageContent,
  at: number,
  known: Known,
  asked: LoadQuery,
  bind: ReadonlyMap<string, string>,
  { parts, findings, read, results }: Gathered,
): void {
  const mapping: PathMapping = {
    prefixes: asked.from === undefined ? [] : [{ from: asked.from, to: asked.to ?? '' }],
    ignoreCase: asked.ignoreCase === 'yes',
  };
  const paths = [...known.tree.keys()];
  const strange = new Set<string>();
  const unknownTests = new Set<string>();
  const sections: { subject: Subject; path: string; file: FileMeasurement }[] = [];
  const say = (severity: Finding['severity'], text: string, cell = name): void => void findings.push({ severity, cell, text });
  const hand = bind.get(name);
  if (hand && !known.subjects.has(hand)) say('error', `There is no case or run ${hand} to bind it to.`);
  const idle = new Map<string, readonly number[]>();
  for (const { test, file } of measured) {
    const path = matchPath(file.path, paths, mapping);
    const key = hand ?? caseOfTestName(test, known.keys) ?? caseOfTestName(name, known.keys);
    const subject = known.run ?? (key === undefined ? undefined : key === '' ? nobody : known.subjects.get(key));
    if (!path) strange.add(file.path);
    if (!subject && !hand) unknownTests.add(test || name);
    const source = path === undefined ? undefined : known.tree.get(path);
    if (!path || !subject || !source) continue;
    const held = heldAgainst(file, source);
    if (held.pastEnd !== undefined) {
      say(
        'error',
        `${path} has ${source.lines} lines in ${known.build.name}, and the file speaks of line ${held.pastEnd}: it was measured on another text.`,
      );
      continue;
    }
    if (held.idle.length) idle.set(path, held.idle);
    sections.push({ subject, path, file: held.file });
  }
  for (const [path, lines] of idle)
    say(
      'warning',
      `${path}: what is said of ${lines.length} line${lines.length === 1 ? '' : 's'} without code (line ${lines[0]}) does not count.`,
    );
  for (const result of reported) results.push({ ...result, caseKey: caseOfTestName(result.name, known.keys) ?? null });
  const tool = done.format ? formatWords[done.format] : 'unknown';
  read.push({ name, format: tool, sections: done.sections, results: done.results });
  const faulty = done.findings.some((f) => f.severity === 'error');
  for (const { subject, path, file } of sections) {
    const id = `${at}|${subjectName(subject)}`;
    const entry = parts.get(id) ?? { subject, file: at, tool, files: new Map<string, FileMeasurement[]>(), partial: new Set<string>() };
    parts.set(id, entry);
    entry.files.set(path, [...(entry.files.get(path) ?? []), file]);
    if (faulty) entry.partial.add(path);
  }
  for (const { severity, row, cell, text } of done.findings)
    findings.push({ severity, ...(row === undefined ? {} : { row }), cell: name, text: cell === undefined ? text : `${cell}: ${text}` });
  const fits = sections.length > 0;
  for (const path of strange)
    say(fits ? 'warning' : 'error', `${path} matches no source file of ${known.build.name}${fits ? '; left out' : ''}.`);
  for (const test of unknownTests)
    say('error', `“${test}” names no case: set TN to the case’s key, name the file after it, or say here what it belongs to.`);
  if (!fits && done.sections && !done.refused && !findings.some((f) => f.severity === 'error' && f.cell === name))
    say('error', `Nothing in this file belongs to ${known.build.name}: is it of another program?`);
  if (done.results) say('warning', `${done.results} test results were read. They are not recorded: a run is recorded on the Bench.`);
}
