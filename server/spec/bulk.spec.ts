import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import type { BulkAct, Selection } from '@contract/base';
import { JobRunner, workBulkJob } from '../src/base';
import { caseContent, content, eventually, openProject, password, type Project } from './support';

describe('an act on many records', () => {
  let p: Project;
  const keys = (n: number, from = 1): string[] => Array.from({ length: n }, (_, i) => `BRK-${String(from + i).padStart(3, '0')}`);
  const preview = (login: string, selection: Selection, act: BulkAct, reason = 'as agreed') =>
    p.call(login, base.previewBulk, { selection, act, reason });
  const doIt = async (login: string, selection: Selection, act: BulkAct, more: { reason?: string; password?: string } = {}) => {
    const { body } = await preview(login, selection, act);
    return p.call(login, base.doBulk, { selection, act, digest: body.digest, reason: 'as agreed', ...more });
  };
  const get = async (key: string) => (await p.call('auditor', specify.getRequirement, { key })).body;

  beforeAll(async () => {
    p = await openProject();
    const rows = keys(12).map((key, i) => `${key},Title ${i},It shall hold ${i}.,SIL ${1 + (i % 2)},test`);
    await p.call('author', specify.importRequirements, {
      specification: 'BRK',
      fileName: 'r.csv',
      csv: `key,title,text,level,method\n${rows.join('\n')}\n`,
      mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
    });
    await p.call('author', specify.addSpecification, { key: 'SYS', title: 'System', prefix: 'SYS' });
  });
  afterAll(() => p.close());

  it('shows first what it would change, and changes nothing by showing it', async () => {
    const before = (await p.call('auditor', base.listLedger, {})).body.total;
    const { body } = await preview('author', { kind: 'requirement', keys: keys(3) }, { act: 'set', values: { level: 'SIL 3' } });
    expect(body).toEqual(jasmine.objectContaining({ total: 3, changed: 3, refused: 0 }));
    expect(body.items[0].words).toBe('level: SIL 1 → SIL 3');
    expect((await get('BRK-001')).revision).toBe(1);
    expect((await p.call('auditor', base.listLedger, {})).body.total).toBe(before);
  });

  it('does just that, and takes it back as one', async () => {
    const { body } = await doIt('author', { kind: 'requirement', keys: keys(3) }, { act: 'set', values: { level: 'SIL 3' } });
    expect(body).toEqual(jasmine.objectContaining({ total: 3, done: 3, refused: 0, job: null, undone: false }));
    expect((await get('BRK-002')).level).toBe('SIL 3');
    const undone = await p.call('author', base.undoBulk, { id: body.id });
    expect(undone.body).toEqual(jasmine.objectContaining({ total: 3, done: 3 }));
    expect((await get('BRK-001')).level).toBe('SIL 1');
    expect((await get('BRK-002')).level).toBe('SIL 2');
    expect((await p.call('author', base.undoBulk, { id: body.id })).problem.code).toBe('stateForbids');
    const { body: list } = await p.call('auditor', base.listBulk, {});
    expect(list.filter(({ act }) => act.act === 'set').map((b) => b.undone)).toEqual([false, true]);
  });

  it('leaves what somebody changed since as it is when it is taken back, and names it', async () => {
    const { body } = await doIt('author', { kind: 'requirement', keys: keys(2) }, { act: 'set', values: { rationale: 'because' } });
    const changed = await get('BRK-001');
    const { status } = await p.call('author', specify.saveRequirement, {
      key: 'BRK-001',
      reason: 'It was not clear.',
      basedOn: changed.revision,
      content: content('Mine') as never,
    });
    expect(status).toBe(200);
    const undone = (await p.call('author', base.undoBulk, { id: body.id })).body;
    expect([undone.done, undone.refused]).toEqual([1, 1]);
    expect((await get('BRK-001')).title).toBe('Mine');
    const { body: items } = await p.call('auditor', base.getBulk, { id: undone.id, outcome: 'refused' });
    expect(items.items.map((item) => item.key)).toEqual(['BRK-001']);
    expect(items.items[0].words).toContain('changed in between, by author');
  });

  it('takes all that a filter finds', async () => {
    const filter = JSON.stringify({ field: 'level', is: ['SIL 2'] });
    const { body } = await preview('author', { kind: 'requirement', filter, specification: 'BRK' }, { act: 'state', state: 'review' });
    const { body: page } = await p.call('author', specify.listRequirements, { filter });
    expect(body.total).toBe(page.total ?? -1);
    expect(body.changed).toBeGreaterThan(3);
  });

  it('refuses each record for itself, for the reason that the single act would give', async () => {
    const mixed: Selection = { kind: 'requirement', keys: ['BRK-004', 'BRK-005'] };
    await p.call('author', specify.setRequirementState, { key: 'BRK-004', basedOn: 1, state: 'review' });
    const { body } = await preview('reviewer', mixed, { act: 'approve' });
    expect([body.changed, body.refused]).toEqual([1, 1]);
    expect(body.items.find((item) => item.key === 'BRK-005')?.words).toContain('not in review');
    const { body: done } = await doIt('reviewer', mixed, { act: 'approve' }, { password });
    expect([done.done, done.refused]).toEqual([1, 1]);
    expect((await get('BRK-004')).signatures.map((s) => [s.meaning, s.login])).toEqual([['approved', 'reviewer']]);
  });

  it('signs only with the password, and only what the preview showed', async () => {
    const selection: Selection = { kind: 'requirement', keys: ['BRK-006'] };
    await p.call('author', specify.setRequirementState, { key: 'BRK-006', basedOn: 1, state: 'review' });
    const { digest } = (await preview('reviewer', selection, { act: 'approve' })).body;
    const sign = { selection, act: { act: 'approve' as const }, digest, reason: 'read' };
    expect((await p.call('reviewer', base.doBulk, { ...sign, password: 'wrong' })).problem.code).toBe('signaturePassword');
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-006',
      reason: 'It was not clear.',
      basedOn: 1,
      content: content('Other') as never,
    });
    expect((await p.call('reviewer', base.doBulk, { ...sign, password })).problem.code).toBe('conflict');
    expect((await get('BRK-006')).signatures).toEqual([]);
  });

  it('is refused to who may not do the single act', async () => {
    const selection: Selection = { kind: 'requirement', keys: keys(1) };
    expect((await preview('tester', selection, { act: 'retire' })).status).toBe(403);
    expect((await preview('auditor', selection, { act: 'state', state: 'review' })).status).toBe(403);
    expect((await preview('author', selection, { act: 'approve' })).status).toBe(403);
    expect((await preview('author', selection, { act: 'reassign', tester: 'tester' })).body.refused).toBe(1);
    expect((await preview('author', { kind: 'requirement', keys: ['BRK-999'] }, { act: 'retire' })).problem.detail).toContain('BRK-999');
    expect((await preview('author', { kind: 'requirement' }, { act: 'retire' })).status).toBe(400);
  });

  it('retires with a reason, and brings back', async () => {
    const selection: Selection = { kind: 'requirement', keys: ['BRK-011', 'BRK-012'] };
    expect((await doIt('author', selection, { act: 'retire' }, { reason: '' })).status).toBe(400);
    const { body } = await doIt('author', selection, { act: 'retire' });
    expect((await get('BRK-011')).state).toBe('retired');
    expect((await p.call('author', base.undoBulk, { id: body.id })).body.done).toBe(2);
    expect((await get('BRK-011')).state).toBe('draft');
  });

  it('moves to another specification with all that stands below, and back', async () => {
    await p.call('author', specify.placeRequirement, { key: 'BRK-008', under: 'BRK-007', before: null });
    const { body } = await doIt('author', { kind: 'requirement', keys: ['BRK-007'] }, { act: 'move', specification: 'SYS', under: null });
    expect(body.done).toBe(1);
    expect((await get('BRK-007')).specification).toBe('SYS');
    expect((await get('BRK-008')).specification).toBe('SYS');
    expect((await get('BRK-008')).under).toBe('BRK-007');
    await p.call('author', base.undoBulk, { id: body.id });
    expect((await get('BRK-008')).specification).toBe('BRK');
    const below = await preview(
      'author',
      { kind: 'requirement', keys: ['BRK-007'] },
      { act: 'move', specification: 'BRK', under: 'BRK-008' },
    );
    expect(below.body.items[0].words).toContain('below itself');
  });

  it('copies, with traces where they are wanted', async () => {
    await p.call('author', base.addTrace, { kind: 'parent', from: 'BRK-009', to: 'BRK-010' });
    const { body } = await doIt('author', { kind: 'requirement', keys: ['BRK-009'] }, { act: 'copy', specification: 'SYS', traces: true });
    const { items } = (await p.call('auditor', base.getBulk, { id: body.id })).body;
    expect(items[0].words).toBe('copied as SYS-001');
    const copy = await get('SYS-001');
    expect([copy.state, copy.revision, copy.title, copy.specification]).toEqual(['draft', 1, (await get('BRK-009')).title, 'SYS']);
    expect(copy.parents.map((t) => t.to)).toEqual(['BRK-010']);
  });

  it('reassigns and withdraws runs, copies cases with what they verify', async () => {
    const { body: c } = await p.call('author', design.addCase, { content: caseContent('Shows it'), verifies: ['BRK-010'] });
    await p.approve(c.key);
    const round = { build: '1.0', title: 'R', configuration: 'rig', tester: 'tester', cases: [c.key] };
    const [{ key }] = (await p.call('author', run.addRound, round)).body.items;
    const runs: Selection = { kind: 'run', build: '1.0', filter: JSON.stringify({ field: 'state', is: ['planned'] }) };
    const given = await doIt('author', runs, { act: 'reassign', tester: 'both' });
    expect(given.body.done).toBe(1);
    expect((await p.call('auditor', run.getRun, { key })).body.tester).toBe('both');
    expect((await p.call('author', base.undoBulk, { id: given.body.id })).body.done).toBe(1);
    const gone = await doIt('author', { kind: 'run', keys: [key] }, { act: 'withdraw' }, { password });
    expect(gone.body.done).toBe(1);
    expect((await p.call('auditor', run.getRun, { key })).body.state).toBe('withdrawn');
    expect((await p.call('author', base.undoBulk, { id: gone.body.id })).problem.detail).toContain('signed');
    const copied = await doIt('author', { kind: 'case', keys: [c.key] }, { act: 'copy', traces: true });
    expect(copied.body.done).toBe(1);
    expect((await p.call('auditor', design.getCase, { key: 'C-002' })).body.verifies.map((t) => t.to)).toEqual(['BRK-010']);
  });

  it('beyond five hundred records is a job, goes on where a killed one stopped, and can be cancelled', async () => {
    const rows = keys(600, 100).map((key) => `${key},T,It shall hold.,SIL 1,test`);
    await p.call('author', specify.importRequirements, {
      specification: 'BRK',
      fileName: 'many.csv',
      csv: `key,title,text,level,method\n${rows.join('\n')}\n`,
      mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
    });
    const many: Selection = { kind: 'requirement', keys: keys(600, 100) };
    const { body: asked } = await doIt('author', many, { act: 'set', values: { method: 'analysis' } });
    expect(asked.job?.state).toBe('queued');
    let batches = 0;
    const runner = new JobRunner(
      p.database,
      {
        bulk: (job, progress) =>
          workBulkJob(p.database.db, job, {
            report: async (part, words) => {
              // The first worker dies after two batches.
              if (++batches === 3) throw new Error('killed');
              await progress.report(part, words);
            },
          }),
      },
      () => undefined,
    );
    runner.start();
    const until = (state: string): Promise<void> =>
      eventually(async () => (await p.call('auditor', base.getBulk, { id: asked.id })).body.job?.state === state);
    await until('failed');
    const half = (await p.call('auditor', base.getBulk, { id: asked.id })).body;
    expect(half.done).toBe(200);
    await p.owner.query(`update ${p.name}.jobs set state = 'running', heartbeat = '2020-01-01T00:00:00.000Z' where id = ?`, [half.job?.id]);
    await until('done');
    await runner.stop();
    const whole = (await p.call('auditor', base.getBulk, { id: asked.id })).body;
    expect([whole.done, whole.refused]).toEqual([600, 0]);
    // One revision each: nothing was done twice.
    const { body: page } = await p.call('author', specify.listRequirements, {
      filter: JSON.stringify({
        and: [
          { field: 'method', is: ['analysis'] },
          { field: 'revision', is: [2] },
        ],
      }),
    });
    expect(page.total).toBe(600);
    const second = await p.call('author', base.undoBulk, { id: asked.id });
    expect((await p.call('tester', base.cancelJob, { id: second.body.job?.id ?? 0 })).problem.code).toBe('forbidden');
    expect((await p.call('author', base.cancelJob, { id: second.body.job?.id ?? 0 })).status).toBe(200);
    expect((await p.call('auditor', base.getBulk, { id: second.body.id })).body.job?.state).toBe('cancelled');
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
  });
});
