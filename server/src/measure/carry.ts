import type { CarryOffer, Carried } from '@contract/measure';
import { envelope2, groupBy } from '@core/base';
import { goneBecause, sameUnit } from '@core/measure';
import { and, asc, desc, eq, inArray, isNull, sql } from 'drizzle-orm';
import {
  among,
  type Ids,
  account,
  buildById,
  freeKey,
  insertRecord,
  ledger,
  needOpenBuild,
  proveSigner,
  records,
  Refusal,
  signatures,
  write,
  type Actor,
  type Db,
  type ListSource,
  type StoredBuild,
  type Tx,
  type Writing,
} from '../base';
import { signStatement, statementList, withdrawStatement } from './statement';
import type { UnitPlace } from './store';
import { carries, codeTraces, codeUnits, measurements, sources, type CarriedUnit } from './tables';

export const carryRows = account({
  name: 'carries',
  table: carries,
  id: carries.id,
  project: carries.projectId,
  columns: [
    ['buildId', carries.buildId],
    ['units', carries.units],
    ['argument', carries.argument],
    ['withdrawnAt', carries.withdrawnAt],
  ],
});

/** What somebody puts their name under: these functions are the same, and what was measured of them before counts for them now. */
export interface CarriedText {
  readonly build: string;
  readonly units: readonly CarriedUnit[];
  readonly argument: string;
  readonly state: 'stands' | 'withdrawn';
}
export const carriedText = (key: string, revision: number, content: CarriedText): string =>
  envelope2('carry', key, revision, { ...content, units: content.units.map((unit) => ({ ...unit })) });

/** A carried function with the record that says so. */
export interface StandingCarry extends CarriedUnit {
  readonly key: string;
}

/** What was carried on a build and stands: to whatever text of its files it was. */
export async function standingCarries(tx: Db | Tx, buildId: number): Promise<StandingCarry[]> {
  const rows = await tx
    .select({ key: records.key, units: carries.units })
    .from(carries)
    .innerJoin(records, eq(records.id, carries.id))
    .where(and(eq(carries.buildId, buildId), isNull(carries.withdrawnAt)))
    .orderBy(asc(carries.id));
  return rows.flatMap(({ key, units }) => units.map((unit) => ({ ...unit, key })));
}

/** The source files that rest on what is measured of these paths: they themselves, and those that functions of them were carried to. */
export async function restingOn(tx: Db | Tx, buildId: number, paths: ReadonlySet<string>): Promise<string[]> {
  if (!paths.size) return [];
  const carried = await standingCarries(tx, buildId);
  return [...new Set([...paths, ...carried.filter(({ fromPath }) => paths.has(fromPath)).map(({ path }) => path)])];
}

interface Candidate extends Omit<CarryOffer, 'state'> {
  readonly state: CarryOffer['state'];
  readonly to?: CarriedUnit;
  readonly requirementIds: readonly number[];
  readonly sourceId?: number;
}

/** Functions of a build that were measured on sources which were exchanged since, and are not carried yet. */
async function candidates(tx: Db | Tx, build: StoredBuild): Promise<Candidate[]> {
  const rows = await tx
    .select({ id: sources.id, path: sources.path, sha256: sources.sha256, supersededAt: sources.supersededAt })
    .from(sources)
    .where(eq(sources.buildId, build.id))
    .orderBy(asc(sources.id));
  const present = rows.filter((row) => row.supersededAt === null);
  const now = new Map(present.map((row) => [row.path, row]));
  if (present.length === rows.length) return [];
  const measuredBy = await measuredBefore(tx, build, now);
  if (!measuredBy.size) return [];
  const old = new Map(rows.map((row) => [`${row.path}\n${row.sha256}`, row]));
  const measured = [...measuredBy.keys()].flatMap((place) => old.get(place) ?? []);
  const units = groupBy(
    await inSources(
      tx,
      [...present, ...measured].map(({ id }) => id),
    ),
    (unit) => unit.sourceId,
  );
  const after = present.flatMap(({ id, path, sha256 }) =>
    (units.get(id) ?? []).map(({ name, textHash }) => ({ path, name, textHash, source: sha256, sourceId: id })),
  );
  const byText = groupBy(after, (unit) => unit.textHash);
  const named = groupBy(
    await tx
      .select({ path: codeTraces.path, unit: codeTraces.unit, key: codeTraces.requirementKey, id: codeTraces.requirementId })
      .from(codeTraces)
      .where(and(eq(codeTraces.buildId, build.id), isNull(codeTraces.removedAt)))
      .orderBy(asc(codeTraces.id)),
    ({ path, unit }) => `${path}\n${unit}`,
  );
  const carried = new Set((await standingCarries(tx, build.id)).map(carriedPlace));
  return measured.flatMap((from) =>
    (units.get(from.id) ?? []).flatMap((unit): Candidate[] => {
      const place = { path: from.path, name: unit.name };
      const found = sameUnit(place, byText.get(unit.textHash) ?? []);
      const same = found === 'ambiguous' ? undefined : found;
      const to: CarriedUnit | undefined = same && {
        path: same.path,
        unit: same.name,
        textHash: same.textHash,
        source: same.source,
        fromPath: from.path,
        fromSource: from.sha256,
        fromStart: unit.start,
      };
      if (to && carried.has(carriedPlace(to))) return [];
      const traces = named.get(`${same?.path ?? from.path}\n${unit.name}`) ?? [];
      return [
        {
          path: same?.path ?? from.path,
          unit: unit.name,
          fromPath: from.path,
          state: found === 'ambiguous' ? 'ambiguous' : same ? 'same' : goneBecause(place, after, now),
          requirements: [...new Set(traces.map(({ key }) => key))],
          measuredBy: [...(measuredBy.get(`${from.path}\n${from.sha256}`) ?? [])],
          requirementIds: traces.flatMap(({ id }) => id ?? []),
          ...(to && same ? { to, sourceId: same.sourceId } : {}),
        },
      ];
    }),
  );
}

