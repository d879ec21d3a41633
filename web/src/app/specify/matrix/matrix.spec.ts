import * as base from '@contract/base';
import * as contract from '@contract/specify';
import type { Matrix } from '@core/specify';
import { mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { MatrixGrid, type CellPlace } from './matrix-grid';
import { MatrixPage } from './matrix-page';
import { TraceNote } from './trace-note';
import { traceCommands, traceFeature } from './trace-state';

const head = (key: string) => ({ key, title: `T ${key}`, state: 'approved' });
const matrix = (rows: number, columns: number, cells: [number, number, 'sound' | 'waiting' | 'suspect'][]): Matrix => ({
  rows: Array.from({ length: rows }, (_, i) => head(`BRK-${i}`)),
  columns: Array.from({ length: columns }, (_, i) => head(`C-${i}`)),
  cells: cells.map(([row, column, state], i) => ({ row, column, state, id: i + 1 })),
});

describe('the cells of a matrix', () => {
  const open = async (of: Matrix) => {
    openWeb(['author'], rooms);
    const page = await mount(MatrixGrid, { of, rowKind: 'requirement', columnKind: 'case' });
    page.element.style.height = '400px';
    page.element.style.width = '900px';
    document.body.append(page.element);
    await new Promise((resolve) => setTimeout(resolve, 30));
    await page.settled();
    const told: [string, CellPlace][] = [];
    page.fixture.componentInstance.linked.subscribe((at) => told.push(['link', at]));
    page.fixture.componentInstance.broken.subscribe((at) => told.push(['break', at]));
    page.fixture.componentInstance.opened.subscribe((at) => told.push(['open', at]));
    const grid = page.one('[role=grid]');
    const here = (): string => page.one('.cell.on').getAttribute('aria-label') ?? '';
    return { page, told, grid, here };
  };
  afterEach(() => document.querySelectorAll('body > div[id^=root]').forEach((e) => e.remove()));

  it('are walked by keys, linked, broken and opened, and N goes to the next suspect one and around', async () => {
    const { page, told, grid, here } = await open(
      matrix(4, 4, [
        [0, 1, 'sound'],
        [1, 2, 'suspect'],
        [3, 0, 'suspect'],
      ]),
    );
    await page.key(grid, 'ArrowRight');
    expect(here()).toBe('BRK-0, C-1: traced');
    await page.key(grid, 'ArrowUp');
    expect(here()).toBe('BRK-0, C-1: traced');
    await page.key(grid, 'Delete');
    await page.key(grid, 'ArrowDown');
    await page.key(grid, ' ');
    await page.key(grid, 'n');
    expect(here()).toBe('BRK-1, C-2: traced, suspect');
    await page.key(grid, 'Enter');
    await page.key(grid, 'n');
    await page.key(grid, 'n');
    expect(here()).toBe('BRK-1, C-2: traced, suspect');
    expect(told).toEqual([
      ['break', { row: 0, column: 1 }],
      ['link', { row: 1, column: 1 }],
      ['open', { row: 1, column: 2 }],
    ]);
    expect(page.all('.sum.t-broken').map((s) => s.textContent.trim())).toEqual(['none']);
  });

  it('are drawn only as far as they are seen, both ways, and stand where they belong', async () => {
    const { page, grid, here } = await open(matrix(5000, 5000, [[4999, 4999, 'sound']]));
    expect(page.all('.cell').length).toBeLessThan(1500);
    await page.key(grid, 'End', { ctrlKey: true });
    await new Promise((resolve) => setTimeout(resolve, 30));
    await page.settled();
    expect(here()).toBe('BRK-4999, C-4999: traced');
    expect(page.all('.cell').length).toBeLessThan(1500);
    expect(grid.getAttribute('aria-rowcount')).toBe('5002');
  });
});

describe('the trace matrix', () => {
  const open = async (inputs: Record<string, unknown> = {}, roles: Parameters<typeof openWeb>[0] = ['author']) => {
    const { api } = openWeb(roles, [...rooms, { feature: traceFeature, effects: traceCommands }] as never);
    serve(api, () => []);
    const m = matrix(3, 2, [
      [0, 0, 'sound'],
      [1, 0, 'suspect'],
    ]);
    api.on(contract.getMatrix, () => ({ ...m, from: 'column', seq: 1 }));
    const page = await mount(MatrixPage, inputs);
    await new Promise((resolve) => setTimeout(resolve, 200));
    await page.settled();
    return { api, page };
  };

  it('says at one press how many lack, are few or suspect, and asks with both filters', async () => {
    const { api, page } = await open({ rf: 'level:"SIL 3"', only: 'gaps' });
    expect(page.all('[aria-label="Which rows"] button').map((b) => b.textContent.trim())).toEqual([
      'All 3 × 2',
      'Without a trace 1',
      'Fewer than 2 · 3',
      'Suspect 1',
    ]);
    expect(page.text()).toContain('2 of 3 have a trace, 67 %');
    expect(page.all('.row-of').length).toBe(1);
    const [asked] = api.of(contract.getMatrix);
    expect(JSON.parse(asked['rowFilter'] as string)).toEqual({
      and: [
        { field: 'kind', is: ['requirement'] },
        { field: 'level', is: ['SIL 3'] },
      ],
    });
    expect([asked['rows'], asked['columns'], asked['trace']]).toEqual(['requirement', 'case', 'verifies']);
  });

  it('makes a trace in the cell in the direction that its kind has, for an author alone', async () => {
    const { api, page } = await open();
    api.on(base.addTrace, () => ({}));
    const grid = page.one('[role=grid]');
    await page.key(grid, 'ArrowRight');
    await page.key(grid, ' ');
    expect(api.of(base.addTrace)).toEqual([{ project: 'demo', kind: 'verifies', from: 'C-1', to: 'BRK-0' }]);
  });

  it('makes none for an auditor', async () => {
    const { api, page } = await open({}, ['auditor']);
    await page.key(page.one('[role=grid]'), 'ArrowRight');
    await page.key(page.one('[role=grid]'), ' ');
    expect(api.of(base.addTrace)).toEqual([]);
  });

  it('shows what changed at the end that was revised since', async () => {
    const { api } = openWeb(['author'], [...rooms, { feature: traceFeature, effects: traceCommands }] as never);
    const trace = {
      id: 7,
      kind: 'verifies',
      fromKind: 'case',
      toKind: 'requirement',
      from: 'C-1',
      to: 'BRK-1',
      fromTitle: 'Case',
      toTitle: 'Text',
      fromRevision: 1,
      toRevision: 1,
      fromNow: 1,
      toNow: 2,
      suspect: ['to'],
      confirmedBy: 'tom',
      drawnBy: 'tom',
      waits: false,
    };
    api
      .on(base.getRecord, () => ({ record: {}, traces: [trace] }))
      .on(base.recordHistory, () => [
        { revision: 2, snapshot: { title: 'Stop', text: 'It shall stop within 2 s.' } },
        { revision: 1, snapshot: { title: 'Stop', text: 'It shall stop soon.' } },
      ]);
    const page = await mount(TraceNote, { id: 7, end: 'BRK-1' });
    expect(api.of(base.recordHistory).map((i) => i['key'])).toEqual(['BRK-1']);
    expect(page.all('del').map((d) => d.textContent)).toContain('soon');
    expect(page.button(/Confirm/)).toBeTruthy();
  });
});
