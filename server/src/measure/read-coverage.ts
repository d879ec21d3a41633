import { gunzipSync } from 'node:zlib';
import type { LoadAnswer, LoadQuery } from '@contract/measure';
import type { Finding } from '@core/base';
import {
  caseOfTestName,
  doubtfulFunctions,
  CoverageLoad,
  formatWords,
  heldAgainst,
  matchPath,
  withoutDoubtful,
  type DoubtfulFunction,
  type FileMeasurement,
  type LoadedFile,
  type PathMapping,
} from '@core/measure';
import { parseWork, Refusal, type StoredBuild, type Upload } from '../base';

/** To what a part of an upload is bound. */
export interface Subject {
  readonly runId: number | null;
  readonly caseId: number | null;
  readonly caseKey: string;
  readonly caseRevision: number | null;
  readonly row: string | null;
  readonly configuration: string | null;
  /** For people. */
  readonly words: string;
}

export const nobody: Subject = {
  runId: null,
  caseId: null,
  caseKey: '',
  caseRevision: null,
  row: null,
  configuration: null,
  words: 'nobody: exercised only',
};
export const subjectName = (s: Subject): string => [s.runId, s.caseId, s.caseRevision, s.row, s.configuration].join('|');

/** What the files of one upload hold, before it is known whether all of it can be used. */
export interface Gathered {
  readonly parts: Map<
    string,
    { subject: Subject; file: number; tool: string; files: Map<string, FileMeasurement[]>; partial: Set<string> }
  >;
  readonly findings: Finding[];
  readonly read: LoadAnswer['read'];
  readonly results: LoadAnswer['results'];
  /** Names that only the rules lead to a source file, and that file. */
  readonly ruled: Map<string, string>;
  /** Functions in doubt. */
  doubtful: number;
}

export interface SourceKnown {
  readonly id: number;
  readonly sha256: string;
  readonly lines: number;
  readonly hasCode: Uint8Array;
  readonly units: readonly { readonly name: string; readonly start: number; readonly end: number }[];
}

export interface Known {
  readonly build: StoredBuild;
  readonly tree: ReadonlyMap<string, SourceKnown>;
  readonly keys: ReadonlySet<string>;
  /** A key in a name, as what it means here. */
  readonly subjects: ReadonlyMap<string, Subject>;
  readonly run: Subject | undefined;
}

/** What people said by hand about each file: a key, or empty for nobody. */
export function boundByHand(text: string | undefined): ReadonlyMap<string, string> {
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
export const parseCoverage = parseWork(
  'coverage',
  ({ bytes, faults }: { bytes: Uint8Array; faults: LoadQuery['faults'] }): CoverageContent => {
    const sections: CoverageContent['sections'][number][] = [];
    const results: CoverageContent['results'][number][] = [];
    const plain = unpacked(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
    if (typeof plain === 'string')
      return {
        sections,
        results,
        done: { format: null, findings: [{ severity: 'error', text: plain }], refused: true, sections: 0, results: 0 },
      };
    const load = new CoverageLoad(
      { section: (section) => sections.push(section), result: (result) => results.push({ ...result }) },
      faults,
    );
    for (let from = 0; from < plain.length; from += 1 << 20) load.push(plain.subarray(from, from + (1 << 20)));
    return { sections, results, done: load.finish() };
  },
);

/** One tool that says twice in one upload what the same subject reached in the same source: nobody can know which is meant. */
export function reportTwice(files: readonly Upload[], { parts, findings }: Gathered): void {
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

export function readFile(
  name: string,
  { sections: measured, results: reported, done }: CoverageContent,
  at: number,
  known: Known,
  asked: LoadQuery,
  bind: ReadonlyMap<string, string>,
  gathered: Gathered,
): void {
  const { parts, findings, read, results } = gathered;
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
  const doubts = new Map<string, DoubtfulFunction['why']>();
  for (const { test, file } of measured) {
    const path = matchPath(file.path, paths, mapping);
    if (path && matchPath(file.path, paths) !== path) gathered.ruled.set(file.path, path);
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
    const doubtful = doubtfulFunctions(held.file, source.units);
    for (const d of doubtful) doubts.set(`${path} ${d.name}`, d.why);
    sections.push({ subject, path, file: doubtful.length && !asked.accept?.trim() ? withoutDoubtful(held.file, doubtful) : held.file });
  }
  gathered.doubtful += doubts.size;
  const verdict = asked.accept?.trim() ? 'accepted, and counts' : 'does not count unless somebody says why it is right';
  for (const [named, why] of doubts)
    say(
      'warning',
      why === 'notInSource'
        ? `${named}: the source does not seem to have this function; it ${verdict}.`
        : `${named} was entered, and none of its lines ran: that ${verdict}.`,
    );
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
