import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, type Project } from './support';

/** Two levels: SYS-001 above BRK-001 and BRK-002; C-001 verifies BRK-001, C-002 verifies BRK-002 and is run. */
describe('Traces over many records', () => {
  let p: Project;
  const keys: string[] = [];
  const add = async (specification: string, title: string, text: string, parent: string | null = null) => {
    const { body } = await p.call('author', specify.addRequirement, {
      specification,
      parent,
      content: content(title, { text, topLevel: specification === 'SYS' }),
    });
    keys.push(body.key);
    return body.key;
  };
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addSpecification, { key: 'SYS', title: 'System', prefix: 'SYS' });
    await add('SYS', 'Stop on power failure', 'The cabin shall stop within 3 s of a power failure.');
    await add('BRK', 'Service brake', 'The service brake shall close within 400 ms of a power failure.', 'SYS-001');
    await add('BRK', 'Horn', 'The horn shall sound before the cabin leaves the station.', 'SYS-001');
    await add('BRK', 'Lamp', 'The cabin lamp shall be lit while the doors are open.');
    for (const [title, verifies] of [
      ['Cut the power and measure how the service brake closes', ['BRK-001']],
      ['Listen to the horn in the station', ['BRK-002']],
      ['Open the doors and look at the cabin lamp', []],
    ] as const)
      await p.call('author', design.addCase, { content: { ...caseContent(title), plannedMinutes: 12 }, verifies: [...verifies] });
  });
  afterAll(() => p.close());
  const of = async (key: string) => (await p.call('auditor', specify.getRequirement, { key })).body;
  const revise = async (key: string, text: string) => {
    const { revision } = await of(key);
    expect(
      (await p.call('author', specify.saveRequirement, { key, basedOn: revision, content: content('Revised', { text }) })).status,
    ).toBe(200);
  };
  const suspects = async (more = {}) => (await p.call('auditor', base.listSuspects, more)).body;

  it('are told before a change: what it makes suspect, what it reaches, and what running that costs', async () => {
    const { body } = await p.call('auditor', prove.getImpact, { key: 'SYS-001', build: '1.0' });
    expect(body.suspect.map(({ other }) => other)).toEqual(['BRK-001', 'BRK-002']);
    expect(body.reached.map(({ key, distance }) => [key, distance])).toEqual([
      ['BRK-001', 1],
      ['BRK-002', 1],
      ['C-001', 2],
      ['C-002', 2],
    ]);
    expect([body.minutes, body.toDo, body.more]).toEqual([{ near: 0, far: 24 }, [], false]);
    expect((await p.call('auditor', prove.getImpact, { key: 'BRK-001' })).body.minutes).toEqual({ near: 12, far: 0 });
    expect((await p.call('auditor', prove.getImpact, { key: 'SYS-999' })).status).toBe(404);
  });

  it('are proposed by shared words, and nothing that is traced already; none is made', async () => {
    const { body } = await p.call('auditor', specify.listProposals, {});
    expect(body.proposals.map(({ from, to }) => [from.key, to.key])).toEqual([['C-003', 'BRK-003']]);
    expect(body.proposals[0].words).toEqual(jasmine.arrayContaining(['lamp', 'cabin', 'open']));
    const mine = (await p.call('auditor', specify.listProposals, { of: 'BRK-003' })).body.proposals;
    expect(mine.map(({ from }) => from.key)).toEqual(['C-003']);
    expect((await of('BRK-003')).cases).toEqual([]);
    const parents = (await p.call('auditor', specify.listProposals, { kind: 'parent', lacking: 'no', least: '5' })).body.proposals;
    expect(parents.every(({ from, to }) => from.key.startsWith('BRK') !== to.key.startsWith('BRK'))).toBeTrue();
    expect((await p.call('auditor', specify.listProposals, { of: 'BRK-999' })).status).toBe(404);
  });

  it('are drawn many at once, all or none', async () => {
    const pairs = [
      { from: 'C-003', to: 'BRK-003' },
      { from: 'C-003', to: 'BRK-001' },
    ];
    const refused = await p.call('author', base.addTraces, { kind: 'verifies', pairs: [...pairs, { from: 'C-001', to: 'BRK-001' }] });
    expect([refused.problem.code, (await of('BRK-003')).cases.length]).toEqual(['exists', 0]);
    expect((await p.call('author', base.addTraces, { kind: 'verifies', pairs: [...pairs, pairs[0]] })).problem.code).toBe('invalid');
    expect((await p.call('author', base.addTraces, { kind: 'verifies', pairs: [{ from: 'BRK-001', to: 'C-001' }] })).status).toBe(404);
    expect((await p.call('auditor', base.addTraces, { kind: 'verifies', pairs })).problem.code).toBe('forbidden');
    expect((await p.call('author', base.addTraces, { kind: 'verifies', pairs })).body).toEqual({ made: 2 });
    expect((await of('BRK-003')).cases.map(({ from }) => from)).toEqual(['C-003']);
    const circle = await p.call('author', base.addTraces, {
      kind: 'parent',
      pairs: [
        { from: 'BRK-003', to: 'BRK-001' },
        { from: 'SYS-001', to: 'BRK-003' },
      ],
    });
    expect(circle.problem.detail).toMatch(/would close a circle: .*BRK-003 → BRK-001 → SYS-001/);
    expect((await of('BRK-003')).parents).toEqual([]);
  });

  it('that a revision made doubtful stand with what changed and what the other end says, page by page', async () => {
    await revise('SYS-001', 'The cabin shall stop within 2 s of a power failure.');
    const all = await suspects();
    expect(all.traces.map(({ trace }) => [trace.from, trace.to])).toEqual([
      ['BRK-001', 'SYS-001'],
      ['BRK-002', 'SYS-001'],
    ]);
    const [first] = all.traces;
    expect(first.changed[0]).toEqual(jasmine.objectContaining({ key: 'SYS-001', from: 1, to: 2 }));
    expect([first.changed[0].before, first.changed[0].after].map((text) => /within (\d) s/.exec(text)?.[1])).toEqual(['3', '2']);
    expect(first.other).toEqual({ key: 'BRK-001', text: jasmine.stringContaining('400 ms') as unknown as string });
    const page = await suspects({ limit: '1' });
    expect([page.traces.length, page.total, page.next]).toEqual([1, 2, first.trace.id]);
    expect((await suspects({ after: String(page.next) })).traces.map(({ trace }) => trace.from)).toEqual(['BRK-002']);
    expect((await suspects({ specification: 'SYS' })).total).toBe(2);
    expect((await suspects({ of: 'BRK-003' })).total).toBe(0);
    expect((await p.call('auditor', prove.getImpact, { key: 'SYS-001' })).body.toDo.length).toBe(2);
  });

  it('are confirmed or broken many at once with one reason; what was revised again in between is confirmed by nobody', async () => {
    const ends = (await suspects()).traces.map(({ trace: { id, fromNow, toNow } }) => ({ id, fromRevision: fromNow, toRevision: toNow }));
    await revise('BRK-002', 'The horn shall sound for 2 s before the cabin leaves the station.');
    const stale = await p.call('author', base.confirmTraces, { reason: 'Both still hold.', traces: ends });
    expect([stale.problem.code, (await suspects({ specification: 'SYS' })).total]).toEqual(['conflict', 2]);
    const now = (await suspects({ specification: 'SYS' })).traces.map(({ trace: { id, fromNow, toNow } }) => ({
      id,
      fromRevision: fromNow,
      toRevision: toNow,
    }));
    expect((await p.call('author', base.confirmTraces, { reason: 'Both still hold.', traces: now })).body).toEqual({ done: 2 });
    const left = await suspects();
    expect(left.traces.map(({ trace }) => [trace.from, trace.to])).toEqual([['C-002', 'BRK-002']]);
    const ids = left.traces.map(({ trace }) => trace.id);
    expect((await p.call('author', base.removeTraces, { ids, reason: 'no' })).problem.code).toBe('invalid');
    expect((await p.call('author', base.removeTraces, { ids, reason: 'It shows something else.' })).body).toEqual({ done: 1 });
    expect((await suspects()).total).toBe(0);
    expect((await p.call('auditor', base.verifyLedger, {})).body).toEqual(jasmine.objectContaining({ rowFaults: [] }));
  });

  it('stand in a table of threads with results and gaps, as pages and as a file', async () => {
    await p.approve('BRK-001');
    await p.approve('C-001');
    const round = await p.call('author', run.addRound, {
      build: '1.0',
      title: 'R',
      configuration: 'rig',
      tester: 'tester',
      cases: ['C-001'],
    });
    const { body } = await p.call('auditor', prove.listThreads, {
      build: '1.0',
      filter: JSON.stringify({ field: 'specification', is: ['BRK'] }),
    });
    const thread = body.rows.find(({ key }) => key === 'BRK-001');
    expect(thread?.parents.map(({ key }) => key)).toEqual(['SYS-001']);
    expect(thread?.cases.map(({ key }) => key)).toEqual(['C-001', 'C-003']);
    expect(thread?.runs.map(({ key, state }) => [key, state])).toEqual([[round.body.items[0].key, 'planned']]);
    const url = '/api/projects/spec/exports/threads?format=csv&build=1.0';
    const csv = (await p.app.inject({ url, headers: { cookie: await p.cookie('auditor') } })).body;
    expect(csv.split('\n')[0].trim()).toBe('key,title,level,state,parents,children,cases,runs,functions,problems');
    expect(csv).toMatch(/BRK-003,.*,no parent,,C-003,not run,no code,/);
  });
});
