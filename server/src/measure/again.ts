import type { NeededAgain } from '@contract/run';
import { compareKeys, fewOf, groupBy } from '@core/base';
import { bestWithin, fewestCases, runsNeeded, type CaseReach } from '@core/design';
import { bitsFor, changedFunctions, functionsHit, setBit, type CodeFunction } from '@core/measure';
import { runOutdated } from '@core/prove';
import { and, asc, eq, inArray, isNotNull, isNull, lte } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { needBuild, records, Refusal, revisions, traces, type Db, type StoredBuild, type Tx } from '../base';
import { cases } from '../design';
import { runs } from '../run';
import { standingParts, storedHits } from './reach';
import { codeUnits, sources } from './tables';

const caseRecord = alias(records, 'case_record');

/** The functions of a build's present sources. */
export async function functionsOf(db: Db | Tx, build: StoredBuild): Promise<(CodeFunction & { source: string })[]> {
  return db
    .select({
      path: sources.path,
      source: sources.sha256,
      name: codeUnits.name,
      start: codeUnits.start,
      end: codeUnits.end,
      textHash: codeUnits.textHash,
    })
    .from(codeUnits)
    .innerJoin(sources, eq(sources.id, codeUnits.sourceId))
    .where(and(eq(sources.buildId, build.id), isNull(sources.supersededAt)))
    .orderBy(asc(sources.path), asc(codeUnits.start));
}

/** Which functions each case hit on a build, by the case's id: places in the list of functions. */
export async function hitBy(
  db: Db | Tx,
  build: StoredBuild,
  functions: readonly (CodeFunction & { source: string })[],
): Promise<Map<number, Set<number>>> {
  const byPath = groupBy(
    functions.map((f, at) => ({ ...f, at })),
    (f) => f.path,
  );
  const found = new Map<number, Set<number>>();
  for (const { m, part, caseId } of await standingParts(db, build.id, (path) => byPath.get(path)?.[0]?.source)) {
    const here = byPath.get(part.path) ?? [];
    const { table, bits } = await storedHits(db, m, part);
    const mine = found.get(caseId) ?? new Set<number>();
    for (const at of functionsHit(table, bits, here)) mine.add(here[at].at);
    found.set(caseId, mine);
  }
  return found;
}

