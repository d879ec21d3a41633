import * as contract from '@contract/base';
import type { Bulk } from '@contract/base';
import { signal } from '@angular/core';
import { usePicking } from '../picking';
import { FakeApi, mount, openWeb, type Mounted } from '../testing';
import { BulkPanel } from './bulk-panel';
import { reviewChoices, setChoice } from './choices';

const bulk = (more: Partial<Bulk> = {}): Bulk => ({
  id: 5,
  act: { act: 'retire' },
  reason: '',
  by: 'ada',
  at: '',
  total: 2,
  done: 1,
  refused: 1,
  undone: false,
  job: null,
  ...more,
});

describe('the panel of acts on many records', () => {
  let api: FakeApi;
  let panel: Mounted<BulkPanel>;
  const open = async (roles: Parameters<typeof openWeb>[0]): Promise<void> => {
    ({ api } = openWeb(roles));
    api
      .on(contract.previewBulk, () => ({
        total: 2,
        changed: 1,
        refused: 1,
        digest: 'd'.repeat(64),
        items: [
          { key: 'BRK-002', title: 'Two', revision: 1, state: 'draft', outcome: 'refused', words: 'not in review' },
          { key: 'BRK-001', title: 'One', revision: 1, state: 'review', outcome: 'done', words: 'revision 1 approved' },
        ],
      }))
      .on(contract.doBulk, () => bulk())
      .on(contract.undoBulk, () => bulk({ undone: true }))
      .on(contract.getBulk, () => ({ ...bulk(), items: [], next: null }))
      .on(contract.cancelJob, () => ({ ok: true }));
    panel = await mount(BulkPanel, { of: { kind: 'requirement', keys: ['BRK-001', 'BRK-002'] }, choices: reviewChoices(roles) });
  };

  it('offers only what the person may do', async () => {
    expect(reviewChoices(['tester']).length).toBe(0);
    expect(reviewChoices(['reviewer']).map((c) => c.words)).toEqual(['Back to draft', 'Approve']);
    expect(reviewChoices(['author']).map((c) => c.words)).not.toContain('Approve');
    expect(setChoice('level', 'Level', 'SIL 2').act).toEqual({ act: 'set', values: { level: 'SIL 2' } });
  });

  it('shows what would change and what is refused, and why, before anything is done', async () => {
    await open(['author']);
    expect(panel.text()).toContain('2 chosen');
    await panel.press(/Ask for review/);
    expect(panel.text()).toContain('1 would change');
    expect(panel.text()).toContain('1 would be refused');
    expect(panel.text()).toContain('not in review');
    expect(api.of(contract.doBulk)).toEqual([]);
  });

  it('sends just what was shown, and takes it back as one', async () => {
    await open(['author']);
    await panel.press(/Ask for review/);
    await panel.press(/Ask for review: 1/);
    expect(api.of(contract.doBulk)[0]).toEqual(
      jasmine.objectContaining({
        digest: 'd'.repeat(64),
        act: { act: 'state', state: 'review' },
        selection: { kind: 'requirement', keys: ['BRK-001', 'BRK-002'] },
      }),
    );
    expect(panel.text()).toContain('1 of 2 done, 1 refused.');
    await panel.press(/Take it back/);
    expect(api.of(contract.undoBulk)[0]['id']).toBe(5);
    expect(panel.text()).not.toContain('Take it back');
  });

  it('asks for a reason where one is kept, and for the password where it signs', async () => {
    await open(['author', 'reviewer']);
    await panel.press(/Retire/);
    expect(panel.missing(/Retire: 1/)).toBe('Say the reason.');
    await panel.write(/^Reason/, 'not needed');
    expect(panel.missing(/Retire: 1/)).toBe('');
    await panel.press(/^\s*Approve\s*$/);
    expect(panel.missing(/Approve: 1/)).toContain('Type your password');
    await panel.write(/Your password/, 'a pass-phrase');
    await panel.press(/Approve: 1/);
    expect(api.of(contract.doBulk)[0]['password']).toBe('a pass-phrase');
  });

  it('follows a job, and cancels the rest of it', async () => {
    await open(['author']);
    const job = {
      id: 9,
      kind: 'bulk',
      state: 'running' as const,
      progress: 0.5,
      message: '',
      build: '5',
      by: 'ada',
      createdAt: '',
      finishedAt: null,
      file: null,
    };
    api.on(contract.doBulk, () => bulk({ total: 900, done: 300, refused: 0, job }));
    await panel.press(/Ask for review/);
    await panel.press(/Ask for review: 1/);
    expect(panel.text()).toContain('You can leave this page');
    await panel.press(/Cancel the rest/);
    expect(api.of(contract.cancelJob)[0]['id']).toBe(9);
    panel.fixture.destroy();
  });

  it('forgets what it showed when another choice is made in the list', async () => {
    await open(['author']);
    await panel.press(/Ask for review/);
    panel.fixture.componentRef.setInput('of', { kind: 'requirement', keys: ['BRK-003'] });
    await panel.settled();
    expect(panel.text()).toContain('1 chosen');
    expect(panel.text()).not.toContain('would change');
  });

  it('says why it was refused as a whole', async () => {
    await open(['author']);
    api.refuse(contract.doBulk, { detail: 'What is chosen changed since it was shown.' });
    await panel.press(/Ask for review/);
    await panel.press(/Ask for review: 1/);
    expect(panel.text()).toContain('What is chosen changed since it was shown.');
  });
});

describe('choosing rows', () => {
  const rows = signal(['A', 'B', 'C', 'D', 'E']);
  const picking = () => usePicking(rows);

  it('one by one, a stretch from the last one, all, none', () => {
    const p = picking();
    p.toggle('B', 1);
    p.stretch(3);
    expect(p.shown()).toEqual(['B', 'C', 'D']);
    p.toggle('C', 2);
    expect(p.shown()).toEqual(['B', 'D']);
    p.stretch(0);
    expect(p.shown()).toEqual(['A', 'B', 'C', 'D']);
    p.all();
    expect(p.shown()).toEqual(rows());
    p.none();
    expect(p.shown()).toEqual([]);
  });

  it('counts only what the list still shows, and keeps the rest', () => {
    const some = signal(['A', 'B', 'C']);
    const p = usePicking(some);
    p.all();
    some.set(['B']);
    expect(p.shown()).toEqual(['B']);
    some.set(['A', 'B']);
    expect(p.shown()).toEqual(['A', 'B']);
  });
});
