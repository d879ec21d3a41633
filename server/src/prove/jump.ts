import type { JumpItem } from '@contract/base';
import type { Role } from '@core/base';
import { and, asc, desc, eq, inArray, isNull, like, ne, notInArray, sql, type SQL } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { builds, needBuild, people, records, wordsFound, type Db } from '../base';
import { sources } from '../measure';
import { runs } from '../run';

const perKind = 8;
const jumpKinds = ['requirement', 'case', 'run', 'round', 'problem', 'specification'] as const;
const verdictNotes: Record<string, string> = { passed: 'passed', failed: 'failed', blocked: 'blocked', deviation: 'passed with deviation' };

/** Records whose key begins with the text or whose words are found; keys first. Of runs those of the build, where one is named. */
export async function jumpTo(db: Db, projectId: number, q: string, build: string | undefined): Promise<JumpItem[]> {
  const text = q.trim();
  if (!text) return [];
  const escaped = text.replace(/[\\%_]/g, '\\$&');
  const buildId = build ? (await needBuild(db, projectId, build)).id : undefined;
  const byKey = like(records.key, `${escaped.toUpperCase()}%`);
  const found = await Promise.all(
    jumpKinds.map(async (kind) => {
      const scope = and(
        eq(records.projectId, projectId),
        eq(records.kind, kind),
        ...(kind === 'run' && buildId !== undefined
          ? [sql`exists (select 1 from ${runs} where ${runs.id} = ${records.id} and ${runs.buildId} = ${buildId})`]
          : []),
      );
      const columns = { id: records.id, key: records.key, title: records.title, state: records.state };
      const keyed = await db
        .select(columns)
        .from(records)
        .where(and(scope, byKey))
        .orderBy(asc(records.keyPrefix), asc(records.keyNumber))
        .limit(perKind);
      const words = wordsFound(records.words, text);
      const worded =
        keyed.length < perKind && words
          ? await db.select(columns).from(records).where(and(scope, words)).orderBy(desc(records.updatedAt)).limit(perKind)
          : [];
      const items = [...new Map([...keyed, ...worded].map((item) => [item.id, item])).values()].slice(0, perKind);
      const verdicts =
        kind === 'run' && items.length
          ? new Map(
              (
                await db
                  .select({ id: runs.id, verdict: runs.verdict })
                  .from(runs)
                  .where(
                    inArray(
                      runs.id,
                      items.map((item) => item.id),
                    ),
                  )
              ).map((r) => [r.id, verdictNotes[r.verdict ?? ''] ?? 'open']),
            )
          : undefined;
      return items.map((item): JumpItem => ({ kind, key: item.key, title: item.title, note: verdicts?.get(item.id) ?? item.state }));
    }),
  );
  const files =
    buildId === undefined
      ? []
      : await db
          .select({ path: sources.path })
          .from(sources)
          .where(and(eq(sources.buildId, buildId), isNull(sources.supersededAt), like(sources.path, `%${escaped}%`)))
          .orderBy(asc(sources.path))
          .limit(perKind);
  return [...found.flat(), ...files.map(({ path }): JumpItem => ({ kind: 'file', key: path, title: path, note: build ?? '' }))];
}

type WaitingItem = JumpItem & { place: 'bench' | 'review' | 'run' | 'requirement' | 'case' };
const waitingShown = 200;

const caseRecord = alias(records, 'case_record');
const buildRecord = alias(records, 'build_record');

/** Runs on builds that are not closed, superseded and withdrawn ones left out. */
function openRuns(db: Db, where: SQL | undefined, limit: number) {
  return db
    .select({
      key: records.key,
      title: records.title,
      state: records.state,
      caseKey: caseRecord.key,
      build: buildRecord.key,
      tester: runs.tester,
      testerName: people.printedName,
    })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .innerJoin(buildRecord, eq(buildRecord.id, runs.buildId))
    .innerJoin(builds, eq(builds.id, runs.buildId))
    .leftJoin(people, eq(people.login, runs.tester))
    .where(and(isNull(builds.closedSeq), isNull(runs.withdrawnAt), isNull(runs.supersededById), where))
    .orderBy(asc(runs.id))
    .limit(limit);
}

/** What waits for a person: runs to record and sign, runs to review, texts to approve. */
export async function waitingFor(db: Db, projectId: number, login: string, roles: readonly Role[]): Promise<WaitingItem[]> {
  const items: WaitingItem[] = [];
  const push = (key: string, title: string, note: string, place: WaitingItem['place'], kind: JumpItem['kind'] = 'run'): void =>
    void items.push({ kind, key, title, note, place });
  if (roles.includes('tester')) {
    const mine = and(eq(runs.projectId, projectId), eq(runs.tester, login));
    for (const run of await openRuns(db, and(mine, inArray(records.state, ['planned', 'onBench', 'recorded'])), waitingShown))
      if (run.state === 'recorded') push(run.key, `${run.caseKey} ${run.title}`, 'to sign', 'review');
      else push(run.key, `${run.caseKey} ${run.title}`, `to record on ${run.build}`, 'bench');
    const outdated = sql`greatest(${runs.caseRevision}, ifnull(${runs.carriedOverTo}, 0)) < ${caseRecord.revision} and ${runs.verdict} is not null`;
    for (const run of await openRuns(db, and(mine, outdated, ne(records.state, 'recorded')), waitingShown))
      push(run.key, `${run.caseKey} ${run.title}`, 'carry over or rerun', 'review');
  }
  if (roles.includes('reviewer')) {
    const open = and(eq(runs.projectId, projectId), eq(records.state, 'performed'), ne(runs.tester, login));
    for (const run of await openRuns(db, open, waitingShown))
      push(run.key, `${run.caseKey} ${run.title}`, `to review, by ${run.testerName ?? run.tester}`, 'review');
    for (const kind of ['requirement', 'case'] as const)
      for (const { key, title } of await db
        .select({ key: records.key, title: records.title })
        .from(records)
        .where(
          and(
            eq(records.projectId, projectId),
            eq(records.kind, kind),
            eq(records.state, 'review'),
            notInArray(records.authoredBy, [login]),
          ),
        )
        .orderBy(asc(records.keyPrefix), asc(records.keyNumber))
        .limit(waitingShown))
        push(key, title, 'to approve', kind, kind);
  }
  return items.slice(0, waitingShown);
}
