import { compareKeys, groupBy } from '@core/base';
import { coverageOf, pointsOf, unitCoverages, writeCobertura, writeLcov, type FileCredit } from '@core/measure';
import { coverageCsv, type CodeSummary, type StandardProfile } from '@core/prove';
import { and, asc, eq, inArray, isNull, lte } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { builds, decisions, ledger, memberships, people, readBlob, records, traces, type StoredBuild, type Tx } from '../base';
import {
  attestations,
  attestationsById,
  carries,
  carriesById,
  codeTraces,
  codeUnits,
  measurements,
  runCarries,
  runCarriesById,
  sources,
  uploadFiles,
  uploads,
} from '../measure';
import { rounds, runs } from '../run';
import type { PackWriter } from './pack-writer';

export const pretty = (value: unknown): string => `${JSON.stringify(value, null, 1)}\n`;

/** What a pack is made of: the snapshot of the database, and where it is written to. */
export interface PackSource {
  readonly tx: Tx;
  readonly projectId: number;
  readonly build: StoredBuild;
  readonly seq: number;
  readonly out: PackWriter;
}

/** Every trace that stands, between records and to code, as data: with its revisions, who drew and confirmed it, when and why. */
export async function addTraces({ tx, projectId, build, out }: PackSource): Promise<void> {
  const names = new Map(
    (await tx.select({ id: records.id, key: records.key }).from(records).where(eq(records.projectId, projectId))).map((r) => [r.id, r.key]),
  );
  const between = await tx
    .select()
    .from(traces)
    .where(and(eq(traces.projectId, projectId), isNull(traces.removedAt)))
    .orderBy(asc(traces.id));
  await out.add(
    'trace/traces.json',
    pretty(
      between.map(({ kind, fromId, toId, fromRevision, toRevision, drawnBy, drawnAt, confirmedBy, confirmedAt, reason }) => ({
        kind,
        from: names.get(fromId),
        fromRevision,
        to: names.get(toId),
        toRevision,
        drawnBy,
        drawnAt,
        confirmedBy,
        confirmedAt,
        reason,
      })),
    ),
  );
  const toCode = await tx
    .select()
    .from(codeTraces)
    .where(and(eq(codeTraces.buildId, build.id), isNull(codeTraces.removedAt)))
    .orderBy(asc(codeTraces.id));
  await out.add(
    'trace/code.json',
    pretty(
      toCode.map(({ path, unit, textHash, requirementKey, origin, by, at, reason }) => ({
        path,
        unit,
        textHash,
        requirement: requirementKey,
        origin,
        by,
        at,
        reason,
      })),
    ),
  );
}

export async function addCoverageFiles(
  { tx, build: { id, name: build }, out }: PackSource,
  credits: readonly FileCredit[],
  code: ReadonlyMap<string, CodeSummary>,
  madeAt: number,
): Promise<void> {
  const units = unitCoverages(credits);
  const items = [
    { scope: 'build', name: build, coverage: coverageOf(credits) },
    ...credits.map((credit) => ({ scope: 'file', name: credit.path, coverage: coverageOf([credit]) })),
    ...units.map((u) => ({ scope: 'function', name: `${u.path} ${u.unit.name}`, coverage: u.totals })),
    // As its knot counts: what is credited to the requirement or to one derived from it, over the code of both.
    ...[...code].sort(([a], [b]) => compareKeys(a, b)).map(([name, { totals }]) => ({ scope: 'requirement', name, coverage: totals })),
  ];
  await out.add('coverage/coverage.csv', coverageCsv(items));
  await out.add(
    'coverage/coverage.json',
    pretty({ build, items, points: credits.map((credit) => ({ path: credit.path, points: pointsOf(credit) })) }),
  );
  // For other tools: both lanes in the two formats that most of them read.
  const measured = credits.filter((credit) => credit.file.byCase.length > 0);
  for (const lane of ['exercised', 'credited'] as const) {
    const written = measured.map((credit: FileCredit) => ({ path: credit.path, table: credit.file.table, bits: credit[lane] }));
    await out.add(`coverage/${lane}.info`, writeLcov(written, build));
    await out.add(`coverage/${lane}.cobertura.xml`, writeCobertura(written, madeAt));
  }
  // As it was loaded, whatever was made of it.
  const raw = await tx
    .select({ id: uploadFiles.id, name: uploadFiles.name, sha256: uploadFiles.sha256, upload: records.key })
    .from(uploadFiles)
    .innerJoin(uploads, eq(uploads.id, uploadFiles.uploadId))
    .innerJoin(records, eq(records.id, uploads.id))
    .where(eq(uploads.buildId, id))
    .orderBy(asc(uploadFiles.id));
  for (const file of raw) await out.addStream(`coverage/raw/${file.upload}/${file.id}-${file.name}`, readBlob(tx, file.sha256));
}

