import type { Attestation } from '@contract/measure';
import { envelope2 } from '@core/base';
import { unitCoverages, type Metric } from '@core/measure';
import { and, asc, eq, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  among,
  type Ids,
  account,
  freeKey,
  insertRecord,
  needOpenBuild,
  profileOf,
  proveSigner,
  records,
  Refusal,
  signatures,
  statement,
  write,
  type Actor,
  type Db,
  type ListSource,
  type Tx,
} from '../base';
import { CreditReader } from './credit';
import { signStatement, statementList, withdrawStatement } from './statement';
import { needUnit, type UnitPlace } from './store';
import { attestations, codeTraces, codeUnits, sources } from './tables';

export const attestationRows = account({
  name: 'attestations',
  table: attestations,
  id: attestations.id,
  project: attestations.projectId,
  columns: [
    ['buildId', attestations.buildId],
    ['path', attestations.path],
    ['unit', attestations.unit],
    ['textHash', attestations.textHash],
    ['metric', attestations.metric],
    ['argument', attestations.argument],
    ['withdrawnAt', attestations.withdrawnAt],
  ],
});

/** What somebody puts their name under. */
export interface AttestedText {
  readonly build: string;
  readonly path: string;
  readonly unit: string;
  readonly textHash: string;
  readonly metric: Metric;
  readonly argument: string;
  readonly state: 'stands' | 'withdrawn';
}
export const attestationText = (key: string, revision: number, content: AttestedText): string =>
  envelope2('attestation', key, revision, { ...content });

/** Refuses where a tool has measured what is to be attested: a number that was measured is not talked away. */
async function refuseMeasured(
  tx: Tx,
  projectId: number,
  buildId: number,
  sourceId: number,
  metric: Metric,
  where: UnitPlace,
): Promise<void> {
  const profile = await profileOf(tx, projectId);
  const reader = new CreditReader(tx, { projectId, buildId, profile, rules: { casesOf: () => new Set<string>() } });
  const [file] = await reader.filesOf([sourceId]);
  if (file?.status !== 'measured')
    throw new Refusal('stateForbids', { detail: `${where.path} is not measured on the text that the build has: load its coverage first.` });
  const found = unitCoverages([file.credit]).find(({ unit }) => unit.name === where.unit)?.totals[metric].found ?? 0;
  if (found)
    throw new Refusal('stateForbids', { detail: `${where.unit} has ${found} measured points of this: they are credited, not attested.` });
}

const requirementsOf = async (tx: Tx, buildId: number, { path, unit }: UnitPlace): Promise<number[]> =>
  (
    await tx
      .selectDistinct({ id: codeTraces.requirementId })
      .from(codeTraces)
      .where(and(eq(codeTraces.buildId, buildId), eq(codeTraces.path, path), eq(codeTraces.unit, unit), isNull(codeTraces.removedAt)))
  ).flatMap(({ id }) => id ?? []);

/** Attests, signed, what no loaded format gives of a function; it stands for that text of it, on this build. */
export async function attest(
  db: Db,
  actor: Actor,
  buildName: string,
  input: UnitPlace & { readonly metric: Metric; readonly argument: string; readonly password: string },
): Promise<Attestation> {
  const { path, unit, metric, argument } = input;
  const signer = await proveSigner(db, actor, input.password);
  const id = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const build = await needOpenBuild(w.tx, projectId, buildName);
    const { sourceId, textHash: unitHash } = await needUnit(w.tx, build.id, input);
    await refuseMeasured(w.tx, projectId, build.id, sourceId, metric, input);
    const [known] = await w.tx
      .select({ key: records.key })
      .from(attestations)
      .innerJoin(records, eq(records.id, attestations.id))
      .where(
        and(
          eq(attestations.buildId, build.id),
          eq(attestations.path, path),
          eq(attestations.unit, unit),
          eq(attestations.textHash, unitHash),
          eq(attestations.metric, metric),
          isNull(attestations.withdrawnAt),
        ),
      );
    if (known) throw new Refusal('exists', { detail: `${known.key} says so already.` });
    const key = await freeKey(w, 'ATT');
    const attestationId = await insertRecord(w, {
      kind: 'attestation',
      key,
      title: `${metric} of ${unit}`,
      words: `${path} ${argument}`,
      state: 'stands',
    });
    await w.tx
      .insert(attestations)
      .values({ id: attestationId, projectId, buildId: build.id, path, unit, textHash: unitHash, metric, argument });
    const content: AttestedText = { build: build.name, path, unit, textHash: unitHash, metric, argument, state: 'stands' };
    await signStatement(w, signer, {
      recordId: attestationId,
      kind: 'attestation',
      key,
      revision: 1,
      state: 'stands',
      content,
      text: attestationText(key, 1, content),
      meaning: 'attested',
      reason: argument,
      action: 'attested',
      after: content,
      touches: { build: build.id, requirements: await requirementsOf(w.tx, build.id, input) },
    });
    w.wrote(attestationRows, attestationId);
    return attestationId;
  });
  return shown(db, id);
}

