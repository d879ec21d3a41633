import type { CaseDetail } from '@contract/design';
import type { RunDetail, RunSummary } from '@contract/run';
import { groupBy } from '@core/base';
import { policiesOf, runOutdated, type StandardProfile } from '@core/prove';
import { runHash, type RunMore, type RunRecord } from '@core/run';
import { and, asc, desc, eq, inArray, isNotNull, isNull, ne, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  among,
  type Ids,
  builds,
  decisions,
  decisionsOf,
  inLastPacket,
  inOnePacket,
  keysOfRecords,
  packedReading,
  plainKey,
  people,
  profileOf,
  projects,
  recordFields,
  records,
  Refusal,
  signatures,
  signaturesOf,
  statement,
  statementOfMany,
  traces,
  type Confirm,
  type Db,
  type ListSource,
  type StoredRecord,
  type StoredSignature,
  type Tx,
} from '../base';
import { requirements } from '../specify';
import { heldUpBy, standingOf } from './resting';
import { moreOf, runDetailsOf, runDevicesOf, type StoredRunDetails } from './more';
import { openReportsOf, raisedOn } from './reports';
import { evidence, problems, runDevices, runs } from './tables';

const roundRecord = alias(records, 'round_record');
const buildRecord = alias(records, 'build_record');
const caseRecord = alias(records, 'case_record');

/** A run whole, with the keys of what it belongs to. */
export interface StoredRun {
  readonly record: StoredRecord;
  readonly run: typeof runs.$inferSelect;
  readonly round: string;
  readonly build: string;
  readonly caseKey: string;
  readonly caseNow: number;
}
export type StoredEvidence = typeof evidence.$inferSelect;

const storedColumns = {
  record: records,
  run: runs,
  round: roundRecord.key,
  build: buildRecord.key,
  caseKey: caseRecord.key,
  caseNow: caseRecord.revision,
};

/** Runs by a condition on their rows, in the order in which they were planned. */
export function selectRuns(db: Db | Tx, where: SQL | undefined) {
  return db
    .select(storedColumns)
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(roundRecord, eq(roundRecord.id, runs.roundId))
    .innerJoin(buildRecord, eq(buildRecord.id, runs.buildId))
    .innerJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .where(where)
    .orderBy(asc(runs.id));
}

/** The record that a signature is bound to, from what is stored now. */
export function runRecord(
  { record, run, round, build, caseKey }: Omit<StoredRun, 'caseNow'>,
  files: readonly StoredEvidence[],
  more?: RunMore,
): RunRecord {
  const { configuration, unit, tools, caseRevision, frozen, row, tester, startedAt, finishedAt, seconds, steps, verdict, corrections } =
    run;
  const notes = files
    .filter((file) => file.removedAt === null)
    .map(({ step, name, mime, bytes, sha256 }) => ({ step, name, mime, bytes, sha256 }));
  return {
    key: record.key,
    round,
    build,
    configuration,
    unit,
    tools,
    caseKey,
    caseRevision,
    case: frozen,
    row,
    tester,
    startedAt,
    finishedAt,
    seconds,
    steps,
    evidence: notes,
    verdict,
    corrections,
    ...(more ? { more } : {}),
  };
}

/** Hash of a run as its rows are now, in the format that it has. */
export const storedRunHash = (stored: Omit<StoredRun, 'caseNow'>, files: readonly StoredEvidence[], more?: RunMore): string =>
  runHash(stored.run.format, runRecord(stored, files, more));

const evidenceRows = statementOfMany(evidence.runId, (db, where) =>
  db
    .select()
    .from(evidence)
    .where(and(where, isNull(evidence.removedAt)))
    .orderBy(asc(evidence.id)),
);

export const evidenceOf = async (db: Db | Tx, runIds: readonly number[]): Promise<Map<number, StoredEvidence[]>> =>
  groupBy(await evidenceRows(db, runIds, {}), (file) => file.runId);

export async function needRun(db: Db | Tx, projectId: number, key: string): Promise<StoredRun> {
  const [run] = await selectRuns(db, and(eq(records.projectId, projectId), eq(records.key, plainKey(key))));
  if (!run) throw noRun(key);
  return run;
}

const noRun = (key: string): Refusal => new Refusal('notFound', { detail: `There is no run ${key}.` });

function summaryOf(
  { record, run, round, build, caseKey, caseNow }: StoredRun,
  testerName: string,
  details: StoredRunDetails | undefined,
): RunSummary {
  return {
    key: record.key,
    round,
    build,
    caseKey,
    caseTitle: run.frozen.title,
    caseRevision: run.caseRevision,
    caseNow,
    row: run.row,
    configuration: run.configuration,
    tester: run.tester,
    testerName,
    state: run.supersededById !== null && run.withdrawnAt === null ? 'superseded' : (record.state as RunSummary['state']),
    verdict: run.verdict,
    outdated: run.verdict !== null && run.supersededById === null && run.withdrawnAt === null && runOutdated(run, caseNow),
    carriedOver: run.carriedOverTo !== null,
    plannedMinutes: run.frozen.plannedMinutes,
    seconds: run.seconds,
    due: details?.due ?? null,
    priority: details?.priority ?? '',
  };
}

