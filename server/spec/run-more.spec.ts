import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, password, type Project } from './support';

describe('Runs in full', () => {
  let p: Project;
  const keys: string[] = [];
  const add = async (title: string, more: object = {}): Promise<string> => {
    const made = await p.call('author', design.addCase, { content: caseContent(title, more), verifies: ['BRK-001'] });
    await p.approve(made.body.key);
    return made.body.key;
  };
  const plan = async (cases: string[], more: object = {}) => {
    const { status, body, problem } = await p.call('tester', run.addRound, {
      build: '1.0',
      title: 'Round',
      configuration: 'rig',
      tester: 'tester',
      cases,
      ...more,
    } as never);
    if (status !== 200) throw new Error(problem.detail ?? problem.title);
    return body;
  };
  const step = (key: string, n: number, verdict: string, observed = 'seen') =>
    p.call('tester', run.recordStep, { key, step: n, verdict, observed, seconds: 5 } as never);
  const finish = (key: string, more: object = {}) => p.call('tester', run.finishRun, { key, seconds: 60, ...more } as never);
  const get = async (key: string) => (await p.call('auditor', run.getRun, { key })).body;
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content('Closes') });
    await p.approve('BRK-001');
    for (const title of ['One', 'Two', 'Three']) keys.push(await add(title));
  });
  afterAll(() => p.close());

  it('are signed with their conclusion, and with a clock that was corrected', async () => {
    const [{ key }] = (await plan([keys[0]])).items;
    await step(key, 1, 'pass');
    expect((await p.call('tester', run.correctClock, { key, seconds: 30, reason: 'Lunch' })).body.clock[0]).toEqual(
      jasmine.objectContaining({ from: 5, to: 30, reason: 'Lunch' }),
    );
    await step(key, 2, 'pass');
    const before = (await finish(key, { conclusion: 'It holds when cold.' })).body;
    expect(before.conclusion).toBe('It holds when cold.');
    const { status } = await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash: before.hash } as never);
    expect(status).toBe(200);
    // What is signed cannot be told otherwise behind the server's back.
    await p.owner.query(`update run_details set conclusion = 'It fails.' where conclusion <> ''`);
    expect((await get(key)).signatures[0].matches).toBeFalse();
    await p.owner.query(`update run_details set conclusion = 'It holds when cold.' where conclusion <> ''`);
    expect((await get(key)).signatures[0].matches).toBeTrue();
  });

  it('take a redline of a step for themselves, offered to the author, who takes it once', async () => {
    const [{ key }] = (await plan([keys[1]])).items;
    const redline = (more: object) => p.call('tester', run.addRedline, { key, reason: 'Rig is slow', ...more } as never);
    expect((await redline({ step: 9, what: 'dropped' })).problem.code).toBe('invalid');
    expect((await redline({ step: 1, what: 'changed', after: { action: '', expected: 'x' } })).problem.code).toBe('invalid');
    await redline({ step: 1, what: 'changed', after: { action: 'Do slowly', expected: 'See' } });
    const added = (await redline({ step: 3, what: 'added', after: { action: 'Look again', expected: 'Still there' } })).body;
    expect(added.case.steps.map((s) => s.action)).toEqual(['Do slowly', 'Do more', 'Look again']);
    await step(key, 1, 'pass');
    expect((await redline({ step: 1, what: 'dropped' })).problem.detail).toContain('has a result already');
    for (const n of [2, 3]) await step(key, n, 'pass');
    const done = (await finish(key)).body;
    expect(done.redlines.map((r) => r.what)).toEqual(['changed', 'added']);
    const offered = (await p.call('auditor', run.listRedlines, { key: keys[1] })).body;
    expect(offered.map((o) => [o.run, o.left])).toEqual([[key, 0]]);
    const { revision } = (await p.call('auditor', design.getCase, { key: keys[1] })).body;
    const answer = { key: keys[1], run: key, take: true, reason: 'It is so', basedOn: revision };
    expect((await p.call('tester', run.answerRedlines, answer)).status).toBe(403);
    expect((await p.call('author', run.answerRedlines, answer)).body).toEqual([]);
    const after = (await p.call('auditor', design.getCase, { key: keys[1] })).body;
    expect(after.steps.map((s) => s.action)).toEqual(['Do slowly', 'Do more', 'Look again']);
    expect(after.state).toBe('draft');
    expect((await get(key)).outdated).toBeTrue();
    expect((await p.call('author', run.answerRedlines, { ...answer, basedOn: after.revision })).problem.code).toBe('stateForbids');
    await p.approve(keys[1]);
  });

  it('move the evidence and problems of later steps with a step that is added or dropped', async () => {
    const [{ key }] = (await plan([keys[2]])).items;
    await p.upload('tester', `/runs/${key}/steps/2/evidence`, [{ name: 'a.txt', bytes: Buffer.from('a') }]);
    const more = { key, reason: 'needed', step: 1 };
    const held = await p.call('tester', run.addRedline, { ...more, step: 2, what: 'dropped' } as never);
    expect(held.problem.detail).toContain('holds evidence');
    await p.call('tester', run.addRedline, { ...more, what: 'added', after: { action: 'First', expected: 'ok' } } as never);
    expect((await get(key)).evidence.map((e) => e.step)).toEqual([3]);
    await p.call('tester', run.addRedline, { ...more, what: 'dropped' } as never);
    expect((await get(key)).evidence.map((e) => e.step)).toEqual([2]);
  });

  it('are recorded whole only where the project allows it, and never past what must be read or shown', async () => {
    const short = await add('Short', { kind: 'hardware', steps: [{ action: 'Look', expected: 'Clean' }] });
    const shown = await add('Shown', { kind: 'hardware', steps: [{ action: 'Look', expected: 'Clean', evidence: 'picture' }] });
    const { items } = await plan([short, shown]);
    const of = (c: string) => items.find((item) => item.caseKey === c)?.key ?? '';
    const record = (key: string, more: object = {}) =>
      p.call('tester', run.recordShort, { key, verdict: 'passed', observed: 'Clean everywhere', seconds: 90, ...more } as never);
    expect((await record(of(short))).problem.code).toBe('stateForbids');
    const { body: project } = await p.call('admin', base.getProject, {});
    const set = await p.call('admin', base.setProfile, {
      basedOn: project.revision,
      profile: {
        ...project.profile,
        policies: { ownApprovalAt: [], creditNeedsSignature: true, observationAt: [], reasonLength: 3, shortRecordFor: ['hardware'] },
      },
      reason: 'Inspections are short',
      password,
    } as never);
    expect(set.status).withContext(String(set.problem.detail)).toBe(200);
    const wordless = await record(of(short), { verdict: 'failed', observed: '' });
    expect(wordless.problem.fields?.[0]?.path).withContext(JSON.stringify(wordless.problem)).toBe('observed');
    const { status, body, problem } = await record(of(short));
    expect(status).withContext(String(problem.detail)).toBe(200);
    expect([body.verdict, body.seconds, body.steps[0].observed]).toEqual(['passed', 90, 'Clean everywhere']);
    expect((await record(of(shown))).problem.detail).toContain('Step 1 is recorded by itself');
    expect((await record(of(short))).problem.code).toBe('stateForbids');
  });

  it('are signed many at once, only those that were looked at, each bound to its own record', async () => {
    const made = [await add('Many 1'), await add('Many 2'), await add('Many 3')];
    const { items } = await plan(made);
    for (const { key } of items) {
      for (const n of [1, 2]) await step(key, n, 'pass');
      await finish(key);
    }
    const waiting = async (who: string) => (await p.call(who, run.listSignable, {})).body.filter(({ run: r }) => made.includes(r.caseKey));
    const list = await waiting('tester');
    expect(list.map((s) => [s.meaning, s.looked])).toEqual(Array.from({ length: 3 }, () => ['performed', false]));
    for (const { run: r, hash } of list.slice(0, 2)) await p.call('tester', run.lookAtRun, { key: r.key, hash });
    expect((await p.call('tester', run.lookAtRun, { key: list[2].run.key, hash: 'a'.repeat(64) })).problem.code).toBe('recordChanged');
    const ask = { meaning: 'performed' as const, password, runs: list.map(({ run: r, hash }) => ({ key: r.key, hash })) };
    expect((await p.call('tester', run.signMany, { ...ask, password: 'wrong' })).status).toBe(403);
    const { body } = await p.call('tester', run.signMany, ask);
    expect(body.signed).toEqual(list.slice(0, 2).map(({ run: r }) => r.key));
    expect(body.refused).toEqual([{ key: list[2].run.key, why: 'You have not looked at it as it is now.' }]);
    expect((await waiting('reviewer')).map((s) => s.meaning)).toEqual(['reviewed', 'reviewed']);
    // The same hash signed by the same person again is refused run by run.
    expect((await p.call('tester', run.signMany, { ...ask, runs: ask.runs.slice(0, 1) })).body.signed).toEqual([]);
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
  });

  it('are planned in several configurations, from requirements and from an earlier round', async () => {
    const bad = { dimensions: [{ name: 'rig', values: ['1', '2'] }], exclusions: 'rig = 3 => rig = 1' };
    expect((await p.call('author', run.saveConfigurations, bad)).problem.fields?.[0].path).toBe('exclusions');
    const dimensions = [
      { name: 'rig', values: ['1', '2'] },
      { name: 'temperature', values: ['cold', 'warm', 'hot'] },
    ];
    await p.call('author', run.saveConfigurations, { dimensions, exclusions: 'rig = 2 => temperature != hot' });
    expect((await p.call('auditor', run.getConfigurations, {})).body.dimensions).toEqual(dimensions);
    await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content('Alone') });
    const from = { requirements: ['BRK-001', 'BRK-002'] };
    const asked = { build: '1.0', configuration: 'x', configurations: ['rig 1 · cold', 'rig 2 · cold'], tester: 'tester', from };
    const preview = (await p.call('tester', run.previewRound, asked as never)).body;
    expect(preview.without).toEqual(['BRK-002']);
    expect(preview.runs).toBe(2 * preview.cases);
    const first = await plan([], { from: { requirements: ['BRK-001'] }, configurations: asked.configurations, configuration: 'rig 1' });
    expect([...new Set(first.items.map((item) => item.configuration))]).toEqual(asked.configurations);
    const failing = first.items[0];
    await step(failing.key, 1, 'fail', 'Stuck');
    await finish(failing.key);
    const again = (
      await p.call('tester', run.previewRound, { ...asked, configurations: [], from: { round: first.key, part: 'failed' } } as never)
    ).body;
    expect(again.cases).toBe(1);
  });

  it('stand in rounds that are placed, put in order, closed with a signature and opened again', async () => {
    const c = await add('Kept');
    const other = await add('Added');
    const round = await plan([c]);
    const place = { key: round.key, folder: '2.0/ cold ', due: '2026-12-24', isPattern: true };
    expect((await p.call('tester', run.placeRound, place)).body).toEqual(
      jasmine.objectContaining({ folder: '2.0 / cold', due: '2026-12-24', isPattern: true }),
    );
    const more = (await p.call('tester', run.addToRound, { key: round.key, cases: [other], tester: 'both' } as never)).body;
    expect(more.items.map((item) => [item.caseKey, item.tester])).toEqual([
      [c, 'tester'],
      [other, 'both'],
    ]);
    const third = (await p.call('tester', run.addToRound, { key: round.key, cases: [await add('Third')], tester: 'both' } as never)).body;
    const [a, b, d] = third.items.map((item) => item.key);
    const order = async (): Promise<string[]> =>
      (await p.call('auditor', run.getRound, { key: round.key })).body.items.map((item) => item.key);
    const listed = async (): Promise<string[]> => {
      const filter = JSON.stringify({ field: 'round', is: [round.key] });
      return (await p.call('auditor', run.listRuns, { filter, sort: 'position' } as never)).body.rows.map((item) => item.key);
    };
    const move = (key: string, by: -1 | 1) => p.call('tester', run.moveRun, { key: round.key, run: key, by });
    for (const [key, by, then] of [
      [d, -1, [a, d, b]],
      [d, -1, [d, a, b]],
      // The first stays where it is.
      [d, -1, [d, a, b]],
      [d, 1, [a, d, b]],
      [a, 1, [d, a, b]],
      [a, 1, [d, b, a]],
    ] as const) {
      expect((await move(key, by)).status).toBe(200);
      expect(await order()).toEqual([...then]);
      expect(await listed()).toEqual([...then]);
    }
    expect((await move('RUN-999', 1)).problem.code).toBe('notFound');
    const set = async (values: object) => {
      const asked = { selection: { kind: 'run', keys: [a, b] }, act: { act: 'set', values }, reason: '' };
      const { digest } = (await p.call('author', base.previewBulk, asked as never)).body;
      return p.call('author', base.doBulk, { ...asked, digest } as never);
    };
    expect((await set({ due: '2026-12-01', priority: 'high' })).body.done).toBe(2);
    expect((await set({ due: 'soon' })).body.done).toBe(0);
    const wanted = (
      await p.call('auditor', run.listRuns, { filter: JSON.stringify({ field: 'priority', is: ['high'] }), sort: 'key' } as never)
    ).body;
    expect(wanted.rows.map((item) => [item.key, item.due])).toEqual([a, b].sort().map((key) => [key, '2026-12-01']));
    expect((await set({ due: '' })).body.done).toBe(2);
    expect((await set({ due: '' })).body.refused).toBe(2);
    expect((await p.call('auditor', run.getRun, { key: a })).body.due).toBeNull();
    const elsewhere = await plan([await add('Elsewhere')]);
    expect((await set({ round: elsewhere.key })).body.done).toBe(2);
    expect(await order()).toEqual([d]);
    expect((await p.call('auditor', run.getRun, { key: a })).body.round).toBe(elsewhere.key);
    expect((await set({ round: elsewhere.key })).body.refused).toBe(2);
    expect((await set({ round: round.key })).body.done).toBe(2);
    expect((await order()).sort()).toEqual([a, b, d].sort());
    await step(round.items[0].key, 1, 'pass');
    // What was begun stays where it is.
    expect((await set({ round: elsewhere.key })).body).toEqual(jasmine.objectContaining({ done: 1, refused: 1 }));
    expect((await set({ round: round.key })).body.done).toBe(1);
    const close = { key: round.key, reason: 'Release morning', password };
    expect((await p.call('tester', run.closeRound, close)).body.state).toBe('closed');
    expect((await step(round.items[0].key, 2, 'pass')).problem.detail).toContain('is closed');
    expect((await p.call('tester', run.addToRound, { key: round.key, cases: [other], tester: 'both' } as never)).problem.code).toBe(
      'stateForbids',
    );
    expect((await p.call('reviewer', run.reopenRound, { key: round.key, reason: 'One is missing' })).body.state).toBe('open');
    expect((await step(round.items[0].key, 2, 'pass')).status).toBe(200);
    await finish(round.items[0].key);
    const progress = (await p.call('auditor', run.getRoundProgress, { key: round.key })).body;
    expect(progress.planned).toBe(15);
    expect(progress.days.map((d) => [d.minutes, d.runs])).toEqual([[5, 1]]);
    expect(progress.by.person).toContain(jasmine.objectContaining({ verdict: 'passed', runs: 1 }));
    // Each bar by folder leads to its runs by their cases.
    const { items } = (await p.call('auditor', run.getRound, { key: round.key })).body;
    const inFolder = (name: string) => items.filter((item) => progress.folders[item.caseKey] === name).length;
    for (const { name } of progress.by.folder)
      expect(progress.by.folder.filter((bar) => bar.name === name).reduce((sum, bar) => sum + bar.runs, 0)).toBe(inFolder(name));
  });

  it('begin at once from a case, in a round that is made by itself', async () => {
    const c = await add('At once');
    const now = (more: object = {}) => p.call('tester', run.runNow, { key: c, build: '1.0', configuration: 'bench', ...more } as never);
    const first = (await now()).body;
    const second = (await now({ configuration: 'other' })).body;
    expect([first.tester, first.round]).toEqual(['tester', second.round]);
    for (const n of [1, 2]) await step(first.key, n, 'pass');
    await finish(first.key);
    expect((await now()).problem.fields?.[0].path).toBe('reason');
    expect((await now({ reason: 'Once more' })).status).toBe(200);
    expect((await now({ row: 'x' })).problem.fields?.[0].path).toBe('row');
  });
});
