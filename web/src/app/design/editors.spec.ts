import type { ComponentRef } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { listCases, type CaseSummary } from '@contract/design';
import { emptyCase, type CaseCall, type CaseContent, type CaseRow, type CaseStep } from '@core/design';
import { listOver, Mounted, offered, openWeb } from '../base/testing';
import { CallEditor } from './call-editor';
import { copySteps, pastedSteps } from './cases/step-clipboard';
import { StepsEditor } from './cases/steps-editor';
import { RowsEditor } from './rows-editor';

const text = (fixture: ComponentFixture<unknown>): string => (fixture.nativeElement as HTMLElement).textContent ?? '';
const find = <E extends HTMLElement>(fixture: ComponentFixture<unknown>, selector: string): E => {
  const found = (fixture.nativeElement as HTMLElement).querySelector<E>(selector);
  if (!found) throw new Error(`nothing is ${selector}`);
  return found;
};
const press = async (fixture: ComponentFixture<unknown>, words: RegExp): Promise<void> => {
  const buttons = [...(fixture.nativeElement as HTMLElement).querySelectorAll('button')];
  const button = buttons.find((b) => words.test(`${b.textContent} ${b.getAttribute('aria-label') ?? ''}`));
  if (!button) throw new Error(`no button ${words}`);
  button.click();
  await fixture.whenStable();
};
const write = async (fixture: ComponentFixture<unknown>, selector: string, value: string): Promise<void> => {
  const field = find<HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement>(fixture, selector);
  field.value = value;
  field.dispatchEvent(new Event(field instanceof HTMLSelectElement ? 'change' : 'input'));
  await fixture.whenStable();
};
const set = (ref: ComponentRef<unknown>, inputs: Record<string, unknown>): void => {
  for (const [name, value] of Object.entries(inputs)) ref.setInput(name, value);
};

const summary = (key: string, revision: number, names: string[] = []): CaseSummary => ({
  key,
  title: key,
  revision,
  state: 'approved',
  steps: 1,
  rows: 0,
  names,
  plannedMinutes: 1,
  kind: '',
  priority: '',
  tags: [],
  folder: null,
  verifies: [],
  suspect: false,
  own: {},
  updatedBy: '',
  updatedAt: '',
});