/** Takes an attestation back, signed: what rested on it waits again. */
export async function withdrawAttestation(
  db: Db,
  actor: Actor,
  key: string,
  input: { readonly reason: string; readonly password: string },
): Promise<Attestation> {
  const id = await withdrawStatement(db, actor, 'attestation', key, input, async (w, attestationId) => {
    const [row] = await w.tx.select().from(attestations).where(eq(attestations.id, attestationId));
    const { buildId, withdrawnAt, path, unit, metric, argument, textHash } = row;
    return {
      buildId,
      withdrawnAt,
      content: (build): AttestedText => ({ build, path, unit, textHash, metric, argument, state: 'withdrawn' }),
      text: attestationText,
      action: 'attestation withdrawn',
      touches: { build: buildId, requirements: await requirementsOf(w.tx, buildId, row) },
      change: () => w.tx.update(attestations).set({ withdrawnAt: w.at }).where(eq(attestations.id, attestationId)),
      rows: attestationRows,
    };
  });
  return shown(db, id);
}

async function shown(db: Db, id: number): Promise<Attestation> {
  const [{ id: _, ...attestation }] = await attestationsById(db, [id]);
  return attestation;
}

/** How attestations of a build are asked for in lists. */
export const attestationList = (projectId: number, buildId: number): ListSource =>
  statementList('attestation', { table: attestations, id: attestations.id, build: attestations.buildId }, projectId, buildId, {
    path: { value: attestations.path, type: 'text' },
    unit: { value: attestations.unit, type: 'text' },
    metric: { value: attestations.metric, type: 'text' },
  });

const presentSource = alias(sources, 'present_source');

export async function attestationsById(db: Db | Tx, ids: Ids): Promise<(Attestation & { id: number })[]> {
  const rows = await db
    .select({ record: records, row: attestations, signer: signatures.printedName, now: codeUnits.textHash })
    .from(attestations)
    .innerJoin(records, eq(records.id, attestations.id))
    .innerJoin(signatures, and(eq(signatures.recordId, attestations.id), eq(signatures.meaning, 'attested')))
    .leftJoin(
      presentSource,
      and(eq(presentSource.buildId, attestations.buildId), eq(presentSource.path, attestations.path), isNull(presentSource.supersededAt)),
    )
    .leftJoin(codeUnits, and(eq(codeUnits.sourceId, presentSource.id), eq(codeUnits.name, attestations.unit)))
    .where(among(attestations.id, ids))
    .orderBy(asc(attestations.id));
  return rows.map(({ record, row: { id, path, unit, metric, argument, textHash: attested, withdrawnAt }, signer, now }) => ({
    id,
    key: record.key,
    path,
    unit,
    metric,
    argument,
    by: signer,
    at: record.createdAt,
    state: withdrawnAt !== null ? 'withdrawn' : now === attested ? 'stands' : 'otherText',
  }));
}

const standingRows = statement((db) =>
  db
    .select({ key: records.key, path: attestations.path, unit: attestations.unit, metric: attestations.metric })
    .from(attestations)
    .innerJoin(records, eq(records.id, attestations.id))
    .innerJoin(sources, and(eq(sources.buildId, attestations.buildId), eq(sources.path, attestations.path), isNull(sources.supersededAt)))
    .innerJoin(
      codeUnits,
      and(eq(codeUnits.sourceId, sources.id), eq(codeUnits.name, attestations.unit), eq(codeUnits.textHash, attestations.textHash)),
    )
    .where(and(eq(attestations.buildId, sql.placeholder('buildId')), isNull(attestations.withdrawnAt))),
);

/** What stands of a build's functions at their present text: by path, function and metric. */
export async function standingAttestations(
  tx: Db | Tx,
  buildId: number,
): Promise<(path: string, unit: string) => Partial<Record<Metric, string>> | undefined> {
  const rows = await standingRows(tx, { buildId });
  const found = new Map<string, Partial<Record<Metric, string>>>();
  for (const { key, path, unit, metric } of rows) {
    const place = `${path}\n${unit}`;
    found.set(place, { ...found.get(place), [metric]: key });
  }
  return (path, unit) => found.get(`${path}\n${unit}`);
}
