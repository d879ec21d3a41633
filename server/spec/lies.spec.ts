import * as base from '@contract/base';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { zipSync } from 'fflate';
import { caseContent, content, openProject, password, type Project } from './support';

type Verdict = 'pass' | 'fail' | 'blocked' | 'deviation';

/**
 * Attempts to get a sound cord, a higher figure or a signature that is not deserved. Each says what is refused, or what the cord says
 * instead: one that succeeds fails the build.
 */
describe('a lie', () => {
  let p: Project;
  let count = 0;
  beforeAll(async () => {
    p = await openProject();
    // The whole of it is about proof without code, but for the part on measurements.
    await p.call('admin', base.addPerson, { login: 'second', printedName: 'Second Tester' });
    await p.owner.query(
      `update ${p.name}.people a, (select password_hash from ${p.name}.people where login = 'admin') b set a.password_hash = b.password_hash, a.code_until = null where a.login = 'second'`,
    );
    await p.call('admin', base.setMember, { login: 'second', roles: ['tester', 'author', 'reviewer'] });
  }, 60_000);
  afterAll(() => p.close());

  const plain = (more = {}) => content(`Nr. ${++count}`, { notInCode: true, notInCodeRationale: 'A label on the housing.', ...more });
  const requirement = async (more = {}): Promise<string> => {
    const { body } = await p.call('author', specify.addRequirement, { specification: 'BRK', content: plain(more) });
    await p.approve(body.key);
    return body.key;
  };
  const aCase = async (verifies: string[], rows?: { name: string; values: Record<string, string> }[]): Promise<string> => {
    const { body } = await p.call('author', design.addCase, {
      content: { ...caseContent('Shows it'), ...(rows ? { rows } : {}) },
      verifies,
    });
    await p.approve(body.key);
    return body.key;
  };
  const plan = async (c: string, more: { build?: string; configuration?: string; tester?: string; reason?: string } = {}) =>
    p.call('author', run.addRound, { build: '1.0', title: 'R', configuration: 'rig', tester: 'tester', cases: [c], ...more });
  const planned = async (c: string, more = {}): Promise<string> => (await plan(c, more)).body.items[0].key;
  const record = async (key: string, verdict: Verdict = 'pass', who = 'tester'): Promise<void> => {
    for (const step of [1, 2])
      await p.call(who, run.recordStep, { key, step, observed: 'seen', verdict: step === 2 ? verdict : 'pass', seconds: 1 });
    await p.call(who, run.finishRun, { key, seconds: 2 });
  };
  const hashOf = async (key: string): Promise<string> => (await p.call('auditor', run.getRun, { key })).body.hash;
  const sign = async (key: string, who: string, meaning: 'performed' | 'reviewed', more = {}) =>
    p.call(who, run.signRun, { key, meaning, password, hash: await hashOf(key), ...more });
  const signBoth = async (key: string, who = 'tester'): Promise<void> => {
    await sign(key, who, 'performed');
    await sign(key, 'reviewer', 'reviewed');
  };
  const decide = (
    key: string,
    who: string,
    choice: 'carryOver' | 'rerun' | 'return' | 'acceptDeviation' | 'setAside' | 'withdraw',
    more = {},
  ) => p.call(who, run.decideRun, { key, choice, reason: 'because of this', password, ...more });
  const cord = async (key: string, build = '1.0'): Promise<Record<string, string>> =>
    (await p.call('auditor', prove.getCord, { key, build })).body.states;
  const revise = async (c: string, who = 'author', more = {}): Promise<void> => {
    const { body } = await p.call('auditor', design.getCase, { key: c });
    await p.call(who, design.saveCase, { key: c, basedOn: body.revision, content: { ...caseContent(`Changed ${++count}`), ...more } });
  };
  /** A requirement that is truly proved. */
  const proved = async (more = {}): Promise<{ r: string; c: string; key: string }> => {
    const r = await requirement(more);
    const c = await aCase([r]);
    const key = await planned(c);
    await record(key);
    await signBoth(key);
    return { r, c, key };
  };
  const code = (answer: { problem: base.ProblemDetails }): string => answer.problem.code;

  it('is not the honest way: that is sound from end to end', async () => {
    const { r } = await proved();
    expect(await cord(r)).toEqual({ specify: 'sound', design: 'sound', run: 'sound', measure: 'notRequired', prove: 'sound' });
  });

  describe('about texts and their approval:', () => {
    const written = async (more = {}) =>
      (await p.call('author', specify.addRequirement, { specification: 'BRK', content: plain(more) })).body;
    const inReview = async () => {
      const r = await written();
      await p.call('author', specify.setRequirementState, { key: r.key, basedOn: 1, state: 'review' });
      return r;
    };
    const approve = (who: string, key: string, basedOn: number, hash: string, word = password) =>
      p.call(who, specify.approveRequirement, { key, basedOn, hash, password: word });

    it('approving what one wrote', async () => {
      const r = (await p.call('second', specify.addRequirement, { specification: 'BRK', content: plain() })).body;
      await p.call('second', specify.setRequirementState, { key: r.key, basedOn: 1, state: 'review' });
      expect(code(await approve('second', r.key, 1, r.hash))).toBe('ownWork');
    });
    it('approving straight from draft', async () => {
      const r = await written();
      expect(code(await approve('reviewer', r.key, 1, r.hash))).toBe('stateForbids');
    });
    it('approving another text than the one that was seen', async () => {
      const r = await inReview();
      expect(code(await approve('reviewer', r.key, 1, '0'.repeat(64)))).toBe('recordChanged');
    });
    it('approving an older revision than the present one', async () => {
      const r = await inReview();
      await p.call('author', specify.saveRequirement, { key: r.key, basedOn: 1, content: plain() });
      expect(code(await approve('reviewer', r.key, 1, r.hash))).toBe('conflict');
    });
    it('approving without the role, or with another’s password', async () => {
      const r = await inReview();
      expect(code(await approve('author', r.key, 1, r.hash))).toBe('forbidden');
      expect(code(await approve('reviewer', r.key, 1, r.hash, 'not-my-password'))).toBe('signaturePassword');
    });
    it('approving, and changing the text afterwards', async () => {
      const { r } = await proved();
      const { body } = await p.call('auditor', specify.getRequirement, { key: r });
      await p.call('author', specify.saveRequirement, { key: r, basedOn: body.revision, content: plain() });
      expect((await cord(r))['specify']).toBe('waiting');
    });
    it('changing an own field of something approved', async () => {
      const field = (await p.call('admin', base.addField, { kind: 'requirement', name: `F${++count}`, definition: { type: 'text' } })).body;
      const r = await requirement();
      await p.call('author', base.setOwnFields, { key: r, basedOn: 1, own: { [String(field.at(-1)?.id)]: 'x' } });
      expect((await cord(r))['specify']).toBe('waiting');
    });
    it('a second approver who had edited the text', async () => {
      const r = await written();
      await p.call('second', specify.saveRequirement, { key: r.key, basedOn: 1, content: plain() });
      await p.call('author', specify.setRequirementState, { key: r.key, basedOn: 2, state: 'review' });
      const { hash } = (await p.call('second', specify.getRequirement, { key: r.key })).body;
      expect(code(await approve('second', r.key, 2, hash))).toBe('ownWork');
    });
    it('a level that the standard does not know', async () => {
      const r = await written({ level: 'SIL 9' });
      await p.approve(r.key).catch(() => undefined);
      expect((await cord(r.key))['specify']).not.toBe('sound');
    });
    for (const [name, more] of [
      ['no level', { level: '' }],
      ['no method', { method: '' }],
      ['no parent', { topLevel: false }],
      ['derived, without a rationale', { topLevel: false, derived: true }],
    ] as const)
      it(`approving with ${name}`, async () => {
        const r = await written(more);
        await p.approve(r.key).catch(() => undefined);
        expect((await cord(r.key))['specify']).not.toBe('sound');
      });
    it('“not in code” without a rationale', async () => {
      const r = await written({ notInCodeRationale: '' });
      await p.approve(r.key).catch(() => undefined);
      await aCase([r.key]);
      expect((await cord(r.key))['measure']).not.toBe('notRequired');
    });
    it('taking a failed requirement out of sight without saying why', async () => {
      const r = await requirement();
      expect((await p.call('author', base.retireRecord, { key: r, retired: true, reason: '' })).status).toBe(400);
    });
    it('a key that is one already, with a blank behind it', async () => {
      const r = await requirement();
      expect(code(await p.call('author', specify.addRequirement, { specification: 'BRK', key: `${r} `, content: plain() }))).toBe('exists');
      expect(code(await p.call('author', design.addCase, { key: r, content: caseContent('x') }))).toBe('exists');
    });
    it('a key whose number poisons those that follow', async () => {
      for (const key of ['BRK-9999999999', `BRK-${'9'.repeat(30)}`, 'BRK-9007199254740993'])
        expect((await p.call('author', specify.addRequirement, { specification: 'BRK', key, content: plain() })).status).toBe(400);
    });
    it('importing what says that it is approved', async () => {
      const key = `BRK-${9000 + ++count}`;
      await p.call('author', specify.importRequirements, {
        specification: 'BRK',
        fileName: 'a.csv',
        csv: `key,title,text,level,method,state,revision\n${key},T,It shall.,SIL 1,test,approved,7\n`,
        mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
      });
      const { state, revision, signatures } = (await p.call('auditor', specify.getRequirement, { key })).body;
      expect([state, revision, signatures.length]).toEqual(['draft', 1, 0]);
    });
    it('approving many at once, what one wrote among them', async () => {
      const mine = (await p.call('second', specify.addRequirement, { specification: 'BRK', content: plain() })).body;
      await p.call('second', specify.setRequirementState, { key: mine.key, basedOn: 1, state: 'review' });
      const selection = { kind: 'requirement' as const, keys: [mine.key] };
      const { digest, refused } = (await p.call('second', base.previewBulk, { selection, act: { act: 'approve' } })).body;
      expect(refused).toBe(1);
      const done = await p.call('second', base.doBulk, { selection, act: { act: 'approve' }, digest, reason: '', password });
      expect([done.body.done, done.body.refused]).toEqual([0, 1]);
    });
  });

  describe('about cases and traces:', () => {
    it('a requirement without a case', async () => expect((await cord(await requirement()))['design']).toBe('broken'));
    it('a case that is not approved, planned all the same', async () => {
      const r = await requirement();
      const { body: c } = await p.call('author', design.addCase, { content: caseContent('Draft'), verifies: [r] });
      expect((await plan(c.key)).status).toBe(400);
      expect((await cord(r))['design']).toBe('waiting');
    });
    it('a case without steps', async () => {
      const r = await requirement();
      const { body: c } = await p.call('author', design.addCase, { content: { ...caseContent('Empty'), steps: [] }, verifies: [r] });
      await expectAsync(p.approve(c.key)).toBeRejected();
    });
    it('retiring the case that fails', async () => {
      const { r, c, key } = await proved();
      expect(key).toBeTruthy();
      await p.call('author', base.retireRecord, { key: c, retired: true, reason: 'it fails' });
      expect((await cord(r))['design']).not.toBe('sound');
    });
    it('a trace from a passed case to what it never verified, by whoever wants it so', async () => {
      const { c } = await proved();
      const other = await requirement();
      const trace = await p.call('author', base.addTrace, { kind: 'verifies', from: c, to: other });
      expect(trace.body.waits).toBeTrue();
      expect((await cord(other))['design']).toBe('waiting');
      const own = { id: trace.body.id, reason: 'it does', fromRevision: trace.body.fromNow, toRevision: trace.body.toNow };
      expect(code(await p.call('author', base.confirmTrace, own))).toBe('ownWork');
    });
    it('taking the trace of a failing case back without a word', async () => {
      const r = await requirement();
      const [good, bad] = [await aCase([r]), await aCase([r])];
      const [first, second] = [await planned(good), await planned(bad)];
      await record(first);
      await record(second, 'fail');
      const trace = (await p.call('auditor', design.getCase, { key: bad })).body.verifies[0];
      expect((await p.call('author', base.removeTrace, { id: trace.id })).status).toBe(400);
      expect((await cord(r))['run']).toBe('broken');
    });
    it('drawing a trace again after it was taken back, so that it looks fresh', async () => {
      const { r, c } = await proved();
      const trace = (await p.call('auditor', design.getCase, { key: c })).body.verifies[0];
      await p.call('author', base.removeTrace, { id: trace.id, reason: 'away' });
      expect((await p.call('author', base.addTrace, { kind: 'verifies', from: c, to: r })).body.waits).toBeTrue();
      expect((await cord(r))['design']).toBe('waiting');
    });
    it('confirming a suspect trace at revisions that nobody looked at', async () => {
      const { c } = await proved();
      const trace = (await p.call('auditor', design.getCase, { key: c })).body.verifies[0];
      await revise(c);
      const stale = { id: trace.id, reason: 'still holds', fromRevision: 1, toRevision: 1 };
      expect(code(await p.call('reviewer', base.confirmTrace, stale))).toBe('conflict');
    });
    it('parents in a circle', async () => {
      const [a, b] = [await requirement(), await requirement()];
      await p.call('author', base.addTrace, { kind: 'parent', from: a, to: b });
      expect(code(await p.call('author', base.addTrace, { kind: 'parent', from: b, to: a }))).toBe('stateForbids');
      expect(code(await p.call('author', base.addTrace, { kind: 'parent', from: a, to: a }))).toBe('stateForbids');
    });
    it('calling a revision that was never approved', async () => {
      const { body: called } = await p.call('author', design.addCase, { content: caseContent('Called'), verifies: [] });
      const r = await requirement();
      const steps = [{ action: '', expected: '', call: { key: called.key, revision: 1, with: {} } }];
      const { body: c } = await p.call('author', design.addCase, { content: { ...caseContent('Caller'), steps }, verifies: [r] });
      await p.approve(c.key).catch(() => undefined);
      expect((await cord(r))['design']).not.toBe('sound');
    });
  });

  describe('about runs:', () => {
    let r: string;
    let c: string;
    beforeEach(async () => {
      r = await requirement();
      c = await aCase([r]);
    });
    const runState = async (): Promise<string> => (await cord(r))['run'];

    it('recording somebody else’s run', async () => {
      const key = await planned(c);
      const step = { key, step: 1, observed: 'x', verdict: 'pass' as const, seconds: 1 };
      expect(code(await p.call('second', run.recordStep, step))).toBe('notTester');
    });
    it('finishing with a step left open', async () => {
      const key = await planned(c);
      await p.call('tester', run.recordStep, { key, step: 1, observed: 'x', verdict: 'pass', seconds: 1 });
      expect(code(await p.call('tester', run.finishRun, { key, seconds: 1 }))).toBe('notFinished');
      expect(await runState()).toBe('waiting');
    });
    it('a pass of a step with nothing observed, where the level asks for words', async () => {
      const high = await requirement({ level: 'SIL 3' });
      const key = await planned(await aCase([high]));
      const step = { key, step: 1, observed: '  ', verdict: 'pass' as const, seconds: 1 };
      expect((await p.call('tester', run.recordStep, step)).status).toBe(400);
    });
    for (const seconds of [-1, 9_000_000, 0.5, Number.NaN])
      it(`${seconds} seconds on the clock`, async () => {
        const key = await planned(c);
        expect((await p.call('tester', run.recordStep, { key, step: 1, observed: 'x', verdict: 'pass', seconds })).status).toBe(400);
      });
    it('planning again, so that a failure is no longer the newest', async () => {
      await record(await planned(c), 'fail');
      expect((await plan(c)).status).toBe(400);
      await plan(c, { reason: 'once more' });
      expect(await runState()).toBe('broken');
    });
    it('a pass on another rig beside a failure on this one', async () => {
      await record(await planned(c), 'fail');
      await record(await planned(c, { configuration: 'other rig' }));
      expect(await runState()).toBe('broken');
    });
    it('a pass on another build', async () => {
      await p.call('author', run.addBuild, { name: `9.${++count}`, description: '' });
      await record(await planned(c, { build: `9.${count}` }));
      expect(await runState()).toBe('waiting');
    });
    it('a blocked step beside a pass', async () => {
      await record(await planned(c), 'blocked');
      expect(await runState()).toBe('waiting');
    });
    it('a deviation that nobody accepted, or its own tester', async () => {
      const key = await planned(c);
      await record(key, 'deviation');
      await sign(key, 'tester', 'performed');
      expect(await runState()).toBe('waiting');
      expect(code(await decide(key, 'tester', 'acceptDeviation'))).toBe('forbidden');
      expect((await sign(key, 'reviewer', 'reviewed', { acceptDeviation: true })).status).toBe(400);
      expect(await runState()).toBe('waiting');
    });
    it('a tester with two roles who accepts the own deviation', async () => {
      const key = await planned(c, { tester: 'second' });
      await record(key, 'deviation', 'second');
      await sign(key, 'second', 'performed');
      expect(code(await decide(key, 'second', 'acceptDeviation'))).toBe('selfReview');
    });
    it('reviewing the own run', async () => {
      const key = await planned(c, { tester: 'second' });
      await record(key, 'pass', 'second');
      await sign(key, 'second', 'performed');
      expect(code(await sign(key, 'second', 'reviewed'))).toBe('selfReview');
      expect((await cord(r))['prove']).toBe('waiting');
    });
    it('signing as performed what another performed', async () => {
      const key = await planned(c);
      await record(key);
      expect(code(await sign(key, 'second', 'performed'))).toBe('notTester');
    });
    it('reviewing before it is signed by its tester', async () => {
      const key = await planned(c);
      await record(key);
      expect(code(await sign(key, 'reviewer', 'reviewed'))).toBe('notPerformed');
    });
    it('signing something else than what was seen', async () => {
      const key = await planned(c);
      await record(key);
      const other = { key, meaning: 'performed' as const, password, hash: 'f'.repeat(64) };
      expect(code(await p.call('tester', run.signRun, other))).toBe('recordChanged');
    });
    it('changing, adding or taking away after the signature', async () => {
      const key = await planned(c);
      await record(key, 'fail');
      await sign(key, 'tester', 'performed');
      const step = { key, step: 2, observed: 'x', verdict: 'pass' as const, seconds: 1, reason: 'better so' };
      expect(code(await p.call('tester', run.recordStep, step))).toBe('signed');
      const added = await p.upload('tester', `/runs/${key}/steps/1/evidence?reason=more`, [{ name: 'a.txt', bytes: Buffer.from('x') }]);
      expect(added.problem.code).toBe('signed');
      expect(await runState()).toBe('broken');
    });
    it('correcting a finished result without a word; with one, the first stays in the record', async () => {
      const key = await planned(c);
      await record(key, 'fail');
      const step = { key, step: 2, observed: 'x', verdict: 'pass' as const, seconds: 1 };
      expect((await p.call('tester', run.recordStep, step)).status).toBe(400);
      await p.call('tester', run.recordStep, { ...step, reason: 'misread the gauge' });
      await p.call('tester', run.finishRun, { key, seconds: 3 });
      const { corrections } = (await p.call('auditor', run.getRun, { key })).body;
      expect(corrections.map((x) => [x.verdict, x.reason])).toEqual([['failed', 'misread the gauge']]);
    });
    it('withdrawing the own failure, so that an older pass stands again', async () => {
      await record(await planned(c));
      const failed = await planned(c, { reason: 'again' });
      await record(failed, 'fail');
      expect(code(await decide(failed, 'tester', 'withdraw'))).toBe('selfReview');
      expect(await runState()).toBe('broken');
    });
    it('a tester with two roles who withdraws the own failure', async () => {
      const failed = await planned(c, { tester: 'second' });
      await record(failed, 'fail', 'second');
      expect(code(await decide(failed, 'second', 'withdraw'))).toBe('selfReview');
    });
    it('carrying a result over, by its tester, by the author of the change, or to a revision that nobody approved', async () => {
      const key = await planned(c, { tester: 'second' });
      await record(key, 'pass', 'second');
      await signBoth(key, 'second');
      await revise(c);
      expect(await runState()).not.toBe('sound');
      expect(code(await decide(key, 'reviewer', 'carryOver'))).toBe('stateForbids');
      await p.approve(c);
      expect(code(await decide(key, 'second', 'carryOver'))).toBe('selfReview');
      expect(code(await decide(key, 'author', 'carryOver'))).toBe('forbidden');
      expect((await decide(key, 'reviewer', 'carryOver', { reason: '' })).status).toBe(400);
      expect(code(await decide(key, 'reviewer', 'carryOver', { password: 'wrong' }))).toBe('signaturePassword');
      expect(await runState()).toBe('suspect');
    });
    it('leaving a failed data row out of the case', async () => {
      const rows = [
        { name: 'low', values: {} },
        { name: 'high', values: {} },
      ];
      const other = await requirement();
      const rowed = await aCase([other], rows);
      const { items } = (await plan(rowed)).body;
      for (const { key, row } of items) await record(key, row === 'high' ? 'fail' : 'pass');
      await revise(rowed, 'author', { rows: rows.slice(0, 1) });
      await p.approve(rowed, 'reviewer');
      const low = items.find((item) => item.row === 'low')?.key ?? '';
      await sign(low, 'tester', 'performed');
      await decide(low, 'reviewer', 'carryOver');
      const { states, reasons } = (await p.call('auditor', prove.getCord, { key: other, build: '1.0' })).body;
      expect(['broken', 'suspect', 'waiting']).toContain(states.run);
      expect(reasons.run.map((x) => x.words).join()).toContain('out of sight');
    });
    it('setting a failure of the case as it is aside', async () => {
      const key = await planned(c);
      await record(key, 'fail');
      expect(code(await decide(key, 'reviewer', 'setAside'))).toBe('stateForbids');
    });
    it('a returned run that passes for its pass', async () => {
      const key = await planned(c);
      await record(key);
      await sign(key, 'tester', 'performed');
      expect((await decide(key, 'reviewer', 'return')).status).toBe(200);
      expect(await runState()).toBe('broken');
    });
    it('giving a run that was begun to somebody else', async () => {
      const key = await planned(c);
      await p.call('tester', run.recordStep, { key, step: 1, observed: 'x', verdict: 'fail', seconds: 1 });
      expect(code(await p.call('author', run.reassignRun, { key, tester: 'second', reason: 'ill' }))).toBe('stateForbids');
    });
    it('planning for who is no tester, or is disabled', async () => {
      expect((await plan(c, { tester: 'auditor' })).status).toBe(400);
      await p.call('admin', base.addPerson, { login: `gone${++count}`, printedName: 'Gone' });
      await p.call('admin', base.setMember, { login: `gone${count}`, roles: ['tester'] });
      await p.call('admin', base.changePerson, { login: `gone${count}`, disabled: true });
      expect((await plan(c, { tester: `gone${count}` })).status).toBe(400);
    });
    it('a request done twice under one name, with another content', async () => {
      const key = await planned(c);
      const headers = { cookie: await p.cookie('tester'), 'idempotency-key': `lie-${++count}-request` };
      const put = (verdict: string) =>
        p.app.inject({
          method: 'PUT',
          url: `/api/projects/spec/runs/${key}/steps/1`,
          headers,
          payload: { observed: 'x', verdict, seconds: 1 },
        });
      expect((await put('fail')).statusCode).toBe(200);
      expect((await put('pass')).statusCode).toBe(400);
      expect((await p.call('auditor', run.getRun, { key })).body.steps[0].verdict).toBe('fail');
    });
    it('a program that signs', async () => {
      const { body } = await p.call('admin', base.addToken, { name: `rig-${++count}`, roles: ['tester', 'author'], days: 1 });
      const key = await planned(c);
      await record(key);
      const answer = await p.app.inject({
        method: 'POST',
        url: `/api/projects/spec/runs/${key}/signatures`,
        headers: { authorization: `Bearer ${body.secret}` },
        payload: { meaning: 'performed', password, hash: await hashOf(key) },
      });
      expect(answer.statusCode).toBe(403);
    });
  });

  describe('about problem reports:', () => {
    const failing = async () => {
      const r = await requirement();
      const c = await aCase([r]);
      const key = await planned(c);
      await record(key, 'fail');
      const report = { title: 'It fails', description: '', build: '1.0', run: key, step: 2, requirements: [r] };
      return { r, c, key, report: (await p.call('tester', run.addProblem, report)).body };
    };
    const save = (report: run.Problem, more: object) =>
      p.call('tester', run.saveProblem, {
        key: report.key,
        basedOn: report.revision,
        title: report.title,
        description: '',
        blocking: true,
        state: 'open',
        ...more,
      });

    it('closing it, or no longer blocking, while the run still fails, without a signature', async () => {
      const { report } = await failing();
      expect((await save(report, { state: 'closed', closedReason: 'it is fine' })).status).toBe(400);
      expect((await save(report, { blocking: false })).status).toBe(400);
      expect(code(await save(report, { blocking: false, password: 'wrong' }))).toBe('signaturePassword');
    });
    it('closing it without a word', async () => {
      const { report } = await failing();
      expect((await save(report, { state: 'closed', password })).status).toBe(400);
    });
    it('leaving it behind on the build that it was found in', async () => {
      const { r } = await proved();
      await p.call('tester', run.addProblem, { title: 'Seen', description: '', build: '1.0', requirements: [r], blocking: true });
      expect((await cord(r))['prove']).toBe('broken');
      const next = `8.${++count}`;
      await p.call('author', run.addBuild, { name: next, description: '' });
      const c = (await p.call('auditor', specify.getRequirement, { key: r })).body.cases[0].from;
      const key = await planned(c, { build: next });
      await record(key);
      await signBoth(key);
      expect((await cord(r, next))['prove']).toBe('broken');
    });
  });

  describe('about what the project asks for:', () => {
    it('lowering a target, or letting people approve their own work, without a signature, a reason or the right', async () => {
      const project = (await p.call('admin', base.getProject, {})).body;
      const profile = { ...project.profile, targets: {} };
      const set = (who: string, more: object) =>
        p.call(who, base.setProfile, { basedOn: project.revision, profile, reason: 'easier', password, ...more });
      expect(code(await set('author', {}))).toBe('forbidden');
      expect((await set('admin', { reason: '' })).status).toBe(400);
      expect(code(await set('admin', { password: 'wrong' }))).toBe('signaturePassword');
      expect(code(await set('admin', { basedOn: project.revision + 7 }))).toBe('conflict');
    });
    it('closing a build without a password', async () => {
      await p.call('author', run.addBuild, { name: `7.${++count}`, description: '' });
      const close = { key: `7.${count}`, password: 'wrong', reason: 'delivered' };
      expect(code(await p.call('reviewer', base.closeBuild, close))).toBe('signaturePassword');
    });
    it('a role that one gives oneself', async () => {
      expect(code(await p.call('tester', base.setMember, { login: 'tester', roles: ['reviewer'] }))).toBe('forbidden');
    });
    it('records of another project', async () => {
      const answer = await p.app.inject({ url: '/api/projects/other/requirements/BRK-001', headers: { cookie: await p.cookie('author') } });
      expect(answer.statusCode).toBe(404);
    });
  });

  describe('about what was measured:', () => {
    const source = (key: string, other = ''): string =>
      `/* @req ${key}${other ? `, ${other}` : ''} */\nint f(int a)\n{\n  if (a)\n    return 1;\n  return 0;\n}\n/* done */\n`;
    const info = (hits: string, test = ''): Buffer => Buffer.from(`TN:${test}\nSF:/b/src/f.c\nFN:2,f\nFNDA:1,f\n${hits}end_of_record\n`);
    const all = 'DA:2,1\nDA:4,1\nDA:5,1\nDA:6,1\nBRDA:4,0,0,1\nBRDA:4,0,1,1\n';
    const half = 'DA:2,1\nDA:4,1\nDA:5,0\nDA:6,1\nBRDA:4,0,0,1\nBRDA:4,0,1,0\n';
    const load = (build: string, name: string, bytes: Buffer, query = '') =>
      p.upload('tester', `/builds/${build}/coverage${query}`, [{ name, bytes }]);
    const sources = (build: string, text: string, fields = '') =>
      p.upload('author', `/builds/${build}/sources${fields}`, [
        { name: 's.zip', bytes: Buffer.from(zipSync({ 'src/f.c': Buffer.from(text) })) },
      ]);
    /** A requirement with code, a case, and a signed pass on a build of its own. */
    const measured = async (level = 'SIL 2') => {
      const build = `6.${++count}`;
      await p.call('author', run.addBuild, { name: build, description: '' });
      const r = await requirement({ notInCode: false, notInCodeRationale: '', level });
      const c = await aCase([r]);
      const key = await planned(c, { build });
      await sources(build, source(r));
      await record(key);
      await signBoth(key);
      return { build, r, c, key };
    };
    const knot = async (r: string, build: string): Promise<string> => (await cord(r, build))['measure'];

    it('(the honest way is sound)', async () => {
      const { build, r, c } = await measured();
      expect((await load(build, `${c}.info`, info(all))).status).toBe(200);
      expect(await knot(r, build)).toBe('sound');
    });
    it('nothing measured at all', async () => {
      const { build, r } = await measured();
      expect(await knot(r, build)).toBe('waiting');
    });
    it('the half of the branches', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(half));
      expect(await knot(r, build)).toBe('broken');
    });
    it('lines without any branch, where branches are asked for', async () => {
      const { build, r, c } = await measured('SIL 3');
      await load(build, `${c}.info`, info('DA:2,1\nDA:4,1\nDA:5,1\nDA:6,1\n'));
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('what the failed run had reached, after a rerun that reached less', async () => {
      const { build, r, c, key } = await measured();
      await load(build, `${c}.info`, info(all), `?run=${key}`);
      const again = await planned(c, { build, reason: 'once more' });
      await record(again);
      await signBoth(again);
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('what another requirement’s case reached in code that both share', async () => {
      const { build, r, c } = await measured();
      const other = await requirement({ notInCode: false, notInCodeRationale: '' });
      const otherCase = await aCase([other]);
      const key = await planned(otherCase, { build });
      await record(key);
      await signBoth(key);
      await sources(build, source(r, other), '');
      await load(build, `${c}.info`, info(half));
      await load(build, `${otherCase}.info`, info(all));
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('what an older revision of the case reached', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(all));
      await revise(c);
      await p.approve(c);
      const again = await planned(c, { build, reason: 'new revision' });
      await record(again);
      await signBoth(again);
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('a run that nobody signed, or that failed', async () => {
      const { build, r } = await measured();
      const second = await aCase([r]);
      const key = await planned(second, { build });
      await record(key, 'fail');
      await load(build, `${second}.info`, info(all));
      expect((await cord(r, build))['run']).toBe('broken');
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('a measurement bound to nobody', async () => {
      const { build, r, c } = await measured();
      await load(build, 'x.info', info(all), `?bind=${encodeURIComponent(JSON.stringify({ 'x.info': '' }))}`);
      expect(await knot(r, build)).toBe('waiting');
      expect(c).toBeTruthy();
    });
    it('a name that fits nothing, or two', async () => {
      const { build, c } = await measured();
      expect((await load(build, 'anything.info', info(all))).status).toBe(422);
      expect((await load(build, `${c}_C-001.info`, info(all))).status).toBe(422);
      expect((await load(build, `run_${c}_gcov.info`, info(all))).status).toBe(200);
    });
    it('two files of one tool for one case about one source', async () => {
      const { build, c } = await measured();
      const files = [
        { name: `a_${c}.info`, bytes: info(half) },
        { name: `b_${c}.info`, bytes: info(all) },
      ];
      const answer = await p.upload('tester', `/builds/${build}/coverage`, files);
      expect(answer.problem.findings?.[0].text).toContain('choose one');
    });
    it('lines past the end of the source', async () => {
      const { build, c } = await measured();
      const answer = await load(build, `${c}.info`, info(`${all}DA:900,1\n`));
      expect(answer.problem.findings?.[0].text).toContain('line 900');
    });
    it('points on blank lines and in comments', async () => {
      const { build, r, c } = await measured();
      const more = await load(build, `${c}.info`, info(`${half}DA:1,1\nDA:8,1\nBRDA:8,0,0,9\nBRDA:8,0,1,9\n`));
      expect(JSON.stringify(more.body['findings'])).toContain('does not count');
      expect(await knot(r, build)).toBe('broken');
    });
    it('sums that contradict what was counted', async () => {
      const { build, c } = await measured();
      const answer = await load(build, `${c}.info`, info(`${half}LF:4\nLH:4\nBRF:2\nBRH:2\n`));
      expect(answer.problem.findings?.map((f) => f.text).join()).toContain('contradicts itself');
    });
    it('a file that is cut off, kept in part', async () => {
      const { build, r, c } = await measured();
      const cut = Buffer.concat([info(all), Buffer.from('TN:\nSF:/b/src/g.c\nDA:1,1\n')]);
      expect((await load(build, `${c}.info`, cut)).status).toBe(422);
      await load(build, `${c}.info`, cut, '?faults=keepGood');
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('exchanging the sources after measuring', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(all));
      expect((await sources(build, source(r).replace('return 0', 'return 2'))).status).toBe(400);
      expect(await knot(r, build)).toBe('sound');
    });
    it('an upload that was withdrawn, or withdrawing one without a signature', async () => {
      const { build, r, c } = await measured();
      const key = String((await load(build, `${c}.info`, info(all))).body['upload']);
      const withdraw = { key, withdrawn: true, reason: 'wrong program', password };
      expect(code(await p.call('tester', measure.withdrawUpload, { ...withdraw, password: 'wrong' }))).toBe('signaturePassword');
      await p.call('tester', measure.withdrawUpload, withdraw);
      expect(await knot(r, build)).toBe('waiting');
    });
    it('“not in code” beside code that names it', async () => {
      const build = `5.${++count}`;
      await p.call('author', run.addBuild, { name: build, description: '' });
      const { r, c } = await proved();
      await sources(build, source(r));
      const key = await planned(c, { build });
      await record(key);
      await signBoth(key);
      expect(await knot(r, build)).toBe('broken');
    });
    it('a second function that was never loaded', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(all));
      const next = `4.${++count}`;
      await p.call('author', run.addBuild, { name: next, description: '' });
      const two = Buffer.from(zipSync({ 'src/f.c': Buffer.from(source(r)), 'src/g.c': Buffer.from(source(r).replace(' f(', ' g(')) }));
      await p.upload('author', `/builds/${next}/sources`, [{ name: 's.zip', bytes: two }]);
      const key = await planned(c, { build: next });
      await record(key);
      await signBoth(key);
      await load(next, `${c}.info`, info(all));
      expect(await knot(r, next)).toBe('waiting');
    });
    it('saying by hand that other code implements it, as a tester', async () => {
      const { build, r } = await measured();
      const trace = { build, path: 'src/f.c', unit: 'f', requirement: r, traced: true };
      expect(code(await p.call('tester', measure.traceCode, trace))).toBe('forbidden');
    });
    it('a packed file that is damaged, or grows without end', async () => {
      const { gzipSync } = await import('node:zlib');
      const { build, c } = await measured();
      const packed = gzipSync(info(all));
      packed[packed.length - 6] ^= 0xff;
      expect((await load(build, `${c}.info.gz`, packed)).problem.findings?.[0].text).toContain('check sum');
      const bomb = await load(build, `${c}.info.gz`, gzipSync(Buffer.alloc(64 << 20, 'DA:1,1\n')));
      expect(bomb.problem.findings?.[0].text).toContain('unpacks to more than');
    });
  });
});
