import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, password, type Project } from './support';

/** A board with the cords that it adds up. */
interface Shown {
  readonly seq: number;
  readonly totals: prove.Board['totals'];
  readonly rows: readonly prove.BoardRow[];
}

describe('as of a ledger number', () => {
  let p: Project;
  const shown = async (asOf?: number): Promise<Shown> => {
    const when = { build: '1.0', ...(asOf === undefined ? {} : { asOf }) };
    const { seq, totals } = (await p.call('auditor', prove.getBoard, when)).body;
    const { rows, seq: same } = (await p.call('auditor', prove.listCords, when)).body;
    expect(same).toBe(seq);
    return { seq, totals, rows };
  };
  const at: Record<string, number> = {};
  const boards: Record<string, Shown> = {};
  const now = async (name: string): Promise<void> => {
    boards[name] = await shown();
    at[name] = boards[name].seq;
  };
  const states = (board: Shown) => board.rows.map((row) => [row.key, row.title, Object.values(row.states).join(' ')]);

  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('First') });
    await now('draft');
    await p.approve('BRK-001');
    const { body: c } = await p.call('author', design.addCase, { content: caseContent('Shows it'), verifies: ['BRK-001'] });
    await p.approve(c.key);
    await now('approved');
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('Second') });
    await now('second');
    const round = { build: '1.0', title: 'R', configuration: 'rig', tester: 'tester', cases: [c.key] };
    const { key } = (await p.call('author', run.addRound, round)).body.items[0];
    for (const step of [1, 2]) await p.call('tester', run.recordStep, { key, step, observed: 'seen', verdict: 'fail', seconds: 1 });
    await p.call('tester', run.finishRun, { key, seconds: 2 });
    await now('failed');
    const second = (await p.call('auditor', specify.getRequirement, { key: 'BRK-002' })).body;
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-002',
      reason: 'It was not clear.',
      basedOn: second.revision,
      content: content('Second, revised'),
    });
    await p.call('author', base.retireRecord, { key: 'BRK-002', retired: true, reason: 'not needed' });
    await now('retired');
  });
  afterAll(() => p.close());

  it('a board is what it was: its rows, its sums, and its number', async () => {
    for (const name of ['draft', 'approved', 'second', 'failed', 'retired']) {
      const then = await shown(at[name]);
      expect(states(then)).withContext(name).toEqual(states(boards[name]));
      expect(then.totals).withContext(name).toEqual(boards[name].totals);
      expect(then.seq).withContext(name).toBe(at[name]);
    }
    expect(new Set(Object.values(boards).map((board) => JSON.stringify(states(board)))).size).toBe(5);
  });

  it('is filtered, sorted and paged like the present one, and refused where nothing was judged yet', async () => {
    const then = { build: '1.0', asOf: at['failed'] };
    const asked = async (more: object) => (await p.call('auditor', prove.listCords, { ...then, ...more } as never)).body;
    const first = await asked({ limit: 1 });
    expect([first.rows.length, first.total]).toEqual([1, 2]);
    const rest = await asked({ limit: 1, after: first.next ?? '' });
    expect([...first.rows, ...rest.rows].map((r) => r.key)).toEqual(['BRK-001', 'BRK-002']);
    const broken = await asked({ filter: JSON.stringify({ field: 'cord', is: ['broken'] }) });
    expect(broken.rows.map((r) => r.key)).toEqual(['BRK-001']);
    expect((await asked({ filter: JSON.stringify({ words: 'second' }) })).rows.map((r) => r.key)).toEqual(['BRK-002']);
    expect((await p.call('auditor', prove.getBoard, { build: '1.0', asOf: 1 })).status).toBe(404);
    expect((await p.call('auditor', prove.listCords, { build: '1.0', asOf: 1 })).status).toBe(404);
    expect((await p.call('auditor', prove.listCords, { ...then, after: 'nowhere' })).status).toBe(400);
    expect((await p.call('auditor', prove.listCords, { ...then, sort: 'weight' })).status).toBe(400);
  });

  it('a cord tells its reasons of then', async () => {
    const then = (await p.call('auditor', prove.getCord, { key: 'BRK-001', build: '1.0', asOf: at['approved'] })).body;
    expect(then.states.run).toBe('waiting');
    expect((await p.call('auditor', prove.getCord, { key: 'BRK-001', build: '1.0' })).body.states.run).toBe('broken');
    expect((await p.call('auditor', prove.getCord, { key: 'BRK-002', build: '1.0', asOf: at['approved'] })).status).toBe(404);
    expect((await p.call('auditor', prove.getCord, { key: 'BRK-002', build: '1.0', asOf: at['second'] })).body.title).toBe('Second');
  });

  it('a record and its traces are those of then, as they were confirmed then', async () => {
    const trace = (await p.call('auditor', design.getCase, { key: 'C-001' })).body.verifies[0];
    const { seq: before } = (await p.call('auditor', base.getProject, {})).body;
    const first = (await p.call('auditor', specify.getRequirement, { key: 'BRK-001' })).body;
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-001',
      reason: 'It was not clear.',
      basedOn: first.revision,
      content: content('First, revised'),
    });
    const { seq: revised } = (await p.call('auditor', base.getProject, {})).body;
    await p.call('reviewer', base.confirmTrace, { id: trace.id, reason: 'still holds', fromRevision: 1, toRevision: 2 });
    await p.call('author', base.removeTrace, { id: trace.id, reason: 'no longer wanted' });
    const read = async (asOf?: number) =>
      (await p.call('auditor', base.getRecord, { key: 'BRK-001', ...(asOf === undefined ? {} : { asOf }) })).body;
    expect((await read()).traces).toEqual([]);
    expect((await read(before)).traces.map((t) => [t.toRevision, t.toNow, t.suspect])).toEqual([[1, 1, []]]);
    expect((await read(revised)).traces.map((t) => [t.toRevision, t.toNow, t.suspect])).toEqual([[1, 2, ['to']]]);
    expect((await read(before)).record.title).toBe('First');
    expect((await read(before)).record.revision).toBe(1);
  });

  it('a closed build stays as it was, whatever is done afterwards; and what was changed behind the ledger breaks it all the same', async () => {
    const board = () => shown();
    const before = await board();
    const closed = await p.call('reviewer', base.closeBuild, { key: '1.0', password, reason: 'delivered' });
    expect(closed.status).toBe(200);
    const { key } = (await p.call('auditor', run.listRuns, {})).body.rows[0];
    const decision = { key, choice: 'withdraw' as const, reason: 'a mistake', password };
    expect((await p.call('reviewer', run.decideRun, decision)).problem.code).toBe('closed');
    const { hash } = (await p.call('tester', run.getRun, { key })).body;
    expect((await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash })).problem.code).toBe('closed');
    const c = (await p.call('auditor', design.getCase, { key: 'C-001' })).body;
    await p.call('author', design.saveCase, {
      key: 'C-001',
      reason: 'It was not clear.',
      basedOn: c.revision,
      content: caseContent('Shows something else'),
    });
    expect(states(await board())).toEqual(states(before));
    expect((await board()).totals).toEqual(before.totals);
    await p.owner.query(
      `update ${p.name}.requirements q join ${p.name}.records r on r.id = q.id set q.body = 'forged' where r.record_key = 'BRK-001'`,
    );
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(1);
    const broken = await board();
    expect(broken.rows[0].states.prove).toBe('broken');
    expect(broken.totals.knots.prove.states.broken).toBe(1);
    const cord = (await p.call('auditor', prove.getCord, { key: 'BRK-001', build: '1.0' })).body;
    expect(cord.reasons.prove[0].words).toContain('Changed behind the ledger: BRK-001');
    // Its export says so too, and no filter hides it.
    const file = await p.app.inject({
      url: `/api/projects/spec/exports/cords?build=1.0&format=json&filter=${encodeURIComponent(JSON.stringify({ field: 'prove', is: ['broken'] }))}`,
      headers: { cookie: await p.cookie('auditor') },
    });
    expect(file.statusCode).toBe(200);
    expect((file.json() as { key: string; prove: string }[]).map((r) => [r.key, r.prove])).toEqual([['BRK-001', 'broken']]);
  });
});
