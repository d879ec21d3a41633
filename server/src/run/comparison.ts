import type { Comparison } from '@contract/run';
import { groupBy } from '@core/base';
import {
  cellAt,
  comparedCells,
  comparedGroups,
  comparisonTable,
  type ComparedRow,
  type ComparedRun,
  type ComparisonQuestion,
  type RunVerdict,
} from '@core/run';
import { and, asc, desc, eq, inArray, isNull, or, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { builds, ledgerHead, needBuild, records, traces, type Db, type Tx } from '../base';
import { cases, placesOf } from '../design';
import { requirements } from '../specify';
import { rounds, runs } from './tables';

export interface Compared {
  readonly across: 'builds' | 'rounds' | 'configurations';
  readonly build?: string | undefined;
}

const mostRows = 5000;
const mostColumns = 100;
const caseRecord = alias(records, 'case_record');
const buildRecord = alias(records, 'build_record');
const requirementRecord = alias(records, 'requirement_record');

interface Column {
  /** What a run's own value in `of` is, where it belongs here. */
  readonly value: string | number;
  readonly key: string;
  readonly title: string;
  readonly build: string;
  readonly at: string;
}

/** The newest columns of a kind, the oldest of them first. */
async function columnsOf(tx: Tx, projectId: number, { across }: Compared, buildId: number | undefined): Promise<Column[]> {
  if (across === 'builds') {
    const rows = await tx
      .select({ value: builds.id, key: records.key, at: records.createdAt })
      .from(builds)
      .innerJoin(records, eq(records.id, builds.id))
      .where(eq(builds.projectId, projectId))
      .orderBy(desc(builds.id))
      .limit(mostColumns + 1);
    return rows.map((row) => ({ ...row, title: row.key, build: row.key })).reverse();
  }
  if (across === 'rounds') {
    const rows = await tx
      .select({ value: rounds.id, key: records.key, title: records.title, build: buildRecord.key, at: records.createdAt })
      .from(rounds)
      .innerJoin(records, eq(records.id, rounds.id))
      .innerJoin(buildRecord, eq(buildRecord.id, rounds.buildId))
      .where(
        and(
          eq(rounds.projectId, projectId),
          sql`${records.state} <> 'withdrawn'`,
          ...(buildId === undefined ? [] : [eq(rounds.buildId, buildId)]),
        ),
      )
      .orderBy(desc(rounds.id))
      .limit(mostColumns + 1);
    return rows.reverse();
  }
  const rows = await tx
    .select({ value: runs.configuration, at: sql<string>`min(${records.createdAt})` })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(eq(runs.projectId, projectId), isNull(runs.withdrawnAt), ...(buildId === undefined ? [] : [eq(runs.buildId, buildId)])))
    .groupBy(runs.configuration)
    .orderBy(asc(runs.configuration))
    .limit(mostColumns + 1);
  return rows.map(({ value, at }) => ({ value, key: value, title: value, build: '', at }));
}

const valueOf = { builds: runs.buildId, rounds: runs.roundId, configurations: runs.configuration } as const;

type Row = ComparedRun & { readonly caseId: number; readonly value: string | number };

/** The runs of some cases, withdrawn ones left out. */
async function runsOf(
  tx: Tx,
  caseIds: readonly number[],
  { across }: Compared,
  buildId: number | undefined,
): Promise<Omit<Row, 'column'>[]> {
  const rows = await tx
    .select({
      caseId: runs.caseId,
      value: valueOf[across],
      number: records.keyNumber,
      row: runs.row,
      configuration: runs.configuration,
      verdict: runs.verdict,
      finished: runs.finishedSeq,
      finishedAt: runs.finishedAt,
      revision: sql<number>`greatest(${runs.caseRevision}, ifnull(${runs.carriedOverTo}, 0))`.mapWith(Number),
      now: caseRecord.revision,
    })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .where(
      and(inArray(runs.caseId, [...caseIds]), isNull(runs.withdrawnAt), ...(buildId === undefined ? [] : [eq(runs.buildId, buildId)])),
    );
  return rows.map(({ revision, now, finished, finishedAt, ...row }) => ({
    ...row,
    finished: finishedAt === null ? null : (finished ?? 0),
    outdated: revision < now,
    verdict: row.verdict as RunVerdict | null,
  }));
}

