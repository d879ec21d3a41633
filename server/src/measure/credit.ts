import { groupBy } from '@core/base';
import {
  agreeOnTools,
  bitsFor,
  creditFile,
  creditRules,
  emptyTable,
  mergeVectors,
  movedHits,
  moveBits,
  orAll,
  sizeOf,
  unionTables,
  type CaseHits,
  type CodeUnit,
  type CreditContext,
  type CreditRules,
  type DecisionVectors,
  type FileCredit,
  type Metric,
  type MovedUnit,
  type PointTable,
} from '@core/measure';
import { creditingRuns, policiesOf, type CordCase, type StandardProfile, type TracedUnit } from '@core/prove';
import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm';
import { keysOfRecords, records, recordsThen, statement, statementOfMany, type Db, type Tx } from '../base';
import { cases } from '../design';
import { judgedRuns, type JudgedRun } from '../run';
import { sourcesOf } from './carried-results';
import { standingCarries, type StandingCarry } from './carry';
import { hitsKnown, partHits } from './store';
import { codeTraces, codeUnits, measurements, type MeasuredPart } from './tables';

/** A measurement without its bytes. */
type Directory = Omit<typeof measurements.$inferSelect, 'data' | 'projectId' | 'buildId' | 'uploadId' | 'fileId' | 'withdrawn'>;

export interface UnitTrace {
  readonly path: string;
  readonly unit: string;
  readonly requirementKey: string;
  readonly requirementId: number | null;
  readonly origin: 'source' | 'hand';
}

/** One source file with what is measured of it, credited. */
export interface CreditedSource {
  readonly sourceId: number;
  readonly path: string;
  readonly credit: FileCredit;
  /** Is anything measured on the text that the build has now, only on other text, or nothing at all; and only in part? */
  readonly status: Exclude<TracedUnit['status'], 'absent'>;
  readonly byHand: readonly UnitTrace[];
  /** Metrics of which two tools see different points here: one is the file's measure, what the other said is kept and does not count. */
  readonly setAside: readonly { readonly tool: string; readonly metric: Metric; readonly measure: string }[];
  /** Functions that count by what was measured of them on the sources before, by name: the signed statement, and whether that was in part only. */
  readonly carried: ReadonlyMap<string, { readonly key: string; readonly partial: boolean }>;
}

/** Is a function measured on the text that it has now? One that was carried is. */
export function statusOfUnit({ status, carried }: CreditedSource, unit: string): CreditedSource['status'] {
  const mine = carried.get(unit);
  if (mine?.partial) return 'partial';
  return mine && status !== 'partial' ? 'measured' : status;
}

/** A part of a measurement; where functions of it were carried, only they. */
interface Piece {
  readonly m: Directory;
  readonly part: MeasuredPart;
  readonly moves?: readonly MovedUnit[];
}

/** What is asked of a build's measurements. */
export interface CreditQuestion {
  readonly projectId: number;
  readonly buildId: number;
  readonly profile: StandardProfile;
  readonly rules: CreditRules;
  /** For a closed build: cases are those of its closing. */
  readonly asOf?: number | null;
  /** Records that differ from the ledger, where they are known already. */
  readonly faulty?: ReadonlySet<number>;
  /** All runs of the build of these cases, where they were read already. */
  readonly read?: { readonly cases: readonly number[] | 'all'; readonly runs: readonly JudgedRun[] };
}

const directoryRows = statement((db) =>
  db
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
      loadedAt: measurements.loadedAt,
      seq: measurements.seq,
    })
    .from(measurements)
    .where(and(eq(measurements.buildId, sql.placeholder('buildId')), eq(measurements.withdrawn, false)))
    .orderBy(asc(measurements.id)),
);
const unitRows = statementOfMany(codeUnits.sourceId, (db, where) => db.select().from(codeUnits).where(where).orderBy(asc(codeUnits.start)));

/**
 * Reads what is measured of a build, as little of it as is asked for. One reader serves one judgement: what it read once it does not
 * read again, and all of it in the caller's snapshot.
 */
export class CreditReader {
  private readonly files = new Map<number, CreditedSource>();
  private directory: Promise<Directory[]> | undefined;
  private counting: Promise<(m: Directory) => boolean> | undefined;
  private carries: Promise<StandingCarry[]> | undefined;
  private caseKeys: Promise<Map<number, string>> | undefined;
  private known: Promise<Map<string, { id: number; sha256: string }>> | undefined;

