import type { SelectionPlan, Sufficiency } from '@contract/design';
import { groupBy } from '@core/base';
import {
  bestWithin,
  boundaryPoints,
  fewestCases,
  idleCases,
  sufficiencyFindings,
  sufficiencyRuleNames,
  verifiedByTest,
  type CaseReach,
  type SufficiencyCase,
  type SufficiencyFinding,
  type SufficiencyRequirement,
  type SufficiencyRule,
} from '@core/design';
import { bitsFor, countBits, orAll, setBit } from '@core/measure';
import { and, eq, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { ledgerHead, parseHere, parseWork, records, traces, type Db, type Parse, type Tx } from '../base';
import { needSpecification, requirements } from '../specify';
import { caseContent, casesById } from './store';
import { caseOrigins, cases } from './tables';

/** What cases reach of a build's code: the measure room knows it. Places of points are those of one answer. */
export type ReachOfCases = (db: Db, projectId: number, build: string) => Promise<ReadonlyMap<string, Uint32Array>>;

const requirementRecord = alias(records, 'requirement_record');
const sourceRecord = alias(records, 'source_record');

const techniques: Readonly<Record<string, string>> = {
  flow: 'from flows',
  parameters: 'from parameters',
  decisionTable: 'from decision tables',
  stateTable: 'from state tables',
  requirement: 'from the requirements’ own words',
};

interface Library {
  readonly requirements: readonly SufficiencyRequirement[];
  readonly cases: readonly (SufficiencyCase & { readonly state: string; readonly minutes: number })[];
  readonly seq: number;
}

/** The requirements of a specification, or of the project, with all cases that are in use. */
async function libraryOf(tx: Tx, projectId: number, specification: string | undefined): Promise<Library> {
  const specificationId = specification === undefined ? undefined : (await needSpecification(tx, projectId, specification)).id;
  const asked = await tx
    .select({ key: records.key, title: records.title, text: requirements.text, method: requirements.method })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .where(
      and(
        eq(requirements.projectId, projectId),
        eq(requirements.kind, 'requirement'),
        isNull(records.retiredAt),
        ...(specificationId === undefined ? [] : [eq(requirements.specificationId, specificationId)]),
      ),
    );
  const ids = (
    await tx
      .select({ id: cases.id })
      .from(cases)
      .innerJoin(records, eq(records.id, cases.id))
      .where(and(eq(cases.projectId, projectId), isNull(records.retiredAt)))
  ).map(({ id }) => id);
  const stored = await casesById(tx, ids);
  const verifies = groupBy(
    await tx
      .select({ from: traces.fromId, to: requirementRecord.key })
      .from(traces)
      .innerJoin(requirementRecord, eq(requirementRecord.id, traces.toId))
      .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'verifies'), isNull(traces.removedAt))),
    (t) => t.from,
    (t) => t.to,
  );
  const madeOf = new Map(
    (
      await tx
        .select({ id: caseOrigins.id, kind: sourceRecord.kind })
        .from(caseOrigins)
        .innerJoin(sourceRecord, eq(sourceRecord.id, caseOrigins.sourceId))
        .where(eq(caseOrigins.projectId, projectId))
    ).map(({ id, kind }) => [id, kind]),
  );
  const [runs] = (await tx.execute(
    sql`select case_id as id, count(*) as n from runs where project_id = ${projectId} and finished_at is not null group by case_id`,
  )) as unknown as [{ id: number; n: number }[]];
  const runsOf = new Map(runs.map(({ id, n }) => [Number(id), Number(n)]));
  return {
    requirements: asked.map(({ key, title, text, method }) => ({ key, title, text, method })),
    cases: [...stored].map(([id, c]) => ({
      key: c.record.key,
      title: c.record.title,
      state: c.record.state,
      minutes: c.row.plannedMinutes,
      content: caseContent(c),
      verifies: verifies.get(id) ?? [],
      runs: runsOf.get(id) ?? 0,
      technique: techniques[madeOf.get(id) ?? ''] ?? 'by hand',
    })),
    seq: await ledgerHead(tx, projectId),
  };
}

interface Asked {
  readonly requirements: Library['requirements'];
  readonly cases: readonly SufficiencyCase[];
  readonly reach: readonly CaseReach[];
  readonly few: number;
}
interface Judged {
  readonly findings: readonly SufficiencyFinding[];
  readonly boundaries: { readonly stand: number; readonly of: number };
}

const judge = parseWork('sufficiency', ({ requirements: asked, cases: library, reach, few }: Asked): Judged => {
  const idle = idleCases(reach);
  const verifying = groupBy(
    library.flatMap((c) => c.verifies.map((key) => [key, c] as const)),
    ([key]) => key,
    ([, c]) => c,
  );
  const carried = idle
    // Of a case that was never measured nobody knows what it reaches.
    .filter(({ stillShows }) => stillShows.points > 0 && stillShows.requirements.length > 0)
    .map(({ key, stillShows }) => ({
      key,
      others: [...new Set(stillShows.requirements.flatMap((r) => (verifying.get(r.key) ?? []).map((c) => c.key)))].filter(
        (other) => other !== key,
      ),
    }));
  const points = asked.flatMap((r) => (verifiedByTest(r.method) ? boundaryPoints(r.text, verifying.get(r.key) ?? []) : []));
  return {
    findings: sufficiencyFindings(asked, library, carried, few),
    boundaries: { stand: points.filter((p) => p.case !== null).length, of: points.length },
  };
});