describe('the steps of a case', () => {
  beforeEach(() => localStorage.clear());
  afterAll(() => localStorage.clear());
  const two: readonly CaseStep[] = [
    { action: 'Turn the key', expected: 'Lamp' },
    { action: 'Press start', expected: 'It runs' },
    { action: 'Wait', expected: 'It stays' },
  ];
  const actions = (steps: readonly CaseStep[]) => steps.map((s) => s.action);
  const open = async (steps: readonly CaseStep[], cases: readonly CaseSummary[] = []) => {
    openWeb(['author']).api.on(
      listCases,
      listOver(() => cases),
    );
    const fixture = TestBed.createComponent(StepsEditor);
    set(fixture.componentRef, { steps, notCalled: ['C-001'] });
    let last: readonly CaseStep[] = steps;
    fixture.componentInstance.changed.subscribe((changed) => (last = changed));
    await fixture.whenStable();
    return { fixture, last: () => last };
  };

  it('are folded to one line one by one, or all of them, and unfolded in the same ways', async () => {
    const { fixture } = await open([
      { action: 'Turn the key', expected: 'Lamp', data: 'key 7' },
      { action: 'Wait', expected: 'Nothing' },
    ]);
    const rows = () =>
      [...(fixture.nativeElement as HTMLElement).querySelectorAll<HTMLTextAreaElement>('.line textarea')].map((t) => t.rows);
    const more = () => (fixture.nativeElement as HTMLElement).querySelectorAll('cp-step-more').length;
    expect([rows(), more()]).toEqual([[2, 2, 2, 2], 1]);
    await press(fixture, /Step 1 in one line/);
    expect([rows(), more()]).toEqual([[1, 1, 2, 2], 0]);
    await press(fixture, /One line each/);
    expect(rows()).toEqual([1, 1, 1, 1]);
    await press(fixture, /Step 2 in one line/);
    expect(rows()).toEqual([1, 1, 2, 2]);
    await press(fixture, /One line each/);
    expect([rows(), more()]).toEqual([[2, 2, 2, 2], 1]);
  });

  it('take an outline: the empty last step makes room, and lines without an expected result are told', async () => {
    const { fixture, last } = await open([
      { action: 'Turn the key', expected: 'Lamp' },
      { action: '', expected: '' },
    ]);
    await press(fixture, /From an outline/);
    await write(fixture, '.outline textarea', '1. Press start -> it runs\n2. Wait');
    expect(text(fixture)).toContain('Without an expected result: line 2');
    await press(fixture, /Add 2 steps/);
    expect(last()).toEqual([
      { action: 'Turn the key', expected: 'Lamp' },
      { action: 'Press start', expected: 'it runs' },
      { action: 'Wait', expected: '' },
    ]);
    expect((fixture.nativeElement as HTMLElement).querySelector('.outline')).toBeNull();
  });

  it('may be those of another case, at its present revision', async () => {
    const { fixture, last } = await open([{ action: 'a', expected: 'b' }], [summary('C-001', 1), summary('C-002', 3)]);
    await press(fixture, /Steps of another case/);
    const page = new Mounted(fixture);
    await page.type(page.one('cp-record-picker input'), 'c-0');
    expect(offered().map((option) => option.textContent?.trim().slice(0, 5))).toEqual(['C-002']);
    offered()[0].click();
    await page.settled();
    expect(last()[1].call).toEqual({ key: 'C-002', revision: 3, with: {} });
  });

  it('are moved, parted, doubled and taken back by keys', async () => {
    const { fixture, last } = await open(two);
    const page = new Mounted(fixture);
    const box = (n: number) => page.one<HTMLTextAreaElement>(`[aria-label="Step ${n}, action"]`);
    await page.key(box(3), 'ArrowUp', { altKey: true });
    expect(actions(last())).toEqual(['Turn the key', 'Wait', 'Press start']);
    await page.key(box(1), 'd', { altKey: true });
    expect(actions(last())).toEqual(['Turn the key', 'Turn the key', 'Wait', 'Press start']);
    await page.key(box(1), 'z', { altKey: true });
    box(1).setSelectionRange(4, 4);
    await page.key(box(1), 'Enter', { altKey: true });
    expect(last().slice(0, 2)).toEqual([
      { action: 'Turn', expected: '' },
      { action: 'the key', expected: 'Lamp' },
    ]);
    await page.press(/Undo/);
    await page.press(/Undo/);
    expect(last()).toEqual(two);
    await page.press(/Redo/);
    expect(actions(last())).toEqual(['Turn the key', 'Wait', 'Press start']);
  });

  it('are chosen by their numbers, a stretch with Shift, and moved or deleted together', async () => {
    const { fixture, last } = await open([...two, { action: 'Stop', expected: 'It stops' }]);
    const page = new Mounted(fixture);
    const number = (n: number) => page.one<HTMLButtonElement>(`[aria-label="Choose step ${n}"]`);
    number(1).click();
    number(2).dispatchEvent(new MouseEvent('click', { shiftKey: true, bubbles: true }));
    await page.settled();
    expect(page.text()).toContain('2 chosen');
    await page.press(/Move step 2 down/);
    expect(actions(last())).toEqual(['Wait', 'Turn the key', 'Press start', 'Stop']);
    await page.press(/Duplicate/);
    expect(actions(last())).toEqual(['Wait', 'Turn the key', 'Press start', 'Turn the key', 'Press start', 'Stop']);
    await page.press(/Delete what is chosen/);
    expect(actions(last())).toEqual(['Wait', 'Turn the key', 'Press start', 'Stop']);
  });

  it('come from a spreadsheet into an empty step, and whole from another case', async () => {
    const { fixture, last } = await open([{ action: '', expected: '' }]);
    const page = new Mounted(fixture);
    const paste = async (text: string) => {
      const data = new DataTransfer();
      data.setData('text/plain', text);
      page
        .one('[aria-label="Step 1, action"]')
        .dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
      await page.settled();
    };
    await paste('Turn the key\tLamp\t24 V\r\n"Press\nstart"\tIt runs');
    expect(last()).toEqual([
      { action: 'Turn the key', expected: 'Lamp', data: '24 V' },
      { action: 'Press\nstart', expected: 'It runs' },
    ]);
    // What was copied here comes back with all it has, however it went through the clipboard.
    const whole: CaseStep = {
      action: 'Pull',
      expected: 'Free',
      readings: [{ name: 'force', unit: 'N', resolution: 1, limits: 'at most 250 N' }],
    };
    await paste(`${copySteps([whole])}\r\n`);
    expect(last()[1]).toEqual(whole);
    expect(pastedSteps('just words')).toBeUndefined();
  });

  it('ask for readings with limits, whose unit follows the limits until somebody says otherwise', async () => {
    const { fixture, last } = await open([{ action: 'Pull', expected: 'Free' }]);
    const page = new Mounted(fixture);
    await page.press(/Readings, data and evidence of step 1/);
    await page.press(/^\s*straighten\s*Reading|Reading\s*$/);
    await page.write(/^Reading/, 'force');
    await page.write(/^Limits/, 'at most 250 N');
    expect(last()[0].readings).toEqual([{ name: 'force', unit: 'N', resolution: 0, limits: 'at most 250 N' }]);
    await page.write(/^Unit/, 'kN');
    await page.write(/^Limits/, 'at most 300 N');
    expect(last()[0].readings?.[0].unit).toBe('kN');
    await page.write(/^Limits/, 'at most soon');
    expect(page.all('.t-broken').length).toBeGreaterThan(0);
    await page.write(/^Shown by/, 'picture');
    expect(last()[0].evidence).toBe('picture');
    await page.press(/Delete reading 1 of step 1/);
    expect(last()[0].readings).toEqual([]);
  });

  it('keep what is typed when keys come faster than the page answers', async () => {
    const { fixture, last } = await open([{ action: '', expected: '' }]);
    await write(fixture, '[aria-label="Step 1, action"]', 'Look');
    await write(fixture, '[aria-label="Step 1, expected result"]', 'Lit');
    expect(last()).toEqual([{ action: 'Look', expected: 'Lit' }]);
  });
});