const runRecord = alias(records, 'run_record');
const caseRecord = alias(records, 'case_record');

/** What each loaded file says and of what: with the functions of the sources, all that somebody needs who works out the credit again. */
export async function addMeasurements({ tx, build: { id }, out }: PackSource): Promise<void> {
  const rows = await tx
    .select({
      upload: records.key,
      fileId: uploadFiles.id,
      name: uploadFiles.name,
      run: runRecord.key,
      case: caseRecord.key,
      caseRevision: measurements.caseRevision,
      row: measurements.row,
      configuration: measurements.configuration,
      tool: measurements.tool,
      loadedAt: measurements.loadedAt,
      withdrawn: measurements.withdrawn,
      parts: measurements.parts,
      superseded: measurements.superseded,
    })
    .from(measurements)
    .innerJoin(uploadFiles, eq(uploadFiles.id, measurements.fileId))
    .innerJoin(records, eq(records.id, measurements.uploadId))
    .leftJoin(runRecord, eq(runRecord.id, measurements.runId))
    .leftJoin(caseRecord, eq(caseRecord.id, measurements.caseId))
    .where(eq(measurements.buildId, id))
    .orderBy(asc(measurements.id));
  await out.add(
    'coverage/measurements.json',
    pretty(
      rows.map(({ upload, fileId, name, parts, superseded, ...rest }) => ({
        file: `coverage/raw/${upload}/${fileId}-${name}`,
        ...rest,
        parts: parts.map(({ path, source, partial }) => ({
          path,
          source,
          partial: partial ?? false,
          superseded: superseded.includes(path),
        })),
      })),
    ),
  );
  const found = await tx
    .select({ path: sources.path, sha256: sources.sha256, name: codeUnits.name, start: codeUnits.start, end: codeUnits.end })
    .from(sources)
    .innerJoin(codeUnits, eq(codeUnits.sourceId, sources.id))
    .where(and(eq(sources.buildId, id), isNull(sources.supersededAt)))
    .orderBy(asc(sources.path), asc(codeUnits.start));
  const files = groupBy(
    found,
    ({ path }) => path,
    ({ name, start, end }) => ({ name, start, end }),
  );
  const hashes = new Map(found.map(({ path, sha256 }) => [path, sha256]));
  await out.add('coverage/functions.json', pretty([...files].map(([path, functions]) => ({ path, sha256: hashes.get(path), functions }))));
}

/** What was attested of code, apart from all that was measured. */
export async function addAttestations({ tx, build, out }: PackSource): Promise<void> {
  const ids = await tx.select({ id: attestations.id }).from(attestations).where(eq(attestations.buildId, build.id));
  const rows = await attestationsById(
    tx,
    ids.map(({ id }) => id),
  );
  await out.add('coverage/attestations.json', pretty(rows.map(({ id: _, ...attestation }) => attestation)));
}

/** What was measured of unchanged functions on sources that the build had before, and carried. */
export async function addCarries({ tx, build, out }: PackSource): Promise<void> {
  const ids = await tx.select({ id: carries.id }).from(carries).where(eq(carries.buildId, build.id));
  const rows = await carriesById(
    tx,
    ids.map(({ id }) => id),
  );
  await out.add('coverage/carried.json', pretty(rows.map(({ id: _, ...carried }) => carried)));
}

/** Results of other builds that reviewers said hold for this one, statement by statement. */
export async function addCarriedRuns({ tx, build, out }: PackSource): Promise<void> {
  const ids = await tx.select({ id: runCarries.id }).from(runCarries).where(eq(runCarries.buildId, build.id));
  const rows = await runCarriesById(
    tx,
    ids.map(({ id }) => id),
  );
  await out.add('runs/carried.json', pretty(rows.map(({ id: _, ...carried }) => carried)));
}

