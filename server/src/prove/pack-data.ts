import { compareKeys } from '@core/base';
import { addCoverage, coverageOf, noCoverage, pointsOf, unitCoverages, writeCobertura, writeLcov, type FileCredit } from '@core/measure';
import { coverageCsv } from '@core/prove';
import { and, asc, eq, isNull } from 'drizzle-orm';
import { records, traces, type StoredBuild, type Tx } from '../base';
import { codeTraces } from '../measure';

export type Files = Map<string, Buffer>;
export const pretty = (value: unknown): Buffer => Buffer.from(`${JSON.stringify(value, null, 1)}\n`);

/** Every trace that stands, between records and to code, as data: with its revisions, who drew and confirmed it, when and why. */
export async function addTraces(tx: Tx, projectId: number, build: StoredBuild, files: Files): Promise<void> {
  const names = new Map(
    (await tx.select({ id: records.id, key: records.key }).from(records).where(eq(records.projectId, projectId))).map((r) => [r.id, r.key]),
  );
  const between = await tx
    .select()
    .from(traces)
    .where(and(eq(traces.projectId, projectId), isNull(traces.removedAt)))
    .orderBy(asc(traces.id));
  files.set(
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
  files.set(
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

export function addCoverageFiles(build: string, credits: readonly FileCredit[], files: Files, madeAt: number): void {
  const units = unitCoverages(credits);
  const perRequirement = new Map<string, ReturnType<typeof coverageOf>>();
  for (const { unit, totals } of units)
    for (const key of unit.requirements) perRequirement.set(key, addCoverage(perRequirement.get(key) ?? noCoverage, totals));
  const items = [
    { scope: 'build', name: build, coverage: coverageOf(credits) },
    ...credits.map((credit) => ({ scope: 'file', name: credit.path, coverage: coverageOf([credit]) })),
    ...units.map((u) => ({ scope: 'function', name: `${u.path} ${u.unit.name}`, coverage: u.totals })),
    ...[...perRequirement].sort(([a], [b]) => compareKeys(a, b)).map(([name, coverage]) => ({ scope: 'requirement', name, coverage })),
  ];
  files.set('coverage/coverage.csv', Buffer.from(coverageCsv(items)));
  files.set(
    'coverage/coverage.json',
    pretty({ build, items, points: credits.map((credit) => ({ path: credit.path, points: pointsOf(credit) })) }),
  );
  // For other tools: both lanes in the two formats that most of them read.
  const measured = credits.filter((credit) => credit.file.byCase.length > 0);
  for (const lane of ['exercised', 'credited'] as const) {
    const written = measured.map((credit: FileCredit) => ({ path: credit.path, table: credit.file.table, bits: credit[lane] }));
    files.set(`coverage/${lane}.info`, Buffer.from(writeLcov(written, build)));
    files.set(`coverage/${lane}.cobertura.xml`, Buffer.from(writeCobertura(written, madeAt)));
  }
}
