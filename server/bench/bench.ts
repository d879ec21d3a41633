import { performance } from 'node:perf_hooks';
import Fastify from 'fastify';
import { compareKeys } from '@core/base';
import { perMetric } from '@core/measure';
import { boardTotals, iec61508, judgeCords, summariseCode, type CordInput } from '@core/prove';
import { addressFromEnvironment } from '../src/address';
import { buildApp } from '../src/app';
import { LedgerReaders, parseHere, openDatabase } from '../src/base';
import { localDrive, ProjectionService, Projector } from '../src/prove';
import { bulkProject } from './bulk';
import { designing } from './design';
import { measuring } from './measure';
import { best, bestAsync, row } from './timing';

/** 10,000 requirements, 20,000 cases, 60,000 runs, 100,000 traces. */
function manyCords(): CordInput {
  const n = 10_000;
  const key = (prefix: string, i: number): string => `${prefix}-${String(i).padStart(5, '0')}`;
  const levels = iec61508.levels;
  const signed = [
    { meaning: 'performed', login: 'a', matches: true },
    { meaning: 'reviewed', login: 'b', matches: true },
  ] as const;
  const drawn = { fromRevision: 1, toRevision: 1, needsConfirmation: false, drawnBy: 'a', confirmedBy: null };
  const totals = perMetric(() => ({ found: 10, exercised: 10, credited: 10, justified: 0 }));
  const code = summariseCode(['a.c'], true, [{ path: 'a.c', name: 'f', status: 'measured', totals, firstGap: {} }]);
  const keys = Array.from({ length: n }, (_, i) => key('R', i));
  return {
    build: '1.0',
    profile: iec61508,
    requirements: keys.map((k, i) => ({
      key: k,
      title: `Requirement ${i}`,
      revision: 1,
      state: i % 50 ? 'approved' : 'draft',
      author: 'a',
      approvals: i % 50 ? [{ login: 'b', matches: true }] : [],
      level: levels[i % 4],
      method: 'test',
      topLevel: i < 1000,
      derived: false,
      hasRationale: false,
      notInCode: i % 7 === 0,
      notInCodeRationale: true,
    })),
    cases: Array.from({ length: 2 * n }, (_, i) => ({
      key: key('C', i),
      revision: i % 40 ? 1 : 2,
      approved: true,
      author: 'a',
      approvals: [{ login: 'b', matches: true }],
      unapprovedCalls: [],
    })),
    parents: Array.from({ length: n - 1000 }, (_, i) => ({ from: keys[i + 1000], to: keys[i % 1000], ...drawn })),
    verifies: Array.from({ length: 91_000 }, (_, i) => ({
      from: key('C', (i * 7) % (2 * n)),
      to: keys[i % n],
      ...drawn,
    })),
    runs: Array.from({ length: 6 * n }, (_, i) => ({
      key: key('RUN', i),
      caseKey: key('C', i % (2 * n)),
      caseRevision: 1,
      row: null,
      configuration: `rig ${i % 3}`,
      verdict: i % 97 ? 'passed' : 'failed',
      finished: i,
      failedStep: null,
      deviationAccepted: false,
      returned: false,
      setAside: false,
      carriedOverTo: null,
      tester: 'a',
      signatures: signed,
    })),
    problems: Array.from({ length: 500 }, (_, i) => ({
      key: key('PR', i),
      blocking: true,
      standing: i % 2 === 0,
      requirements: [keys[i * 13]],
      run: null,
    })),
    code: new Map(keys.map((k) => [k, code])),
    missingMetrics: new Set(),
  };
}

function judging(): void {
  const input = manyCords();
  let proved = 0;
  const judge = best(5, () => (proved = boardTotals(judgeCords(input)).counts.proved));
  row(`all cords of 10,000 requirements, 60,000 runs (${proved} proved)`, `${judge.toFixed(0)} ms`, 'target: under 300 ms');
  const bare = best(5, () => void [...input.runs].map((run) => run.caseKey).sort(compareKeys));
  row('the same against sorting the run keys once', `${(judge / bare).toFixed(1)} x`, '');
}

/** A page of the board with 10,000 requirements in MariaDB, against a bare route that answers the same JSON. */
async function listing(): Promise<void> {
  const database = openDatabase(addressFromEnvironment());
  const now = (): Date => new Date();
  await bulkProject(database.db, now);
  const projector = new Projector(database.db, now);
  const projections = new ProjectionService(database.db, projector, localDrive(projector));
  const app = await buildApp({
    context: { database, now, secureCookies: false, readers: new LedgerReaders(database.db), projections, parse: parseHere },
    signInLimit: 1000,
  });
  const address = await app.listen({ host: '127.0.0.1', port: 0 });
  const signIn = await fetch(`${address}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ login: 'admin', password: 'bench-password' }),
  });
  const cookie = String(signIn.headers.get('set-cookie')).split(';')[0];
  const url = `${address}/api/projects/bench/cords?build=1.0&limit=100&skip=300`;
  const first = performance.now();
  const text = await (await fetch(url, { headers: { cookie } })).text();
  row('first page of the board after a change (read, judged, sent)', `${(performance.now() - first).toFixed(0)} ms`, '');
  const bare = Fastify();
  const body = JSON.parse(text) as object;
  bare.get('/board', async () => body);
  const bareAddress = await bare.listen({ host: '127.0.0.1', port: 0 });
  const many = (target: string, headers: Record<string, string>) =>
    bestAsync(5, async () => {
      for (let i = 0; i < 100; i++) await (await fetch(target, { headers })).text();
    });
  const plain = { 'accept-encoding': 'identity' };
  await many(`${bareAddress}/board`, plain);
  const ours = await many(url, { cookie, ...plain });
  const theirs = await many(`${bareAddress}/board`, plain);
  row(
    `a page of the board (${(text.length / 1024).toFixed(0)} kB) against a bare route`,
    `${(ours / theirs).toFixed(1)} x (${(ours / 100).toFixed(1)} ms)`,
    'target: at most 4 x',
  );
  await app.close();
  await bare.close();
  await database.close();
}

judging();
measuring();
designing();
await listing();