/** What changed from one build to another, and which cases have to be run again because of it. */
export async function neededAgain(
  db: Db,
  projectId: number,
  { from, to, minutes }: { readonly from: string; readonly to: string; readonly minutes?: number | undefined },
): Promise<NeededAgain> {
  const [before, after] = [await needBuild(db, projectId, from), await needBuild(db, projectId, to)];
  if (before.id === after.id) throw new Refusal('invalid', { fields: [{ path: 'to', text: 'Choose two builds.' }] });
  const [old, now] = [await functionsOf(db, before), await functionsOf(db, after)];
  const functions = changedFunctions(old, now);
  const changedAt = new Set(
    old.flatMap((f, at) => (functions.some((c) => c.what !== 'added' && c.path === f.path && c.name === f.name) ? [at] : [])),
  );
  const hits = await hitBy(db, before, old);

  const all = await db
    .select({
      id: records.id,
      key: records.key,
      title: records.title,
      revision: records.revision,
      state: records.state,
      minutes: cases.plannedMinutes,
    })
    .from(cases)
    .innerJoin(records, eq(records.id, cases.id))
    .where(and(eq(cases.projectId, projectId), isNull(records.retiredAt)))
    .orderBy(asc(records.keyPrefix), asc(records.keyNumber));
  const standing = await db
    .select({ run: runs, key: records.key, now: caseRecord.revision })
    .from(runs)
    .innerJoin(records, eq(records.id, runs.id))
    .innerJoin(caseRecord, eq(caseRecord.id, runs.caseId))
    .where(
      and(inArray(runs.buildId, [before.id, after.id]), isNotNull(runs.finishedAt), isNull(runs.withdrawnAt), isNull(runs.supersededById)),
    )
    .orderBy(asc(runs.id));
  const runsOf = groupBy(standing, ({ run }) => `${run.buildId}\n${run.caseId}`);
  const verified = groupBy(
    await db
      .select({ caseId: traces.fromId, id: records.id, key: records.key, title: records.title, revision: records.revision })
      .from(traces)
      .innerJoin(records, eq(records.id, traces.toId))
      .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'verifies'), isNull(traces.removedAt))),
    (t) => t.caseId,
  );
  const then = await revisionsThen(
    db,
    verified,
    standing.filter(({ run }) => run.buildId === before.id),
  );

  const requirements = new Map<string, NeededAgain['requirements'][number]>();
  const changedCases: NeededAgain['cases'] = [];
  const known: { readonly of: (typeof all)[number]; readonly run: (typeof standing)[number]; readonly bad: string | undefined }[] = [];
  const neverRun: NeededAgain['neverRun'] = [];
  for (const of of all) {
    const mine = runsOf.get(`${before.id}\n${of.id}`) ?? [];
    if (!mine.length) {
      neverRun.push({ key: of.key, title: of.title });
      continue;
    }
    const bad = mine.find(({ run }) => run.verdict === 'failed' || run.verdict === 'blocked' || run.returnedAt !== null);
    const run = bad ?? mine[mine.length - 1];
    const oldest = mine.find(({ run: r, now: revision }) => runOutdated(r, revision));
    if (oldest)
      changedCases.push({
        key: of.key,
        title: of.title,
        before: Math.max(oldest.run.caseRevision, oldest.run.carriedOverTo ?? 0),
        now: of.revision,
      });
    for (const r of verified.get(of.id) ?? []) {
      const was = then(r.id, run.run.finishedSeq ?? 0);
      if (was < r.revision) requirements.set(r.key, { key: r.key, title: r.title, before: was, now: r.revision });
    }
    const word = bad && (bad.run.returnedAt !== null ? 'was returned' : bad.run.verdict === 'failed' ? 'failed' : 'was blocked');
    known.push({ of, run, bad: bad && `${bad.key} ${word} on ${from}` });
  }
  const reach: CaseReach[] = all.map(({ id, key, minutes: planned }) => {
    const bits = bitsFor(old.length + 1);
    for (const at of hits.get(id) ?? []) setBit(bits, at);
    return { key, verifies: (verified.get(id) ?? []).map((r) => r.key), hits: bits, minutes: planned };
  });
  const needed = new Map(
    runsNeeded(
      { requirements: new Set(requirements.keys()), cases: new Set(changedCases.map(({ key }) => key)), points: [...changedAt] },
      reach,
      known.map(({ of, run }) => ({ key: run.key, caseKey: of.key })),
    ).map((n) => [n.caseKey, n]),
  );
  const nameOf = (at: number): string => `${old[at].name} in ${old[at].path}`;
  const again: NeededAgain['again'] = [];
  const untouched: NeededAgain['untouched'] = [];
  for (const { of, run, bad } of known) {
    const why = needed.get(of.key)?.why ?? [];
    const reasons = [
      ...(bad ? [bad] : []),
      ...why.map((reason) => {
        if (reason.code === 'caseChanged') return 'the case was revised';
        if (reason.code === 'requirementChanged')
          return `${reason.requirements.join(', ')} ${reason.requirements.length === 1 ? 'was' : 'were'} revised`;
        const places = [...(hits.get(of.id) ?? [])].filter((at) => changedAt.has(at)).map(nameOf);
        return `it hit ${fewOf(places, 4)}, which changed`;
      }),
    ];
    if (!reasons.length) untouched.push({ key: of.key, title: of.title, run: run.key });
    else {
      const there = runsOf.get(`${after.id}\n${of.id}`) ?? [];
      const done = there.length > 0 && there.every(({ run: r, now: revision }) => r.verdict === 'passed' && !runOutdated(r, revision));
      again.push({
        key: of.key,
        title: of.title,
        run: run.key,
        minutes: of.minutes,
        done: done ? (there.at(-1)?.key ?? null) : null,
        reasons,
      });
    }
  }
  return {
    requirements: [...requirements.values()].sort((a, b) => compareKeys(a.key, b.key)),
    cases: changedCases,
    functions: functions.map(({ path, name, what }) => ({ path, name, what })),
    again,
    untouched,
    neverRun,
    measured: hits.size > 0,
    choice: chosen(reach, {
      changedAt,
      size: old.length,
      requirements: [...requirements.keys()],
      approved: new Set(all.filter((c) => c.state === 'approved').map((c) => c.key)),
      done: new Set(again.flatMap(({ key, done }) => (done === null ? [] : [key]))),
      own: new Set([...changedCases.map(({ key }) => key), ...known.flatMap(({ of, bad }) => (bad ? [of.key] : []))]),
      minutes,
    }),
  };
}

