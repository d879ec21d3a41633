import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { addTrace } from '@contract/base';
import * as contract from '@contract/measure';
import type { CodeFile, Diagnosis, FileDetail } from '@contract/measure';
import type { Role } from '@core/base';
import { noCoverage } from '@core/measure';
import { FakeApi, listOver, mount, openWeb, type Mounted } from '../base/testing';
import { MeasurePage } from './measure-page';
import { measureCommands, measureFeature } from './state';

/** So many branches, of which so many were run, and so many of these count. */
const branches = (found: number, exercised: number, credited: number): CodeFile['coverage'] => ({
  ...noCoverage,
  branch: { found, exercised, credited, justified: 0 },
});
const files: CodeFile[] = [
  { key: 'src/alarm.c', measured: false, coverage: noCoverage },
  { key: 'src/brake.c', measured: true, coverage: branches(40, 30, 10) },
  { key: 'src/speed.c', measured: true, coverage: branches(10, 10, 10) },
];
const file = (path: string): FileDetail => ({
  path,
  text: '/* Opens. */\nint open(int a)\n{\n  return a ? 1 : 0;\n}\n',
  sha256: 'a'.repeat(64),
  status: 'measured',
  setAside: [{ tool: 'gcov', metric: 'mcdc', measure: 'clang' }],
  units: [
    { name: 'open', start: 2, end: 5, requirements: ['BRK-001'], byHand: [], attested: [], carried: null, coverage: branches(2, 2, 0) },
  ],
  lines: [
    { line: 2, exercised: 'all', state: 'credited', points: 1, creditedPoints: 1, hitBy: ['C-001'] },
    { line: 4, exercised: 'part', state: 'otherCases', points: 2, creditedPoints: 0, hitBy: ['C-002'] },
  ],
  coverage: branches(2, 2, 0),
});
const diagnosis: Diagnosis = {
  line: 4,
  state: 'otherCases',
  unit: 'open',
  requirements: ['BRK-001'],
  hitBy: [{ caseKey: 'C-002', title: 'Other', verifies: ['BRK-007'] }],
  ownCases: ['C-001'],
  outcomes: [
    { metric: 'branch', detail: '0', state: 'otherCases', hitBy: ['C-002'] },
    { metric: 'mcdc', detail: '0:2', state: 'neverHit', hitBy: [] },
  ],
  remedies: [
    { kind: 'linkCase', caseKey: 'C-002', requirement: 'BRK-001', before: 10, after: 12, beforePercent: 25, afterPercent: 30 },
    { kind: 'traceCode', requirement: 'BRK-007', before: 10, after: 11, beforePercent: 25, afterPercent: 27.5 },
    { kind: 'recordRun', caseKey: 'C-001', before: 10, after: 10, beforePercent: 25, afterPercent: 25 },
    { kind: 'removeCode', before: 10, after: 10, beforePercent: 25, afterPercent: 25 },
  ],
};

