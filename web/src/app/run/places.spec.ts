import * as contract from '@contract/run';
import type { RunSummary } from '@contract/run';
import { listCases } from '@contract/design';
import { listOver, mount, openWeb, type FakeApi } from '../base/testing';
import { AgainPage } from './again-page';
import { ComparisonPage } from './comparison/comparison-page';
import { ConfigurationsPage } from './configurations-page';
import { ProgramsPage } from './programs-page';
import { SignPage } from './sign-page';
import { runCommands, runFeature } from './state';

const open = (roles: Parameters<typeof openWeb>[0] = ['tester']) =>
  openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never);
const summary = (key: string, more: Partial<RunSummary> = {}): RunSummary => ({
  key,
  round: 'R-001',
  build: '1.0',
  caseKey: 'C-001',
  caseTitle: 'Closes',
  caseRevision: 1,
  caseNow: 1,
  row: null,
  configuration: 'rig',
  tester: 'ada',
  testerName: 'Ada Lund',
  state: 'recorded',
  verdict: 'passed',
  outdated: false,
  carriedOver: false,
  plannedMinutes: 5,
  seconds: 60,
  due: null,
  priority: '',
  ...more,
});
const password = async (words: RegExp): Promise<void> => {
  const box = document.querySelector<HTMLInputElement>('input[type=password]');
  if (!box) throw new Error('no password is asked for');
  expect(document.querySelector('mat-dialog-container')?.textContent ?? '').toMatch(words);
  box.value = 'secret';
  box.dispatchEvent(new Event('input', { bubbles: true }));
  await new Promise((resolve) => setTimeout(resolve, 20));
  document.querySelector<HTMLButtonElement>('mat-dialog-actions button[type=submit]')?.click();
  await new Promise((resolve) => setTimeout(resolve, 200));
};

describe('what waits for a signature', () => {
  const hash = (n: number) => String(n).repeat(64);
  const rows = [
    { run: summary('RUN-001'), meaning: 'performed' as const, hash: hash(1), looked: true },
    { run: summary('RUN-002', { verdict: 'failed' }), meaning: 'performed' as const, hash: hash(2), looked: false },
    { run: summary('RUN-003', { tester: 'tom', testerName: 'Tom' }), meaning: 'reviewed' as const, hash: hash(3), looked: true },
  ];

  it('is signed together where it was looked at, each run with its own hash; the rest leads to its record', async () => {
    const { api } = open();
    api
      .on(contract.listSignable, () => rows)
      .on(contract.signMany, () => ({ signed: ['RUN-001'], refused: [{ key: 'RUN-009', why: 'It changed.' }] }));
    const page = await mount(SignPage);
    expect(page.one<HTMLInputElement>('[aria-label="Sign RUN-002"]').disabled).toBeTrue();
    expect(page.text()).toContain('Not yet: look at it');
    expect(page.missing(/^\s*Sign/)).toContain('Choose what');
    await page.press(/Choose all that I looked at: 1/);
    await page.press(/Sign 1/);
    await password(/I performed each of these runs .*RUN-001/);
    expect(api.of(contract.signMany)).toEqual([
      { project: 'demo', meaning: 'performed', password: 'secret', runs: [{ key: 'RUN-001', hash: hash(1) }] },
    ]);
    await page.settled();
    expect(page.text()).toContain('1 run signed');
    expect(page.text()).toContain('It changed.');
  });

  it('says when nothing waits', async () => {
    const { api } = open();
    api.on(contract.listSignable, () => []);
    expect((await mount(SignPage)).text()).toContain('Nothing waits for your signature');
  });
});

