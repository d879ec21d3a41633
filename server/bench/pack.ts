import { execFileSync } from 'node:child_process';
import { createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { pipeline } from 'node:stream/promises';
import { eq } from 'drizzle-orm';
import { emptyCase } from '@core/design';
import { addressFromEnvironment } from '../src/address';
import { blobStream, jobs, openDatabase, records, setMember, write, type Actor } from '../src/base';
import { addCaseIn } from '../src/design';
import { makeProofPack } from '../src/prove';
import { addRound, finishRun, recordStep } from '../src/run';
import { readPack } from '../spec/pack-reader';
import { bulkProject } from './bulk';
import { row } from './timing';

// A proof pack of 2,000 runs of 1,000 cases among 10,000 requirements: how long it takes, and what it needs of memory on top.
const database = openDatabase(addressFromEnvironment());
const { db } = database;
const now = (): Date => new Date();
const projectId = await bulkProject(db, now);
const actor: Actor = { login: 'admin', projectId, now };
await setMember(db, actor, 'admin', ['administrator', 'author', 'tester']);
const steps = [1, 2, 3].map((n) => ({ action: `Do what is asked, part ${n}`, expected: 'It does so within the limit' }));
for (let at = 0; at < 1000; at += 200)
  await write(db, actor, async (w) => {
    for (let i = at; i < at + 200; i++)
      await addCaseIn(w, { content: { ...emptyCase, title: `Case ${i}`, objective: 'Show it', steps }, verifies: [`BIG-${i + 1}`] });
  });
await db.update(records).set({ state: 'approved' }).where(eq(records.kind, 'case'));
const cases = (await db.select({ key: records.key }).from(records).where(eq(records.kind, 'case'))).map(({ key }) => key);
const planned: string[] = [];
for (const configuration of ['cold', 'warm'])
  for (let at = 0; at < cases.length; at += 250) {
    const round = await addRound(db, actor, {
      build: '1.0',
      title: `${configuration} ${at}`,
      configuration,
      unit: 'unit 1',
      tools: '',
      tester: 'admin',
      cases: cases.slice(at, at + 250),
    });
    planned.push(...round.items.map(({ key }) => key));
  }
const runs = planned.length;
await Promise.all(
  Array.from({ length: 16 }, async () => {
    for (let key = planned.shift(); key !== undefined; key = planned.shift()) {
      for (let step = 1; step <= steps.length; step++)
        await recordStep(db, actor, key, step, { observed: `Seen at ${step}: as expected`, verdict: 'pass', seconds: step });
      await finishRun(db, actor, key, 90);
    }
  }),
);
const [made] = await db
  .insert(jobs)
  .values({
    projectId,
    kind: 'pack',
    build: '1.0',
    state: 'running',
    progress: 0,
    message: '',
    by: 'admin',
    createdAt: now().toISOString(),
  })
  .$returningId();
const [job] = await db.select().from(jobs).where(eq(jobs.id, made.id));
globalThis.gc?.();
const before = process.memoryUsage().rss;
let most = before;
const watch = setInterval(() => (most = Math.max(most, process.memoryUsage().rss)), 20);
const begun = performance.now();
const file = await makeProofPack(db, job, {
  report: async (p: number, m: string) =>
    void (
      process.env['VERBOSE'] &&
      console.log(
        p,
        m,
        Math.round((process.memoryUsage().rss - before) / (1 << 20)),
        'MB rss',
        Math.round(process.memoryUsage().heapUsed / (1 << 20)),
        'MB heap',
        Math.round((performance.now() - begun) / 1000),
        's',
      )
    ),
});
const spent = performance.now() - begun;
clearInterval(watch);
row(
  `proof pack of ${runs} runs, 10,000 requirements (${(file.bytes / (1 << 20)).toFixed(0)} MB)`,
  `${(spent / 1000).toFixed(1)} s`,
  'target: 60 s',
);
row('memory on top while it is made', `${((most - before) / (1 << 20)).toFixed(0)} MB`, 'target: 300 MB');
// Read by the second program, which knows the files and nothing of the code that wrote them.
const folder = mkdtempSync(join(tmpdir(), 'cord-bench-pack-'));
await pipeline(await blobStream(db, file.sha256), createWriteStream(join(folder, 'pack.zip')));
execFileSync('unzip', ['-qo', 'pack.zip', '-d', 'pack'], { cwd: folder });
const { faults, ...read } = readPack(join(folder, 'pack'));
rmSync(folder, { recursive: true, force: true });
row(`its figures computed again from it: ${read.runs} runs, ${read.cords} cords`, `${faults.length} differ`, 'none');
for (const fault of faults.slice(0, 10)) console.log(`  ${fault}`);
await database.close();
process.exit(0);