  constructor(
    private readonly tx: Db | Tx,
    private readonly question: CreditQuestion,
  ) {}

  /** Source files of the build by their paths. */
  sources(): Promise<Map<string, { id: number; sha256: string }>> {
    this.known ??= sourcesOf(this.tx, this.question.buildId).then((rows) => new Map(rows.map(({ path, ...rest }) => [path, rest])));
    return this.known;
  }

  measured(): Promise<Directory[]> {
    this.directory ??= directoryRows(this.tx, { buildId: this.question.buildId });
    return this.directory;
  }

  /** Ids of the cases of which anything is measured on this build. */
  async measuredCases(): Promise<Set<number>> {
    const runs = await this.measured();
    return new Set(runs.flatMap(({ caseId }) => caseId ?? []));
  }

  /** Keys of cases by their ids. */
  keysOfCases(): Promise<Map<number, string>> {
    this.caseKeys ??= this.measuredCases().then((ids) => keysOfRecords(this.tx, [...ids]));
    return this.caseKeys;
  }

  /** Which measurements belong to a result that gives credit. */
  private counts(): Promise<(m: Directory) => boolean> {
    this.counting ??= this.measuredCases().then((ids) => countingRule(this.tx, this.question, [...ids]));
    return this.counting;
  }

  /** Credited source files, in the order of their ids. */
  async filesOf(ids: Iterable<number>): Promise<CreditedSource[]> {
    const wanted = [...new Set(ids)];
    const missing = wanted.filter((id) => !this.files.has(id));
    if (missing.length) await this.read(missing);
    return wanted.flatMap((id) => this.files.get(id) ?? []);
  }

  private async read(ids: readonly number[]): Promise<void> {
    this.carries ??= standingCarries(this.tx, this.question.buildId);
    const [present, ofSources, carries, all] = await Promise.all([
      this.sources(),
      unitRows(this.tx, ids, {}),
      this.carries,
      this.measured(),
    ]);
    const known = new Map([...present].map(([path, source]) => [source.id, { path, sha256: source.sha256 }]));
    const units = groupBy(ofSources, (unit) => unit.sourceId);
    const paths = ids.flatMap((id) => known.get(id)?.path ?? []);
    const carriedTo = groupBy(carries, ({ path }) => path);
    const [tracing, counts, keys] = await Promise.all([
      unitTraces(this.tx, this.question.buildId, paths),
      this.counts(),
      this.keysOfCases(),
    ]);
    const traced = groupBy(tracing, (t) => t.path);
    const from = paths.flatMap((path) => (carriedTo.get(path) ?? []).map(({ fromPath }) => fromPath));
    const byPath = new Map<string, Piece[]>([...paths, ...from].map((path) => [path, []]));
    for (const m of all) for (const part of m.parts) if (!m.superseded.includes(part.path)) byPath.get(part.path)?.push({ m, part });
    const pieces = new Map(
      ids.flatMap((id) => {
        const source = known.get(id);
        if (!source) return [];
        const here = byPath.get(source.path) ?? [];
        const standing = (carriedTo.get(source.path) ?? []).filter((c) => c.source === source.sha256);
        return [
          [
            id,
            {
              here,
              present: here.filter(({ part }) => part.source === source.sha256),
              ...carriedPieces(standing, units.get(id) ?? [], byPath),
            },
          ],
        ];
      }),
    );
    const bytes = await this.bytesOf([...pieces.values()].flatMap(({ present, moved }) => [...present, ...moved]));
    for (const id of ids) {
      const source = known.get(id);
      if (!source) continue;
      const { here = [], present = [], moved = [], carried = new Map<string, never>() } = pieces.get(id) ?? {};
      const mine = traced.get(source.path) ?? [];
      const own = units.get(id) ?? [];
      const { file, setAside } = await this.merge(
        source.path,
        own.map(({ name, start, end }) => ({
          name,
          start,
          end,
          requirements: [...new Set(mine.filter((t) => t.unit === name && t.requirementId !== null).map((t) => t.requirementKey))],
        })),
        [...present, ...moved],
        bytes,
        counts,
        keys,
      );
      const status = !here.length
        ? 'neverLoaded'
        : !present.length
          ? 'otherText'
          : present.some(({ part }) => part.partial)
            ? 'partial'
            : 'measured';
      this.files.set(id, {
        sourceId: id,
        path: source.path,
        credit: creditFile(file, this.question.rules),
        status,
        byHand: mine.filter((t) => t.origin === 'hand'),
        carried,
        setAside,
      });
    }
  }