/** What exactly was tested: builds, sources with their hashes, revisions, configurations and tools as recorded. */
export async function addConfiguration({ tx, projectId, build, seq, out }: PackSource, profile: StandardProfile): Promise<void> {
  const buildList = await tx
    .select({ name: records.key, description: builds.description, closedAt: builds.closedAt, createdAt: records.createdAt })
    .from(builds)
    .innerJoin(records, eq(records.id, builds.id))
    .where(eq(builds.projectId, projectId))
    .orderBy(asc(builds.id));
  const sourceList = await tx
    .select({ path: sources.path, sha256: sources.sha256, supersededAt: sources.supersededAt })
    .from(sources)
    .where(eq(sources.buildId, build.id))
    .orderBy(asc(sources.path), asc(sources.id));
  const retained = await tx
    .select({ kind: records.kind, key: records.key, revision: records.revision, state: records.state })
    .from(records)
    .where(and(eq(records.projectId, projectId), inArray(records.kind, ['requirement', 'case'])));
  const used = await tx
    .selectDistinct({ configuration: runs.configuration, unit: runs.unit, tools: runs.tools })
    .from(runs)
    .where(eq(runs.buildId, build.id));
  const roundList = await tx
    .select({ key: records.key, title: records.title, configuration: rounds.configuration, unit: rounds.unit, tools: rounds.tools })
    .from(rounds)
    .innerJoin(records, eq(records.id, rounds.id))
    .where(eq(rounds.buildId, build.id))
    .orderBy(asc(rounds.id));
  const measuredBy = await tx
    .select({ upload: records.key, file: uploadFiles.name, tool: uploadFiles.format, sha256: uploadFiles.sha256, at: records.createdAt })
    .from(uploadFiles)
    .innerJoin(uploads, eq(uploads.id, uploadFiles.uploadId))
    .innerJoin(records, eq(records.id, uploads.id))
    .where(eq(uploads.buildId, build.id))
    .orderBy(asc(uploadFiles.id));
  const byKind = groupBy(
    retained.sort((a, b) => compareKeys(a.key, b.key)),
    ({ kind }) => kind,
    ({ kind: _, ...rest }) => rest,
  );
  await out.add(
    'configuration.json',
    pretty({
      build: build.name,
      seq,
      profile,
      builds: buildList,
      sources: sourceList,
      requirements: byKind.get('requirement') ?? [],
      cases: byKind.get('case') ?? [],
      environments: used,
      rounds: roundList,
      measuredBy,
    }),
  );
}

/** Who has which role, and every entry about an account or a role: what the names under signatures meant at the time. */
export async function addPeople({ tx, projectId, seq, out }: PackSource): Promise<void> {
  const members = await tx
    .select({ login: people.login, printedName: people.printedName, disabled: people.disabled, role: memberships.role })
    .from(memberships)
    .innerJoin(people, eq(people.id, memberships.personId))
    .where(eq(memberships.projectId, projectId))
    .orderBy(asc(people.login), asc(memberships.role));
  const events = await tx
    .select({
      seq: ledger.seq,
      at: ledger.at,
      who: ledger.who,
      action: ledger.action,
      key: ledger.key,
      before: ledger.before,
      after: ledger.after,
    })
    .from(ledger)
    .where(and(eq(ledger.projectId, projectId), eq(ledger.kind, 'person'), lte(ledger.seq, seq)))
    .orderBy(asc(ledger.seq));
  await out.add('people.json', pretty({ members, events }));
}

/** What was accepted although it deviates, and every other decision on this build, each with its argument; reasons given word for word alike are counted. */
export async function addDecisions({ tx, build, out }: PackSource): Promise<void> {
  const rows = await tx
    .select({
      run: records.key,
      verdict: runs.verdict,
      choice: decisions.choice,
      reason: decisions.reason,
      login: decisions.login,
      at: decisions.at,
    })
    .from(decisions)
    .innerJoin(runs, eq(runs.id, decisions.recordId))
    .innerJoin(records, eq(records.id, runs.id))
    .where(eq(runs.buildId, build.id))
    .orderBy(asc(decisions.id));
  const same = [...groupBy(rows, ({ reason }) => reason.trim().toLowerCase())]
    .filter(([, list]) => list.length > 1)
    .map(([, list]) => ({ reason: list[0].reason, times: list.length }))
    .sort((a, b) => b.times - a.times);
  await out.add(
    'deviations.json',
    pretty({ deviations: rows.filter((r) => r.choice === 'deviation accepted'), decisions: rows, sameReason: same }),
  );
}
