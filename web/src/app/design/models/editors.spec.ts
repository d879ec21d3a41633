import { TestBed } from '@angular/core/testing';
import type { ModelBodies, ModelContent, ModelOf } from '@core/design';
import { Mounted, openWeb } from '../../base/testing';
import { DecisionEditor } from './decision-editor';
import { FlowEditor } from './flow-editor';
import { mergedModel, modelMerge } from './merging';
import { ParametersEditor } from './parameters-editor';
import { StateEditor } from './state-editor';

/** A node of a flow: the list stands bit by bit. */
async function node(page: Mounted<unknown>, number: number): Promise<HTMLElement> {
  const box = `[aria-label="Node ${number}"]`;
  await page.until(() => page.all(box).length);
  return page.one(box);
}

/** A box by what it is called, since most of an editor’s have no label beside them. */
async function fill(page: Mounted<unknown>, name: string, value: string): Promise<void> {
  const box = page.one<HTMLInputElement | HTMLSelectElement>(`[aria-label="${name}"]`);
  box.value = value;
  box.dispatchEvent(new Event(box instanceof HTMLSelectElement ? 'change' : 'input', { bubbles: true }));
  await page.settled();
}

const flow: ModelBodies['flow'] = {
  variables: [{ name: 'wind', unit: 'm/s', domain: { kind: 'range', from: 0, to: 30, step: 1 } }],
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
};

describe('a flow as a list', () => {
  const open = async (may = true) => {
    openWeb(['author']);
    const fixture = TestBed.createComponent(FlowEditor);
    fixture.componentRef.setInput('title', 'Start');
    fixture.componentRef.setInput('body', flow);
    fixture.componentRef.setInput('may', may);
    const kept: ModelBodies['flow'][] = [];
    fixture.componentInstance.changed.subscribe((body) => kept.push(body));
    const page = new Mounted(fixture);
    await page.settled();
    return { page, kept, last: () => kept[kept.length - 1] };
  };

  it('takes a next node at Enter, between a node and where it led, and moves it by its keys', async () => {
    const { page, last } = await open();
    await page.key(await node(page, 3), 'Enter');
    const added = last().nodes[3];
    expect(
      last()
        .nodes.map((n) => n.id)
        .filter((id) => id !== added.id),
    ).toEqual(['a', 'b', 'c', 'd']);
    expect(last().edges.some((e) => e.from === 'c' && e.to === added.id)).toBeTrue();
    expect(last().edges.some((e) => e.from === added.id && e.to === 'd')).toBeTrue();
    await page.key(await node(page, 4), 'ArrowUp', { altKey: true });
    expect(last().nodes[2].id).toBe(added.id);
    await page.key(await node(page, 3), 'Backspace');
    expect(last().nodes.map((n) => n.id)).toEqual(['a', 'b', 'c', 'd']);
    expect(last().edges.some((e) => e.from === 'c' && e.to === 'd')).toBeTrue();
  });

  it('keeps a condition only once it can be read, and shows which cannot', async () => {
    const { page, kept, last } = await open();
    const box = page.all<HTMLInputElement>('.guard')[0];
    await page.type(box, 'wind <', 0);
    expect(kept).toEqual([]);
    expect(page.all('.guard.wrong').length).toBe(1);
    await page.type(box, 'wind <= 12', 0);
    expect(last().edges[1].guard?.length).toBe(1);
    expect(page.all('.guard.wrong').length).toBe(0);
  });

  it('is the same as text, and takes from it only what can be read', async () => {
    const { page, kept, last } = await open();
    await page.press(/as text/);
    const box = page.one<HTMLTextAreaElement>('textarea');
    expect(box.value).toContain('Press start');
    const written = box.value;
    await page.type(box as unknown as HTMLInputElement, 'flowchart TD\n  a[[[broken', 0);
    expect(page.text()).toContain('Line 2');
    expect(kept).toEqual([]);
    await page.type(box as unknown as HTMLInputElement, written.replace('Press start', 'Pull the lever'), 0);
    expect(last().nodes.map((n) => n.text)).toContain('Pull the lever');
  });

  it('of hundreds draws as many as are looked at, names where an outcome may lead once that is asked, and tells of errors far below', async () => {
    const { page } = await open();
    const kinds: Record<number, 'start' | 'end'> = { 0: 'start', 299: 'end' };
    const nodes = Array.from({ length: 300 }, (_, i) => ({
      id: `n${i}`,
      kind: kinds[i] ?? ('action' as const),
      text: `Do ${i}`,
    }));
    // Nothing leads to the last but one.
    const edges = nodes.slice(1).map(({ id }, i) => ({ from: `n${i}`, to: i === 297 ? 'n299' : id, label: '' }));
    page.fixture.componentRef.setInput('of', 'F-300');
    page.fixture.componentRef.setInput('body', { variables: [], nodes, edges });
    const rows = () => page.all('li').length;
    // Three at once, more bit by bit, and what is found once the first stand.
    await page.until(() => rows() > 3 && page.text().includes('Node 299'));
    expect(rows()).toBeLessThan(200);
    const leads = page.one<HTMLSelectElement>('[aria-label="Where node 1 leads to"]');
    expect([...leads.options].map((o) => o.text.trim())).toEqual(['to 2 Do 1']);
    leads.dispatchEvent(new Event('focus'));
    expect([leads.options.length, leads.value]).toEqual([300, 'n1']);
    // Said above the list, and the list follows what is chosen.
    const picked: string[] = [];
    page.fixture.componentInstance.picked.subscribe((id) => picked.push(id));
    await page.press(/^\s*Node 299\s*$/);
    expect(picked).toEqual(['n298']);
    page.fixture.componentRef.setInput('chosen', 'n298');
    await page.until(() => page.all('[data-node=n298]').length);
    expect(page.one<HTMLInputElement>('[aria-label="Node 299"]').value).toBe('Do 298');
  });

  it('says at its node what is wrong, and cannot be changed by those who may not', async () => {
    const { page, last } = await open();
    await page.press(/Delete an outcome of node 2/);
    expect(last().edges.length).toBe(3);
    expect(page.one('[data-node="b"]').textContent).toMatch(/outcome/i);
    const { page: other } = await (TestBed.resetTestingModule(), open(false));
    expect(((await node(other, 1)) as HTMLInputElement).readOnly).toBeTrue();
    expect(other.all('.tool').length).toBe(0);
  });
});

