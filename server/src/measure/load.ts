import type { LoadAnswer, LoadQuery } from '@contract/measure';
import { groupBy, type Finding } from '@core/base';
import { agreeOnTools, codeLines, mergeFile, type FileMeasurement } from '@core/measure';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import {
  freeKey,
  insertRecord,
  needOpenBuild,
  parseHere,
  recordRows,
  records,
  Refusal,
  revisions,
  storeBlob,
  takeStorage,
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
import {
  boundByHand,
  nobody,
  parseCoverage,
  readFile,
  reportTwice,
  subjectName,
  type Gathered,
  type Known,
  type Subject,
} from './read-coverage';
import { measurementRows, packParts, partHits, uploadFileRows, uploadRows, type MatchedFile } from './store';
import { codeUnits, measurements, sources, uploadFiles, uploads, type SaidAtLoading } from './tables';

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
  const unitsOf = groupBy(
    await db
      .select({ sourceId: codeUnits.sourceId, name: codeUnits.name, start: codeUnits.start, end: codeUnits.end })
      .from(codeUnits)
      .innerJoin(sources, eq(sources.id, codeUnits.sourceId))
      .where(and(eq(sources.buildId, build.id), isNull(sources.supersededAt))),
    (unit) => unit.sourceId,
  );
  const tree = new Map(
    (
      await db
        .select({ id: sources.id, path: sources.path, sha256: sources.sha256, text: sources.text })
        .from(sources)
        .where(and(eq(sources.buildId, build.id), isNull(sources.supersededAt)))
    ).map(({ path, text, ...rest }) => [path, { ...rest, ...codeLines(text), units: unitsOf.get(rest.id) ?? [] }]),
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
  const gathered: Gathered = { parts: new Map(), findings: [], read: [], results: [], ruled: new Map(), doubtful: 0 };
  const bind = boundByHand(asked.bind);
  for (const [i, file] of files.entries()) {
    const content = await parseCoverage(parse, { bytes: file.bytes, faults: asked.faults });
    readFile(file.name, content, i, known, asked, bind, gathered);
  }
  reportTwice(files, gathered);
  const { parts, findings, read, results, ruled, doubtful } = gathered;
  const preview = asked.preview === 'yes';
  const rules = ruled.size
    ? { from: asked.from ?? '', to: asked.to ?? '', ignoreCase: asked.ignoreCase === 'yes', reason: asked.rulesReason?.trim() ?? '' }
    : null;
  if (rules && !preview && rules.reason.length < 3) {
    const [[from, to]] = ruled;
    throw new Refusal('invalid', {
      detail: `Only the rules for paths lead ${ruled.size === 1 ? from : `${ruled.size} files, ${from} first,`} to ${to}: say why they hold.`,
      fields: [{ path: 'rulesReason', text: 'Say why these rules hold.' }],
    });
  }
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
    ruled: [...ruled].slice(0, 200).map(([from, to]) => ({ from, to })),
    doubtful,
    results: results.slice(0, 500),
    findings: findings.slice(0, 200),
  };
  if (!parts.size || preview) return answer;
  return write(db, actor, async (w) => {
    await needOpenBuild(w.tx, projectId, buildName);
    const accepted = doubtful ? (asked.accept?.trim() ?? '') : '';
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
    const said: SaidAtLoading = { rules, accepted };
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
        ...(rules ? { rules, ruled: answer.ruled } : {}),
        ...(accepted ? { accepted, doubtful } : {}),
      },
      touches: { build: build.id, results: caseIds, sources: touched },
    });
    w.snapshot({ recordId: uploadId, revision: 1, state: 'loaded', snapshot: said });
    w.wrote(recordRows, uploadId);
    w.wrote(uploadRows, uploadId);
    takeStorage(
      w,
      files.reduce((sum, { bytes }) => sum + bytes.length, 0),
    );
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
    .select({
      id: measurements.id,
      loadedAt: measurements.loadedAt,
      tool: measurements.tool,
      parts: measurements.parts,
      data: measurements.data,
    })
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
        const hits = await partHits(tx, other, part, async () => other.data.subarray(part.at, part.at + part.size));
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