const carriedPlace = ({ path, unit, source, fromPath, fromSource }: CarriedUnit): string =>
  [path, unit, source, fromPath, fromSource].join('\n');

/** Texts of files that were measured and are not the build's any more (`path`, line break, SHA-256), with the keys of what measured them. */
async function measuredBefore(
  tx: Db | Tx,
  build: StoredBuild,
  now: ReadonlyMap<string, { readonly sha256: string }>,
): Promise<Map<string, Set<string>>> {
  const found = new Map<string, Set<string>>();
  const rows = await tx
    .select({ key: records.key, parts: measurements.parts, superseded: measurements.superseded })
    .from(measurements)
    .innerJoin(records, eq(records.id, sql`coalesce(${measurements.runId}, ${measurements.caseId})`))
    .where(and(eq(measurements.buildId, build.id), eq(measurements.withdrawn, false)))
    .orderBy(asc(measurements.id));
  for (const { key, parts, superseded } of rows)
    for (const { path, source } of parts) {
      if (superseded.includes(path) || now.get(path)?.sha256 === source) continue;
      const place = `${path}\n${source}`;
      found.set(place, (found.get(place) ?? new Set<string>()).add(key));
    }
  return found;
}

async function inSources(tx: Db | Tx, ids: readonly number[]): Promise<(typeof codeUnits.$inferSelect)[]> {
  const found: (typeof codeUnits.$inferSelect)[] = [];
  const wanted = [...new Set(ids)];
  for (let at = 0; at < wanted.length; at += 1000)
    found.push(
      ...(await tx
        .select()
        .from(codeUnits)
        .where(inArray(codeUnits.sourceId, wanted.slice(at, at + 1000)))
        .orderBy(asc(codeUnits.sourceId), asc(codeUnits.start))),
    );
  return found;
}

const offersShown = 2000;

/** What may be carried on a build, and what may not and why. */
export async function carryOffers(db: Db, build: StoredBuild): Promise<{ same: number; changed: number; rows: CarryOffer[] }> {
  const all = build.closedSeq === null ? await candidates(db, build) : [];
  const [same, others] = [all.filter(({ to }) => to), all.filter(({ to }) => !to)];
  return {
    same: same.length,
    changed: others.length,
    rows: [...same, ...others]
      .slice(0, offersShown)
      .map(({ path, unit, fromPath, state, requirements, measuredBy }) => ({ path, unit, fromPath, state, requirements, measuredBy })),
  };
}

/** Refuses to whoever exchanged the sources of a build last: that nothing else of them matters to these functions is for somebody else to say. */
async function needOther(w: Writing, build: StoredBuild): Promise<void> {
  const [last] = await w.tx
    .select({ login: ledger.who })
    .from(ledger)
    .where(
      and(
        eq(ledger.projectId, w.actor.projectId),
        eq(ledger.kind, 'build'),
        eq(ledger.key, build.name),
        eq(ledger.action, 'sources exchanged'),
      ),
    )
    .orderBy(desc(ledger.seq))
    .limit(1);
  if (last?.login === w.actor.login)
    throw new Refusal('stateForbids', {
      detail: `You exchanged the sources of ${build.name}: somebody else says that what was measured before holds for them.`,
    });
}