describe('results beside each other', () => {
  const comparison = {
    columns: ['1.0', '2.0', '3.0'].map((key) => ({ key, title: key, build: key, at: '' })),
    rows: [
      {
        key: 'C-001',
        title: 'Closes',
        folder: 'Brake',
        requirements: ['R-1'],
        levels: ['SIL 2'],
        cells: 'pf.',
        flips: [1],
        runs: [1, 22],
        latest: { state: 'failed', number: 22 },
      },
      {
        key: 'C-002',
        title: 'Opens',
        folder: 'Brake',
        requirements: [],
        levels: [],
        cells: 'ppo',
        flips: [],
        runs: [3, 4, 5],
        latest: { state: 'passed', number: 4 },
      },
      {
        key: 'C-003',
        title: 'Shows',
        folder: '',
        requirements: ['R-1'],
        levels: ['SIL 2'],
        cells: '...',
        flips: [],
        runs: [],
        latest: null,
      },
    ],
    more: false,
    seq: 1,
  };
  const shown = async (inputs: object = {}) => {
    const { api } = open();
    api.on(contract.getComparison, () => comparison);
    const page = await mount(ComparisonPage, inputs as never);
    await page.settled();
    return { api, page };
  };

  it('stand in a grid by folder with sums, and lead to the run by keys', async () => {
    const { page } = await shown();
    expect(page.all('.line.group').map((g) => g.textContent?.replace(/\s+/g, '').trim())).toEqual([
      '▾Brake2cases100%50%0%',
      '▾Innofolder1case',
    ]);
    expect(page.text()).toContain('3 cases, 2 with a result');
    const grid = page.one('[role=grid]');
    await page.key(grid, 'ArrowDown');
    await page.key(grid, 'ArrowRight');
    expect(page.text()).toContain('RUN-022');
    expect(page.text()).toContain('Its verdicts flip there');
    await page.key(grid, 'Home', { ctrlKey: true });
    await page.key(grid, ' ');
    expect(page.all('.line').length).toBe(3);
  });

  it('show the run of a cell beside it while somebody stays there', async () => {
    const { api, page } = await shown();
    api.on(contract.getRun, ({ key }) => ({
      ...summary(String(key)),
      caseKey: 'C-001',
      caseTitle: 'Closes',
      row: 'cold',
      build: '2.0',
      verdict: 'failed',
    }));
    const cards = (): string => [...document.querySelectorAll('.card[role=tooltip]')].map((card) => card.textContent ?? '').join();
    const cell = page.one('[aria-label^="C-001, 2.0"]');
    cell.dispatchEvent(new MouseEvent('mouseenter'));
    await page.until(() => cards().includes('failed on 2.0, row cold'));
    cell.dispatchEvent(new MouseEvent('mouseleave'));
    expect(cards()).toBe('');
    const grid = page.one('[role=grid]');
    await page.key(grid, 'ArrowDown');
    await page.key(grid, 'ArrowRight');
    await page.until(() => cards().includes('RUN-022'));
    await page.key(grid, 'Escape');
    expect(cards()).toBe('');
  });

  it('show a part alone, say how many each part has, and what changed between two columns', async () => {
    const { page } = await shown({ only: 'changed', by: 'none' });
    expect(page.button(/Failing now/).textContent).toContain('1');
    expect(page.button(/Never planned/).textContent).toContain('1');
    // Between the last two: C-001 has nothing any more, C-002 is planned.
    expect(page.all('.line .head').map((h) => h.textContent?.trim().slice(0, 5))).toEqual(['C-001', 'C-002']);
    expect(page.one<HTMLAnchorElement>('cp-run-nav a').textContent).toContain('Rounds');
  });

  it('leave columns out, and are asked anew for rounds of the build', async () => {
    const { api, page } = await shown({ hide: '0', across: 'rounds' });
    expect(page.all('.column').length).toBe(2);
    expect(api.of(contract.getComparison)).toEqual([{ project: 'demo', across: 'rounds', build: '1.0' }]);
  });
});

describe('results of programs', () => {
  const upload = {
    id: 7,
    build: '1.0',
    round: 'R-009',
    configuration: 'ci',
    format: 'junit' as const,
    tool: 'ctest',
    version: '3.25',
    sentBy: 'program:ci',
    at: '2026-01-01T00:00:00Z',
    name: 'unit.xml',
    bytes: 1200,
    sha256: 'a'.repeat(64),
    results: 2,
    passed: 1,
    failed: 1,
    skipped: 0,
    unmatched: 1,
  };
  const item = {
    id: 1,
    suite: 'unit',
    name: 'reads',
    outcome: 'passed' as const,
    seconds: 1,
    message: '',
    run: null,
    caseKey: null,
    dismissed: null,
  };
  const detail = { ...upload, items: [item, { ...item, id: 2, name: 'C-001 closes', run: 'RUN-004', caseKey: 'C-001' }] };
  const ready = (api: FakeApi): FakeApi =>
    api
      .on(contract.listResults, () => [upload])
      .on(contract.getResults, () => detail)
      .on(contract.listResultRules, () => [])
      .on(contract.matchResults, () => ({ uploads: [upload], runs: [{}], unmatched: [], refused: [], findings: [] }))
      .on(contract.addResultRule, () => [{ id: 1, pattern: 'unit › reads', caseKey: 'C-002', row: null }])
      .on(
        listCases,
        listOver(() => [{ key: 'C-002', title: 'Reads' }]),
      );

  it('show what matched nothing; a person says to which case it belongs, and it is matched at once', async () => {
    const { api } = open();
    ready(api);
    const page = await mount(ProgramsPage);
    await page.press(/unit\.xml/);
    expect(page.text()).toContain('matched nothing');
    await page.press(/Which case/);
    await page.type(page.one<HTMLInputElement>('cp-record-picker input'), 'reads', 400);
    document.querySelector<HTMLElement>('mat-option')?.click();
    await page.settled();
    expect(api.of(contract.addResultRule)).toEqual([{ project: 'demo', pattern: 'unit › reads', caseKey: 'C-002', row: null }]);
    expect(api.of(contract.matchResults)).toEqual([{ project: 'demo', id: 7 }]);
    expect(page.text()).toContain('1 run recorded');
  });

  it('are sent by hand with tool, configuration and files, and not before these are said', async () => {
    const { api } = open();
    ready(api).on(contract.sendResults, () => ({
      uploads: [upload],
      runs: [],
      unmatched: ['x'],
      refused: [{ key: 'C-009', why: 'It is not approved.' }],
      findings: [],
    }));
    const page = await mount(ProgramsPage);
    expect(page.missing(/^\s*Send/)).toContain('which tool');
    await page.write(/^Tool/, 'ctest');
    await page.write(/^Configuration/, 'ci');
    expect(page.missing(/^\s*Send/)).toContain('files');
    const transfer = new DataTransfer();
    transfer.items.add(new File(['<x/>'], 'unit.xml'));
    page.one<HTMLInputElement>('input[type=file]').files = transfer.files;
    page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit'));
    await page.settled();
    const sent = api.asked.find(({ endpoint }) => endpoint === contract.sendResults);
    expect(sent?.input).toEqual({ project: 'demo', build: '1.0', configuration: 'ci', tool: 'ctest', version: '' });
    expect(sent?.files?.map(({ name }) => name)).toEqual(['unit.xml']);
    expect(page.text()).toContain('1 result matched nothing');
    expect(page.text()).toContain('It is not approved.');
  });

  it('are only read by an auditor', async () => {
    const { api } = open(['auditor']);
    ready(api);
    const page = await mount(ProgramsPage);
    expect(page.all('form').length).toBe(0);
    await page.press(/unit\.xml/);
    expect(page.all('button').some((b) => /Which case/.test(b.textContent ?? ''))).toBeFalse();
  });
});

