import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import type { OwnMeaning } from '@core/prove';
import { caseContent, content, openProject, password, type Project } from './support';

const witnessed: OwnMeaning = {
  name: 'witnessed',
  says: 'I saw it done.',
  roles: ['tester', 'reviewer'],
  kinds: ['run', 'requirement'],
};
const released: OwnMeaning = { name: 'released', says: 'I release it.', roles: ['administrator'], kinds: ['requirement', 'case'] };

describe('signatures in a meaning of the project’s own', () => {
  let p: Project;
  const mean = async (meanings: readonly OwnMeaning[]) => {
    const { profile, revision } = (await p.call('admin', base.getProject, {})).body;
    const policies = profile.policies ?? { ownApprovalAt: [], creditNeedsSignature: true, observationAt: [], reasonLength: 3 };
    return p.call('admin', base.setProfile, {
      basedOn: revision,
      profile: { ...profile, policies: { ...policies, meanings } } as never,
      reason: 'As we work.',
      password,
    });
  };
  const read = async (key: string) => (await p.call('auditor', base.getRecord, { key })).body;
  const sign = async (login: string, key: string, meaning: string, more: object = {}) =>
    p.call(login, base.signRecord, { key, meaning, hash: (await read(key)).hash ?? '0'.repeat(64), password, ...more });

  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
    await p.approve('BRK-001');
    await p.call('author', design.addCase, { content: caseContent('Shows it'), verifies: ['BRK-001'] });
    await p.approve('C-001');
    expect((await mean([witnessed, released])).status).toBe(200);
  });
  afterAll(() => p.close());

  it('are a list that is whole, in the signed profile, with none of the meanings that the rules know', async () => {
    const refused = await mean([witnessed, { ...released, name: 'reviewed' }, { ...released, roles: [] }]);
    expect(refused.status).toBe(400);
    expect(refused.problem.fields?.map(({ path }) => path)).toEqual(['profile.policies.meanings.1', 'profile.policies.meanings.2']);
    expect((await p.call('admin', base.getProject, {})).body.profile.policies?.meanings?.map(({ name }) => name)).toEqual([
      'witnessed',
      'released',
    ]);
  });

  it('are given by whom the list names, on what it names, bound to the text that was read', async () => {
    const before = (await p.call('auditor', prove.getCord, { key: 'BRK-001', build: '1.0' })).body.reasons;
    const done = await sign('reviewer', 'BRK-001', 'witnessed', { reason: 'On the rig.' });
    expect(done.status).toBe(200);
    const signed = (await read('BRK-001')).signatures;
    expect(signed.map(({ meaning, login, reason }) => [meaning, login, reason])).toEqual([
      ['approved', 'reviewer', ''],
      ['witnessed', 'reviewer', 'On the rig.'],
    ]);
    // An approval and it are bound to the same text.
    expect(new Set(signed.map(({ hash }) => hash)).size).toBe(1);
    expect((await sign('reviewer', 'BRK-001', 'witnessed')).problem.detail).toContain('already');
    expect((await sign('tester', 'BRK-001', 'witnessed')).status).toBe(200);
    expect((await sign('author', 'BRK-001', 'witnessed')).status).toBe(403);
    expect((await sign('reviewer', 'BRK-001', 'released')).status).toBe(403);
    expect((await sign('reviewer', 'C-001', 'witnessed')).status).toBe(403);
    expect((await sign('reviewer', 'BRK-001', 'approved')).status).toBe(403);
    expect((await sign('auditor', 'BRK-001', 'witnessed')).status).toBe(403);
    expect((await sign('admin', 'C-001', 'released', { password: 'wrong-password' })).problem.code).toBe('signaturePassword');
    expect((await sign('admin', 'C-001', 'released', { hash: 'a'.repeat(64) })).problem.code).toBe('conflict');
    // No rule rests on them.
    expect((await p.call('auditor', prove.getCord, { key: 'BRK-001', build: '1.0' })).body.reasons).toEqual(before);
  });

  it('stay with the text that they were given to, and are given anew to another', async () => {
    const now = (await p.call('author', specify.getRequirement, { key: 'BRK-001' })).body;
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-001',
      basedOn: now.revision,
      reason: 'Said more clearly.',
      content: content('It holds well'),
    });
    // A draft is not signed: what somebody signs stands.
    expect((await read('BRK-001')).hash).toBeNull();
    expect((await sign('reviewer', 'BRK-001', 'witnessed')).problem.code).toBe('stateForbids');
    await p.approve('BRK-001');
    const changed = await read('BRK-001');
    expect(changed.signatures.filter(({ hash }) => hash === changed.hash).map(({ meaning }) => meaning)).toEqual(['approved']);
    expect((await sign('reviewer', 'BRK-001', 'witnessed')).status).toBe(200);
    expect((await read('BRK-001')).signatures.filter(({ hash }) => hash === changed.hash).length).toBe(2);
  });

  it('are given to a run only once its tester signed it, and close nothing before', async () => {
    const planned = await p.call('author', run.addRound, {
      build: '1.0',
      title: 'One',
      configuration: 'rig',
      tester: 'tester',
      cases: ['C-001'],
    } as never);
    expect(planned.status).toBe(200);
    const [{ key }] = (await p.call('tester', run.listRuns, {})).body.rows;
    const { case: shown } = (await p.call('tester', run.getRun, { key })).body;
    for (let step = 1; step <= shown.steps.length; step++)
      await p.call('tester', run.recordStep, { key, step, observed: 'as expected', verdict: 'pass', seconds: 1 } as never);
    expect((await p.call('tester', run.finishRun, { key, seconds: 10 } as never)).status).toBe(200);
    expect((await sign('reviewer', key, 'witnessed')).problem.code).toBe('stateForbids');
    const { hash } = (await p.call('tester', run.getRun, { key })).body;
    expect((await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash })).status).toBe(200);
    expect((await read(key)).hash).toBe(hash);
    expect((await sign('reviewer', key, 'witnessed')).status).toBe(200);
    expect((await p.call('reviewer', run.signRun, { key, meaning: 'reviewed', password, hash })).status).toBe(200);
    const told = (await p.call('auditor', run.getRun, { key })).body.signatures;
    expect(told.map(({ meaning, matches }) => [meaning, matches])).toEqual([
      ['performed', true],
      ['witnessed', true],
      ['reviewed', true],
    ]);
  });

  it('keep their meaning when it is taken out of the list; nobody signs so any more', async () => {
    expect((await mean([released])).status).toBe(200);
    expect((await sign('tester', 'BRK-001', 'witnessed')).status).toBe(403);
    expect((await read('BRK-001')).signatures.filter(({ meaning }) => meaning === 'witnessed').length).toBe(3);
    const counts = (await p.call('auditor', base.countMeanings, {})).body;
    expect(counts.find(({ name }) => name === 'witnessed')?.signatures).toBe(4);
    expect(counts.find(({ name }) => name === 'approved')?.signatures).toBe(3);
  });

  it('are accounted for by the ledger: one that was put in behind it is named', async () => {
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
    await p.owner.query(`update ${p.name}.signatures set meaning = 'reviewed' where meaning = 'witnessed' limit 1`);
    const { rowFaultCount, rowFaults } = (await p.call('auditor', base.verifyLedger, {})).body;
    expect(rowFaultCount).toBe(1);
    expect(JSON.stringify(rowFaults)).toContain('signatures');
  });
});