describe('Measure', () => {
  let api: FakeApi;
  let page: Mounted<MeasurePage>;
  let went: jasmine.Spy;
  let total = branches(50, 40, 20);
  afterEach(() => (total = branches(50, 40, 20)));

  const open = async (roles: Role[], inputs: Readonly<Record<string, unknown>> = {}): Promise<void> => {
    localStorage.clear();
    ({ api } = openWeb(roles, [{ feature: measureFeature, effects: measureCommands }] as never));
    api
      .on(contract.getCode, () => ({ build: '1.0', files: 3, first: 'src/brake.c', total, cases: 1, seq: 7 }))
      .on(
        contract.listCodeFiles,
        listOver(() => files),
      )
      .on(contract.getFile, ({ path }) => file(path as string))
      .on(contract.diagnose, () => diagnosis)
      .on(contract.offerCarries, () => ({ same: 0, changed: 0, rows: [] }))
      .on(contract.offerTraces, () => [])
      .on(contract.listCarries, () => ({ rows: [], next: null, total: 0, seq: 1 }))
      .on(contract.traceCode, () => file('src/brake.c'))
      .on(addTrace, () => ({ ok: true }));
    went = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    page = await mount(MeasurePage, inputs);
    page.element.style.cssText = 'display:block;height:800px;width:1300px';
    await new Promise((resolve) => setTimeout(resolve, 120));
    await page.settled();
  };
  const left = (): unknown[] =>
    went.calls
      .all()
      .filter(({ args }) => args[0].length)
      .at(-1)?.args ?? [];

  it('tells what was run of all files and what of that counts, and shows the first that is measured', async () => {
    await open(['author']);
    expect(page.text()).toContain('of 3 files, 1 case');
    expect(page.text()).toContain('Exercised80 %');
    expect(page.text()).toContain('Credited to requirements40 %');
    expect(api.of(contract.getFile).map(({ path }) => path)).toEqual(['src/brake.c']);
    expect(page.one('header h2').textContent).toBe('src/brake.c');
    expect(page.text()).toContain('MC/DC as clang counts them; what gcov says of them is set aside');
  });

  it('lists the files of the metric that the build tells of, and opens one', async () => {
    await open(['author']);
    expect(api.of(contract.listCodeFiles)[0]).toEqual(jasmine.objectContaining({ build: '1.0', metric: 'branch' }));
    const rows = page.all('[role=option]');
    expect(rows.map((row) => row.textContent?.replace(/\s+/g, ' ').trim())).toEqual([
      'alarm.c not measured',
      'brake.c25 % of 75 %',
      'speed.c100 % of 100 %',
    ]);
    rows[2].click();
    await page.settled();
    expect(left()).toEqual([['/', 'demo', 'measure'], { queryParams: { path: 'src/speed.c' } }]);
    await page.press(/Not measured/);
    expect(page.all('[role=option]').length).toBe(1);
  });

  it('shows each line with what was run of it and what counts, and goes through the measured ones by keys', async () => {
    await open(['author'], { path: 'src/brake.c' });
    expect(page.all('.line .no button').map((b) => b.getAttribute('aria-label'))).toEqual([
      'Line 2, run, credited',
      'Line 4, partly run, hit by other cases only',
    ]);
    await page.key(page.one('.scroll[tabindex]'), 'ArrowDown');
    expect(left()[1]).toEqual({ queryParams: { path: 'src/brake.c', line: 2 } });
    page.fixture.componentRef.setInput('line', '2');
    await page.settled();
    await page.key(page.one('.scroll[tabindex]'), 'ArrowDown');
    expect(left()[1]).toEqual({ queryParams: { path: 'src/brake.c', line: 4 } });
  });

  it('says why a line does not count and what would close it, and an author does it', async () => {
    await open(['author'], { path: 'src/brake.c', line: '4' });
    expect(api.of(contract.diagnose)).toEqual([{ project: 'demo', build: '1.0', path: 'src/brake.c', line: 4 }]);
    expect(page.text()).toContain('Reached only by a case of another requirement');
    expect(page.text()).toContain('4 ways to close it');
    expect(page.text()).toContain('25 % → 30 %');
    expect(page.text()).toContain('branch 1 of 1');
    expect(page.text()).toContain('condition 2, MC/DC');
    await page.press(/Let C-002 also verify BRK-001/);
    expect(api.of(addTrace)).toEqual([{ project: 'demo', kind: 'verifies', from: 'C-002', to: 'BRK-001' }]);
    await page.press(/Say this code also implements BRK-007/);
    expect(api.of(contract.traceCode)[0]).toEqual(
      jasmine.objectContaining({ path: 'src/brake.c', unit: 'open', requirement: 'BRK-007', traced: true }),
    );
    await page.press(/Get a passing run of C-001/);
    expect(left()).toEqual([['/', 'demo', 'run', 'plan'], { queryParams: { cases: 'C-001' } }]);
    expect(page.button(/take it out/).disabled).toBeTrue();
  });

  it('offers an auditor the reasons and no act', async () => {
    await open(['auditor'], { path: 'src/brake.c', line: '4' });
    expect(page.text()).toContain('Reached only by a case of another requirement');
    expect(page.button(/Let C-002 also verify/).disabled).toBeTrue();
    expect(page.button(/Get a passing run/).disabled).toBeTrue();
    expect(page.button(/Uploads/)).toBeTruthy();
  });

  it('changes the metric of shares and list together', async () => {
    total = { ...branches(50, 40, 20), line: { found: 10, exercised: 10, credited: 9, justified: 0 } };
    await open(['author']);
    expect(page.all('select option').map((option) => option.textContent?.trim())).toEqual(['statements', 'branches']);
    await page.write(/Metric/, 'line');
    expect(page.text()).toContain('Credited to requirements90 %');
    expect(api.of(contract.listCodeFiles).at(-1)?.['metric']).toBe('line');
  });
});
