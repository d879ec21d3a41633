import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, password, type Project } from './support';

describe('Run', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, {
      specification: 'BRK',
      content: content('It holds', { notInCode: true, notInCodeRationale: 'A lever.' }),
    });
    await p.approve('BRK-001');
  });
  afterAll(() => p.close());

  const designCase = async (title: string): Promise<string> => {
    const { body } = await p.call('author', design.addCase, { content: caseContent(title), verifies: ['BRK-001'] });
    await p.approve(body.key);
    return body.key;
  };
  const plan = async (cases: string[], tester = 'tester') =>
    (await p.call('author', run.addRound, { build: '1.0', title: 'Round', configuration: 'rig', tester, cases })).body;
  const record = async (key: string, verdicts: ('pass' | 'fail' | 'deviation' | 'blocked')[], who = 'tester') => {
    for (const [i, verdict] of verdicts.entries())
      await p.call(who, run.recordStep, { key, step: i + 1, observed: 'seen', verdict, seconds: i });
    return (await p.call(who, run.finishRun, { key, seconds: 30 })).body;
  };
  const sign = (who: string, key: string, meaning: 'performed' | 'reviewed', hash: string, more = {}) =>
    p.call(who, run.signRun, { key, meaning, password, hash, ...more });
  const cord = async () => (await p.call('auditor', prove.getCord, { key: 'BRK-001', build: '1.0' })).body;

  it('proves a requirement: recorded, performed, reviewed by another person', async () => {
    const key = await designCase('The whole way');
    expect((await cord()).states.run).toBe('waiting');
    const [item] = (await plan([key])).items;
    const done = await record(item.key, ['pass', 'pass']);
    expect(done.verdict).toBe('passed');
    expect((await cord()).states.prove).toBe('waiting');
    expect((await sign('tester', item.key, 'performed', done.hash)).status).toBe(200);
    expect((await cord()).break?.words).toContain('waiting for an independent reviewer');
    expect((await sign('reviewer', item.key, 'reviewed', done.hash)).status).toBe(200);
    expect((await cord()).break).toBeNull();
  });

  it('withdraws a round that was planned by mistake, whole and signed, unless somebody recorded in it', async () => {
    const { body: other } = await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('Another') });
    const cases: string[] = [];
    for (const title of ['One', 'Two']) {
      const { body: made } = await p.call('author', design.addCase, { content: caseContent(title), verifies: [other.key] });
      await p.approve(made.key);
      cases.push(made.key);
    }
    const wrong = await plan(cases);
    const ask = { key: wrong.key, reason: 'For the other build.', password };
    expect((await p.call('tester', run.withdrawRound, { ...ask, password: 'not the password' })).problem.code).toBe('signaturePassword');
    expect((await p.call('auditor', run.withdrawRound, ask)).status).toBe(403);
    const { body } = await p.call('author', run.withdrawRound, ask);
    expect([body.state, body.items.map(({ state }) => state)]).toEqual(['withdrawn', ['withdrawn', 'withdrawn']]);
    expect((await p.call('author', run.withdrawRound, ask)).problem.code).toBe('stateForbids');
    const right = await plan(cases);
    await record(right.items[0].key, ['pass', 'pass']);
    const refused = await p.call('author', run.withdrawRound, { ...ask, key: right.key });
    expect(refused.problem.detail).toContain(`${right.items[0].key} first`);
    expect((await p.call('auditor', run.getRound, { key: right.key })).body.items.map(({ state }) => state)).toEqual([
      'recorded',
      'planned',
    ]);
  });

  it('tells what a round would be before it is written, and shares its runs out evenly', async () => {
    const made: string[] = [];
    for (const title of ['Shared one', 'Shared two', 'Shared three']) {
      made.push((await p.call('author', design.addCase, { content: caseContent(title), verifies: [] })).body.key);
      await p.approve(made[made.length - 1]);
    }
    const draft = (await p.call('author', design.addCase, { content: caseContent('Shared draft'), verifies: [] })).body.key;
    const question = { build: '1.0', configuration: 'rig 7', tester: 'tester', sharedWith: ['both'], filter: '{"words":"Shared"}' };
    const before = (await p.call('auditor', run.listRounds, { build: '1.0' })).body.total;
    const { body: preview } = await p.call('author', run.previewRound, question);
    const each = caseContent('').plannedMinutes;
    expect(preview).toEqual(
      jasmine.objectContaining({ cases: 3, runs: 3, minutes: 3 * each, refusedCount: 1, passedCount: 0, againCount: 0 }),
    );
    expect(preview.refused).toEqual([{ key: draft, why: `${draft} is not approved: only approved cases are run.` }]);
    expect(preview.people).toEqual([
      { login: 'tester', runs: 2, minutes: 2 * each },
      { login: 'both', runs: 1, minutes: each },
    ]);
    expect((await p.call('auditor', run.listRounds, { build: '1.0' })).body.total).toBe(before);
    const { body: round } = await p.call('author', run.addRound, { ...question, title: 'Shared' });
    expect(round.items.map(({ caseKey, tester }) => [caseKey, tester])).toEqual([
      [made[0], 'tester'],
      [made[1], 'both'],
      [made[2], 'tester'],
    ]);
    const done = await record(round.items[0].key, ['pass', 'pass']);
    expect(done.verdict).toBe('passed');
    const again = (await p.call('author', run.previewRound, question)).body;
    expect(again).toEqual(jasmine.objectContaining({ runs: 3, again: [made[0]], againCount: 1 }));
    const without = (await p.call('author', run.previewRound, { ...question, leaveOut: 'passed' })).body;
    expect(without).toEqual(jasmine.objectContaining({ runs: 2, passedCount: 1, againCount: 0 }));
    expect(without.passed).toEqual([{ key: made[0], why: `${round.items[0].key} passed and stands.` }]);
    expect((await p.call('author', run.addRound, { ...question, title: 'Again' })).problem.fields?.[0].path).toBe('reason');
    const strange = await p.call('author', run.previewRound, { ...question, sharedWith: ['auditor'] });
    expect(strange.problem.fields?.[0].text).toContain('auditor is not a tester');
    expect((await p.call('auditor', run.previewRound, question)).status).toBe(403);
  });

  it('refuses to plan a case without steps or without approval, and names it', async () => {
    const { body } = await p.call('author', design.addCase, { content: { ...caseContent('No steps'), steps: [] }, verifies: [] });
    expect((await p.call('author', design.setCaseState, { key: body.key, basedOn: 1, state: 'review' })).problem.detail).toContain(
      'no steps',
    );
    const refused = await p.call('author', run.addRound, {
      build: '1.0',
      title: 'R',
      configuration: 'rig',
      tester: 'tester',
      cases: [body.key],
    });
    expect(refused.status).toBe(400);
    expect(refused.problem.detail).toContain(body.key);
  });

  it('plans a run for each data row, filled in, leaves out what still stands, and says when a row is gone', async () => {
    const rows = ['2.5', '3.5'].map((time, i) => ({ name: String(i + 1), values: { time } }));
    const given = { ...caseContent('Rows'), steps: [{ action: 'Wait {{time}} s', expected: 'Alarm' }], rows };
    const { body } = await p.call('author', design.addCase, { content: given, verifies: [] });
    await p.approve(body.key);
    expect((await p.call('auditor', design.getCase, { key: body.key })).body.rows).toEqual(rows);
    const round = await plan([body.key]);
    expect(round.items.map((item) => item.row)).toEqual(['1', '2']);
    const first = (await p.call('tester', run.getRun, { key: round.items[0].key })).body;
    expect([first.case.steps[0].action, first.case.rows]).toEqual(['Wait 2.5 s', [rows[0]]]);
    await record(round.items[0].key, ['pass']);
    const again = { build: '1.0', title: 'Again', configuration: 'rig', tester: 'tester', cases: [body.key], leaveOut: 'passed' as const };
    expect((await p.call('author', run.addRound, again)).body.items.map((item) => item.row)).toEqual(['2']);
    // Another configuration has passed nothing.
    expect((await p.call('author', run.addRound, { ...again, configuration: 'cold' })).body.items.length).toBe(2);
    // The row is taken out of the case: its run can be carried over, not run again.
    await p.call('author', design.saveCase, {
      key: body.key,
      reason: 'It was not clear.',
      basedOn: 1,
      content: { ...given, rows: rows.slice(1) },
    });
    await p.approve(body.key);
    const gone = await p.call('tester', run.decideRun, { key: round.items[0].key, choice: 'rerun', reason: 'It changed.', password });
    expect(gone.problem.detail).toContain('no data row 1 any more');
    await p.call('author', design.saveCase, {
      key: body.key,
      reason: 'It was not clear.',
      basedOn: 2,
      content: { ...given, rows: undefined, steps: caseContent('x').steps },
    });
    expect((await p.call('auditor', design.getCase, { key: body.key })).body.rows).toBeUndefined();
  });

  it('freezes the steps of called revisions in their place, and refuses loops with the loop named', async () => {
    const { key: called } = (await p.call('author', design.addCase, { content: caseContent('Called'), verifies: [] })).body;
    await p.approve(called);
    const call = (key: string, revision: number, values: Record<string, string> = {}) => ({
      action: '',
      expected: '',
      call: { key, revision, with: values },
    });
    const { body: caller } = await p.call('author', design.addCase, {
      content: { ...caseContent('Caller'), steps: [call(called, 1), { action: 'Look', expected: 'Lit' }] },
      verifies: [],
    });
    await p.approve(caller.key);
    const [item] = (await plan([caller.key])).items;
    const frozen = (await p.call('tester', run.getRun, { key: item.key })).body.case.steps;
    expect(frozen.map((step) => step.from)).toEqual([`${called} step 1`, `${called} step 2`, undefined]);
    // The called case goes on; what is called stays what it was.
    await p
      .call('author', design.saveCase, {
        key: called,
        reason: 'It was not clear.',
        basedOn: 1,
        content: { ...caseContent('Called'), steps: [call(caller.key, 1)] },
      })
      .then((refused) => {
        expect(refused.status).toBe(400);
        expect(refused.problem.detail).toContain(`A loop of calls: ${called} → ${caller.key} → ${called}`);
      });
    const missing = await p.call('author', design.addCase, { content: { ...caseContent('x'), steps: [call('C-999', 1)] }, verifies: [] });
    expect(missing.problem.detail).toContain('There is no case C-999 revision 1');
  });

  it('refuses to approve a case whose names no row fills', async () => {
    const { body } = await p.call('author', design.addCase, {
      content: { ...caseContent('Open'), steps: [{ action: 'Wait {{time}} s', expected: 'x' }] },
      verifies: [],
    });
    const refused = await p.call('author', design.setCaseState, { key: body.key, basedOn: 1, state: 'review' });
    expect(refused.problem.detail).toContain('{{time}} has no data row');
  });

  it('signs only with the right password, by the right person, for the record that was seen', async () => {
    const key = await designCase('Signatures');
    const [item] = (await plan([key], 'both')).items;
    const done = await record(item.key, ['pass', 'pass'], 'both');
    expect((await sign('reviewer', item.key, 'reviewed', done.hash)).problem.code).toBe('notPerformed');
    expect((await sign('tester', item.key, 'performed', done.hash)).problem.code).toBe('notTester');
    expect(
      (await p.call('both', run.signRun, { key: item.key, meaning: 'performed', password: 'wrong', hash: done.hash })).problem.code,
    ).toBe('signaturePassword');
    expect((await sign('both', item.key, 'performed', '0'.repeat(64))).problem.code).toBe('recordChanged');
    expect((await sign('both', item.key, 'performed', done.hash)).status).toBe(200);
    expect((await sign('both', item.key, 'performed', done.hash)).problem.code).toBe('alreadySigned');
    expect((await sign('both', item.key, 'reviewed', done.hash)).problem.code).toBe('selfReview');
    const changed = await p.call('both', run.recordStep, { key: item.key, step: 1, observed: 'other', verdict: 'fail', seconds: 1 });
    expect(changed.problem.code).toBe('signed');
    await sign('reviewer', item.key, 'reviewed', done.hash);
  });

  it('shows a signature whose record was changed behind the server’s back as broken', async () => {
    const key = await designCase('Tampering');
    const [item] = (await plan([key])).items;
    const done = await record(item.key, ['pass', 'pass']);
    await sign('tester', item.key, 'performed', done.hash);
    await sign('reviewer', item.key, 'reviewed', done.hash);
    const swap = (from: string, to: string) =>
      p.owner.query(
        `update ${p.name}.runs u join ${p.name}.records r on r.id = u.id set u.steps = replace(u.steps, ?, ?) where r.record_key = ?`,
        [from, to, item.key],
      );
    await swap('"observed":"seen"', '"observed":"else"');
    expect((await p.call('auditor', run.getRun, { key: item.key })).body.signatures.every((s) => !s.matches)).toBeTrue();
    const found = (await p.call('auditor', base.verifyLedger, {})).body;
    expect(found.rowFaults).toEqual([jasmine.objectContaining({ table: 'runs', fault: 'changed' })]);
    expect((await cord()).states.prove).toBe('broken');
    await swap('"observed":"else"', '"observed":"seen"');
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
    expect((await cord()).states.prove).toBe('sound');
  });

  it('saying the same step twice is one record, and a verdict other than pass needs words', async () => {
    const key = await designCase('Repeats');
    const [item] = (await plan([key])).items;
    const step = (observed: string, verdict: 'pass' | 'fail') =>
      p.call('tester', run.recordStep, { key: item.key, step: 1, observed, verdict, seconds: 1 });
    await step('seen', 'pass');
    await step('seen', 'pass');
    const entries = await p.call('auditor', base.listLedger, { q: item.key });
    expect(entries.body.entries.filter((e) => e.action === 'step recorded').length).toBe(1);
    expect((await step('', 'fail')).problem.fields?.[0].path).toBe('observed');
    expect((await p.call('tester', run.finishRun, { key: item.key, seconds: 1 })).problem.detail).toContain('Step 2');
    await record(item.key, ['pass', 'pass']);
    const { body } = await p.call('auditor', run.getRun, { key: item.key });
    await sign('tester', item.key, 'performed', body.hash);
    await sign('reviewer', item.key, 'reviewed', body.hash);
  });

  it('opens a problem report from a failed step, linked to step, run, case, requirement and build, which blocks until closed', async () => {
    const key = await designCase('Fails');
    const [item] = (await plan([key])).items;
    await record(item.key, ['pass', 'fail']);
    const { body: problem } = await p.call('tester', run.addProblem, {
      title: 'It fails',
      description: 'So',
      run: item.key,
      step: 2,
      build: '1.0',
    });
    expect([problem.run, problem.step, problem.caseKey, problem.build, problem.requirements]).toEqual([
      item.key,
      2,
      key,
      '1.0',
      ['BRK-001'],
    ]);
    expect((await cord()).break?.words).toContain(`Step 2 of ${item.key} (${key}) failed · ${problem.key} open`);
    const again = (await p.call('tester', run.decideRun, { key: item.key, choice: 'rerun', reason: 'Repaired' })).body.plannedAgain ?? '';
    // Planning again hides nothing.
    expect((await cord()).break?.words).toContain(`Step 2 of ${item.key}`);
    const done = await record(again, ['pass', 'pass']);
    await sign('tester', again, 'performed', done.hash);
    await sign('reviewer', again, 'reviewed', done.hash);
    expect((await cord()).break?.words).toContain('stands open');
    await p.call('reviewer', run.saveProblem, {
      key: problem.key,
      basedOn: 1,
      title: problem.title,
      description: 'So',
      blocking: true,
      stage: 'closed',
      closedReason: 'Repaired',
      password,
    });
    expect((await cord()).break).toBeNull();
    expect((await p.call('auditor', run.getRun, { key: item.key })).body.verdict).toBe('failed');
  });

  it('marks a run whose case was revised, and carries it over only with reason and password', async () => {
    const key = await designCase('Revised');
    const [item] = (await plan([key])).items;
    const done = await record(item.key, ['pass', 'pass']);
    await sign('tester', item.key, 'performed', done.hash);
    await sign('reviewer', item.key, 'reviewed', done.hash);
    await p.call('author', design.saveCase, { key, reason: 'It was not clear.', basedOn: 1, content: caseContent('Revised again') });
    await p.approve(key);
    expect((await cord()).states.run).toBe('suspect');
    expect(
      (await p.call('reviewer', run.decideRun, { key: item.key, choice: 'carryOver', reason: 'Only the title', password: 'wrong' })).problem
        .code,
    ).toBe('signaturePassword');
    expect((await p.call('reviewer', run.decideRun, { key: item.key, choice: 'carryOver', reason: '', password })).status).toBe(400);
    const { body } = await p.call('reviewer', run.decideRun, { key: item.key, choice: 'carryOver', reason: 'Only the title', password });
    expect(body.outdated).toBeFalse();
    expect(body.case.title).toBe('Revised');
    expect(body.signatures.at(-1)?.meaning).toBe('carried over');
    expect((await cord()).states.run).toBe('sound');
    const [trace] = (await p.call('auditor', design.getCase, { key })).body.verifies;
    const confirm = (who: string) =>
      p.call(who, base.confirmTrace, { id: trace.id, reason: 'Only the title', fromRevision: 2, toRevision: 1 });
    expect((await confirm('author')).problem.code).toBe('ownWork');
    expect((await confirm('reviewer')).status).toBe(200);
  });

  it('counts a deviation as passed only once a reviewer accepted it with a reason', async () => {
    const key = await designCase('Deviates');
    const [item] = (await plan([key])).items;
    const done = await record(item.key, ['pass', 'deviation']);
    await sign('tester', item.key, 'performed', done.hash);
    expect((await cord()).break?.words).toContain('deviation that no reviewer has accepted');
    expect((await sign('reviewer', item.key, 'reviewed', done.hash, { acceptDeviation: true })).problem.fields?.[0].path).toBe('reason');
    await sign('reviewer', item.key, 'reviewed', done.hash, { acceptDeviation: true, reason: 'Within the noise' });
    expect((await cord()).states.run).toBe('sound');
  });

  it('stores evidence with its hash, gives it back unchanged, and refuses what is too large', async () => {
    const key = await designCase('Evidence');
    const [item] = (await plan([key])).items;
    const bytes = Buffer.from(Array.from({ length: 2_500_000 }, (_, i) => i % 251));
    const { body } = await p.upload('tester', `/runs/${item.key}/steps/1/evidence`, [{ name: '../../etc/pass wd.bin', bytes }]);
    const [file] = (body as unknown as run.RunDetail).evidence;
    expect(file.name).toBe('pass wd.bin');
    const back = await p.app.inject({ url: `/api/projects/spec/evidence/${file.id}`, headers: { cookie: await p.cookie('auditor') } });
    expect(Buffer.compare(back.rawPayload, bytes)).toBe(0);
    expect(back.headers['content-disposition']).toContain('attachment');
    const tooLarge = await p.upload('tester', `/runs/${item.key}/steps/1/evidence`, [{ name: 'big.bin', bytes: Buffer.alloc(26 << 20) }]);
    expect(tooLarge.status).toBe(413);
    expect((await p.call('auditor', run.getRun, { key: item.key })).body.evidence.length).toBe(1);
  });
});