const table = (rules: ModelBodies['decisionTable']['rules']): ModelOf<'decisionTable'> => ({
  kind: 'decisionTable',
  title: 'Brake',
  description: '',
  body: {
    conditions: [
      { name: 'door', values: ['open', 'shut'] },
      { name: 'chain', values: ['open', 'shut'] },
    ],
    rules,
  },
});

describe('a decision table', () => {
  const open = async (content: ModelOf<'decisionTable'>) => {
    openWeb(['author']);
    const fixture = TestBed.createComponent(DecisionEditor);
    fixture.componentRef.setInput('content', content);
    fixture.componentRef.setInput('may', true);
    let body = content.body;
    fixture.componentInstance.changed.subscribe((changed) => (body = changed));
    const page = new Mounted(fixture);
    await page.settled();
    return { page, body: () => body };
  };

  it('makes a rule for every gap, and joins rules that say the same', async () => {
    const { page, body } = await open(
      table([
        { name: 'R1', when: ['open', null], actions: ['brake'] },
        { name: 'R2', when: ['shut', 'open'], actions: ['brake'] },
      ]),
    );
    await page.press(/A rule for each of 1 gaps/);
    expect(body().rules[2]).toEqual({ name: 'R3', when: ['shut', 'shut'], actions: [''] });
    await fill(page, 'What rule R3 does', 'brake');
    expect(page.text()).toContain('All 4 combinations have a rule.');
    await page.press(/Join \d+ rules that say the same/);
    expect(body().rules.length).toBeLessThan(3);
  });

  it('shows rules that contradict each other, each at its place', async () => {
    const { page, body } = await open(
      table([
        { name: 'R1', when: ['open', null], actions: ['brake'] },
        { name: 'R2', when: [null, 'open'], actions: ['go'] },
      ]),
    );
    expect(page.all('th.bad').length).toBeGreaterThan(0);
    await fill(page, 'Rule R2, door', 'shut');
    expect(body().rules[1].when).toEqual(['shut', 'open']);
    expect(page.all('th.bad').length).toBe(0);
    await page.press(/\+?Condition/);
    expect(body().conditions.length).toBe(3);
    expect(body().rules.map((r) => r.when.length)).toEqual([3, 3]);
    await page.press(/Delete rule R1/);
    expect(body().rules.map((r) => r.name)).toEqual(['R2']);
  });
});

