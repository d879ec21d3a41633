import { performance } from 'node:perf_hooks';
import { sql } from 'drizzle-orm';
import { keyNumber, keyPrefix } from '@core/base';
import { readMermaid } from '@core/design';
import { addressFromEnvironment } from '../src/address';
import { addBuild, listPage, openDatabase, previewBulk, records, setMember, type Actor } from '../src/base';
import { addModel, caseList, cases, caseSummaries, caseWithTraces, casePlaces, folders, listFolders } from '../src/design';
import { addRound, saveConfigurationPlan } from '../src/run';
import { bulkProject } from './bulk';
import { row } from './timing';

// Design with 20,000 cases of ten steps in 200 folders, one of 200 steps, and a flow of 500 nodes: the pages of it are opened in a browser after.
const database = openDatabase(addressFromEnvironment());
const { db, pool } = database;
const now = (): Date => new Date();
const projectId = await bulkProject(db, now);
const actor: Actor = { login: 'admin', projectId, now };
const at = now().toISOString();
const [{ last }] = await db.select({ last: sql<number>`max(${records.id})`.mapWith(Number) }).from(records);
const made = (id: number, kind: 'case' | 'folder', key: string, title: string, words: string) => ({
  id,
  projectId,
  kind,
  key,
  keyPrefix: keyPrefix(key),
  keyNumber: keyNumber(key),
  title,
  words: `${key} ${title} ${words}`,
  state: kind === 'case' ? 'approved' : 'open',
  revision: 1,
  own: {},
  createdBy: 'admin',
  createdAt: at,
  authoredBy: 'admin',
  updatedBy: 'admin',
  updatedAt: at,
});
const folderIds = Array.from({ length: 200 }, (_, i) => last + 1 + i);
await db.insert(records).values(folderIds.map((id, i) => made(id, 'folder', `FO-${i + 1}`, `Folder ${i + 1}`, '')));
await db
  .insert(folders)
  .values(folderIds.map((id, i) => ({ id, projectId, underId: i < 20 ? null : folderIds[i % 20], position: i, description: '' })));
const step = (i: number, n: number) => ({
  action: `Set the pressure to ${(i + n) % 17} bar and wait until valve ${n} of the ${i % 7 ? 'left' : 'right'} side is open`,
  expected: `Display ${n} shows the pressure within two seconds, and the lamp is green`,
});
const total = 20_000;
for (let done = 0; done < total; done += 1000) {
  const ids = Array.from({ length: 1000 }, (_, n) => last + 201 + done + n);
  const number = (id: number): number => id - last - 200;
  await db
    .insert(records)
    .values(ids.map((id) => made(id, 'case', `C-${number(id)}`, `Case ${number(id)} of the valves`, `pressure valve ${id % 97}`)));
  await db.insert(cases).values(
    ids.map((id) => ({
      id,
      projectId,
      everApproved: true,
      objective: `That valve ${id % 97} opens`,
      preconditions: 'The rig is cold',
      steps: Array.from({ length: number(id) === 1 ? 200 : 10 }, (_, n) => step(id, n)),
      plannedMinutes: 5 + (id % 20),
    })),
  );
  await db.insert(casePlaces).values(ids.map((id) => ({ id, projectId, folderId: folderIds[id % 200] })));
}
row('cases, steps, folders', `${total.toLocaleString('en')}, ${(total * 10).toLocaleString('en')}, 200`, '');

async function p95(rounds: number, work: (i: number) => Promise<unknown>): Promise<number> {
  await work(0);
  const spent: number[] = [];
  for (let i = 0; i < rounds; i++) {
    const begun = performance.now();
    await work(i);
    spent.push(performance.now() - begun);
  }
  return spent.sort((a, b) => a - b)[Math.floor(rounds * 0.95)];
}
const page = await p95(40, (i) =>
  listPage(
    db,
    projectId,
    caseList(projectId),
    { sort: 'title', limit: 50, filter: JSON.stringify({ words: `valve ${i % 97}` }) },
    caseSummaries,
  ),
);
// The same question by hand: the index finds words of three letters and more, shorter ones are looked for in what it found.
const bare = await p95(40, async (i) => {
  const asked = [projectId, '+valve*', `%${i % 97}%`];
  const found = `r.project_id = ? and r.kind = 'case' and match (r.words) against (? in boolean mode) and r.words like ?`;
  await pool.query(`select count(*) from records r join cases c on c.id = r.id where ${found}`, asked);
  return pool.query(`select r.*, c.* from records r join cases c on c.id = r.id where ${found} order by r.title, r.id limit 50`, asked);
});
row(
  'a page of 50 by words',
  `${page.toFixed(0)} ms`,
  `${(page / bare).toFixed(1)} x the same in hand-written SQL (${bare.toFixed(0)} ms); target: 3 x a bare route`,
);
row('all folders with what is in them', `${(await p95(10, () => listFolders(db, projectId))).toFixed(0)} ms`, '');
row('a case of 200 steps, read', `${(await p95(20, () => caseWithTraces(db, projectId, 'C-1'))).toFixed(0)} ms`, '');
const replace = { act: 'replace', find: 'lamp is green', replace: 'lamp shows green', sameCase: false, wholeWords: true } as const;
const selection = { kind: 'case', filter: JSON.stringify({ and: [] }) } as const;
const begun = performance.now();
const preview = await previewBulk(db, actor, ['author'], { selection, act: replace, reason: '' });
row(
  `find and replace over ${preview.total.toLocaleString('en')}, previewed`,
  `${(performance.now() - begun).toFixed(0)} ms`,
  `${preview.changed} change; target: 2 s`,
);
const rare = { ...replace, find: 'valve 96 opens' };
const again = performance.now();
const few = await previewBulk(db, actor, ['author'], { selection, act: rare, reason: '' });
row('the same of what stands in few', `${(performance.now() - again).toFixed(0)} ms`, `${few.changed} change`);

// A round of 20,000 runs: 2,000 cases in ten configurations each.
await addBuild(db, actor, { name: '9.0', description: '' });
await setMember(db, actor, 'admin', ['administrator', 'author', 'tester']);
const cold = Array.from({ length: 10 }, (_, i) => `chamber ${i + 1}`);
await saveConfigurationPlan(db, actor, { dimensions: [{ name: 'place', values: cold }], exclusions: '' });
const chosen = Array.from({ length: 2000 }, (_, i) => `C-${i + 2}`);
const planned = performance.now();
const round = await addRound(db, actor, {
  build: '9.0',
  title: 'All chambers',
  configuration: '',
  configurations: cold,
  unit: '',
  tools: '',
  tester: 'admin',
  cases: chosen,
});
row('a round, planned', `${((performance.now() - planned) / 1000).toFixed(1)} s`, `${round.runs.toLocaleString('en')} runs; target: 5 s`);

/** A flow of 500 nodes: decisions in a row, each with a detour. */
const text = [
  'flowchart TD',
  'S([Begin]) --> D0',
  ...Array.from({ length: 250 }, (_, i) => [
    `D${i}{Is it ${i}?} -->|yes| A${i}[Do ${i}]`,
    `D${i} -->|no| D${i + 1}`,
    `A${i} --> D${i + 1}`,
  ]).flat(),
  'D250([End])',
].join('\n');
const { flow } = readMermaid(text);
const { title: _, ...body } = flow;
await addModel(db, actor, { content: { kind: 'flow', title: 'Long', description: '', body }, requirements: [] });
await database.close();
