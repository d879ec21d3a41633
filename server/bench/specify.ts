import { performance } from 'node:perf_hooks';
import { eq, sql } from 'drizzle-orm';
import { addressFromEnvironment } from '../src/address';
import { listPage, openDatabase, records, traces, type Actor } from '../src/base';
import { requirementImpact } from '../src/prove/impact';
import { addSpecification, importRequirements, listGaps, requirementList, requirementsById } from '../src/specify';
import { branchesOf } from '../src/specify/branches';
import { proposals } from '../src/specify/propose';
import { readSpecification } from '../src/specify/text';
import { bulkProject } from './bulk';
import { row } from './timing';

// Specify with 20,000 requirements, half of them in a tree, and 100,000 traces: against the same questions in hand-written SQL.
const database = openDatabase(addressFromEnvironment());
const { db, pool } = database;
const now = (): Date => new Date();
const projectId = await bulkProject(db, now);
const actor: Actor = { login: 'admin', projectId, now };
// A second specification, as a tree: a hundred headings with a hundred each, so that there are 20,000 in all.
await addSpecification(db, actor, { key: 'TRE', title: 'Tree', prefix: 'TRE' });
const branch = (n: number): string =>
  `TRE-${n},Part ${n},,heading,\n${Array.from({ length: 99 }, (_, i) => `TRE-${n + i + 1},Requirement number ${n + i + 1} of a tree,It shall hold.,requirement,TRE-${n}\n`).join('')}`;
await importRequirements(db, actor, {
  specification: 'TRE',
  fileName: 'tree.csv',
  csv: `key,title,text,kind,under\n${Array.from({ length: 100 }, (_, i) => branch(1 + 100 * i)).join('')}`,
  mapping: { key: 'key', title: 'title', text: 'text', kind: 'kind', under: 'under' },
});
const all = await db.select({ id: records.id, key: records.key }).from(records).where(eq(records.kind, 'requirement')).orderBy(records.id);
const at = now().toISOString();
const wanted = 100_000;
for (let done = 0; done < wanted; done += 2000)
  await db.insert(traces).values(
    Array.from({ length: 2000 }, (_, n) => {
      const i = done + n;
      // Each from a later one to an earlier: no circle. Ten of each at most.
      const from = 1 + (i % (all.length - 1));
      const to = Math.floor(from / (2 + Math.floor(i / (all.length - 1))));
      return {
        projectId,
        kind: 'parent',
        fromId: all[from].id,
        toId: all[Math.min(to, from - 1)].id,
        fromRevision: 1,
        toRevision: 1,
        drawnBy: actor.login,
        drawnAt: at,
        needsConfirmation: false,
        confirmedBy: actor.login,
        confirmedAt: at,
        reason: '',
        seq: 1,
      };
    }),
  );
const [{ n: drawn }] = await db.select({ n: sql<number>`count(*)`.mapWith(Number) }).from(traces);
row('requirements, traces', `${all.length.toLocaleString('en')}, ${drawn.toLocaleString('en')}`, '');

/** The 95th percentile of some rounds, in milliseconds. */
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
const told = (what: string, ms: number, bare: number, most: string): void =>
  row(what, `${ms.toFixed(0)} ms`, `${(ms / bare).toFixed(1)} x hand-written SQL (${bare.toFixed(0)} ms); ${most}`);

const leaf = (i: number) => all[all.length - 1 - (i % 50)];
const middle = (i: number) => all[1000 + i * 13];
// The same questions in SQL: everything that rests on a record, with its traces and minutes; what it rests on itself; problems against any of them.
const below = `with recursive r as (select ? as id union select t.from_id from traces t join r on t.to_id = r.id where t.kind in ('parent', 'verifies') and t.removed_at is null union select k.case_id from case_calls k join r on k.called_id = r.id)`;
const edge = `select t.id, t.kind, f.record_key, f.revision, u.record_key as k, u.revision as r, t.from_revision, t.to_revision from traces t join records f on f.id = t.from_id join records u on u.id = t.to_id`;
async function resting(key: string): Promise<void> {
  const [[{ id }]] = (await pool.query('select id from records where project_id = ? and record_key = ?', [projectId, key])) as unknown as [
    { id: number }[],
  ];
  await pool.query(`${below} ${edge} join r on r.id = t.to_id where t.kind in ('parent', 'verifies') and t.removed_at is null`, [id]);
  await pool.query(`${edge} where t.from_id = ? and t.kind in ('parent', 'verifies') and t.removed_at is null`, [id]);
  await pool.query(
    `${below} select e.id, e.kind, e.record_key, e.title, e.state, c.planned_minutes from r join records e on e.id = r.id left join cases c on c.id = r.id`,
    [id],
  );
  await pool.query(
    `${below} select distinct f.record_key, f.title from r join traces t on t.to_id = r.id and t.kind = 'foundAgainst' and t.removed_at is null join records f on f.id = t.from_id where f.state <> 'closed'`,
    [id],
  );
}
for (const [what, of] of [
  ['impact of a requirement with little below', leaf],
  ['impact of one with much below', middle],
] as const)
  told(
    what,
    await p95(200, (i) => requirementImpact(db, projectId, of(i).key, undefined)),
    await p95(200, (i) => resting(of(i).key)),
    'target: 300 ms, 2 x',
  );
const top = all[0];
const [impact] = [await p95(3, () => requirementImpact(db, projectId, top.key, undefined))];
row('impact of the one above everything (5,000 are told)', `${impact.toFixed(0)} ms`, '');

const list = await p95(40, (i) =>
  listPage(
    db,
    projectId,
    requirementList(projectId, undefined),
    { sort: 'title', limit: 50, filter: JSON.stringify({ field: 'level', is: [`SIL ${(i % 4) + 1}`] }) },
    requirementsById,
  ),
);
// With the number of all that are found, as a list has it.
const bareList = await p95(40, async (i) => {
  await pool.query(
    `select count(*) from records r join requirements q on q.id = r.id where r.project_id = ? and r.kind = 'requirement' and q.level = ?`,
    [projectId, `SIL ${(i % 4) + 1}`],
  );
  return pool.query(
    `select r.*, q.* from records r join requirements q on q.id = r.id where r.project_id = ? and r.kind = 'requirement' and q.level = ? order by r.title, r.id limit 50`,
    [projectId, `SIL ${(i % 4) + 1}`],
  );
});
told('a page of 50 by title, filtered', list, bareList, 'target: 2 x');
const tree = await p95(40, () => branchesOf(db, projectId, 'BIG', { at: '.0' }));
row('the top branch of the tree', `${tree.toFixed(0)} ms`, '');
row(
  'a stretch of 100 as a document',
  `${(await p95(20, (i) => readSpecification(db, projectId, 'BIG', { skip: i * 100, limit: 100 }))).toFixed(0)} ms`,
  '',
);
row(
  'gaps and contradictions of all 20,000',
  `${(await p95(2, () => listGaps(db, projectId, { skip: 0, limit: 50 }))).toFixed(0)} ms`,
  'target for 5,000: 3 s',
);
row(
  'traces proposed for one of them',
  `${(await p95(3, (i) => proposals(db, projectId, { kind: 'parent', of: leaf(i).key, lacking: 'no', least: 20 }))).toFixed(0)} ms`,
  '',
);
await database.close();