describe('a state table', () => {
  const content: ModelOf<'stateTable'> = {
    kind: 'stateTable',
    title: 'Modes',
    description: '',
    body: {
      states: ['OFF', 'RUN'],
      events: ['start', 'stop'],
      initial: 'OFF',
      transitions: [
        { from: 'OFF', event: 'start', to: 'RUN', output: 'It moves' },
        { from: 'RUN', event: 'stop', to: 'OFF' },
      ],
    },
  };
  const open = async () => {
    openWeb(['author']);
    const fixture = TestBed.createComponent(StateEditor);
    fixture.componentRef.setInput('content', content);
    fixture.componentRef.setInput('may', true);
    let body = content.body;
    fixture.componentInstance.changed.subscribe((changed) => (body = changed));
    const page = new Mounted(fixture);
    await page.settled();
    return { page, body: () => body };
  };

  it('keeps its transitions when a state or an event is renamed, and loses those of one that is deleted', async () => {
    const { page, body } = await open();
    const state = page.one<HTMLInputElement>('[aria-label="State 1"]');
    state.value = 'STOPPED';
    state.dispatchEvent(new Event('change'));
    await page.settled();
    expect(body().initial).toBe('STOPPED');
    expect(body().transitions.map((t) => `${t.from}>${t.to}`)).toEqual(['STOPPED>RUN', 'RUN>STOPPED']);
    const event = page.one<HTMLInputElement>('[aria-label="Event 2"]');
    event.value = 'halt';
    event.dispatchEvent(new Event('change'));
    await page.settled();
    expect(body().transitions[1].event).toBe('halt');
    await page.press(/Delete state RUN/);
    expect(body()).toEqual({ states: ['STOPPED'], events: ['start', 'halt'], initial: 'STOPPED', transitions: [] });
  });

  it('leads a cell elsewhere with what was seen there, and empties it', async () => {
    const { page, body } = await open();
    await fill(page, 'In OFF, start leads to', 'OFF');
    expect(body().transitions.find((t) => t.from === 'OFF')).toEqual({ from: 'OFF', event: 'start', to: 'OFF', output: 'It moves' });
    await fill(page, 'What is seen in OFF on start', '');
    expect(body().transitions.find((t) => t.from === 'OFF')).toEqual({ from: 'OFF', event: 'start', to: 'OFF' });
    await fill(page, 'In OFF, start leads to', '');
    expect(body().transitions.length).toBe(1);
    await page.press(/State/);
    await page.press(/Event/);
    expect([body().states.length, body().events.length]).toEqual([3, 3]);
  });
});

describe('parameters', () => {
  const open = async (body: ModelBodies['parameters']) => {
    openWeb(['author']);
    const fixture = TestBed.createComponent(ParametersEditor);
    fixture.componentRef.setInput('body', body);
    fixture.componentRef.setInput('may', true);
    let last = body;
    fixture.componentInstance.changed.subscribe((changed) => (last = changed));
    const page = new Mounted(fixture);
    await page.settled();
    return { page, last: () => last };
  };
  const none: ModelBodies['parameters'] = { parameters: [], constraints: '', criterion: 'pairs', seed: 1, given: [] };

  it('are written as classes, a line each, with what cannot be read at its line', async () => {
    const { page, last } = await open(none);
    await page.press(/Parameter/);
    await fill(page, 'Name of parameter 1', 'wind');
    await fill(page, 'Classes of wind', 'calm: 0 to 70\n!storm: 90 to 120\nwhat: to');
    expect(last().parameters[0].classes.map((c) => c.name)).toContain('calm');
    expect(last().parameters[0].classes.find((c) => c.name === 'storm')?.valid).toBeFalse();
    expect(page.text()).toContain('Line 3');
    await fill(page, 'Classes of wind', 'calm: 0 to 70\n!storm: 90 to 120');
    await fill(page, 'Unit of wind', 'km/h');
    expect(last().parameters[0].unit).toBe('km/h');
    expect(page.text()).not.toContain('Line 3');
  });

  it('show the word of a constraint that is no parameter', async () => {
    const { page, last } = await open({
      ...none,
      parameters: [{ name: 'mode', type: 'text', classes: [{ name: 'RUN', values: ['RUN'], valid: true }] }] as never,
    });
    await page.write(/^Constraints/, 'mode = RUN => sped <= 3');
    expect(page.text()).toContain('Line 1, “sped”');
    expect(last().constraints).toContain('sped');
    await page.press(/Delete parameter mode/);
    expect(last().parameters).toEqual([]);
  });
});

describe('a model that two people changed', () => {
  it('is joined part by part, and is whole again from what is chosen', () => {
    const content = (body: Partial<ModelBodies['flow']>, title = 'Start'): ModelContent =>
      ({ kind: 'flow', title, description: '', body: { ...flow, ...body } }) as ModelContent;
    const mine = content({ nodes: [...flow.nodes, { id: 'e', kind: 'end', text: 'Stays off' }] } as never);
    const theirs = content({}, 'Start of the drive');
    const fields = modelMerge(content({}), mine, theirs);
    const of = (name: string) => fields.find((f) => f.name === name);
    expect(of('title')?.theirs).toEqual(['Start of the drive']);
    expect(of('nodes')?.mine.length).toBe(5);
    expect(of('nodes')?.show?.(of('nodes')?.mine[4] ?? '')).toBe('end: Stays off');
    const joined = mergedModel(mine, {
      title: of('title')?.theirs ?? [],
      ...Object.fromEntries(fields.filter((f) => f.name !== 'title').map((f) => [f.name, f.mine])),
    });
    expect(joined).toEqual({ ...mine, title: 'Start of the drive' });
  });
});