/** The newest finished result of each case on any build, as its newest build has it: the worst of that build's rows and configurations. */
async function latestOf(tx: Tx, caseIds: readonly number[]): Promise<Map<number, ComparedRow['latest']>> {
  const every = await runsOf(tx, caseIds, { across: 'builds' }, undefined);
  const found = new Map<number, ComparedRow['latest']>();
  for (const [caseId, mine] of groupBy(every, (run) => run.caseId)) {
    const finished = mine.filter((run) => run.finished !== null);
    if (!finished.length) continue;
    const newest = finished.reduce((a, b) => ((a.finished ?? 0) >= (b.finished ?? 0) ? a : b));
    const there = finished.filter((run) => run.value === newest.value).map((run) => ({ ...run, column: 0 }));
    const { cells, runs: numbers } = comparedCells(there, 1);
    const state = cellAt({ cells }, 0);
    found.set(caseId, state && numbers.length ? { state, number: numbers[0] } : null);
  }
  return found;
}

/** Results of all cases beside each other, as they are now. */
export function comparison(db: Db, projectId: number, asked: Compared): Promise<Comparison> {
  return db.transaction(async (tx) => {
    const buildId = asked.build === undefined || asked.across === 'builds' ? undefined : (await needBuild(tx, projectId, asked.build)).id;
    const all = await columnsOf(tx, projectId, asked, buildId);
    const columns = all.slice(-mostColumns);
    const at = new Map(columns.map(({ value }, i) => [value, i]));
    const chosen = await tx
      .select({ id: records.id, key: records.key, title: records.title })
      .from(cases)
      .innerJoin(records, eq(records.id, cases.id))
      .where(
        and(
          eq(cases.projectId, projectId),
          or(isNull(records.retiredAt), sql`exists (select 1 from ${runs} where ${runs.caseId} = ${cases.id})`),
        ),
      )
      .orderBy(asc(records.keyPrefix), asc(records.keyNumber))
      .limit(mostRows + 1);
    const rows: Comparison['rows'] = [];
    for (let from = 0; from < Math.min(chosen.length, mostRows); from += 250) {
      const part = chosen.slice(from, Math.min(from + 250, mostRows));
      const ids = part.map(({ id }) => id);
      const places = await placesOf(tx, ids);
      const verified = groupBy(
        await tx
          .select({ caseId: traces.fromId, key: requirementRecord.key, level: requirements.level })
          .from(traces)
          .innerJoin(requirementRecord, eq(requirementRecord.id, traces.toId))
          .innerJoin(requirements, eq(requirements.id, traces.toId))
          .where(and(inArray(traces.fromId, ids), eq(traces.kind, 'verifies'), isNull(traces.removedAt)))
          .orderBy(asc(requirementRecord.keyPrefix), asc(requirementRecord.keyNumber)),
        (t) => t.caseId,
      );
      const mine = groupBy(
        (await runsOf(tx, ids, asked, buildId)).flatMap((run) => {
          const column = at.get(run.value);
          return column === undefined ? [] : [{ ...run, column }];
        }),
        (run) => run.caseId,
      );
      const latest = await latestOf(tx, ids);
      for (const { id, key, title } of part) {
        const { cells, flips, runs: numbers } = comparedCells(mine.get(id) ?? [], columns.length);
        const of = verified.get(id) ?? [];
        rows.push({
          key,
          title,
          folder: places.get(id)?.title ?? '',
          requirements: of.map((r) => r.key),
          levels: [...new Set(of.map((r) => r.level))],
          cells,
          flips: [...flips],
          runs: [...numbers],
          latest: latest.get(id) ?? null,
        });
      }
    }
    return {
      columns: columns.map(({ key, title, build, at: made }) => ({ key, title, build, at: made })),
      rows,
      more: all.length > columns.length || chosen.length > mostRows,
      seq: await ledgerHead(tx, projectId),
    };
  });
}

/** What a comparison shows, as a table. */
export async function comparisonFile(
  db: Db,
  projectId: number,
  asked: Compared,
  { question, columns: wanted }: { readonly question: ComparisonQuestion; readonly columns: readonly number[] },
): Promise<{ head: string[]; lines: string[][]; columns: Comparison['columns']; groups: ReturnType<typeof comparedGroups> }> {
  const { columns, rows } = await comparison(db, projectId, asked);
  const places = wanted.length ? wanted.filter((place) => place < columns.length) : columns.map((_, i) => i);
  const groups = comparedGroups(rows, question).map(({ name, rows: list }) => ({
    name,
    rows: list.map((row) => ({ ...row, ...only(row, places) })),
  }));
  const chosen = places.map((place) => columns[place]);
  return { ...comparisonTable(chosen, groups), columns: chosen, groups };
}

/** The cells of some columns alone. */
function only(row: ComparedRow, places: readonly number[]): Pick<ComparedRow, 'cells'> {
  return { cells: places.map((place) => row.cells.charAt(place)).join('') };
}
