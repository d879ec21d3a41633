import { execFile } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, password, root, type Project } from './support';

const pass = [1, 2];

describe('The places of Run', () => {
  let p: Project;
  const cases: string[] = [];
  const add = async (title: string, verifies: string): Promise<string> => {
    const made = await p.call('author', design.addCase, { content: caseContent(title), verifies: [verifies] });
    await p.approve(made.body.key);
    return made.body.key;
  };
  const record = async (build: string, key: string, verdict: 'pass' | 'fail', more: object = {}) => {
    const { body, problem } = await p.call('tester', run.runNow, { key, build, configuration: 'rig', reason: 'again', ...more } as never);
    if (!body.key) throw new Error(problem.detail ?? problem.title);
    for (const step of pass)
      await p.call('tester', run.recordStep, { key: body.key, step, verdict, observed: 'seen', seconds: 9 } as never);
    return (await p.call('tester', run.finishRun, { key: body.key, seconds: 60 })).body;
  };
  const source = (held: string) => `int held(int a)\n{\n  ${held}\n}\n\nint other(int a)\n{\n  return a;\n}\n`;
  const lcov = (lines: readonly (readonly [number, number])[]) =>
    Buffer.from(`SF:src/a.c\n${lines.map(([line, hits]) => `DA:${line},${hits}\n`).join('')}end_of_record\n`);
  const zip = async (text: string) => {
    const { zipSync, strToU8 } = await import('fflate');
    return Buffer.from(zipSync({ 'src/a.c': strToU8(text) }));
  };
  beforeAll(async () => {
    p = await openProject();
    for (const title of ['Closes', 'Opens'])
      await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content(title) });
    for (const key of ['BRK-001', 'BRK-002']) await p.approve(key);
    for (const [title, verifies] of [
      ['One', 'BRK-001'],
      ['Two', 'BRK-002'],
      ['Three', 'BRK-002'],
      ['Four', 'BRK-001'],
    ])
      cases.push(await add(title, verifies));
    await p.call('author', run.addBuild, { name: '2.0', description: '' });
  });
  afterAll(() => p.close());

  it('lay results beside each other: builds, rounds and configurations; verdicts that flip; what is taken out as it is shown', async () => {
    await record('1.0', cases[0], 'fail');
    await record('1.0', cases[0], 'pass');
    await record('1.0', cases[1], 'pass');
    await record('2.0', cases[1], 'fail');
    await record('2.0', cases[1], 'pass', { configuration: 'cold' });
    const asked = async (more: object) => (await p.call('auditor', run.getComparison, more as never)).body;
    const builds = await asked({});
    expect(builds.columns.map((c) => c.key)).toEqual(['1.0', '2.0']);
    const of = (answer: run.Comparison, key: string) => answer.rows.find((r) => r.key === key);
    expect([of(builds, cases[0])?.cells, of(builds, cases[0])?.flips]).toEqual(['p.', [0]]);
    // One configuration failed: so did the case, on the newest build that it was run on.
    expect([of(builds, cases[1])?.cells, of(builds, cases[1])?.latest?.state]).toEqual(['pf', 'failed']);
    expect(of(builds, cases[3])?.cells).toBe('..');
    const configurations = await asked({ across: 'configurations', build: '2.0' });
    expect([configurations.columns.map((c) => c.key), of(configurations, cases[1])?.cells]).toEqual([['cold', 'rig'], 'pf']);
    expect((await asked({ across: 'rounds' })).columns.map((c) => c.build)).toEqual(['1.0', '2.0']);
    const file = await p.app.inject({
      url: `/api/projects/spec/comparison/file?format=csv&only=failing&by=requirement&columns=1`,
      headers: { cookie: await p.cookie('auditor') },
    });
    expect(
      file.body
        .trim()
        .split('\r\n')
        .map((line) => line.replace(/^﻿/, '')),
    ).toEqual(['group,case,title,2.0,latest', `BRK-002,${cases[1]},Two,failed,failed`]);
    for (const [format, begin] of [
      ['xlsx', 'PK'],
      ['html', '<!doctype'],
    ])
      expect(
        (
          await p.app.inject({ url: `/api/projects/spec/comparison/file?format=${format}`, headers: { cookie: await p.cookie('auditor') } })
        ).body.startsWith(begin),
      ).toBeTrue();
  });

  it('tell what a change makes necessary: texts, cases and code, each with its reason, and the fewest that show it again', async () => {
    for (const [build, held] of [
      ['1.0', 'return a + 1;'],
      ['2.0', 'return a + 2;'],
    ])
      await p.upload('author', `/builds/${build}/sources`, [{ name: 'src.zip', bytes: await zip(source(held)) }]);
    // The first case ran through the function that changes, the second through the other one.
    await p.upload('author', '/builds/1.0/coverage', [
      {
        name: `${cases[0]}.info`,
        bytes: lcov([
          [3, 1],
          [8, 0],
        ]),
      },
    ]);
    await p.upload('author', '/builds/1.0/coverage', [
      {
        name: `${cases[1]}.info`,
        bytes: lcov([
          [3, 0],
          [8, 4],
        ]),
      },
    ]);
    await record('1.0', cases[2], 'pass');
    const again = async (more: object = {}) =>
      (await p.call('auditor', run.getNeededAgain, { from: '1.0', to: '2.0', ...more } as never)).body;
    const first = await again();
    expect(first.functions).toEqual([{ path: 'src/a.c', name: 'held', what: 'changed' }]);
    expect(first.again.map((c) => [c.key, c.reasons])).toEqual([[cases[0], ['it hit held in src/a.c, which changed']]]);
    expect(first.untouched.map((c) => c.key)).toEqual([cases[1], cases[2]]);
    expect(first.neverRun.map((c) => c.key)).toEqual([cases[3]]);
    expect(first.choice).toEqual(jasmine.objectContaining({ cases: [cases[0]], covered: 1, of: 1, proved: true }));
    // A requirement is revised: both of its cases are needed, and one of them shows it again.
    const { revision } = (await p.call('auditor', specify.getRequirement, { key: 'BRK-002' })).body;
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-002',
      basedOn: revision,
      content: content('Opens', { text: 'It shall open at once.' }),
      reason: 'Sharper',
    } as never);
    const second = await again();
    expect(second.requirements).toEqual([jasmine.objectContaining({ key: 'BRK-002', before: 1, now: 2 })]);
    expect(second.again.map((c) => c.key)).toEqual(cases.slice(0, 3));
    expect(second.choice.cases.length).toBe(2);
    // What is shown on the later build already is not lost any more.
    await record('2.0', cases[0], 'pass');
    const third = await again();
    expect(third.again[0].done).not.toBeNull();
    expect(third.choice.cases).not.toContain(cases[0]);
    expect((await again({ minutes: 1 })).choice.cases).toEqual([]);
    expect((await p.call('auditor', run.getNeededAgain, { from: '1.0', to: '1.0' } as never)).status).toBe(400);
  });

  it('move a problem along its life: filled, by who may, closed by a run that passed or a signed reason', async () => {
    const failed = await record('1.0', cases[3], 'fail');
    const { body: raised } = await p.call('tester', run.addProblem, {
      title: 'It stuck',
      description: '',
      blocking: true,
      run: failed.key,
      step: 1,
      build: '1.0',
      requirements: [],
    } as never);
    expect([raised.stage, raised.severity]).toEqual(['open', '']);
    const said = {
      severity: 'major',
      priority: 'high',
      area: 'brake',
      assigned: 'both',
      due: '2026-12-24',
      fixedIn: null,
      closedReason: '',
      password: '',
    };
    const stage = async (name: string, more: object = {}) => {
      const { revision } = (await p.call('auditor', run.listProblems, { filter: JSON.stringify({ field: 'key', is: [raised.key] }) })).body
        .rows[0];
      const { title, description, blocking } = raised;
      const change = { key: raised.key, basedOn: revision, title, description, blocking, stage: name, ...said, ...more };
      return p.call('tester', run.saveProblem, change);
    };
    expect((await stage('fixed')).problem.fields?.map((f) => f.path)).toEqual(['fixedIn']);
    expect((await stage('working', { assigned: 'nobody-here' })).problem.fields?.[0].path).toBe('assigned');
    const fixed = (await stage('fixed', { fixedIn: '2.0' })).body;
    // Said to be fixed is not closed: it stands until a run shows it.
    expect([fixed.state, fixed.stage, fixed.fixedIn, fixed.shownBy]).toEqual(['open', 'fixed', '2.0', []]);
    const close = { fixedIn: '2.0', closedReason: 'Cable replaced' };
    expect((await stage('closed', close)).problem.fields?.[0].path).toBe('password');
    expect((await stage('closed', { ...close, password: 'wrong' })).status).toBe(403);
    await record('2.0', cases[3], 'pass');
    const closed = (await stage('closed', close)).body;
    expect([closed.state, closed.shownBy.map((s) => s.verdict)]).toEqual(['closed', ['passed']]);
    expect((await stage('fixed', { fixedIn: '2.0' })).problem.code).toBe('stateForbids');
    const life = (await p.call('auditor', run.getProblemLife, {})).body;
    const without = {
      ...life,
      stages: life.stages.filter(({ name }) => name !== 'closed').map((s) => ({ ...s, next: s.next.filter((n) => n !== 'closed') })),
    };
    expect((await p.call('admin', run.saveProblemLife, without as never)).status).toBe(400);
    const guarded = { ...life, stages: life.stages.map((s) => (s.name === 'open' ? { ...s, roles: ['reviewer' as const] } : s)) };
    expect((await p.call('admin', run.saveProblemLife, guarded as never)).status).toBe(200);
    expect((await stage('open')).problem.detail).toContain('a reviewer');
    const figures = (await p.call('auditor', run.getProblemFigures, {})).body;
    expect(figures.byRequirement).toEqual([{ key: 'BRK-001', open: 0, closed: 1 }]);
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
    // The day on which it was closed, not the one on which it was changed last.
    await p.owner.query(`update ${p.name}.records set created_at = '2026-01-01T08:00:00.000Z' where kind = 'problem'`);
    await p.owner.query(
      `update ${p.name}.revisions v join ${p.name}.records r on r.id = v.record_id set v.at = '2026-01-02T08:00:00.000Z' where r.kind = 'problem' and v.state = 'closed'`,
    );
    expect((await p.call('auditor', run.getProblemFigures, {})).body.days).toEqual([
      { day: '2026-01-01', found: 1, closed: 0 },
      { day: '2026-01-02', found: 1, closed: 1 },
    ]);
  });

  it('link a problem that is known already to a run that shows it too', async () => {
    const failed = await record('1.0', cases[2], 'fail');
    const problem = (await p.call('auditor', run.listProblems, {})).body.rows[0].key;
    // A report of the same case says what may be known already; one of another case does not.
    const said = { title: 'Too slow', description: '', blocking: false, build: '1.0' };
    const again = await record('1.0', cases[2], 'fail');
    const { body: near } = await p.call('tester', run.addProblem, { ...said, run: again.key, step: 1 } as never);
    const known = async () => (await p.call('auditor', run.getRun, { key: failed.key })).body.knownProblems.map(({ key }) => key);
    expect(await known()).toContain(near.key);
    expect(await known()).not.toContain(problem);
    await p.call('tester', run.linkProblem, { key: near.key, run: failed.key });
    expect(await known()).not.toContain(near.key);
    expect((await p.call('auditor', run.linkProblem, { key: problem, run: failed.key })).status).toBe(403);
    expect((await p.call('tester', run.linkProblem, { key: problem, run: failed.key })).status).toBe(200);
    expect((await p.call('auditor', run.getRun, { key: failed.key })).body.problems.map((x) => [x.key, x.step])).toEqual(
      jasmine.arrayWithExactContents([
        [problem, null],
        [near.key, null],
      ]),
    );
  });

  it('print a record, the results of a round and sheets for its open runs', async () => {
    const { body } = await p.call('tester', run.addRound, {
      build: '1.0',
      title: 'Paper',
      configuration: 'paper',
      tester: 'tester',
      cases: cases.slice(0, 1),
    } as never);
    const cookie = await p.cookie('auditor');
    const get = (url: string) => p.app.inject({ url: `/api/projects/spec${url}`, headers: { cookie } });
    for (const [url, begin] of [
      [`/runs/${body.items[0].key}/document`, '%PDF'],
      [`/rounds/${body.key}/document?format=pdf`, '%PDF'],
      [`/rounds/${body.key}/document?format=sheets`, '%PDF'],
      [`/rounds/${body.key}/document?format=docx`, 'PK'],
    ])
      expect((await get(url)).rawPayload.subarray(0, begin.length).toString())
        .withContext(url)
        .toBe(begin);
    expect((await get(`/rounds/${body.key}/document?format=exe`)).statusCode).toBe(400);
  });

  it('are sent to by cord-send: what it says, and with which code it ends', async () => {
    await p.app.listen({ port: 0, host: '127.0.0.1' });
    const { port } = p.app.server.address() as { port: number };
    const { body } = await p.call('admin', base.addToken, { name: 'ci', roles: ['tester'], days: 1 });
    const folder = mkdtempSync(join(tmpdir(), 'cord-send-'));
    const file = (name: string, text: string): string => {
      writeFileSync(join(folder, name), text);
      return join(folder, name);
    };
    const send = async (args: readonly string[], secret = body.secret) => {
      const all = [
        join(root, 'web/public/cord-send.mjs'),
        '--url',
        `http://127.0.0.1:${port}`,
        '--project',
        'spec',
        '--tries',
        '1',
        ...args,
      ];
      const env = { PATH: process.env['PATH'], ...(secret ? { CORD_TOKEN: secret } : {}) };
      return promisify(execFile)(process.execPath, all, { env }).then(
        ({ stdout }) => ({ code: 0, stdout, stderr: '' }),
        (error: { code: number; stdout: string; stderr: string }) => error,
      );
    };
    const told = ['--build', '2.0', '--configuration', 'ci', '--tool', 'unit', '--version', '1'];
    const good = file('good.tap', `1..2\nok 1 - ${cases[0]} holds\nok 2 - elsewhere\n`);
    const first = await send([...told, '--results', good, '--json']);
    expect(first.code).toBe(0);
    const said = JSON.parse(first.stdout) as { results: run.SentResults };
    expect([said.results.runs.length, said.results.unmatched]).toEqual([1, ['elsewhere']]);
    // Sent again by a build server that does not know whether it arrived: nothing is recorded twice.
    const second = JSON.parse((await send([...told, '--results', good, '--json'])).stdout) as { results: run.SentResults };
    expect(second.results.runs).toEqual(said.results.runs);
    const bad = await send([...told, '--results', file('bad.tap', `1..1\nnot ok 1 - ${cases[0]} holds\n`)]);
    expect([bad.code, bad.stdout.includes('failed')]).toEqual([1, true]);
    const refused = await send([...told, '--results', file('cut.tap', '1..3\nok 1 - a\n')]);
    expect([refused.code, refused.stderr.includes('cut off')]).toEqual([2, true]);
    expect((await send([...told, '--results', good], '')).code).toBe(3);
    expect((await send(['--build', '2.0', '--what'])).code).toBe(3);
    expect((await send([...told, '--results', join(folder, 'none.xml')])).code).toBe(3);
    expect(password.length).toBeGreaterThan(0);
  });
});
