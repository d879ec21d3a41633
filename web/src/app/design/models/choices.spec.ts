import * as contract from '@contract/design';
import type { MadePlanned, ModelDetail } from '@contract/design';
import { emptyCase, type ModelContent, type ModelOf } from '@core/design';
import { mount, openWeb } from '../../base/testing';
import { FlowPaths } from './flow-paths';
import { ParameterRows } from './parameter-rows';
import { modelCommands, modelFeature } from './state';
import { RuleChoice, WalkChoice } from './table-choice';

const detail = (content: ModelContent, more: Partial<ModelDetail> = {}): ModelDetail =>
  ({
    key: 'M-001',
    kind: content.kind,
    title: content.title,
    content,
    revision: 2,
    state: 'draft',
    own: {},
    updatedBy: 'ada',
    updatedAt: '',
    author: 'ada',
    hash: '',
    signatures: [],
    models: [],
    made: [],
    ...more,
  }) as unknown as ModelDetail;
const open = (roles: Parameters<typeof openWeb>[0] = ['author']) =>
  openWeb(roles, [{ feature: modelFeature, effects: modelCommands }] as never);

const table: ModelOf<'decisionTable'> = {
  kind: 'decisionTable',
  title: 'Brake',
  description: '',
  body: {
    conditions: [{ name: 'door', values: ['open', 'shut'] }],
    rules: [
      { name: 'R1', when: ['open'], actions: ['brake'] },
      { name: 'R2', when: ['shut'], actions: ['go'] },
    ],
  },
};
const made = (identity: string, key: string, state: string) => ({
  key,
  title: key,
  state,
  identity,
  fingerprint: 'x',
  modelRevision: 1,
  edited: true,
  retired: false,
});
const plan: MadePlanned = {
  fresh: [{ identity: 'rule R2', content: { ...emptyCase, title: 'Brake: R2', steps: [{ action: 'Shut', expected: 'It goes' }] } }],
  changed: [
    { identity: 'rule R1', key: 'C-001', title: 'Brake: R1', edited: true, content: { ...emptyCase, title: 'Brake: R1', steps: [] } },
  ],
  gone: [{ key: 'C-003', title: 'Brake: R0', identity: 'rule R0' }],
  same: [],
  leftOut: 0,
} as unknown as MadePlanned;

describe('cases of a decision table', () => {
  it('are planned of the rules that are chosen, and written, changed and retired one by one, with a reason where one was approved', async () => {
    const { api } = open();
    const of = detail(table, { made: [made('rule R1', 'C-001', 'approved')] as never });
    api
      .on(contract.planCasesOf, () => plan)
      .on(contract.makeCasesOf, () => ({ model: of, written: ['C-004'], changed: ['C-001'], retired: ['C-003'] }));
    const page = await mount(RuleChoice, { of, content: table, unsaved: false });
    expect(page.text()).toContain('2 of 2 rules are covered');
    await page.press(/Cases of 2 rules/);
    expect(api.of(contract.planCasesOf)[0]).toEqual({
      project: 'demo',
      key: 'M-001',
      basedOn: 2,
      choice: { of: 'rules', rules: ['R1', 'R2'], as: 'cases' },
    });
    expect(page.text()).toContain('somebody changed its steps since');
    expect(page.missing(/Write 1 new, change 1/)).toContain('say why');
    // The case that is no longer chosen stays unless somebody says so.
    const gone = page.all<HTMLInputElement>('.plan input[type=checkbox]').at(-1);
    gone?.click();
    await page.settled();
    await page.write(/Why approved cases change/, 'The rule says more now');
    await page.press(/Write 1 new, change 1, retire 1/);
    expect(api.of(contract.makeCasesOf)[0]).toEqual(
      jasmine.objectContaining({ take: ['rule R2', 'rule R1'], retire: ['C-003'], reason: 'The rule says more now', basedOn: 2 }),
    );
    expect(page.text()).toContain('Retired: C-003');
  });

  it('are made of what is saved only, by those who may, and another choice puts a plan away', async () => {
    const { api, store } = open();
    api.on(contract.planCasesOf, () => plan);
    const page = await mount(RuleChoice, { of: detail(table), content: table, unsaved: true });
    expect(page.missing(/Cases of 2 rules/)).toContain('Save the model first');
    page.fixture.componentRef.setInput('unsaved', false);
    await page.settled();
    await page.press(/Cases of 2 rules/);
    expect(page.all('.plan').length).toBe(1);
    // Read again as it was, nothing is put away; the choice alone does that.
    store.dispatch(modelCommands.get.done({ input: {} as never, answer: detail(table), command: '', phase: 'done' }));
    store.dispatch(modelCommands.plan.done({ input: {} as never, answer: plan, command: '', phase: 'done' }));
    store.dispatch(modelCommands.get.done({ input: {} as never, answer: detail(table), command: '', phase: 'done' }));
    await page.settled();
    expect(page.all('.plan').length).toBe(1);
    page.all<HTMLInputElement>('input[type=checkbox]')[0].click();
    await page.settled();
    expect(page.all('.plan').length).toBe(0);
    expect(page.text()).toContain('Cases of 1 rule');
  });
});

