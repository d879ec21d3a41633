import * as base from '@contract/base';
import * as contract from '@contract/design';
import { listProposals } from '@contract/specify';
import { emptyCase, type CaseContent, type CaseStep } from '@core/design';
import { baseCommands, HistoryPanel, Likely, recordCommands, withFileAtEnd } from '../../base';
import { mount, openWeb } from '../../base/testing';
import { designCommands, designFeature } from '../state';
import { caseDifferences } from './case-history';
import { conflictFields, fromPassages } from './case-merge';
import { CopyCases } from './copy-cases';
import { LaidOutText } from './laid-out-text';
import { StepsEditor } from './steps-editor';

const open = (roles: Parameters<typeof openWeb>[0]) => openWeb(roles, [{ feature: designFeature, effects: designCommands }] as never);
const step = (action: string, expected = 'seen'): CaseStep => ({ action, expected });

describe('the history of a case', () => {
  it('tells steps and rows one by one: added, changed, moved, gone', async () => {
    const { api, store } = openWeb(['author']);
    const rev = (revision: number, steps: CaseStep[], rows: CaseContent['rows'] = []) => ({
      revision,
      seq: revision,
      state: 'draft',
      by: 'ada',
      at: '2026-01-01T00:00:00Z',
      reason: '',
      snapshot: { title: 'Start', steps, rows },
    });
    api.on(base.recordHistory, () => [
      rev(
        2,
        [step('Open the valve slowly'), step('Turn the key'), step('Wait for the lamp to be green')],
        [{ name: 'cold', values: { t: '-20' } }],
      ),
      rev(1, [step('Turn the key'), step('Open the valve'), step('Sound the horn twice, loudly')]),
    ]);
    const page = await mount(HistoryPanel, { differs: caseDifferences });
    store.dispatch(recordCommands.history.start({ project: 'demo', key: '' }));
    await page.settled();
    const tags = page.all('.revision')[0].textContent ?? '';
    expect(tags).toContain('added');
    expect(tags).toContain('gone');
    expect(tags).toContain('Data row 1');
    expect(tags).toMatch(/moved|changed/);
    // They are not told a second time as a whole list.
    expect(tags).not.toContain('1. action');
  });

  it('knows a step that only moved', () => {
    const [a, b, c] = [step('Turn the key'), step('Open the valve'), step('Wait')];
    const lines = caseDifferences.between({ steps: [a, b, c] }, { steps: [c, a, b] });
    expect(lines.map(({ what, name }) => [what, name])).toEqual([['moved', 'Step 3, now 1']]);
  });
});

describe('a conflict about a case', () => {
  it('keeps a layout only where it says the words that were chosen', () => {
    const mine: CaseContent = { ...emptyCase, title: 't', objective: 'Mine', layout: { objective: '<p><strong>Mine</strong></p>' } };
    const chosen = Object.fromEntries(conflictFields(mine, mine, mine).map(({ name, mine: passages }) => [name, passages]));
    expect(fromPassages(mine, chosen).layout).toEqual({ objective: '<p><strong>Mine</strong></p>' });
    expect(fromPassages(mine, { ...chosen, objective: ['Theirs'] }).layout).toEqual({});
  });
});

describe('a text of a case', () => {
  it('is plain until somebody asks for a layout, and stays laid out where it is', async () => {
    openWeb(['author']);
    const page = await mount(LaidOutText, { label: 'Preconditions', value: { text: 'Cold' }, of: 'C-001' });
    let said: unknown;
    page.fixture.componentInstance.written.subscribe((text) => (said = text));
    const box = page.one<HTMLTextAreaElement>('textarea');
    box.value = 'Colder';
    box.dispatchEvent(new Event('input', { bubbles: true }));
    expect(said).toEqual({ text: 'Colder', html: undefined });
    await page.press(/with a layout/);
    await page.until(() => page.all('.ql-editor').length);
    expect(page.one('.ql-editor').textContent).toBe('Cold');
    page.fixture.componentRef.setInput('value', { text: 'a', html: '<ul><li>a</li></ul>' });
    await page.settled();
    expect(page.all('button.chip').length).toBe(0);
  });
});

