import type { WaitingItem } from '@contract/base';
import type { Role } from '@core/base';
import { modelKinds } from '@core/design';
import { inOrderOfHolding } from '@core/prove';
import { and, asc, eq, inArray, isNull, ne, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { builds, people, records, traces, type Db } from '../base';
import { runs } from '../run';
import { reviewsWaiting } from '../specify';

const waitingShown = 200;

const caseRecord = alias(records, 'case_record');
const buildRecord = alias(records, 'build_record');
const fromEnd = alias(records, 'from_end');

/** An item with the record whose traces say what it holds up. */
type Found = Omit<WaitingItem, 'holds'> & { readonly of: number };

/** Runs on builds that are not closed, superseded and withdrawn ones left out. */
function openRuns(db: Db, where: SQL | undefined) {
  return db
    .select({
      key: records.key,
      title: records.title,
      state: records.state,
      since: records.updatedAt,
      caseId: runs.caseId,
      caseKey: caseRecord.key,
      build: buildRecord.key,
      tester: runs.tester,
      testerName: people.printedName,
      minutes: sql<number | null>`json_value(${runs.frozen}, '$.plannedMinutes')`,
    })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .innerJoin(buildRecord, eq(buildRecord.id, runs.buildId))
    .innerJoin(builds, eq(builds.id, runs.buildId))
    .leftJoin(people, eq(people.login, runs.tester))
    .where(and(isNull(builds.closedSeq), isNull(runs.withdrawnAt), isNull(runs.supersededById), where))
    .orderBy(asc(runs.id))
    .limit(waitingShown);
}
type OpenRun = Awaited<ReturnType<typeof openRuns>>[number];

const runItem = (run: OpenRun, asked: WaitingItem['asked'], place: WaitingItem['place'], note: string): Found => ({
  kind: 'run',
  key: run.key,
  title: `${run.caseKey} ${run.title}`,
  note,
  place,
  asked,
  build: run.build,
  minutes: run.minutes === null ? null : Number(run.minutes),
  since: run.since,
  of: run.caseId,
});

async function forTester(db: Db, projectId: number, login: string): Promise<Found[]> {
  const mine = and(eq(runs.projectId, projectId), eq(runs.tester, login));
  const open = await openRuns(db, and(mine, inArray(records.state, ['planned', 'onBench', 'recorded'])));
  const outdated = sql`greatest(${runs.caseRevision}, ifnull(${runs.carriedOverTo}, 0)) < ${caseRecord.revision} and ${runs.verdict} is not null`;
  return [
    ...open.map((run) =>
      run.state === 'recorded' ? runItem(run, 'sign', 'review', 'to sign') : runItem(run, 'record', 'bench', `to record on ${run.build}`),
    ),
    ...(await openRuns(db, and(mine, outdated, ne(records.state, 'recorded')))).map((run) =>
      runItem(run, 'decide', 'review', 'carry over or rerun'),
    ),
  ];
}

async function forReviewer(db: Db, projectId: number, login: string): Promise<Found[]> {
  const open = and(eq(runs.projectId, projectId), eq(records.state, 'performed'), ne(runs.tester, login));
  const texts = await db
    .select({ id: records.id, kind: records.kind, key: records.key, title: records.title, since: records.updatedAt })
    .from(records)
    .where(
      and(
        eq(records.projectId, projectId),
        inArray(records.kind, ['requirement', 'case', ...modelKinds]),
        eq(records.state, 'review'),
        ne(records.authoredBy, login),
      ),
    )
    .orderBy(asc(records.keyPrefix), asc(records.keyNumber))
    .limit(waitingShown);
  return [
    ...(await openRuns(db, open)).map((run) => runItem(run, 'review', 'review', `to review, by ${run.testerName ?? run.tester}`)),
    ...texts.map(({ id, kind, key, title, since }): Found => {
      const place = kind === 'case' ? 'case' : kind === 'requirement' ? 'requirement' : 'model';
      return {
        kind: kind as Found['kind'],
        key,
        title,
        note: 'to approve',
        place,
        asked: 'approve',
        build: null,
        minutes: null,
        since,
        of: id,
      };
    }),
    ...(await tracesToConfirm(db, projectId, login)),
  ];
}

/** Traces that count once somebody other than who drew them has confirmed them. */
async function tracesToConfirm(db: Db, projectId: number, login: string): Promise<Found[]> {
  const rows = await db
    .select({ id: fromEnd.id, kind: fromEnd.kind, key: fromEnd.key, title: fromEnd.title, to: records.key, since: traces.drawnAt })
    .from(traces)
    .innerJoin(fromEnd, eq(fromEnd.id, traces.fromId))
    .innerJoin(records, eq(records.id, traces.toId))
    .where(
      and(
        eq(traces.projectId, projectId),
        inArray(traces.kind, ['verifies', 'parent']),
        isNull(traces.removedAt),
        eq(traces.needsConfirmation, true),
        isNull(traces.confirmedBy),
        ne(traces.drawnBy, login),
        inArray(fromEnd.kind, ['requirement', 'case']),
      ),
    )
    .orderBy(asc(traces.id))
    .limit(waitingShown);
  return rows.map(({ id, kind, key, title, to, since }): Found => {
    const place = kind === 'case' ? 'case' : 'requirement';
    return {
      kind: place,
      key,
      title,
      note: `trace to ${to} to confirm`,
      place,
      asked: 'confirm',
      build: null,
      minutes: null,
      since,
      of: id,
    };
  });
}

/** How many requirements rest on each of these records: those that a case verifies; a requirement itself, and what is derived from it. */
async function heldBy(db: Db, ids: readonly number[]): Promise<Map<number, number>> {
  const held = new Map<number, number>();
  for (const [kind, end] of [
    ['verifies', traces.fromId],
    ['parent', traces.toId],
  ] as const)
    if (ids.length)
      for (const { id, n } of await db
        .select({ id: end, n: sql<number>`count(*)`.mapWith(Number) })
        .from(traces)
        .where(and(eq(traces.kind, kind), isNull(traces.removedAt), inArray(end, [...ids])))
        .groupBy(end))
        held.set(id, (held.get(id) ?? 0) + n);
  return held;
}

/**
 * What waits for a person: runs to record and sign, results to decide about, runs to review, texts to approve, traces to confirm. What
 * holds up most requirements comes first.
 */
export async function waitingFor(db: Db, projectId: number, login: string, roles: readonly Role[]): Promise<WaitingItem[]> {
  const found = [
    ...(roles.includes('tester') ? await forTester(db, projectId, login) : []),
    ...(roles.includes('reviewer') ? await forReviewer(db, projectId, login) : []),
  ];
  for (const { id, key, title, due, since, open } of await reviewsWaiting(db, projectId, login))
    found.push({
      kind: 'review',
      key,
      title,
      note: `${open ? `${open} to answer` : 'to sign'}${due ? `, by ${due}` : ''}`,
      place: 'review',
      asked: 'answer',
      build: null,
      minutes: null,
      since,
      of: id,
    });
  const held = await heldBy(db, [...new Set(found.map(({ of }) => of))]);
  const items = found.map(({ of, ...item }): WaitingItem => ({
    ...item,
    holds: (held.get(of) ?? 0) + (item.kind === 'requirement' ? 1 : 0),
  }));
  return inOrderOfHolding(items).slice(0, waitingShown);
}