describe('what is needed again', () => {
  it('names each run with its reasons, and plans the fewest or all that are open', async () => {
    const { api } = open();
    api.on(contract.getNeededAgain, () => ({
      requirements: [{ key: 'R-1', title: 'a', before: 1, now: 2 }],
      cases: [],
      functions: [{ path: 'a.c', name: 'held', what: 'changed' }],
      again: [
        {
          key: 'C-001',
          title: 'Closes',
          run: 'RUN-001',
          minutes: 5,
          done: null,
          reasons: ['R-1 was revised', 'it hit held in a.c, which changed'],
        },
        { key: 'C-002', title: 'Opens', run: 'RUN-002', minutes: 7, done: 'RUN-010', reasons: ['R-1 was revised'] },
      ],
      untouched: [{ key: 'C-003', title: 'x', run: 'RUN-003' }],
      neverRun: [{ key: 'C-009', title: 'y' }],
      choice: { cases: ['C-001'], covered: 2, of: 2, minutes: 5, bound: 1, proved: true },
      measured: true,
    }));
    api
      .on(contract.offerResults, () => ({ free: 0, held: 0, rows: [], functions: [], outside: [], allowedAt: [], earlier: [] }))
      .on(contract.listCarriedResults, () => ({ rows: [], next: null, total: 0, seq: 1 }));
    const page = await mount(AgainPage, { from: '0.9', to: '1.0' });
    await new Promise((resolve) => setTimeout(resolve, 250));
    await page.settled();
    expect(api.of(contract.getNeededAgain)).toEqual([{ project: 'demo', from: '0.9', to: '1.0' }]);
    expect(page.text()).toContain('2 cases no longer stand for 1.0; 1 was touched by nothing');
    expect(page.text()).toContain('it hit held in a.c, which changed');
    expect(page.all<HTMLAnchorElement>('a[mat-flat-button], a[mat-stroked-button]').map((a) => a.getAttribute('href'))).toEqual([
      '/demo/run/plan?cases=C-001',
      '/demo/run/plan?cases=C-001',
    ]);
    expect(page.text()).toContain('proved');
  });
});

describe('configurations', () => {
  it('are counted as they are typed, and saved only without findings', async () => {
    const { api } = open(['author']);
    api
      .on(contract.getConfigurations, () => ({ dimensions: [{ name: 'rig', values: ['1', '2'] }], exclusions: '' }))
      .on(contract.saveConfigurations, ({ dimensions, exclusions }) => ({ dimensions, exclusions }));
    const page = await mount(ConfigurationsPage);
    expect(page.text()).toContain('All that may be 2');
    page.all<HTMLButtonElement>('form button.chip').at(-1)?.click();
    await page.settled();
    const [, name] = page.all<HTMLInputElement>('input[placeholder=temperature]');
    name.value = 'temperature';
    name.dispatchEvent(new Event('input', { bubbles: true }));
    const [, values] = page.all<HTMLInputElement>('input[placeholder="cold, room, hot"]');
    values.value = 'cold, hot, hot';
    values.dispatchEvent(new Event('input', { bubbles: true }));
    values.dispatchEvent(new Event('blur', { bubbles: true }));
    await page.settled();
    expect(page.text()).toContain('temperature has a value twice');
    expect(page.missing(/Save/)).toContain('findings');
    values.value = 'cold, hot';
    values.dispatchEvent(new Event('input', { bubbles: true }));
    values.dispatchEvent(new Event('blur', { bubbles: true }));
    await page.write(/What excludes/, 'rig = 2 => temperature != hot');
    expect(page.text()).toContain('All that may be 3');
    page.one<HTMLFormElement>('form').dispatchEvent(new Event('submit'));
    await page.settled();
    expect(api.of(contract.saveConfigurations)[0]['exclusions']).toBe('rig = 2 => temperature != hot');
  });
});