describe('a call of another case', () => {
  it('stays at its revision until somebody takes the newer one, and asks for the names', async () => {
    openWeb(['author']).api.on(
      listCases,
      listOver(() => [summary('C-002', 4, ['time']), summary('C-003', 2)]),
    );
    const fixture = TestBed.createComponent(CallEditor);
    const call: CaseCall = { key: 'C-002', revision: 1, with: {} };
    set(fixture.componentRef, { call, without: ['C-001'], number: 1 });
    const described: CaseCall[] = [];
    fixture.componentInstance.changed.subscribe((changed) => described.push(changed));
    const page = new Mounted(fixture);
    await page.settled();
    await write(fixture, 'label input', '2.5');
    await press(fixture, /Take revision 4/);
    await page.type(page.one('cp-record-picker input'), 'C-003');
    await page.key(page.one('cp-record-picker input'), 'Enter');
    expect(described.slice(0, 2)).toEqual([
      { key: 'C-002', revision: 1, with: { time: '2.5' } },
      { key: 'C-002', revision: 4, with: {} },
    ]);
    expect(described[2]).toEqual({ key: 'C-003', revision: 2, with: {} });
  });
});

describe('the data rows of a case', () => {
  const content: CaseContent = { ...emptyCase, title: 't', steps: [{ action: 'Wait {{time}} s at {{temp}} °C', expected: 'x' }] };
  const open = async (given: CaseContent) => {
    const fixture = TestBed.createComponent(RowsEditor);
    fixture.componentRef.setInput('content', given);
    let last: readonly CaseRow[] = given.rows ?? [];
    fixture.componentInstance.changed.subscribe((rows) => {
      last = rows;
      fixture.componentRef.setInput('content', { ...given, rows });
    });
    await fixture.whenStable();
    return { fixture, last: () => last };
  };

  it('have a column for each name, and a new row begins as the last one', async () => {
    const { fixture, last } = await open(content);
    expect(text(fixture)).toContain('{{time}} has no data row');
    await press(fixture, /Data row/);
    await write(fixture, '[aria-label="Row 1, time"]', '2.5');
    await write(fixture, '[aria-label="Row 1, temp"]', '20');
    await press(fixture, /Data row/);
    await write(fixture, '[aria-label="Row 2, time"]', '3.5');
    expect(last()).toEqual([
      { name: '1', values: { time: '2.5', temp: '20' } },
      { name: '2', values: { time: '3.5', temp: '20' } },
    ]);
    await press(fixture, /Delete row 1/);
    await press(fixture, /Data row/);
    // No name is given twice.
    expect(last().map((row) => row.name)).toEqual(['2', '3']);
  });

  it('say what a row does not fill, and which column no text uses', async () => {
    const { fixture } = await open({ ...content, rows: [{ name: '1', values: { time: '1', old: 'x' } }] });
    expect(text(fixture)).toContain('Row 1 has no value for {{temp}}');
    expect(text(fixture)).toContain('No text uses the column old.');
  });
});