describe('walks through a state table', () => {
  const content: ModelOf<'stateTable'> = {
    kind: 'stateTable',
    title: 'Modes',
    description: '',
    body: {
      states: ['OFF', 'RUN'],
      events: ['start', 'stop'],
      initial: 'OFF',
      transitions: [
        { from: 'OFF', event: 'start', to: 'RUN' },
        { from: 'RUN', event: 'stop', to: 'OFF' },
      ],
    },
  };
  it('say what they cover, light their way, and offer the events that must be refused', async () => {
    open();
    const page = await mount(WalkChoice, { of: detail(content), content, unsaved: false });
    expect(page.text()).toContain('2 of 2 transitions');
    let lit: readonly number[] = [];
    page.fixture.componentInstance.lit.subscribe((places) => (lit = places));
    await page.press(/start, stop/);
    expect(lit).toEqual([0, 1]);
    await page.press(/Choose all/);
    expect(page.text()).toContain('2 of 2 refused events');
    await page.press(/Every two in a row/);
    expect(page.text()).toMatch(/2 of 2 pairs/);
  });
});

describe('the paths of a flow', () => {
  const content = {
    kind: 'flow',
    title: 'Start',
    description: '',
    body: {
      variables: [],
      nodes: [
        { id: 'a', kind: 'start', text: 'Key on' },
        { id: 'b', kind: 'decision', text: 'Wind?' },
        { id: 'c', kind: 'action', text: 'Press start', expected: 'It runs' },
        { id: 'd', kind: 'end', text: 'Done' },
      ],
      edges: [
        { from: 'a', to: 'b', label: '' },
        { from: 'b', to: 'c', label: 'low' },
        { from: 'b', to: 'd', label: 'high' },
        { from: 'c', to: 'd', label: '' },
      ],
    },
  } as unknown as ModelOf<'flow'>;

  it('are worked out beside the page for every criterion, and what is missing of a set chosen by hand is shown', async () => {
    open();
    const flow = { title: content.title, ...content.body };
    const page = await mount(FlowPaths, { of: detail(content), flow, unsaved: false });
    await page.until(() => page.all('.paths li').length === 2);
    expect(page.all('.paths li').length).toBe(2);
    await page.until(() => /2 chosen: 100 %/.test(page.text()));
    expect(page.text()).toContain('reach 4 of 4 outcomes');
    let missing: readonly number[] = [];
    page.fixture.componentInstance.missing.subscribe((m) => (missing = m.edges));
    page.all<HTMLInputElement>('.paths input')[0].click();
    await page.until(() => /1 chosen: /.test(page.text()) && missing.length > 0);
    expect(page.text()).toContain('The path that adds most');
    // Of the three other criteria as well.
    await page.until(() => page.all('[aria-label="Of the other criteria"] li').length === 3);
    expect(page.all('[aria-label="Of the other criteria"] li').map((li) => li.getAttribute('title'))).toEqual([
      jasmine.stringMatching(/^[34] of 4$/),
      jasmine.stringMatching(/^[12] of 3$/),
      jasmine.stringMatching(/^1 of 2$/),
    ]);
    expect(missing.length).toBeGreaterThan(0);
    await page.press(/The path that adds most/);
    await page.until(() => /2 chosen: 100 %/.test(page.text()));
    expect(page.text()).toContain('Cases of 2 paths');
    await page.press(/^\s*1 /);
    expect(page.text()).toContain('As a case');
  });

  it('are not counted of a flow that leads nowhere', async () => {
    open();
    const flow = { title: 'Start', ...content.body, edges: content.body.edges.slice(1) };
    const page = await mount(FlowPaths, { of: detail(content), flow, unsaved: true });
    expect(page.text()).toContain('Mend the findings on the left first');
  });
});

describe('rows of parameters', () => {
  const content = {
    kind: 'parameters',
    title: 'Wind',
    description: '',
    body: {
      parameters: ['a', 'b', 'c'].map((name) => ({
        name,
        type: 'text',
        classes: [
          { name: 'x', values: ['x'], valid: true },
          { name: 'y', values: ['y'], valid: true },
        ],
      })),
      constraints: 'a = x => b = y',
      criterion: 'pairs',
      seed: 1,
      given: [],
    },
  } as unknown as ModelOf<'parameters'>;

  it('cover every pair that the constraints allow, say what is impossible, and are kept by hand', async () => {
    const { api } = open();
    api.on(contract.planCasesOf, () => plan);
    const page = await mount(ParameterRows, { of: detail(content), content, unsaved: false, may: true });
    await page.until(() => page.all('tbody tr').length > 0);
    const rows = page.all('tbody tr').map((tr) => [...tr.querySelectorAll('td')].slice(1, 4).map((td) => td.textContent?.trim()));
    // The oracle: every pair that a = x without b = y does not forbid stands in some row, and none of the rows is forbidden.
    expect(rows.some(([a, b]) => a === 'x' && b === 'x')).toBeFalse();
    for (const [i, j] of [
      [0, 1],
      [0, 2],
      [1, 2],
    ])
      for (const v of ['x', 'y'])
        for (const w of ['x', 'y'])
          expect(rows.some((row) => row[i] === v && row[j] === w)).toBe(!(i === 0 && j === 1 && v === 'x' && w === 'x'));
    expect(page.text()).toContain('1 impossible under the constraints');
    let kept: unknown;
    page.fixture.componentInstance.changed.subscribe((change) => (kept = change.given));
    await page.press(/Keep row 1/);
    expect(kept).toEqual([{ a: rows[0][0], b: rows[0][1], c: rows[0][2] }]);
    await page.press(/Cases of \d+ rows/);
    expect((api.of(contract.planCasesOf)[0]['choice'] as { rows: unknown[] }).rows.length).toBe(rows.length);
  });
});
