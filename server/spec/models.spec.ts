import * as design from '@contract/design';
import * as specify from '@contract/specify';
import { verifyLedger } from '../src/base';
import { caseContent, content, openProject, password, type Project } from './support';

const flow = (text = 'Release') => ({
  kind: 'flow' as const,
  title: 'Start',
  description: 'How it starts.',
  body: {
    variables: [{ name: 'wind', domain: { kind: 'range' as const, from: 0, to: 30, step: 1 } }],
    nodes: [
      { id: 'a', kind: 'start' as const, text: 'Key on' },
      { id: 'b', kind: 'decision' as const, text: 'Wind?' },
      { id: 'c', kind: 'action' as const, text: 'Limit at {{wind}} m/s', expected: 'Limit shown' },
      { id: 'd', kind: 'action' as const, text, expected: 'Rope moves' },
      { id: 'e', kind: 'end' as const, text: 'Running' },
    ],
    edges: [
      { from: 'a', to: 'b', label: '' },
      { from: 'b', to: 'c', label: 'windy', guard: [{ variable: 'wind', is: '>=' as const, value: 12 }] },
      { from: 'b', to: 'd', label: 'calm', guard: [{ variable: 'wind', is: '<' as const, value: 12 }] },
      { from: 'c', to: 'd', label: '' },
      { from: 'd', to: 'e', label: '' },
    ],
  },
});
const windy = [0, 1, 3, 4];
const calm = [0, 2, 4];
const paths = (...list: number[][]) => ({ of: 'paths' as const, paths: list });