/** Carries, signed, what was measured of functions whose text is the same to the sources that a build has now. */
export async function carryMeasured(
  db: Db,
  actor: Actor,
  buildName: string,
  input: { readonly units: readonly UnitPlace[]; readonly argument: string; readonly password: string },
): Promise<Carried> {
  const signer = await proveSigner(db, actor, input.password);
  const id = await write(db, actor, async (w) => {
    const { projectId } = actor;
    const build = await needOpenBuild(w.tx, projectId, buildName);
    await needOther(w, build);
    const offered = groupBy(
      (await candidates(w.tx, build)).filter(({ to }) => to),
      ({ path, unit }) => `${path}\n${unit}`,
    );
    const chosen = input.units.map(({ path, unit }, i) => {
      const found = offered.get(`${path}\n${unit}`);
      if (!found)
        throw new Refusal('stateForbids', {
          detail: `${unit} of ${path} was not measured before with the text that it has now, or is carried already.`,
          fields: [{ path: `units.${i}`, text: 'Not to be carried.' }],
        });
      return found;
    });
    const all = [...new Set(chosen.flat())];
    const units = all.flatMap(({ to }) => to ?? []);
    const key = await freeKey(w, 'CAR');
    const { argument } = input;
    const carryId = await insertRecord(w, {
      kind: 'carry',
      key,
      title: `What was measured of ${units.length} unchanged function${units.length === 1 ? '' : 's'}`,
      words: `${[...new Set(units.map(({ path }) => path))].join(' ')} ${argument}`.slice(0, 20_000),
      state: 'stands',
    });
    await w.tx.insert(carries).values({ id: carryId, projectId, buildId: build.id, units, argument });
    const content: CarriedText = { build: build.name, units, argument, state: 'stands' };
    await signStatement(w, signer, {
      recordId: carryId,
      kind: 'carry',
      key,
      revision: 1,
      state: 'stands',
      content,
      text: carriedText(key, 1, content),
      meaning: 'measurements carried',
      reason: argument,
      action: 'measurements carried',
      after: { build: build.name, functions: units.length, argument },
      touches: {
        build: build.id,
        requirements: [...new Set(all.flatMap(({ requirementIds }) => requirementIds))],
        sources: [...new Set(all.flatMap(({ sourceId }) => sourceId ?? []))],
      },
    });
    w.wrote(carryRows, carryId);
    return carryId;
  });
  return shown(db, id);
}

/** Takes back what was carried, signed. */
export async function withdrawCarry(
  db: Db,
  actor: Actor,
  key: string,
  input: { readonly reason: string; readonly password: string },
): Promise<Carried> {
  const id = await withdrawStatement(db, actor, 'carry', key, input, async (w, carryId) => {
    const [row] = await w.tx.select().from(carries).where(eq(carries.id, carryId));
    const paths = [...new Set(row.units.map(({ path }) => path))];
    const touched = await w.tx
      .select({ id: sources.id })
      .from(sources)
      .where(and(eq(sources.buildId, row.buildId), isNull(sources.supersededAt), inArray(sources.path, paths)));
    const { buildId, withdrawnAt, units, argument } = row;
    return {
      buildId,
      withdrawnAt,
      content: (build): CarriedText => ({ build, units, argument, state: 'withdrawn' }),
      text: carriedText,
      action: 'carried measurements withdrawn',
      touches: { build: buildId, sources: touched.map((source) => source.id) },
      change: () => w.tx.update(carries).set({ withdrawnAt: w.at }).where(eq(carries.id, carryId)),
      rows: carryRows,
    };
  });
  return shown(db, id);
}

async function shown(db: Db, id: number): Promise<Carried> {
  const [{ id: _, ...carried }] = await carriesById(db, [id]);
  return carried;
}

/** How statements of a build are asked for in lists. */
export const carryList = (projectId: number, buildId: number): ListSource =>
  statementList('carry', { table: carries, id: carries.id, build: carries.buildId }, projectId, buildId);

export async function carriesById(db: Db | Tx, ids: Ids): Promise<(Carried & { id: number })[]> {
  const rows = await db
    .select({ record: records, row: carries, signer: signatures.printedName })
    .from(carries)
    .innerJoin(records, eq(records.id, carries.id))
    .innerJoin(signatures, and(eq(signatures.recordId, carries.id), eq(signatures.meaning, 'measurements carried')))
    .where(among(carries.id, ids))
    .orderBy(asc(carries.id));
  const names = new Map<number, string>();
  for (const { row } of rows) if (!names.has(row.buildId)) names.set(row.buildId, (await buildById(db, row.buildId)).name);
  return rows.map(({ record, row: { id, buildId, units, argument, withdrawnAt }, signer }) => ({
    id,
    key: record.key,
    build: names.get(buildId) ?? '',
    units: [...units],
    argument,
    by: signer,
    at: record.createdAt,
    state: withdrawnAt === null ? 'stands' : 'withdrawn',
  }));
}
