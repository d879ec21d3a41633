import { envelope2, recordFormat, textHash, type Finding } from '@core/base';
import { normalText, sourceFunctions } from '@core/measure';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import {
  needOpenBuild,
  parseHere,
  parseWork,
  proveSigner,
  takeStorage,
  putSignature,
  records,
  recordsByKey,
  signatures,
  Refusal,
  write,
  sha256Of,
  type Actor,
  type Db,
  type Parse,
  type Upload,
  type Writing,
} from '../base';
import { runs } from '../run';
import { readArchive } from './archive';
import { carryHandTraces, insertCodeTraces } from './hand-traces';
import { codeTraceRows, sourceRows } from './store';
import { codeTraces, codeUnits, sources } from './tables';

const sourceEnding = /\.(c|h|cc|cpp|cxx|hpp|hh)$/i;
const pathLimit = 400;
const archiveLimits = { bytes: 128 << 20, files: 20_000 };

/** The files of an archive of sources with their functions; refused where it is hostile, damaged, or holds none. */
const parseSources = parseWork('sources', ({ bytes }: { bytes: Uint8Array }) => {
  const unpacked = readArchive(Buffer.from(bytes), archiveLimits, (path) => sourceEnding.test(path));
  if (!unpacked.length) throw new Refusal('unreadable', { detail: 'The archive holds no C or C++ source (.c, .h, .cpp, .hpp …).' });
  const seen = new Set<string>();
  for (const { path } of unpacked) {
    if (seen.has(path)) throw new Refusal('unreadable', { detail: `The archive holds ${path} twice.` });
    if (path.length > pathLimit)
      throw new Refusal('unreadable', {
        detail: `A path of ${path.length} characters: at most ${pathLimit} are taken. It begins ${path.slice(0, 100)}`,
      });
    seen.add(path);
  }
  return unpacked.map(({ path, bytes: own }) => {
    const text = own.toString('utf8');
    const lines = text.split('\n');
    const functions = sourceFunctions(text).map((f) => ({ ...f, textHash: sha256Of(normalText(lines.slice(f.start - 1, f.end))) }));
    return { path, text, sha256: sha256Of(own), functions };
  });
});

/** Was anything on a build signed? Then its sources are not exchanged in passing. */
async function signedRuns(w: Writing, buildId: number): Promise<number> {
  const rows = await w.tx
    .selectDistinct({ id: runs.id })
    .from(runs)
    .innerJoin(signatures, eq(signatures.recordId, runs.id))
    .where(eq(runs.buildId, buildId));
  return rows.length;
}

export interface SourcesHow {
  /** Why sources are exchanged on which signed runs rest, and the password that signs it. */
  readonly reason?: string | undefined;
  readonly password?: string | undefined;
  readonly parse?: Parse;
}

/**
 * Loads the source tree of a build; a tree loaded before is superseded, and what was measured on other text is set aside by that. Where runs
 * on the build are signed, exchanging it needs a reason and a signature.
 */
export async function loadSources(
  db: Db,
  actor: Actor,
  buildName: string,
  file: Upload,
  { reason = '', password = '', parse = parseHere }: SourcesHow = {},
): Promise<{ files: number; functions: number; traces: number; findings: Finding[] }> {
  const parsed = await parseSources(parse, { bytes: file.bytes });
  const signer = password ? await proveSigner(db, actor, password) : undefined;
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const build = await needOpenBuild(w.tx, projectId, buildName);
    const named = [...new Set(parsed.flatMap(({ functions }) => functions.flatMap((f) => f.requirements)))];
    const known = await recordsByKey(w.tx, projectId, named);
    const findings = parsed.flatMap(({ path, functions }) =>
      functions.flatMap((f) =>
        f.requirements.flatMap((key): Finding[] =>
          known.get(key)?.kind === 'requirement'
            ? []
            : [{ severity: 'warning', row: f.start, cell: path, text: `${f.name} names ${key}, which is no requirement of this project.` }],
        ),
      ),
    );
    const functions = parsed.reduce((n, p) => n + p.functions.length, 0);
    const traced = parsed.reduce((n, p) => n + p.functions.reduce((m, f) => m + f.requirements.length, 0), 0);
    const before = await w.tx
      .select({ id: sources.id })
      .from(sources)
      .where(and(eq(sources.buildId, build.id), isNull(sources.supersededAt)));
    const traces = await w.tx
      .select({ id: codeTraces.id, requirementId: codeTraces.requirementId })
      .from(codeTraces)
      .where(and(eq(codeTraces.buildId, build.id), eq(codeTraces.origin, 'source'), isNull(codeTraces.removedAt)));
    const resting = before.length ? await signedRuns(w, build.id) : 0;
    if (resting && (!signer || reason.trim().length < 3))
      throw new Refusal('invalid', {
        detail: `${resting} signed run${resting === 1 ? '' : 's'} on ${build.name} rest on the sources that it has: exchanging them needs a reason and your password.`,
        fields: [{ path: signer ? 'reason' : 'password', text: 'Say why, and sign.' }],
      });
    w.log({
      action: before.length ? 'sources exchanged' : 'sources loaded',
      kind: 'build',
      key: build.name,
      after: {
        file: file.name,
        sha256: sha256Of(file.bytes),
        files: parsed.length,
        functions,
        traces: traced,
        ...(resting ? { reason, printedName: signer?.printedName } : {}),
      },
      touches: { build: build.id, all: true },
    });
    takeStorage(
      w,
      parsed.reduce((sum, { text }) => sum + Buffer.byteLength(text), 0),
    );
    if (resting && signer) {
      const content = { file: file.name, sha256: sha256Of(file.bytes), reason };
      const [{ revision }] = await w.tx.select({ revision: records.revision }).from(records).where(eq(records.id, build.id));
      const hash = textHash(envelope2('build', build.name, revision, { sources: content }));
      await putSignature(w, signer, { recordId: build.id, revision, meaning: 'sources exchanged', format: recordFormat, hash, reason });
    }
    if (before.length) {
      const ids = before.map(({ id }) => id);
      await w.tx.update(sources).set({ supersededAt: w.at }).where(inArray(sources.id, ids));
      w.wrote(sourceRows, ...ids);
    }
    if (traces.length) {
      const ids = traces.map(({ id }) => id);
      await w.tx.update(codeTraces).set({ removedAt: w.at }).where(inArray(codeTraces.id, ids));
      w.wrote(codeTraceRows, ...ids);
    }
    for (const { path, text, sha256, functions: found } of parsed) {
      const [made] = await w.tx.insert(sources).values({ projectId, buildId: build.id, path, text, sha256 }).$returningId();
      w.wrote(sourceRows, made.id);
      if (!found.length) continue;
      await w.tx
        .insert(codeUnits)
        .values(found.map(({ name, start, end, textHash }) => ({ sourceId: made.id, name: name.slice(0, 300), start, end, textHash })));
    }
    await insertCodeTraces(
      w,
      parsed.flatMap(({ path, functions: found }) =>
        found.flatMap((f) =>
          f.requirements.map((requirementKey) => ({
            projectId,
            buildId: build.id,
            path,
            unit: f.name.slice(0, 300),
            textHash: f.textHash,
            requirementKey,
            requirementId: known.get(requirementKey)?.kind === 'requirement' ? (known.get(requirementKey)?.id ?? null) : null,
            origin: 'source' as const,
            by: actor.login,
            at: w.at,
            reason: 'Named in the source.',
          })),
        ),
      ),
    );
    await carryHandTraces(w, build, parsed);
    return { files: parsed.length, functions, traces: traced, findings: findings.slice(0, 200) };
  });
}