  /**
   * The bytes of parts, read a measurement at a time; those that are few of a measurement are cut out by the database. What a part hit is
   * mostly known here already: its bytes are not read then.
   */
  private async bytesOf(parts: readonly Piece[]): Promise<(m: Directory, part: MeasuredPart) => Promise<Buffer>> {
    const wanted = groupBy(
      parts.filter(({ m, part }) => !hitsKnown(m, part)),
      ({ m }) => m.id,
      ({ part }) => part,
    );
    const whole = new Map<number, Buffer>();
    const many = [...wanted].filter(
      ([id, list]) => list.length > 3 && (parts.find(({ m }) => m.id === id)?.m.parts.length ?? 0) < 4 * list.length,
    );
    for (let at = 0; at < many.length; at += 50)
      for (const row of await this.tx
        .select({ id: measurements.id, data: measurements.data })
        .from(measurements)
        .where(
          inArray(
            measurements.id,
            many.slice(at, at + 50).map(([id]) => id),
          ),
        ))
        whole.set(row.id, row.data);
    return async (m, { at, size }) => {
      const known = whole.get(m.id);
      if (known) return known.subarray(at, at + size);
      const [row] = await this.tx
        .select({ bytes: sql<Buffer>`substring(${measurements.data}, ${at + 1}, ${size})` })
        .from(measurements)
        .where(eq(measurements.id, m.id));
      return row.bytes;
    };
  }

  private async merge(
    path: string,
    units: CodeUnit[],
    parts: readonly Piece[],
    bytes: (m: Directory, part: MeasuredPart) => Promise<Buffer>,
    counts: (m: Directory) => boolean,
    keys: ReadonlyMap<number, string>,
  ): Promise<{ file: FileCredit['file']; setAside: CreditedSource['setAside'] }> {
    const hits: {
      table: PointTable;
      bits: Uint32Array;
      vectors: readonly DecisionVectors[];
      caseKey: string;
      counts: boolean;
      tool: string;
    }[] = [];
    for (const { m, part, moves } of parts) {
      const found = await partHits(this.tx, m, part, () => bytes(m, part));
      hits.push({
        ...(moves ? movedHits(found, moves) : found),
        caseKey: m.caseId === null ? '' : (keys.get(m.caseId) ?? ''),
        counts: counts(m),
        tool: m.tool,
      });
    }
    if (!hits.length) return { file: { path, table: emptyTable, units, byCase: [] }, setAside: [] };
    const { hits: agreed, setAside } = agreeOnTools(hits);
    const { table, places } = unionTables(agreed.map((h) => h.table));
    const size = sizeOf(table);
    const merged = new Map<string, { caseKey: string; counts: boolean; bits: Uint32Array; vectors: (readonly DecisionVectors[])[] }>();
    agreed.forEach(({ caseKey, counts: counted, bits, vectors }, i) => {
      const name = `${counted} ${caseKey}`;
      const entry = merged.get(name) ?? { caseKey, counts: counted, bits: bitsFor(size), vectors: [] };
      merged.set(name, entry);
      const moved = places?.[i];
      orAll(entry.bits, moved ? moveBits(bits, moved, size) : bits);
      entry.vectors.push(vectors);
    });
    const byCase = [...merged.values()].map(({ vectors, ...rest }): CaseHits => ({ ...rest, vectors: mergeVectors(vectors) }));
    return { file: { path, table, units, byCase }, setAside };
  }
}