/** The fewest cases that show again what changed: each changed function that some case hit and each revised requirement once; or the best within minutes. */
function chosen(
  reach: readonly CaseReach[],
  given: {
    readonly changedAt: ReadonlySet<number>;
    readonly size: number;
    readonly requirements: readonly string[];
    readonly approved: ReadonlySet<string>;
    /** Cases that passed on the later build already. */
    readonly done: ReadonlySet<string>;
    /** Cases that are needed for themselves. */
    readonly own: ReadonlySet<string>;
    readonly minutes: number | undefined;
  },
): NeededAgain['choice'] {
  const { changedAt, size, requirements, approved, minutes } = given;
  const wide = size + requirements.length + given.own.size;
  const lost = bitsFor(wide);
  const place = new Map(requirements.map((key, i) => [key, size + i]));
  // A case that was itself revised, or failed, is needed for itself.
  const own = new Map([...given.own].map((key, i) => [key, size + requirements.length + i]));
  const offered = reach
    .filter(({ key }) => approved.has(key))
    .map((c): CaseReach => {
      const bits = bitsFor(wide);
      for (const at of changedAt) if ((c.hits[at >>> 5] >>> (at & 31)) & 1) setBit(bits, at);
      for (const key of c.verifies) {
        const at = place.get(key);
        if (at !== undefined) setBit(bits, at);
      }
      const mine = own.get(c.key);
      if (mine !== undefined) setBit(bits, mine);
      for (let w = 0; w < bits.length; w++) lost[w] |= bits[w];
      return { ...c, hits: bits };
    });
  // What a run on the later build has shown already is not lost any more.
  for (const { key, hits } of offered) if (given.done.has(key)) for (let w = 0; w < lost.length; w++) lost[w] &= ~hits[w];
  const choice = minutes === undefined ? fewestCases(lost, offered) : bestWithin(lost, offered, minutes);
  return {
    cases: [...choice.cases],
    covered: choice.covered,
    of: choice.of,
    minutes: choice.minutes,
    bound: choice.bound,
    proved: choice.optimal,
  };
}

/** The revision that a record had at a ledger number. */
export async function revisionsThen(
  db: Db | Tx,
  verified: ReadonlyMap<number, readonly { readonly id: number; readonly revision: number }[]>,
  standing: readonly { readonly run: { readonly finishedSeq: number | null } }[],
): Promise<(id: number, seq: number) => number> {
  const ids = [...new Set([...verified.values()].flat().map(({ id }) => id))];
  const last = Math.max(0, ...standing.map(({ run }) => run.finishedSeq ?? 0));
  const found = new Map<number, { seq: number; revision: number }[]>();
  for (let at = 0; at < ids.length; at += 1000)
    for (const row of await db
      .select({ id: revisions.recordId, seq: revisions.seq, revision: revisions.revision })
      .from(revisions)
      .where(and(inArray(revisions.recordId, ids.slice(at, at + 1000)), lte(revisions.seq, last)))
      .orderBy(asc(revisions.seq)))
      found.set(row.id, [...(found.get(row.id) ?? []), row]);
  return (id, seq) => Math.max(1, ...(found.get(id) ?? []).filter((row) => row.seq <= seq).map((row) => row.revision));
}
