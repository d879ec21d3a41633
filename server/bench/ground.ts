import { monitorEventLoopDelay, performance } from 'node:perf_hooks';
import { eq } from 'drizzle-orm';
import { emptyCase } from '@core/design';
import { addressFromEnvironment } from '../src/address';
import {
  addPerson,
  doBulk,
  JobRunner,
  listPage,
  openDatabase,
  people,
  previewBulk,
  records,
  setMember,
  workBulkJob,
  write,
  type Actor,
} from '../src/base';
import { addCaseIn } from '../src/design';
import { localDrive, ProjectionService, Projector } from '../src/prove';
import { importRequirements, requirementList, requirementsById } from '../src/specify';
import { bulkProject } from './bulk';
import { row } from './timing';

// The rows of the ground: a table of 20,000 rows, a search in it, 4,000 approvals at once, all cords afresh, memory.
const database = openDatabase(addressFromEnvironment());
const { db } = database;
const now = (): Date => new Date();
const projectId = await bulkProject(db, now);
const actor: Actor = { login: 'admin', projectId, now };
const timed = async <T>(work: () => Promise<T>): Promise<[number, T]> => {
  const begun = performance.now();
  const value = await work();
  return [performance.now() - begun, value];
};
const seconds = (ms: number): string => `${(ms / 1000).toFixed(1)} s`;

const words = ['valve', 'brake', 'lamp', 'door', 'relay', 'sensor', 'alarm', 'cabin', 'rope', 'wind'];
const lines = Array.from({ length: 20_000 }, (_, i) => {
  const said = [0, 1, 2, 3].map((n) => words[(i * 7 + n * 3 + ((i / 10) | 0)) % 10]).join(' ');
  return `BIG-${20_001 + i},The ${said} number ${i},The ${said} shall hold at ${i % 90} degrees.,SIL ${(i % 4) + 1},test`;
});
const [imported] = await timed(() =>
  importRequirements(db, actor, {
    specification: 'BIG',
    fileName: 'more.csv',
    csv: `key,title,text,level,method\n${lines.join('\n')}\n`,
    mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
  }),
);
row('import of 20,000 rows', seconds(imported), 'target: 20 s');

const searches: number[] = [];
for (let i = 0; i < 60; i++) {
  const filter = JSON.stringify({ words: `${words[i % 10]} ${words[(i * 3 + 1) % 10]}` });
  const [spent] = await timed(() =>
    listPage(db, projectId, requirementList(projectId, undefined), { filter, limit: 50 }, requirementsById),
  );
  searches.push(spent);
}
searches.sort((a, b) => a - b);
row('search of two words in 30,000 requirements, p95', `${searches[Math.floor(searches.length * 0.95)].toFixed(0)} ms`, 'target: 100 ms');

await addPerson(
  db,
  { login: 'admin', projectId: 0, now },
  { login: 'second', printedName: 'Second', password: 'bench-password', installation: false },
);
await setMember(db, actor, 'second', ['reviewer']);
const steps = [{ action: 'Do', expected: 'See' }];
for (let at = 0; at < 4000; at += 200)
  await write(db, actor, async (w) => {
    for (let i = 0; i < 200; i++)
      await addCaseIn(w, {
        content: { ...emptyCase, title: `Case ${at + i}`, objective: 'Show it', steps },
        verifies: [`BIG-${at + i + 1}`],
      });
  });
await db.update(records).set({ state: 'review' }).where(eq(records.kind, 'case'));
const [reviewer] = await db.select().from(people).where(eq(people.login, 'second'));
const signing: Actor = { login: reviewer.login, projectId, now };
const selection = { kind: 'case' as const, filter: JSON.stringify({ field: 'state', is: ['review'] }) };
const asked = { selection, act: { act: 'approve' as const }, reason: 'read' };
const [shown, preview] = await timed(() => previewBulk(db, signing, ['reviewer'], asked));
row(`preview of ${preview.total} approvals: ${preview.changed} would be done`, seconds(shown), '');
const runner = new JobRunner(database, { bulk: (job, progress) => workBulkJob(db, job, progress) }, (error) => console.error(error));
const [approved] = await timed(async () => {
  const { id } = await doBulk(db, signing, ['reviewer'], { ...asked, digest: preview.digest, password: 'bench-password' });
  runner.start();
  for (;;) {
    const [left] = await db.select({ id: records.id }).from(records).where(eq(records.state, 'review')).limit(1);
    if (!left) return id;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
});
await runner.stop();
row('approval of 4,000 cases in bulk', seconds(approved), 'target: 20 s');

const projector = new Projector(db, now);
const projections = new ProjectionService(db, projector, localDrive(projector));
const [build] = await db.select({ id: records.id }).from(records).where(eq(records.kind, 'build'));
const delay = monitorEventLoopDelay({ resolution: 5 });
delay.enable();
const [afresh] = await timed(() => projections.upTo(projectId, build.id, 1));
delay.disable();
row('30,000 cords made afresh and stored (read, judged, written)', seconds(afresh), 'target, without the database: 2 s');
row('the event loop meanwhile, were it in this thread, p99', `${(delay.percentile(99) / 1e6).toFixed(0)} ms`, 'it is in a worker');
let seq = 0;
const [again] = await timed(async () => {
  await importRequirements(
    db,
    { ...actor, wrote: (number) => (seq = number) },
    {
      specification: 'BIG',
      fileName: 'one.csv',
      csv: 'key,title,text\nBIG-1,Another,It shall hold.\n',
      mapping: { key: 'key', title: 'title', text: 'text' },
    },
  );
  await projections.upTo(projectId, build.id, seq);
});
row('one changed row of a table, until its cord is true', `${again.toFixed(0)} ms`, '(reading the project for the table is in it)');
row('memory of this process with all of it', `${(process.memoryUsage().rss / (1 << 20)).toFixed(0)} MB`, 'target: 600 MB');
await database.close();
process.exit(0);
