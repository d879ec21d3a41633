import { eq } from 'drizzle-orm';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { addProject, attachments, people, records, setMember, traces, verifyLedger, type Actor } from '../src/base';
import { addSpecification } from '../src/specify';
import { caseContent, content, openProject, type Project } from './support';

const png = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');

describe('Cases copied into another project, and runs that rest on others', () => {
  let p: Project;
  let other: Actor;
  const add = async (title: string, more: object = {}, verifies: string[] = []): Promise<string> => {
    const made = await p.call('author', design.addCase, { content: caseContent(title, more), verifies });
    if (made.status !== 200) throw new Error(made.problem.detail ?? made.problem.title);
    return made.body.key;
  };
  beforeAll(async () => {
    p = await openProject();
    const { db } = p.database;
    const now = () => new Date();
    const [admin] = await db.select({ id: people.id }).from(people).where(eq(people.login, 'admin'));
    const { id } = await addProject(db, { login: 'admin', projectId: 0, now }, admin.id, {
      slug: 'other',
      name: 'Other',
      standard: 'IEC 61508',
      level: 'SIL 2',
    });
    other = { login: 'author', projectId: id, now };
    await setMember(db, { ...other, login: 'admin' }, 'author', ['author']);
    await addSpecification(db, other, { key: 'BRK', title: 'Brake', prefix: 'BRK' });
    for (const project of ['spec', 'other'])
      await p.call('author', specify.addRequirement, {
        project,
        specification: 'BRK',
        under: null,
        parent: null,
        content: content('Closes'),
      } as never);
    await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content('Only here') });
  });
  afterAll(() => p.close());

  it('take calls, dependences, pictures and the traces that mean the same there along, and say what they leave', async () => {
    const called = await add('Called');
    await p.approve(called);
    const outside = await add('Outside');
    await p.approve(outside);
    const { body } = await p.upload('author', `/records/${called}/files`, [{ name: 'a.png', bytes: png, mime: 'image/png' }]);
    const [{ sha256 }] = body as unknown as { sha256: string }[];
    const now = (await p.call('auditor', design.getCase, { key: called })).body.revision;
    const main = await add(
      'Main',
      {
        kind: 'hardware',
        dependsOn: [called, outside],
        steps: [
          { action: '', expected: '', call: { key: called, revision: now, with: {} } },
          { action: '', expected: '', call: { key: outside, revision: 1, with: {} } },
          { action: 'Look', expected: 'It is shut', layout: { action: `<p>Look</p><p><img src="files/${sha256}" alt="a" /></p>` } },
        ],
      },
      ['BRK-001', 'BRK-002'],
    );
    const ask = { keys: [main, called], into: { project: 'other', folder: null }, traces: true };
    expect((await p.call('tester', design.copyCases, ask)).status).toBe(404);
    expect((await p.call('author', design.copyCases, { ...ask, into: { project: 'spec', folder: null } })).problem.code).toBe('invalid');
    const { status, body: answer, problem } = await p.call('author', design.copyCases, ask);
    expect(status).withContext(String(problem.detail)).toBe(200);
    expect(answer.copies.map(({ from }) => from)).toEqual([main, called]);
    expect(answer.left).toEqual([
      `${main}: the trace to BRK-002.`,
      `${main}: the call of ${outside}: its steps are named in words.`,
      `${main}: that it comes after ${outside}.`,
    ]);
    const copy = (await p.call('author', design.getCase, { project: 'other', key: answer.copies[0].to } as never)).body;
    expect(copy.state).toBe('draft');
    expect(copy.kind).toBe('hardware');
    expect(copy.dependsOn).toEqual([answer.copies[1].to]);
    expect(copy.verifies.map(({ to }) => to)).toEqual(['BRK-001']);
    expect(copy.steps.map((s) => s.call?.key ?? s.action)).toEqual([answer.copies[1].to, `Do all steps of ${outside} revision 1`, 'Look']);
    const { db } = p.database;
    const [file] = await db
      .select({ sha256: attachments.sha256 })
      .from(attachments)
      .innerJoin(records, eq(records.id, attachments.recordId))
      .where(eq(records.projectId, other.projectId));
    expect(file).toEqual({ sha256 });
    expect((await verifyLedger(db, other.projectId)).rowFaults).toEqual([]);
    // Without traces none is drawn.
    const bare = (await p.call('author', design.copyCases, { ...ask, keys: [main, called], traces: false })).body;
    const [count] = [await db.select().from(traces).where(eq(traces.projectId, other.projectId))];
    expect(count.length).toBe(1);
    expect(bare.left[0]).toBe(`${main}: the traces to BRK-001, BRK-002.`);
  });

  it('serves a file that stands in a text by its hash, and only to members', async () => {
    const { body } = await p.upload('author', '/records/C-001/files', [
      { name: 'set-up.txt', bytes: Buffer.from('cold'), mime: 'text/plain' },
    ]);
    const { sha256 } = (body as unknown as { sha256: string }[]).at(-1) ?? { sha256: '' };
    const url = `/api/projects/spec/pictures/${sha256}`;
    expect((await p.app.inject({ url, headers: { cookie: await p.cookie('auditor') } })).body).toBe('cold');
    expect((await p.app.inject({ url })).statusCode).toBe(401);
  });

  it('records a run as blocked by one that it rests on, and by nothing else', async () => {
    const first = await add('First', {}, ['BRK-001']);
    const second = await add('Second', { dependsOn: [first] }, ['BRK-001']);
    const third = await add('Third', {}, ['BRK-001']);
    for (const key of ['BRK-001', first, second, third]) await p.approve(key);
    const planned = await p.call('tester', run.addRound, {
      build: '1.0',
      title: 'Cold',
      configuration: 'rig',
      tester: 'tester',
      cases: [first, second, third],
    } as never);
    const keyOf = (key: string) => planned.body.items.find((item) => item.caseKey === key)?.key ?? '';
    const block = (key: string, on: string, who = 'tester') => p.call(who, run.blockRun, { key, on });
    // It has not failed.
    expect((await block(keyOf(second), keyOf(first))).problem.code).toBe('stateForbids');
    await p.call('tester', run.recordStep, { key: keyOf(first), step: 1, observed: 'Stuck', verdict: 'fail', seconds: 9 } as never);
    const failed = (await p.call('tester', run.finishRun, { key: keyOf(first), seconds: 9 })).body;
    expect(failed.holdsUp.map(({ key }) => key)).toEqual([keyOf(second)]);
    expect((await block(keyOf(third), keyOf(first))).problem.code).toBe('stateForbids');
    expect((await block(keyOf(second), keyOf(first), 'both')).problem.code).toBe('notTester');
    const { status, body } = await block(keyOf(second), keyOf(first));
    expect(status).toBe(200);
    expect(body.verdict).toBe('blocked');
    expect(body.steps[0].observed).toBe(`Not run: it rests on ${first}, which failed in ${keyOf(first)}.`);
    expect((await block(keyOf(second), keyOf(first))).problem.code).toBe('stateForbids');
    expect((await p.call('auditor', run.getRun, { key: keyOf(first) })).body.holdsUp).toEqual([]);
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
  });
});
