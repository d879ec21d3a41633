import { performance } from 'node:perf_hooks';
import { asc, eq, sql } from 'drizzle-orm';
import { keyNumber, keyPrefix, type VersionedKind } from '@core/base';
import { emptyCase } from '@core/design';
import { addressFromEnvironment } from '../src/address';
import { insertMany, openDatabase, records, traces } from '../src/base';
import { cases } from '../src/design';
import { localDrive, ProjectionService, Projector } from '../src/prove';
import { rounds, runs } from '../src/run';
import { bulkProject } from './bulk';
import { row } from './timing';

// All cords of a product: 10,000 requirements, two cases each, 50,000 runs of them. Made afresh, as after a change of the rules.
const database = openDatabase(addressFromEnvironment());
const { db } = database;
const now = (): Date => new Date();
const projectId = await bulkProject(db, now);
const at = now().toISOString();
const requirements = await db
  .select({ id: records.id })
  .from(records)
  .where(eq(records.kind, 'requirement'))
  .orderBy(asc(records.keyNumber));
const [build] = await db.select({ id: records.id }).from(records).where(eq(records.kind, 'build'));
const [{ last }] = await db.select({ last: sql<number>`max(${records.id})`.mapWith(Number) }).from(records);
const made = (id: number, kind: VersionedKind, key: string, state: string) => ({
  id,
  projectId,
  kind,
  key,
  keyPrefix: keyPrefix(key),
  keyNumber: keyNumber(key),
  title: key,
  words: key,
  state,
  revision: 1,
  own: {},
  createdBy: 'admin',
  createdAt: at,
  authoredBy: 'admin',
  updatedBy: 'admin',
  updatedAt: at,
});
const caseIds = Array.from({ length: 20_000 }, (_, i) => last + 1 + i);
const roundId = last + 20_001;
const runIds = Array.from({ length: 50_000 }, (_, i) => roundId + 1 + i);
const steps = [{ action: 'Do', expected: 'See' }];
const content = { ...emptyCase, title: 'Case', objective: 'Show it', steps };
const passed = [{ verdict: 'pass' as const, observed: 'seen', at }];
await db.transaction(async (tx) => {
  await insertMany(
    tx,
    records,
    caseIds.map((id, i) => made(id, 'case', `C-${i + 1}`, 'approved')),
  );
  await insertMany(
    tx,
    cases,
    caseIds.map((id) => ({ id, projectId, everApproved: true, objective: 'Show it', preconditions: '', steps, plannedMinutes: 5 })),
  );
  await insertMany(
    tx,
    traces,
    caseIds.map((fromId, i) => ({
      projectId,
      kind: 'verifies',
      fromId,
      toId: requirements[i % requirements.length].id,
      fromRevision: 1,
      toRevision: 1,
      drawnBy: 'admin',
      drawnAt: at,
      needsConfirmation: false,
      reason: '',
      seq: 1,
    })),
  );
  await insertMany(tx, records, [made(roundId, 'round', 'R-1', 'open')]);
  await insertMany(tx, rounds, [{ id: roundId, projectId, buildId: build.id, configuration: 'rig', unit: '', tools: '' }]);
  await insertMany(
    tx,
    records,
    runIds.map((id, i) => made(id, 'run', `RUN-${i + 1}`, 'recorded')),
  );
  await insertMany(
    tx,
    runs,
    runIds.map((id, i) => ({
      id,
      projectId,
      roundId,
      buildId: build.id,
      caseId: caseIds[i % caseIds.length],
      caseRevision: 1,
      frozen: content,
      row: null,
      configuration: `rig ${Math.floor(i / caseIds.length)}`,
      unit: '',
      tools: '',
      tester: 'admin',
      steps: passed,
      verdict: i % 97 ? ('passed' as const) : ('failed' as const),
      seconds: 60,
      startedAt: at,
      finishedAt: at,
      finishedSeq: i + 1,
      format: 2 as const,
      hash: 'a'.repeat(64),
      corrections: [],
      deviationAccepted: false,
      setAside: false,
    })),
  );
});
const projector = new Projector(db, now);
const projections = new ProjectionService(db, projector, localDrive(projector));
const timed = async (work: () => Promise<unknown>): Promise<number> => {
  const begun = performance.now();
  await work();
  return performance.now() - begun;
};
const first = await timed(() => projections.upTo(projectId, build.id, 1));
const again = await timed(async () => {
  await projector.forget(build.id);
  await projections.upTo(projectId, build.id, 1);
});
const reading = await timed(() => db.select().from(runs).where(eq(runs.buildId, build.id)));
row(
  'all 10,000 cords made afresh, 20,000 cases and 50,000 runs',
  `${(again / 1000).toFixed(1)} s`,
  `target 2 s; ${(again / reading).toFixed(1)} x reading those runs once`,
);
row('the same for the first time, with each of them stored', `${(first / 1000).toFixed(1)} s`, '');
await database.close();
process.exit(0);
