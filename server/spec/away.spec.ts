import type { CallOf, Endpoint } from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import type { RunDetail } from '@contract/run';
import * as specify from '@contract/specify';
import { runHash, type RunRecord } from '@core/run';
import { caseContent, content, openProject, password, type Project } from './support';

const dayAgo = (minutes: number): string => new Date(Date.now() - 86_400_000 + minutes * 60_000).toISOString();

describe('Runs that were recorded on a device without network', () => {
  let p: Project;
  let key: string;
  const cases: string[] = [];
  /** Sends what was done on a device, as it does: with a name, when it was done, and what its clock says now. */
  const send = async <E extends Endpoint>(
    endpoint: E,
    { key: of, ...input }: Omit<CallOf<E>, 'project'> & { key: string; step?: number },
    { operation, at, sent = dayAgo(60), who = 'tester' }: { operation: string; at?: string; sent?: string; who?: string },
  ) => {
    const { step, ...rest } = input as { step?: number };
    const payload = endpoint.path.includes(':step') ? rest : input;
    const answer = await p.app.inject({
      method: endpoint.method,
      url: `/api${endpoint.path
        .replace(':project', 'spec')
        .replace(':key', of)
        .replace(':step', String(step))
        .replace(':id', String((input as { id?: number }).id))}`,
      headers: {
        cookie: await p.cookie(who),
        'idempotency-key': operation,
        ...(at === undefined ? {} : { 'device-at': at, 'device-sent': sent }),
      },
      payload,
    });
    return { status: answer.statusCode, body: answer.json<RunDetail & { code: string; detail: string; fields: { path: string }[] }>() };
  };
  const get = async () => (await p.call('auditor', run.getRun, { key })).body;
  const step = (n: number, observed: string, more: object = {}) => ({
    key,
    step: n,
    observed,
    verdict: 'pass' as const,
    seconds: n,
    ...more,
  });

  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content('Closes') });
    await p.approve('BRK-001');
    const { body } = await p.call('author', design.addCase, { content: caseContent('Two steps'), verifies: ['BRK-001'] });
    await p.approve(body.key);
    cases.push(body.key);
  });
  beforeEach(async () => {
    const round = await p.call('tester', run.addRound, {
      build: '1.0',
      title: 'Away',
      configuration: `rig ${Math.random()}`,
      tester: 'tester',
      cases,
    });
    key = round.body.items[0].key;
  });
  afterAll(() => p.close());

  it('hold the times of the device and of the arrival in what is signed, and arrive once however often they are sent', async () => {
    await send(run.startRun, { key }, { operation: `${key}-begun`, at: dayAgo(0) });
    for (let again = 0; again < 3; again++)
      expect((await send(run.recordStep, step(1, 'seen'), { operation: `${key}-step-1`, at: dayAgo(1) })).status).toBe(200);
    await send(run.recordStep, step(2, 'seen too'), { operation: `${key}-step-2`, at: dayAgo(2) });
    for (let again = 0; again < 2; again++)
      expect((await send(run.finishRun, { key, seconds: 90 }, { operation: `${key}-end`, at: dayAgo(3) })).body.verdict).toBe('passed');
    const now = await get();
    expect(now.device.map(({ what, step: of }) => [what, of])).toEqual([
      ['begun', null],
      ['step', 1],
      ['step', 2],
      ['finished', null],
    ]);
    for (const note of now.device) {
      expect(note.at < note.sent && note.sent < note.arrived).toBeTrue();
      expect(Date.parse(note.arrived) - Date.parse(note.at)).toBeGreaterThan(80_000_000);
    }
    const entries = (await p.owner.query(`select after_value as after from ledger where record_key = ? order by seq`, [key]))[0] as {
      after: string;
    }[];
    expect(entries.filter(({ after }) => after.includes('"device":')).length).toBe(4);
    expect((await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash: now.hash } as never)).status).toBe(200);
    expect((await get()).signatures[0].matches).toBeTrue();
    // Whoever moves the device's time behind the server's back breaks the signature.
    const mine = 'where id = (select id from records where record_key = ? and project_id = ?)';
    const [rows] = (await p.owner.query(`select notes from run_devices ${mine}`, [key, p.projectId])) as unknown as [{ notes: string }[]];
    const moved = rows[0].notes.replaceAll(now.device[2].at, now.device[1].at);
    await p.owner.query(`update run_devices set notes = ? ${mine}`, [moved, key, p.projectId]);
    expect((await get()).signatures[0].matches).toBeFalse();
    await p.owner.query(`update run_devices set notes = ? ${mine}`, [rows[0].notes, key, p.projectId]);
    expect((await get()).signatures[0].matches).toBeTrue();
  });

  it('are hashed as format 7, whose device times count; a run recorded here stays as it always was', async () => {
    const record = { steps: [], evidence: [], corrections: [], case: caseContent('x') } as unknown as RunRecord;
    const more = { conclusion: '', redlines: [], performedBy: null, clock: [], device: [] };
    const note = { what: 'step' as const, step: 1, at: dayAgo(0), sent: dayAgo(1), arrived: dayAgo(2) };
    expect(runHash(6, { ...record, more })).toBe(runHash(6, { ...record, more: { ...more, device: [note] } }));
    expect(runHash(7, { ...record, more })).not.toBe(runHash(7, { ...record, more: { ...more, device: [note] } }));
    await p.call('tester', run.recordStep, step(1, 'seen'));
    await p.call('tester', run.recordStep, step(2, 'seen'));
    await p.call('tester', run.finishRun, { key, seconds: 3 });
    expect((await get()).device).toEqual([]);
    const [rows] = (await p.owner.query(
      `select format f from runs where id = (select id from records where record_key = ? and project_id = ?)`,
      [key, p.projectId],
    )) as unknown as [{ f: number }[]];
    expect(rows[0].f).toBeLessThan(7);
  });

  it('refuse a step that somebody recorded meanwhile, unless it says the same; what does not fit is kept beside the result', async () => {
    const known = { observed: '', verdict: null };
    await p.call('tester', run.recordStep, step(1, 'seen here'));
    const mine = await send(run.recordStep, step(1, 'seen away', { known }), { operation: `${key}-mine`, at: dayAgo(1) });
    expect([mine.status, mine.body.code]).toEqual([409, 'conflict']);
    expect(mine.body.detail).toContain('“seen here”');
    expect((await send(run.recordStep, step(1, 'seen here', { known }), { operation: `${key}-same`, at: dayAgo(1) })).status).toBe(200);
    expect((await send(run.recordStep, step(2, 'seen away', { known }), { operation: `${key}-two`, at: dayAgo(1) })).status).toBe(200);
    const recorded = [{ what: 'step' as const, step: 1, at: dayAgo(1), observed: 'seen away', verdict: 'pass' as const }];
    const ask = { key, why: 'Recorded meanwhile.', recorded };
    for (let again = 0; again < 2; again++) await send(run.handIn, ask, { operation: `${key}-hand-in`, at: dayAgo(1) });
    const now = await get();
    expect(now.steps.map(({ observed }) => observed)).toEqual(['seen here', 'seen away']);
    expect(now.handedIn.map(({ by, why, recorded: of }) => ({ by, why, of }))).toEqual([
      { by: 'tester', why: 'Recorded meanwhile.', of: recorded },
    ]);
    // Anybody may know of it; only those who record hand in, and only something.
    expect((await send(run.handIn, ask, { operation: `${key}-other`, who: 'auditor' })).status).toBe(403);
    expect((await send(run.handIn, { ...ask, recorded: [] }, { operation: `${key}-nothing` })).status).toBe(400);
  });

  it('keep what was recorded of a run that was signed, superseded or given away meanwhile, and leave its hash alone', async () => {
    for (const n of [1, 2]) await p.call('tester', run.recordStep, step(n, 'seen'));
    const { hash } = (await p.call('tester', run.finishRun, { key, seconds: 3 })).body;
    await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash } as never);
    expect((await send(run.recordStep, step(1, 'away'), { operation: `${key}-late-1`, at: dayAgo(1) })).body.code).toBe('signed');
    const recorded = [{ what: 'step' as const, step: 1, at: dayAgo(1), observed: 'away', verdict: 'fail' as const }];
    expect((await send(run.handIn, { key, why: 'It is signed.', recorded }, { operation: `${key}-late-2`, at: dayAgo(1) })).status).toBe(
      200,
    );
    const now = await get();
    expect([now.hash, now.signatures[0].matches, now.handedIn.length]).toEqual([hash, true, 1]);
  });

  it('take redlines, problem reports and evidence off with the times of the device, and give nothing to another step', async () => {
    const after = { action: 'Close it by hand', expected: 'It is closed' };
    const reason = 'There is no power.';
    const first = (await get()).case.steps[0].action;
    const redline = { key, step: 1, what: 'added' as const, after, reason, of: first };
    expect((await send(run.addRedline, redline, { operation: `${key}-red-1`, at: dayAgo(1) })).status).toBe(200);
    expect(
      (await send(run.recordStep, step(1, 'by hand', { of: after.action }), { operation: `${key}-red-2`, at: dayAgo(2) })).status,
    ).toBe(200);
    // Of a device that does not know of the redline.
    for (const [name, more] of [
      ['a', { known: { observed: '', verdict: null } }],
      ['b', {}],
    ] as const) {
      const late = await send(run.recordStep, step(2, 'late', { ...more, of: 'What was the second' }), {
        operation: `${key}-late-${name}`,
        at: dayAgo(3),
      });
      expect([late.status, late.body.code]).toEqual([409, 'stateForbids']);
      expect(late.body.detail).toContain('Step 2 is another one now');
    }
    const other = await send(
      run.addRedline,
      { ...redline, step: 2, of: 'What was the second' },
      { operation: `${key}-red-3`, at: dayAgo(3) },
    );
    expect(other.body.code).toBe('stateForbids');
    const of = encodeURIComponent(first.slice(0, 200));
    const uploaded = await p.upload('tester', `/runs/${key}/steps/2/evidence?of=${of}`, [{ name: 'a.txt', bytes: Buffer.from('x') }]);
    const [file] = (uploaded.body as RunDetail).evidence;
    expect((await p.upload('tester', `/runs/${key}/steps/1/evidence?of=${of}`, [{ name: 'a.txt', bytes: Buffer.from('x') }])).status).toBe(
      409,
    );
    const off = await send(run.removeEvidence, { key, id: file.id } as never, { operation: `${key}-off`, at: dayAgo(4) });
    expect(off.status).toBe(200);
    const raised = await p.app.inject({
      method: 'POST',
      url: '/api/projects/spec/problems',
      headers: { cookie: await p.cookie('tester'), 'idempotency-key': `${key}-raised`, 'device-at': dayAgo(5), 'device-sent': dayAgo(60) },
      payload: { title: 'It jams', description: '', run: key, step: 2, build: '1.0' },
    });
    expect(raised.statusCode).toBe(200);
    await send(run.recordStep, step(2, 'seen', { of: first }), { operation: `${key}-red-4`, at: dayAgo(6) });
    await send(run.recordStep, step(3, 'seen'), { operation: `${key}-red-5`, at: dayAgo(7) });
    await send(run.finishRun, { key, seconds: 9 }, { operation: `${key}-red-end`, at: dayAgo(8) });
    const now = await get();
    expect(now.device.map(({ what, step: of }) => [what, of])).toEqual([
      ['redlined', 1],
      ['step', 1],
      ['evidenceRemoved', 2],
      ['step', 2],
      ['step', 3],
      ['finished', null],
    ]);
    expect([now.evidence, now.problems.map(({ step: of }) => of), now.redlines.length]).toEqual([[], [2], 1]);
    const [[{ after: entry }]] = (await p.owner.query(`select after_value as after from ledger where record_key = ? and project_id = ?`, [
      now.problems[0].key,
      p.projectId,
    ])) as unknown as [[{ after: string }]];
    expect(entry).toContain('"device":');
    expect((await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash: now.hash } as never)).status).toBe(200);
    expect((await get()).signatures[0].matches).toBeTrue();
  });

  it('refuse times that are none', async () => {
    const wrong = await send(run.startRun, { key }, { operation: `${key}-wrong`, at: 'yesterday' });
    expect([wrong.status, wrong.body.fields[0].path]).toEqual([400, 'Device-At']);
    expect((await get()).state).toBe('planned');
  });
});