/** A signature as a run shows it, beside the hash of the run as it stands. */
export const signatureOf = (signature: StoredSignature, hash: string): RunDetail['signatures'][number] => {
  const { meaning, login, printedName, at, hash: bound, reason } = signature;
  return { meaning, login, printedName, at, hash: bound, reason, matches: bound === hash };
};

/** Run summaries by a condition on their rows, with what they need from elsewhere, in a fixed number of queries. */
export const runSummaries = async (db: Db | Tx, where: SQL | undefined, limit = 1000): Promise<(RunSummary & { id: number })[]> =>
  summariesOf(db, await selectRuns(db, where).limit(limit));

/** Summaries of runs, in their order. */
export async function summariesOf(db: Db | Tx, rows: readonly StoredRun[]): Promise<(RunSummary & { id: number })[]> {
  const logins = [...new Set(rows.map(({ run }) => run.tester))];
  const names = logins.length
    ? await db.select({ login: people.login, printedName: people.printedName }).from(people).where(inArray(people.login, logins))
    : [];
  const nameOf = new Map(names.map((p) => [p.login, p.printedName]));
  const details = await runDetailsOf(
    db,
    rows.map(({ run }) => run.id),
  );
  return rows.map((stored) => ({
    id: stored.run.id,
    ...summaryOf(stored, nameOf.get(stored.run.tester) ?? stored.run.tester, details.get(stored.run.id)),
  }));
}

export const runsById = (db: Db | Tx, ids: Ids): Promise<(RunSummary & { id: number })[]> => runSummaries(db, among(runs.id, ids));

/** Where a run stands in its round, as a number: those that nobody placed come behind, in the order in which they were planned. */
export const placeOfRun = (position: SQL): SQL<number> => sql<number>`ifnull(${position}, 1000000000 + ${runs.id})`;

/** How runs are asked for in lists. */
export function runList(projectId: number, buildId: number | undefined): ListSource {
  return {
    from: sql`from ${records} left join ${runs} on ${runs.id} = ${records.id} left join ${records} cr on cr.id = ${runs.caseId} left join ${records} br on br.id = ${runs.buildId} left join ${records} rr on rr.id = ${runs.roundId} left join run_details rd on rd.id = ${runs.id} left join case_places cp on cp.id = ${runs.caseId} left join ${records} fr on fr.id = cp.folder_id`,
    fields: {
      ...recordFields,
      case: { value: sql`cr.record_key`, type: 'text' },
      build: { value: sql`br.record_key`, type: 'text' },
      round: { value: sql`rr.record_key`, type: 'text' },
      row: { value: runs.row, type: 'text' },
      configuration: { value: runs.configuration, type: 'text' },
      tester: { value: runs.tester, type: 'text' },
      verdict: { value: runs.verdict, type: 'text' },
      finishedAt: { value: runs.finishedAt, type: 'text' },
      caseTitle: { value: sql`cr.title`, type: 'text' },
      folder: { value: sql`ifnull(fr.title, 'in no folder')`, type: 'text' },
      due: { value: sql`rd.due`, type: 'text' },
      priority: { value: sql`ifnull(rd.priority, '')`, type: 'text' },
      // As somebody put them in order; what nobody did stays behind, as it was planned.
      position: { value: placeOfRun(sql`rd.position`), type: 'number' },
      seconds: { value: runs.seconds, type: 'number' },
      superseded: { value: sql`(${runs.supersededById} is not null)`, type: 'yesNo' },
      outdated: {
        value: sql`(${runs.verdict} is not null and greatest(${runs.caseRevision}, ifnull(${runs.carriedOverTo}, 0)) < cr.revision)`,
        type: 'yesNo',
      },
    },
    projectId,
    words: records.words,
    where: and(
      eq(records.projectId, projectId),
      eq(records.kind, 'run'),
      ...(buildId === undefined ? [] : [eq(runs.buildId, buildId)]),
    ) as SQL,
    sort: 'key',
  };
}