export interface SufficiencyQuestion {
  readonly specification?: string | undefined;
  readonly build?: string | undefined;
  readonly rule?: SufficiencyRule | undefined;
  readonly few: number;
  readonly words: string;
  readonly skip: number;
  readonly limit: number;
}

/** Whether there are enough cases, and none too many. */
export async function sufficiency(
  db: Db,
  projectId: number,
  query: SufficiencyQuestion,
  reachOf: ReachOfCases,
  parse: Parse = parseHere,
): Promise<Sufficiency> {
  const library = await db.transaction((tx) => libraryOf(tx, projectId, query.specification));
  const hits = query.build === undefined ? new Map<string, Uint32Array>() : await reachOf(db, projectId, query.build);
  const reach = library.cases.map(({ key, verifies, minutes }) => ({ key, verifies, minutes, hits: hits.get(key) ?? new Uint32Array(0) }));
  const { findings, boundaries } = await judge(parse, { requirements: library.requirements, cases: library.cases, reach, few: query.few });
  const asked = query.words.toLowerCase().split(/\s+/).filter(Boolean);
  const found = findings.filter(({ key, title, words }) => {
    const said = `${key} ${title} ${words}`.toLowerCase();
    return asked.every((word) => said.includes(word));
  });
  const rows = found.filter(({ rule }) => query.rule === undefined || rule === query.rule);
  return {
    counts: sufficiencyRuleNames.map((rule) => ({ rule, count: found.filter((f) => f.rule === rule).length })),
    rows: rows.slice(query.skip, query.skip + query.limit).map(({ others, ...row }) => ({ ...row, others: [...others] })),
    total: rows.length,
    requirements: library.requirements.length,
    cases: library.cases.length,
    boundaries: { ...boundaries },
    seq: library.seq,
  };
}

interface SelectionAsked {
  readonly cases: readonly CaseReach[];
  readonly lost: Uint32Array;
  readonly minutes: number | undefined;
}
const choose = parseWork('case selection', ({ cases: offered, lost, minutes }: SelectionAsked) =>
  minutes === undefined ? fewestCases(lost, offered) : bestWithin(lost, offered, minutes),
);

/**
 * The fewest cases that show all that a scope shows: every requirement that some case verifies, and every point of its code that one of them reached; or the
 * best within so many minutes. Each requirement counts as one point beside those of the code.
 */
export async function selectCases(
  db: Db,
  projectId: number,
  input: { readonly specification?: string | undefined; readonly build: string; readonly minutes?: number | undefined },
  reachOf: ReachOfCases,
  parse: Parse = parseHere,
): Promise<SelectionPlan> {
  const library = await db.transaction((tx) => libraryOf(tx, projectId, input.specification));
  const hits = await reachOf(db, projectId, input.build);
  const asked = new Map(library.requirements.map((r, i) => [r.key, i]));
  const usable = library.cases.filter((c) => c.state === 'approved' && c.verifies.some((key) => asked.has(key)));
  const codeWords = Math.max(0, ...[...hits.values()].map((h) => h.length));
  const words = codeWords + Math.ceil(asked.size / 32);
  const lost = bitsFor(32 * words);
  const offered = usable.map((c): CaseReach => {
    const reach = bitsFor(32 * words);
    reach.set(hits.get(c.key) ?? []);
    for (const key of c.verifies) {
      const at = asked.get(key);
      if (at !== undefined) setBit(reach, 32 * codeWords + at);
    }
    orAll(lost, reach);
    return { key: c.key, verifies: c.verifies, minutes: Math.max(c.minutes, 0), hits: reach };
  });
  const chosen = await choose(parse, { cases: offered, lost, minutes: input.minutes });
  const byKey = new Map(library.cases.map((c) => [c.key, c]));
  const reachOfKey = new Map(offered.map((c) => [c.key, c.hits]));
  const seen = bitsFor(32 * words);
  let covered = 0;
  const rows = chosen.cases.map((key) => {
    const before = covered;
    orAll(seen, reachOfKey.get(key) ?? bitsFor(0));
    covered = countBits(seen, 0, 32 * words);
    const adds = covered - before;
    const c = byKey.get(key);
    return { key, title: c?.title ?? '', minutes: c?.minutes ?? 0, adds };
  });
  const shown = new Set(usable.flatMap((c) => c.verifies));
  return {
    cases: rows,
    minutes: rows.reduce((sum, r) => sum + r.minutes, 0),
    covered: chosen.covered,
    of: chosen.of,
    bound: chosen.bound,
    proved: chosen.optimal,
    without: library.requirements.flatMap(({ key, method }) => (shown.has(key) || !verifiedByTest(method) ? [] : [key])).slice(0, 500),
  };
}
