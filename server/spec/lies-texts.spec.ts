import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { openLies, type Lies } from './lies';
import { caseContent, password } from './support';

/**
 * Attempts to get a sound cord, a higher figure or a signature that is not deserved. Each says what is refused, or what the cord says
 * instead: one that succeeds fails the build.
 */
describe('a lie', () => {
  let p: Lies['p'];
  let next: Lies['next'];
  let plain: Lies['plain'];
  let requirement: Lies['requirement'];
  let aCase: Lies['aCase'];
  let plan: Lies['plan'];
  let planned: Lies['planned'];
  let record: Lies['record'];
  let cord: Lies['cord'];
  let revise: Lies['revise'];
  let proved: Lies['proved'];
  let code: Lies['code'];
  beforeAll(
    async () => void ({ p, next, plain, requirement, aCase, plan, planned, record, cord, revise, proved, code } = await openLies()),
    180_000,
  );
  afterAll(() => p.close());

  it('is not the honest way: that is sound from end to end', async () => {
    const { r } = await proved();
    expect(await cord(r)).toEqual({ specify: 'sound', design: 'sound', run: 'sound', measure: 'notRequired', prove: 'sound' });
  });

  it('does not come of exporting and importing: what was sound is as sound, and what was not is not', async () => {
    const { r } = await proved();
    const other = await requirement();
    const before = [await cord(r), await cord(other)];
    const { body: csv } = await p.app.inject({
      url: '/api/projects/spec/requirements.csv',
      headers: { cookie: await p.cookie('auditor') },
    });
    const mapping = Object.fromEntries(
      Object.entries({ topLevel: 'top level', notInCode: 'not in code' }).concat(
        ['key', 'kind', 'under', 'title', 'text', 'rationale', 'level', 'method', 'parent', 'derived'].map((name) => [name, name]),
      ),
    );
    const { body } = await p.call('author', specify.importRequirements, { specification: 'BRK', fileName: 'r.csv', csv, mapping });
    expect([body.written, body.changed]).toEqual([0, 0]);
    expect([await cord(r), await cord(other)]).toEqual(before);
    expect(before[0]['prove']).toBe('sound');
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
      await p.call('author', specify.saveRequirement, { key: r.key, reason: 'It was not clear.', basedOn: 1, content: plain() });
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
      await p.call('author', specify.saveRequirement, { key: r, reason: 'It was not clear.', basedOn: body.revision, content: plain() });
      expect((await cord(r))['specify']).toBe('waiting');
    });
    it('changing what is approved without saying why', async () => {
      const { r, c } = await proved();
      const text = (await p.call('auditor', specify.getRequirement, { key: r })).body;
      const refused = await p.call('author', specify.saveRequirement, { key: r, basedOn: text.revision, content: plain() });
      expect(refused.problem.fields?.map(({ path }) => path)).toEqual(['reason']);
      const { body } = await p.call('auditor', design.getCase, { key: c });
      expect(code(await p.call('author', design.saveCase, { key: c, basedOn: body.revision, content: caseContent('Other') }))).toBe(
        'invalid',
      );
      expect((await cord(r))['prove']).toBe('sound');
    });
    it('retiring what is not proved, or making it a heading: the totals say what left them', async () => {
      const retired = await requirement();
      const heading = await requirement();
      expect((await p.call('author', base.retireRecord, { key: retired, retired: true, reason: '' })).status).toBe(400);
      await p.call('author', base.retireRecord, { key: retired, retired: true, reason: 'Not wanted any more.' });
      const { body: now } = await p.call('auditor', specify.getRequirement, { key: heading });
      await p.call('author', specify.saveRequirement, {
        key: heading,
        basedOn: now.revision,
        reason: 'It only groups others.',
        content: plain({ kind: 'heading' }),
      });
      await cord(await requirement());
      const { body: board } = await p.call('auditor', prove.getBoard, { build: '1.0' });
      expect(board.totals.left?.keys).toEqual(jasmine.arrayContaining([retired, heading]));
      expect(board.totals.left?.since).toBeNull();
      const { body: cords } = await p.call('auditor', prove.listCords, { build: '1.0', limit: 500 });
      expect(cords.rows.map(({ key }) => key)).not.toContain(heading);
      await p.call('author', base.retireRecord, { key: retired, retired: false, reason: 'Wanted again.' });
      await cord(await requirement());
      const { body: then } = await p.call('auditor', prove.getBoard, { build: '1.0' });
      expect(then.totals.left?.keys).toContain(heading);
      expect(then.totals.left?.keys).not.toContain(retired);
    });
    it('changing an own field of something approved', async () => {
      const field = (await p.call('admin', base.addField, { kind: 'requirement', name: `F${next()}`, definition: { type: 'text' } })).body;
      const r = await requirement();
      const own = { [String(field.at(-1)?.id)]: 'x' };
      expect(code(await p.call('author', base.setOwnFields, { key: r, basedOn: 1, own }))).toBe('invalid');
      expect((await p.call('author', base.setOwnFields, { key: r, basedOn: 1, own, reason: 'It was forgotten.' })).status).toBe(200);
      expect((await cord(r))['specify']).toBe('waiting');
    });
    it('a second approver who had edited the text', async () => {
      const r = await written();
      await p.call('second', specify.saveRequirement, { key: r.key, reason: 'It was not clear.', basedOn: 1, content: plain() });
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
      const key = `BRK-${9000 + next()}`;
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
      const build = `7.${next()}`;
      await p.call('author', run.addBuild, { name: build, description: '' });
      const close = { key: build, password: 'wrong', reason: 'delivered' };
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
});
