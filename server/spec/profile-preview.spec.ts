import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, password, type Project } from './support';

describe('what another profile would change', () => {
  let p: Project;
  const profileNow = async () => (await p.call('admin', base.getProject, {})).body;
  const states = async () =>
    (await p.call('auditor', prove.listCords, { build: '1.0', limit: 50 })).body.rows.map(
      ({ key, states: of }) => [key, of.prove] as const,
    );
  const preview = async (change: object, login = 'admin') => {
    const { profile } = await profileNow();
    return p.call(login, prove.previewProfile, { build: '1.0', profile: { ...profile, ...change } as never });
  };

  beforeAll(async () => {
    p = await openProject();
    for (const n of [1, 2]) {
      await p.call('author', specify.addRequirement, { specification: 'BRK', content: content(`It holds ${n}`) });
      await p.approve(`BRK-00${n}`);
      await p.call('author', design.addCase, { content: caseContent(`Shows it ${n}`), verifies: [`BRK-00${n}`] });
      await p.approve(`C-00${n}`);
    }
    const planned = await p.call('author', run.addRound, {
      build: '1.0',
      title: 'One',
      configuration: 'rig',
      tester: 'tester',
      cases: ['C-001'],
    });
    const { key } = planned.body.items[0];
    await p.call('tester', run.startRun, { key });
    const { steps } = (await p.call('tester', run.getRun, { key })).body;
    for (let step = 1; step <= steps.length; step++)
      await p.call('tester', run.recordStep, { key, step, verdict: 'pass', observed: 'It held.', seconds: 60 });
    await p.call('tester', run.finishRun, { key, seconds: 60 });
    const { hash } = (await p.call('tester', run.getRun, { key })).body;
    expect((await p.call('tester', run.signRun, { key, meaning: 'performed', hash: hash ?? '', password })).status).toBe(200);
  });
  afterAll(() => p.close());

  it('is told by knot and requirement, stores nothing, and is what comes once it is signed', async () => {
    const before = await states();
    const head = (await p.call('auditor', base.listLedger, { limit: 1 })).body.total;
    const told = (await preview({ reviewAt: [] })).body;
    expect([told.build, told.of, told.changed]).toEqual(['1.0', 2, 1]);
    expect(told.shifts[0]).toEqual({ knot: 'prove', from: 'waiting', to: 'sound', count: 1, keys: ['BRK-001'] });
    expect(await states()).toEqual(before);
    expect((await p.call('auditor', base.listLedger, { limit: 1 })).body.total).toBe(head);

    const { profile, revision } = await profileNow();
    await p.call('admin', base.setProfile, { basedOn: revision, profile: { ...profile, reviewAt: [] }, reason: 'Small.', password });
    expect(await states()).toEqual(before.map(([key, state]) => [key, key === 'BRK-001' ? told.shifts[0].to : state]));
    // And back: the same the other way round, also where credit is judged anew.
    const policies = { ownApprovalAt: [], creditNeedsSignature: false, observationAt: [], reasonLength: 3 };
    const back = (await preview({ reviewAt: profile.reviewAt, policies })).body;
    expect(back.shifts.filter(({ knot }) => knot === 'prove')).toEqual([
      { knot: 'prove', from: 'sound', to: 'waiting', count: 1, keys: ['BRK-001'] },
    ]);
    expect((await preview({})).body.changed).toBe(0);
  });

  it('is for administrators, of a build that there is, and of a profile that can be one', async () => {
    expect((await preview({}, 'author')).status).toBe(403);
    const { profile } = await profileNow();
    expect((await p.call('admin', prove.previewProfile, { build: '9.9', profile })).status).toBe(404);
    expect((await preview({ targets: 'all' })).status).toBe(400);
  });
});