describe('a file on a step', () => {
  it('belongs to it: a picture is shown, anything else is linked, and more files come behind one another', async () => {
    const { api } = openWeb(['author']);
    const file = (name: string, mime: string, sha: string) => ({ id: 1, name, mime, bytes: 3, sha256: sha.repeat(64), by: 'ada', at: '' });
    let stored: object[] = [];
    api.on(base.addAttachments, () => stored);
    const page = await mount(StepsEditor, { steps: [step('Look'), step('Then')], of: 'C-001' });
    let steps: readonly CaseStep[] = [];
    page.fixture.componentInstance.changed.subscribe((all) => {
      steps = all;
      page.fixture.componentRef.setInput('steps', all);
    });
    const drop = async (at: number): Promise<void> => {
      const transfer = new DataTransfer();
      transfer.items.add(new File(['x'], 'x'));
      page.all('li.step')[at].dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
      await page.settled();
    };
    stored = [file('rig.png', 'image/png', 'a')];
    await drop(1);
    expect(steps[0]).toEqual(step('Look'));
    expect(steps[1].layout?.action).toBe(`<p>Then</p><p><img src="files/${'a'.repeat(64)}" alt="rig"></p>`);
    expect(steps[1].action).toBe('Then');
    stored = [file('rig.png', 'image/png', 'a'), file('set-up.txt', 'text/plain', 'b')];
    await drop(1);
    expect(steps[1].layout?.action).toContain(`<a href="files/${'b'.repeat(64)}">set-up.txt</a>`);
    expect(steps[1].layout?.action).toContain('<img');
    expect(steps[1].action).toContain('set-up.txt');
  });

  it('never brings a name in as markup', () => {
    const html = withFileAtEnd({ text: '' }, { name: '<b>x</b>.txt', mime: 'text/plain', sha256: 'c'.repeat(64) });
    expect(html).toContain('&lt;b&gt;x&lt;/b&gt;.txt');
  });
});

describe('cases for another project', () => {
  it('are copied where one is an author, and what could not come along is said', async () => {
    const { api, store } = open(['author']);
    const page = await mount(CopyCases, { keys: ['C-001', 'C-002'] });
    expect(page.text()).toBe('');
    const projects = [
      { slug: 'demo', name: 'Demo', roles: ['author'] },
      { slug: 'other', name: 'Other', roles: ['author'] },
      { slug: 'read', name: 'Read', roles: ['auditor'] },
    ];
    const person = { login: 'ada', printedName: 'Ada Lund', installation: false, disabled: false };
    store.dispatch(
      baseCommands.getSession.done({
        input: {},
        answer: { person, projects, setPassword: false, factor: null, factorShown: false, tried: 0 },
        command: '',
        phase: 'done',
      } as never),
    );
    await page.settled();
    expect(page.all('option').map((o) => o.textContent?.trim())).toEqual(['choose one', 'Other']);
    api.on(contract.copyCases, () => ({ copies: [{ from: 'C-001', to: 'C-010' }], left: ['C-001: the trace to BRK-002.'] }));
    await page.write(/^Project/, 'other');
    await page.press(/Copy 2/);
    expect(api.of(contract.copyCases)).toEqual([
      { project: 'demo', keys: ['C-001', 'C-002'], into: { project: 'other', folder: null }, traces: true },
    ]);
    expect(page.text()).toContain('Copied, as a draft: C-010');
    expect(page.text()).toContain('the trace to BRK-002');
  });
});

describe('what is proposed beside a requirement or a case', () => {
  it('names the requirements that a case could verify, with the words for it, until they are linked', async () => {
    const { api } = openWeb(['author']);
    const end = (kind: string, key: string) => ({ kind, key, title: key, text: '' });
    api
      .on(listProposals, () => ({
        proposals: [{ from: end('case', 'C-1'), to: end('requirement', 'R-9'), likely: 40, words: ['brake', 'cold'] }],
        looked: { from: 1, to: 1 },
        more: false,
      }))
      .on(base.addTrace, () => ({}));
    const page = await mount(Likely, { of: 'C-1', kind: 'verifies', words: 'Likely requirements' });
    await page.press(/Likely requirements/);
    expect(page.text()).toContain('brake, cold');
    await page.press(/Link R-9/);
    expect(api.of(base.addTrace)[0]).toEqual({ project: 'demo', kind: 'verifies', from: 'C-1', to: 'R-9' });
    expect(page.text()).not.toContain('R-9');
  });
});