/** What was measured on the sources before of functions that were carried to a file, and which of its functions rest on that. */
function carriedPieces(
  standing: readonly StandingCarry[],
  units: readonly (typeof codeUnits.$inferSelect)[],
  byPath: ReadonlyMap<string, readonly Piece[]>,
): { moved: Piece[]; carried: Map<string, { key: string; partial: boolean }> } {
  const carried = new Map<string, { key: string; partial: boolean }>();
  const moved: Piece[] = [];
  for (const list of groupBy(standing, ({ fromPath, fromSource }) => `${fromPath}\n${fromSource}`).values()) {
    const [{ fromPath, fromSource }] = list;
    const measured = (byPath.get(fromPath) ?? []).filter(({ part }) => part.source === fromSource);
    if (!measured.length) continue;
    const partial = measured.some(({ part }) => part.partial);
    const moves = list.flatMap((c): MovedUnit[] => {
      const unit = units.find(({ name, textHash }) => name === c.unit && textHash === c.textHash);
      if (!unit) return [];
      carried.set(c.unit, { key: c.key, partial: partial || (carried.get(c.unit)?.partial ?? false) });
      return [{ name: c.unit, from: c.fromStart, to: c.fromStart + unit.end - unit.start, now: unit.start }];
    });
    if (moves.length) moved.push(...measured.map(({ m, part }) => ({ m, part, moves })));
  }
  return { moved, carried };
}

const traceRows = statement((db) =>
  db
    .select({
      path: codeTraces.path,
      unit: codeTraces.unit,
      requirementKey: codeTraces.requirementKey,
      requirementId: codeTraces.requirementId,
      origin: codeTraces.origin,
    })
    .from(codeTraces)
    .where(
      and(
        eq(codeTraces.buildId, sql.placeholder('buildId')),
        isNull(codeTraces.removedAt),
        sql`${codeTraces.path} in (${sql.placeholder('paths')})`,
      ),
    )
    .orderBy(asc(codeTraces.id)),
);

/** Traces of code in these files of a build. */
const unitTraces = async (tx: Db | Tx, buildId: number, paths: readonly string[]): Promise<UnitTrace[]> =>
  paths.length ? traceRows(tx, { buildId, paths }) : [];

const creditedCases = statementOfMany(cases.id, (db, where) =>
  db
    .select({ id: records.id, key: records.key, revision: records.revision, rows: cases.rows })
    .from(cases)
    .innerJoin(records, eq(records.id, cases.id))
    .where(where),
);

/**
 * Which measurements count: those bound to a run that gives credit, or to exactly the case revision (row, configuration) of one. What was
 * loaded before a rerun was planned stays with the run that it supersedes.
 */
async function countingRule(
  tx: Db | Tx,
  { projectId, buildId, profile, asOf = null, faulty, read }: CreditQuestion,
  caseIds: readonly number[],
): Promise<(m: Directory) => boolean> {
  const then = asOf === null ? undefined : await recordsThen(tx, caseIds, asOf);
  const known = new Set(read?.cases === 'all' ? caseIds : read?.cases);
  const unread = caseIds.filter((id) => !known.has(id));
  const [others, credited] = await Promise.all([
    unread.length ? judgedRuns(tx, projectId, buildId, unread, { faulty, finished: true }) : [],
    creditedCases(tx, caseIds, {}),
  ]);
  const runs = groupBy([...(read?.runs ?? []).filter(({ finished }) => finished !== null), ...others], (run) => run.caseId);
  const deviations = profile.credit?.deviations ?? true;
  const crediting = new Map<number, JudgedRun[]>();
  for (const row of credited) {
    const old = then?.get(row.id);
    const rows = old ? ((old.snapshot['rows'] ?? null) as typeof row.rows) : row.rows;
    const c: CordCase = {
      key: row.key,
      revision: old?.revision ?? row.revision,
      approved: true,
      author: '',
      approvals: [],
      unapprovedCalls: [],
      ...(rows?.length ? { rows: rows.map((r) => r.name) } : {}),
    };
    crediting.set(row.id, creditingRuns(runs.get(row.id) ?? [], c, policiesOf(profile), deviations) as JudgedRun[]);
  }
  return (m) => {
    if (m.caseId === null) return false;
    return (crediting.get(m.caseId) ?? []).some((run) => {
      if (m.runId !== null) return run.id === m.runId;
      if (run.caseRevision !== m.caseRevision) return false;
      if ((m.row !== null && m.row !== run.row) || (m.configuration !== null && m.configuration !== run.configuration)) return false;
      return !(run.isRerun && m.loadedAt < run.plannedAt);
    });
  };
}

/** The rules of credit of a project, from its traces between cases and requirements. */
export function rulesOf(profile: StandardProfile, context: Pick<CreditContext, 'verifies' | 'parents'>): CreditRules {
  return creditRules({ ...context, ...(profile.credit ? { policy: profile.credit } : {}) });
}