/** What a run has beside itself: asked along with it, since most have nothing of it yet. */
const has = {
  signed: sql<number>`exists (select 1 from ${signatures} where ${signatures.recordId} = ${runs.id})`.mapWith(Boolean),
  decided: sql<number>`exists (select 1 from ${decisions} where ${decisions.recordId} = ${runs.id})`.mapWith(Boolean),
  files: sql<number>`exists (select 1 from ${evidence} where ${evidence.runId} = ${runs.id})`.mapWith(Boolean),
  device: sql<number>`exists (select 1 from ${runDevices} where ${runDevices.id} = ${runs.id})`.mapWith(Boolean),
  raised:
    sql<number>`exists (select 1 from ${problems} where ${problems.runId} = ${runs.id}) or exists (select 1 from ${traces} where ${traces.toId} = ${runs.id} and ${traces.kind} = 'shownIn' and ${traces.removedAt} is null)`.mapWith(
      Boolean,
    ),
};

/**
 * What a run rests on, its round, build and case, and whether it is signed: each by itself, so that a statement that locks runs locks nothing
 * of what many of them rest on.
 */
export const around = {
  round: sql<string>`(select r.record_key from ${records} r where r.id = ${runs.roundId})`,
  roundState: sql<string>`(select r.state from ${records} r where r.id = ${runs.roundId})`,
  build: sql<string>`(select r.record_key from ${records} r where r.id = ${runs.buildId})`,
  caseKey: sql<string>`(select r.record_key from ${records} r where r.id = ${runs.caseId})`,
  caseNow: sql<number>`(select r.revision from ${records} r where r.id = ${runs.caseId})`.mapWith(Number),
  closed: sql<number | null>`(select b.closed_seq from ${builds} b where b.id = ${runs.buildId})`,
  signed: has.signed,
  files: has.files,
};

/** Runs whole, with the names of their testers, the profile of their project and what there is to read beside them. */
const runsWith = statement((db) =>
  db
    .select({ ...storedColumns, testerName: people.printedName, profile: projects.profile, ...has })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(roundRecord, eq(roundRecord.id, runs.roundId))
    .innerJoin(buildRecord, eq(buildRecord.id, runs.buildId))
    .innerJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .innerJoin(projects, eq(projects.id, runs.projectId))
    .leftJoin(people, eq(people.login, runs.tester))
    .where(sql`(${records.projectId}, ${records.key}) in (${sql.placeholder('names')})`),
);

/** A run with all that belongs to it, as it stands at one moment. */
export function runDetail(db: Db, projectId: number, key: string, confirm?: Confirm): Promise<RunDetail> {
  return packedReading(db, async (tx) => detailIn(tx, projectId, plainKey(key), confirm));
}

async function detailIn(tx: Tx, projectId: number, key: string, confirm?: Confirm): Promise<RunDetail> {
  const [[found]] = await inOnePacket(
    tx,
    () => runsWith(tx, { names: [[projectId, key]] }),
    async () => confirm?.(tx),
  );
  if (!found) throw noRun(key);
  const {
    testerName,
    profile,
    signed: isSigned,
    decided: isDecided,
    files: hasFiles,
    raised: hasRaised,
    device: hasDevice,
    ...stored
  } = found;
  const { run, record } = stored;
  const held = run.verdict === 'failed' || run.verdict === 'blocked';
  // How cases that it rests on stand is asked in two questions: the reading goes on behind the first.
  const ask = run.frozen.dependsOn?.length ? inOnePacket : inLastPacket;
  const [evidenceFiles, detailRows, devices, signed, decided, raised, verifies, near, known, restsOn, holdsUp] = await ask(
    tx,
    async () => (hasFiles ? evidenceOf(tx, [run.id]) : undefined),
    async () => runDetailsOf(tx, [run.id]),
    async () => (hasDevice ? runDevicesOf(tx, [run.id]) : undefined),
    async () => (isSigned ? signaturesOf(tx, [run.id]) : []),
    async () => (isDecided ? decisionsOf(tx, [run.id]) : []),
    async () => (hasRaised ? raisedOn(tx, run.id) : []),
    async () => verifiedBy(tx, run.caseId),
    async () => runsNear(tx, run),
    async () => openReportsOf(tx, run.caseId),
    async () => standingOf(tx, run),
    async () => (held ? heldUpBy(tx, run) : []),
  );
  const files = evidenceFiles?.get(run.id) ?? [];
  const details = detailRows.get(run.id);
  const device = devices?.get(run.id);
  const more = moreOf(details, device);
  const hash = storedRunHash(stored, files, more);
  const keyOf = (id: number | null): string | null => near.find((other) => other.id === id)?.key ?? null;
  const again = near.find(({ id }) => id !== run.supersededById && id !== run.supersedesId);
  const { unit, tools, startedAt, finishedAt, deviationAccepted, corrections, setAside } = run;
  return {
    ...summaryOf(stored, testerName ?? run.tester, details),
    unit,
    tools,
    case: run.frozen,
    verifies: verifies.map(({ key: requirement, title }) => ({ key: requirement, title })),
    steps: [...run.steps],
    evidence: files.map(({ id, step, name, mime, bytes, sha256 }) => ({ id, step, name, mime, bytes, sha256 })),
    signatures: signed.map((signature) => signatureOf(signature, hash)),
    decisions: decided.map(({ choice, reason, login, at }) => ({ choice, reason, login, at })),
    problems: raised,
    knownProblems: known.filter(({ key }) => !raised.some((own) => own.key === key)),
    startedAt,
    finishedAt,
    hash,
    revision: record.revision,
    deviationAccepted,
    supersededBy: keyOf(run.supersededById),
    supersedes: keyOf(run.supersedesId),
    plannedAgain: again?.key ?? null,
    corrections: corrections.map(({ steps, ...rest }) => ({ ...rest, steps: [...steps] })),
    setAside,
    conclusion: more.conclusion,
    redlines: [...more.redlines],
    performedBy: more.performedBy,
    clock: [...more.clock],
    device: [...more.device],
    handedIn: [...(device?.handedIn ?? [])],
    observationAsked: asksObservation(profile, verifies),
    restsOn,
    holdsUp,
    own: { ...record.own } as RunDetail['own'],
  };
}

