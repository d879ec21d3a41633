import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, password, type Project } from './support';

const junit = (cases: string) => Buffer.from(`<?xml version="1.0"?><testsuites><testsuite name="unit">${cases}</testsuite></testsuites>`);
const question = (more: object = {}) =>
  `?${new URLSearchParams({ build: '1.0', configuration: 'ci', tool: 'unit', version: '1.0', ...(more as Record<string, string>) })}`;

describe('Results of machines', () => {
  let p: Project;
  let secret = '';
  const add = async (title: string, more: object = {}, approved = true, verifies = ['BRK-001']): Promise<string> => {
    const made = await p.call('author', design.addCase, { content: caseContent(title, more), verifies });
    if (approved) await p.approve(made.body.key);
    return made.body.key;
  };
  /** Sends files as a program does, with its token. */
  const send = async (files: readonly { name: string; bytes: Buffer }[], more: object = {}, as = secret) => {
    const boundary = 'program-boundary';
    const payload = Buffer.concat([
      ...files.flatMap(({ name, bytes }) => [
        Buffer.from(`--${boundary}\r\ncontent-disposition: form-data; name="file"; filename="${name}"\r\n\r\n`),
        bytes,
        Buffer.from('\r\n'),
      ]),
      Buffer.from(`--${boundary}--\r\n`),
    ]);
    const answer = await p.app.inject({
      method: 'POST',
      url: `/api/projects/spec/results${question(more)}`,
      headers: { authorization: `Bearer ${as}`, 'content-type': `multipart/form-data; boundary=${boundary}` },
      payload,
    });
    return {
      status: answer.statusCode,
      body: answer.json() as run.SentResults,
      problem: answer.json() as { code: string; detail: string },
    };
  };
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content('Closes') });
    await p.approve('BRK-001');
    const { body } = await p.call('admin', base.addToken, { name: 'build-server', roles: ['tester'], days: 30 });
    secret = body.secret;
  });
  afterAll(() => p.close());

  it('become runs of the cases that they name, with the file and the log as evidence; the rest is kept and shown', async () => {
    const [a, b, rows, draft] = [
      await add('One'),
      await add('Two'),
      await add('Rows', { steps: [{ action: 'Do {{x}}', expected: 'y' }], rows: [{ name: 'cold', values: { x: '1' } }] }),
      await add('Draft', {}, false),
    ];
    const file = junit(
      `<testcase name="${a} closes in time" time="0.5"/><testcase name="${a} opens in time"><failure message="took 2 s">at line 4</failure></testcase>` +
        `<testcase classname="${b}" name="lamp"/><testcase name="${rows} row cold"/><testcase name="${rows}"/><testcase name="${draft}"/>` +
        `<testcase name="parser reads"/><testcase name="two"/><testcase name="left out ${b}"><skipped message="no rig"/></testcase>`,
    );
    const { status, body, problem } = await send([
      { name: 'unit.xml', bytes: file },
      { name: 'unit.log', bytes: Buffer.from('all of it') },
    ]);
    expect(status).withContext(problem.detail).toBe(200);
    const verdicts = Object.fromEntries(body.runs.map((r) => [`${r.caseKey}${r.row ?? ''}`, r.verdict]));
    // What was left out blocks the run of the others of its case.
    expect(verdicts).toEqual({ [a]: 'failed', [b]: 'blocked', [`${rows}cold`]: 'passed' });
    expect(body.unmatched).toEqual(['unit › parser reads']);
    expect(body.refused.map(({ key }) => key).sort()).toEqual([rows, draft].sort());
    const failed = body.runs.find((r) => r.caseKey === a)?.key ?? '';
    const record = (await p.call('auditor', run.getRun, { key: failed })).body;
    expect(record.tester).toBe('program:build-server');
    expect(record.performedBy).toEqual({ program: 'program:build-server', tool: 'unit', version: '1.0' });
    expect(record.steps.map((s) => s.verdict)).toEqual(['pass', 'fail']);
    expect(record.steps[1].observed).toContain('took 2 s');
    expect(record.evidence.map((e) => e.name).sort()).toEqual(['unit.log', 'unit.xml']);
    const [upload] = (await p.call('auditor', run.listResults, { build: '1.0' })).body;
    expect([upload.results, upload.passed, upload.failed, upload.skipped]).toEqual([9, 7, 1, 1]);
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
  });

  it('count once somebody reviewed them, by themselves where the tool is qualified, and not at all where the project says so', async () => {
    const { body: req } = await p.call('author', specify.addRequirement, {
      specification: 'BRK',
      under: null,
      parent: null,
      content: content('Counted'),
    });
    await p.approve(req.key);
    const c = await add('Counts', {}, true, [req.key]);
    const state = async () => {
      const { body: cord } = await p.call('auditor', prove.getCord, { key: req.key, build: '1.0' } as never);
      return [
        cord.states.run,
        cord.reasons.run.map(({ words }) => words.replace(/^RUN-\d+ of C-\d+ was done by a program/, 'It')).join('; '),
      ];
    };
    const { body } = await send([{ name: 'c.tap', bytes: Buffer.from(`TAP version 13\n1..1\nok 1 - ${c} works\n`) }]);
    expect(body.runs.map((r) => r.verdict)).toEqual(['passed']);
    expect(await state()).toEqual(['waiting', 'It and counts once somebody reviewed it']);
    const set = async (policies: object) => {
      const { body: project } = await p.call('admin', base.getProject, {});
      const { status, problem } = await p.call('admin', base.setProfile, {
        basedOn: project.revision,
        profile: {
          ...project.profile,
          policies: { ownApprovalAt: [], creditNeedsSignature: true, observationAt: [], reasonLength: 3, ...policies },
        },
        reason: 'Results of programs',
        password,
      } as never);
      expect(status).withContext(String(problem.detail)).toBe(200);
    };
    await set({ programResults: { 'SIL 2': 'qualified' }, qualifiedTools: ['unit 1.0'] });
    expect((await state())[0]).toBe('sound');
    await set({ programResults: { 'SIL 2': 'qualified' }, qualifiedTools: ['unit 2.0'] });
    expect(await state()).toEqual(['waiting', 'It and counts once somebody reviewed it']);
    const { hash } = (await p.call('auditor', run.getRun, { key: body.runs[0].key })).body;
    const sign = { key: body.runs[0].key, meaning: 'reviewed' as const, password, hash };
    expect((await p.call('reviewer', run.signRun, sign as never)).status).toBe(200);
    expect((await state())[0]).toBe('sound');
    await set({ programResults: { 'SIL 2': 'no' } });
    expect(await state()).toEqual(['waiting', 'It, which does not count at this level']);
    await set({});
  });

  it('are matched by rules that people correct, and what matched nothing is matched again by them', async () => {
    const c = await add('Parser');
    const { body } = await send([
      { name: 'p.xml', bytes: junit('<testcase name="reads lines"/><testcase name="reads words"/><testcase name="other"/>') },
    ]);
    expect(body.runs).toEqual([]);
    const [{ id }] = body.uploads;
    expect((await p.call('tester', run.addResultRule, { pattern: '', caseKey: c } as never)).status).toBe(400);
    await p.call('tester', run.addResultRule, { pattern: '*reads*', caseKey: c, row: null });
    const again = (await p.call('tester', run.matchResults, { id })).body;
    expect(again.runs.map((r) => [r.caseKey, r.verdict])).toEqual([[c, 'passed']]);
    const record = (await p.call('auditor', run.getRun, { key: again.runs[0].key })).body;
    // It is the program's, whoever matched it.
    expect([record.tester, record.steps.length]).toEqual(['program:build-server', 2]);
    const items = (await p.call('auditor', run.getResults, { id })).body.items;
    expect(items.filter((item) => item.run === null).map((item) => item.name)).toEqual(['other']);
    const [open] = items;
    expect((await p.call('tester', run.dismissResult, { id, item: open.id, reason: 'No case of ours' })).body.unmatched).toBe(0);
    const [rule] = (await p.call('auditor', run.listResultRules, {})).body;
    expect((await p.call('tester', run.removeResultRule, { id: rule.id })).status).toBe(200);
    expect((await p.call('auditor', run.listResultRules, {})).body).toEqual([]);
  });

  it('are refused whole where they were cut off, are no results, or come from somebody without the right', async () => {
    const cut = await send([{ name: 'cut.tap', bytes: Buffer.from('1..3\nok 1 - a\n') }]);
    expect([cut.status, cut.problem.code]).toEqual([422, 'unreadable']);
    expect((await send([{ name: 'bad.xml', bytes: Buffer.from('<testsuite><testcase') }])).problem.code).toBe('unreadable');
    expect((await send([{ name: 'log.txt', bytes: Buffer.from('x') }])).status).toBe(400);
    expect((await send([{ name: 'a.xml', bytes: junit('<testcase name="a"/>') }], { build: '9.9' })).status).toBe(404);
    expect((await send([{ name: 'a.xml', bytes: junit('<testcase name="a"/>') }], {}, 'cord_wrong')).status).toBe(401);
    const { body } = await p.call('admin', base.addToken, { name: 'reader', roles: ['auditor'], days: 30 });
    expect((await send([{ name: 'a.xml', bytes: junit('<testcase name="a"/>') }], {}, body.secret)).status).toBe(403);
  });

  // Written by the runners themselves, here and now: node's own, and pytest's shape as Debian's ctest and node write it.
  it('of a runner that writes JUnit XML and TAP are read with the counts that the runner tells', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'cord-results-'));
    const c = await add('By node');
    writeFileSync(
      join(folder, 'some.test.mjs'),
      `import { test, describe } from 'node:test'; import assert from 'node:assert';
       describe('${c} sums', () => { test('adds', () => assert.equal(1 + 1, 2)); test('fails', () => assert.equal(1, 2)); test('skips', { skip: true }, () => {}); });
       test('alone', () => {});`,
    );
    for (const [reporter, name] of [
      ['junit', 'node.xml'],
      ['tap', 'node.tap'],
    ]) {
      try {
        execFileSync(
          process.execPath,
          ['--test', `--test-reporter=${reporter}`, `--test-reporter-destination=${join(folder, name)}`, join(folder, 'some.test.mjs')],
          {
            stdio: 'ignore',
            env: { PATH: process.env['PATH'] },
          },
        );
      } catch {
        // One of its tests fails: so does the runner.
      }
    }
    const xml = await send([{ name: 'node.xml', bytes: readFileSync(join(folder, 'node.xml')) }], {
      tool: 'node',
      version: process.versions.node,
    });
    expect(xml.status).withContext(xml.problem.detail).toBe(200);
    const [upload] = xml.body.uploads;
    expect([upload.passed, upload.failed, upload.skipped]).toEqual([2, 1, 1]);
    const tap = await send([{ name: 'node.tap', bytes: readFileSync(join(folder, 'node.tap')) }], {
      tool: 'node',
      version: process.versions.node,
    });
    expect(tap.status).withContext(tap.problem.detail).toBe(200);
  });
});