describe('Models and the cases that are made of them', () => {
  let p: Project;
  const get = async (key = 'F-001') => (await p.call('auditor', design.getModel, { key })).body;
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content('Starts') });
  });
  afterAll(() => p.close());

  it('are begun for requirements, and are asked for by kind, requirement and words', async () => {
    const made = await p.call('author', design.addModel, { content: flow(), requirements: ['BRK-001'] });
    expect([made.status, made.body.key, made.body.models.map((t) => t.to)]).toEqual([200, 'F-001', ['BRK-001']]);
    const list = async (filter: object) =>
      (await p.call('auditor', design.listModels, { filter: JSON.stringify(filter), limit: 10 })).body.rows.map((r) => r.key);
    expect(await list({ field: 'kind', is: ['flow'] })).toEqual(['F-001']);
    expect(await list({ field: 'kind', is: ['parameters'] })).toEqual([]);
    expect(await list({ words: 'rope moves' })).toEqual(['F-001']);
    expect((await p.call('tester', design.addModel, { content: flow(), requirements: [] })).status).toBe(403);
    expect((await p.call('author', design.addModel, { content: flow(), requirements: ['BRK-099'] })).status).toBe(404);
  });

  it('tell what making cases would do, and make them once, whoever asks again', async () => {
    const plan = (await p.call('author', design.planCasesOf, { key: 'F-001', basedOn: 1, choice: paths(windy, calm, [0, 4]) })).body;
    expect([plan.fresh.length, plan.changed.length, plan.same.length, plan.leftOut]).toEqual([2, 0, 0, 1]);
    const take = plan.fresh.map((m) => m.identity);
    const ask = { key: 'F-001', basedOn: 1, choice: paths(windy, calm), take, retire: [], reason: '' };
    const both = await Promise.all([p.call('author', design.makeCasesOf, ask), p.call('author', design.makeCasesOf, ask)]);
    expect(both.map((r) => r.status).sort()).toEqual([200, 409]);
    const { made } = await get();
    expect(made.map((m) => [m.key, m.modelRevision, m.edited])).toEqual([
      ['C-001', 1, false],
      ['C-002', 1, false],
    ]);
    const one = (await p.call('auditor', design.getCase, { key: 'C-001' })).body;
    expect([one.verifies.map((t) => t.to), one.rows]).toEqual([['BRK-001'], [{ name: 'row 1', values: { wind: '12' } }]]);
    expect((await p.call('auditor', design.getCaseUses, { key: 'C-001' })).body.madeOf).toEqual(
      jasmine.objectContaining({ key: 'F-001', kind: 'flow', revision: 1, now: 1 }),
    );
  });

  it('after a change say what is changed, the same and gone; what is applied keeps what its author decided', async () => {
    const c = (await p.call('auditor', design.getCase, { key: 'C-002' })).body;
    await p.call('author', design.saveCase, {
      key: 'C-002',
      basedOn: 1,
      content: {
        title: c.title,
        objective: c.objective,
        preconditions: c.preconditions,
        steps: c.steps,
        rows: c.rows,
        plannedMinutes: 7,
        tags: ['start'],
      },
    });
    expect(
      (await p.call('author', design.saveModel, { key: 'F-001', basedOn: 1, content: flow('Release brake'), reason: '' })).body.revision,
    ).toBe(2);
    expect((await p.call('author', design.planCasesOf, { key: 'F-001', basedOn: 1, choice: paths(windy) })).status).toBe(409);
    const plan = (await p.call('author', design.planCasesOf, { key: 'F-001', basedOn: 2, choice: paths(calm) })).body;
    expect([plan.changed.map((m) => [m.key, m.edited]), plan.gone.map((m) => m.key)]).toEqual([[['C-002', true]], ['C-001']]);
    const done = await p.call('author', design.makeCasesOf, {
      key: 'F-001',
      basedOn: 2,
      choice: paths(calm),
      take: plan.changed.map((m) => m.identity),
      retire: ['C-001'],
      reason: '',
    });
    expect([done.body.written, done.body.changed, done.body.retired]).toEqual([[], ['C-002'], ['C-001']]);
    const after = (await p.call('auditor', design.getCase, { key: 'C-002' })).body;
    expect([after.steps[0].action, after.plannedMinutes, after.tags]).toEqual(['Release brake', 7, ['start']]);
    // Chosen again, the one that was retired comes back and is not made anew.
    const again = (await p.call('author', design.planCasesOf, { key: 'F-001', basedOn: 2, choice: paths(calm, windy) })).body;
    expect([again.fresh.length, again.changed.map((m) => m.key), again.same.map((m) => m.key)]).toEqual([0, ['C-001'], ['C-002']]);
    await p.call('author', design.makeCasesOf, {
      key: 'F-001',
      basedOn: 2,
      choice: paths(calm, windy),
      take: again.changed.map((m) => m.identity),
      retire: [],
      reason: '',
    });
    expect((await p.call('auditor', design.getCase, { key: 'C-001' })).body.state).toBe('draft');
  });

  it('are reviewed and approved by somebody else, on what was seen; findings stand in the way', async () => {
    const { body } = flow();
    await p.call('author', design.addModel, { content: { ...flow(), body: { ...body, edges: body.edges.slice(1) } }, requirements: [] });
    const refused = await p.call('author', design.setModelState, { key: 'F-002', basedOn: 1, state: 'review' });
    expect([refused.status, refused.problem.detail?.includes('cannot be reached')]).toEqual([409, true]);
    await p.call('author', design.setModelState, { key: 'F-001', basedOn: 2, state: 'review' });
    const waiting = (await p.app.inject({ url: '/api/projects/spec/waiting', headers: { cookie: await p.cookie('reviewer') } })).json() as {
      key: string;
      place: string;
    }[];
    expect(JSON.stringify(waiting)).toContain('"place":"model"');
    const { hash } = await get();
    expect((await p.call('author', design.approveModel, { key: 'F-001', basedOn: 2, hash, password, reason: '' })).status).toBe(403);
    const approved = await p.call('reviewer', design.approveModel, { key: 'F-001', basedOn: 2, hash, password, reason: '' });
    expect([approved.body.state, approved.body.signatures.map((s) => [s.meaning, s.format])]).toEqual(['approved', [['approved', 5]]]);
    expect((await p.call('author', design.saveModel, { key: 'F-001', basedOn: 2, content: flow('x'), reason: '' })).status).toBe(400);
    // What it models was revised: its trace is suspect.
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-001',
      basedOn: 1,
      content: content('Starts', { text: 'It shall start within 3 s.' }),
    });
    expect((await get()).models[0].suspect).toEqual(['to']);
  });

  it('give their rows to a case that stands, which then says when they no longer match', async () => {
    const sheet = (high: number) => ({
      kind: 'parameters' as const,
      title: 'Wind',
      description: '',
      body: {
        parameters: [
          { name: 'wind', type: 'number' as const, unit: 'm/s', resolution: 1, classes: [{ name: 'ok', valid: true, from: 0, to: high }] },
        ],
        constraints: '',
        criterion: 'twoValue' as const,
        seed: 1,
        given: [],
      },
    });
    const { key } = (await p.call('author', design.addModel, { content: sheet(12), requirements: [] })).body;
    expect(key).toBe('P-001');
    const rows = [{ wind: 0 }, { wind: 12 }];
    const stands = await p.call('author', design.addCase, {
      content: caseContent('Wind', { steps: [{ action: 'Set {{wind}} m/s', expected: 'Shown' }] }),
      verifies: [],
    });
    const choice = { of: 'rows' as const, rows };
    const into = await p.call('author', design.makeCasesOf, {
      key,
      basedOn: 1,
      choice,
      take: ['rows'],
      into: stands.body.key,
      retire: [],
      reason: '',
    });
    expect(into.body.changed).toEqual([stands.body.key]);
    const c = (await p.call('auditor', design.getCase, { key: stands.body.key })).body;
    expect([c.steps[0].action, c.rows?.map((r) => r.values['wind'])]).toEqual(['Set {{wind}} m/s', ['0', '12']]);
    await p.call('author', design.saveModel, { key, basedOn: 1, content: sheet(8), reason: '' });
    expect((await p.call('auditor', design.getCaseUses, { key: stands.body.key })).body.madeOf?.differs).toEqual([
      'Row row 2: wind = 12 is in no class.',
    ]);
  });

  it('are in the ledger, which accounts for every row of them', async () => {
    expect(await verifyLedger(p.database.db, p.projectId)).toEqual(jasmine.objectContaining({ rowFaultCount: 0, rowFaults: [] }));
  });
});