/** Runs of one case, data row and configuration on one build, which are not withdrawn. */
const ofCombination = () =>
  and(
    eq(runs.buildId, sql.placeholder('buildId')),
    eq(runs.caseId, sql.placeholder('caseId')),
    eq(runs.configuration, sql.placeholder('configuration')),
    sql`${runs.row} <=> ${sql.placeholder('row')}`,
    isNull(runs.withdrawnAt),
  );
export type Combination = Pick<typeof runs.$inferSelect, 'buildId' | 'caseId' | 'row' | 'configuration'>;

const finishedRows = statement((db) =>
  db
    .select({ id: runs.id, supersededById: runs.supersededById })
    .from(runs)
    .where(and(ofCombination(), isNotNull(runs.finishedAt)))
    .orderBy(desc(runs.finishedSeq)),
);
const plannedRows = statement((db) =>
  db
    .select({ id: runs.id, key: records.key })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(ofCombination(), isNull(runs.finishedAt), ne(runs.id, sql.placeholder('id'))))
    .orderBy(asc(runs.id))
    .limit(100),
);

/** The finished runs of a combination, the newest first: that one stands, unless it is superseded. */
export const finishedOf = (tx: Tx, of: Combination) => finishedRows(tx, of);

/** What came before and behind a run, and what is planned beside it. */
async function runsNear(tx: Tx, run: typeof runs.$inferSelect): Promise<{ readonly id: number; readonly key: string }[]> {
  const linked = [run.supersededById, run.supersedesId].filter((id) => id !== null);
  const [planned, others] = await Promise.all([plannedRows(tx, run), keysOfRecords(tx, linked)]);
  return [...planned, ...[...others].map(([id, key]) => ({ id, key }))];
}

/** The requirements that a case verifies now, with their levels. */
const verifiedBy = (db: Db | Tx, caseId: number) => verifiedRows(db, { caseId });

const verifiedRows = statement((db) =>
  db
    .select({ key: records.key, title: records.title, level: requirements.level })
    .from(traces)
    .innerJoin(records, eq(records.id, traces.toId))
    .innerJoin(requirements, eq(requirements.id, traces.toId))
    .where(and(eq(traces.kind, 'verifies'), eq(traces.fromId, sql.placeholder('caseId')), isNull(traces.removedAt)))
    .orderBy(asc(traces.id)),
);

/** Is a passed step asked to say what was seen, at the levels of these requirements? */
function asksObservation(profile: StandardProfile, verified: readonly { readonly level: string }[]): boolean {
  const { observationAt } = policiesOf(profile);
  return verified.some(({ level }) => observationAt.includes(level));
}

export async function observationAsked(db: Db | Tx, projectId: number, caseId: number): Promise<boolean> {
  const profile = await profileOf(db, projectId);
  return policiesOf(profile).observationAt.length > 0 && asksObservation(profile, await verifiedBy(db, caseId));
}

/** The newest runs of a case on any build. */
export async function runsOfCase(db: Db, caseId: number, revision: number): Promise<CaseDetail['runs']> {
  const rows = await db
    .select({ run: runs, key: records.key, build: buildRecord.key })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(buildRecord, eq(buildRecord.id, runs.buildId))
    .where(eq(runs.caseId, caseId))
    .orderBy(desc(runs.id))
    .limit(200);
  return rows.map(({ run, key, build }) => {
    const superseded = run.supersededById !== null || run.withdrawnAt !== null;
    return {
      key,
      build,
      verdict: run.verdict,
      caseRevision: run.caseRevision,
      superseded,
      outdated: run.verdict !== null && !superseded && runOutdated(run, revision),
    };
  });
}
