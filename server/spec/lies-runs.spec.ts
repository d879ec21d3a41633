import * as base from '@contract/base';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { openLies, type Lies } from './lies';
import { password } from './support';

/**
 * Attempts to get a sound cord, a higher figure or a signature that is not deserved. Each says what is refused, or what the cord says
 * instead: one that succeeds fails the build.
 */
describe('a lie', () => {
  let p: Lies['p'];
  let next: Lies['next'];
  let requirement: Lies['requirement'];
  let aCase: Lies['aCase'];
  let plan: Lies['plan'];
  let planned: Lies['planned'];
  let record: Lies['record'];
  let hashOf: Lies['hashOf'];
  let sign: Lies['sign'];
  let signBoth: Lies['signBoth'];
  let decide: Lies['decide'];
  let cord: Lies['cord'];
  let revise: Lies['revise'];
  let proved: Lies['proved'];
  let code: Lies['code'];
  beforeAll(
    async () =>
      void ({ p, next, requirement, aCase, plan, planned, record, hashOf, sign, signBoth, decide, cord, revise, proved, code } =
        await openLies()),
    180_000,
  );
  afterAll(() => p.close());

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
      const build = `9.${next()}`;
      await p.call('author', run.addBuild, { name: build, description: '' });
      await record(await planned(c, { build }));
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
      const login = `gone${next()}`;
      await p.call('admin', base.addPerson, { login, printedName: 'Gone' });
      await p.call('admin', base.setMember, { login, roles: ['tester'] });
      await p.call('admin', base.changePerson, { login, disabled: true });
      expect((await plan(c, { tester: login })).status).toBe(400);
    });
    it('a request done twice under one name, with another content', async () => {
      const key = await planned(c);
      const headers = { cookie: await p.cookie('tester'), 'idempotency-key': `lie-${next()}-request` };
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
      const { body } = await p.call('admin', base.addToken, { name: `rig-${next()}`, roles: ['tester', 'author'], days: 1 });
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
        stage: 'open',
        ...more,
      });

    it('closing it, or no longer blocking, while the run still fails, without a signature', async () => {
      const { report } = await failing();
      expect((await save(report, { stage: 'closed', closedReason: 'it is fine' })).status).toBe(400);
      expect((await save(report, { blocking: false })).status).toBe(400);
      expect(code(await save(report, { blocking: false, password: 'wrong' }))).toBe('signaturePassword');
    });
    it('saying that it no longer blocks without a word, though signed', async () => {
      const { report } = await failing();
      expect((await save(report, { blocking: false, password })).problem.fields?.[0].path).toBe('closedReason');
      const eased = await save(report, { blocking: false, password, closedReason: 'Only the lamp is late' });
      expect([eased.status, eased.body.blocking, eased.body.state, eased.body.closedReason]).toEqual([200, false, 'open', '']);
    });
    it('closing it past the stages of the project, or as somebody who may not', async () => {
      const { report } = await failing();
      const life = (await p.call('auditor', run.getProblemLife, {})).body;
      const guarded = life.stages.map((s) => (s.name === 'closed' ? { ...s, roles: ['reviewer' as const] } : s));
      expect((await p.call('admin', run.saveProblemLife, { ...life, stages: guarded })).status).toBe(200);
      const closing = { stage: 'closed', closedReason: 'Repaired', password };
      expect(code(await save(report, closing))).toBe('stateForbids');
      expect(code(await save(report, { ...closing, stage: 'nowhere' }))).toBe('stateForbids');
      expect((await p.call('admin', run.saveProblemLife, life)).status).toBe(200);
      expect((await save(report, closing)).status).toBe(200);
    });
    it('closing it without a word', async () => {
      const { report } = await failing();
      expect((await save(report, { stage: 'closed', password })).status).toBe(400);
    });
    it('leaving it behind on the build that it was found in', async () => {
      const { r } = await proved();
      await p.call('tester', run.addProblem, { title: 'Seen', description: '', build: '1.0', requirements: [r], blocking: true });
      expect((await cord(r))['prove']).toBe('broken');
      const later = `8.${next()}`;
      await p.call('author', run.addBuild, { name: later, description: '' });
      const c = (await p.call('auditor', specify.getRequirement, { key: r })).body.cases[0].from;
      const key = await planned(c, { build: later });
      await record(key);
      await signBoth(key);
      expect((await cord(r, later))['prove']).toBe('broken');
    });
  });
});
