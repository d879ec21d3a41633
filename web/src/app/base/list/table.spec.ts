import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { MatDialog } from '@angular/material/dialog';
import { MatSnackBar } from '@angular/material/snack-bar';
import { of } from 'rxjs';
import { doBulk, listFields, previewBulk, undoBulk, type BulkAct } from '@contract/base';
import { listCases } from '@contract/design';
import type { Role } from '@core/base';
import { listOver, mount, openWeb, type FakeApi, type Mounted } from '../testing';
import { recordFilterFields, RowTemplate, setCell, setNumberCell, type ListKind } from './kind';
import { RecordList } from './record-list';

interface Row {
  readonly key: string;
  readonly title: string;
  readonly state: string;
  readonly minutes: number;
  readonly own: Readonly<Record<string, string | number | null>>;
}
const kind: ListKind<Row> = {
  name: 'spec-table',
  endpoint: listCases,
  noun: ['case', 'cases'],
  changedBy: ['case'],
  fields: recordFilterFields,
  views: [{ name: 'all', words: 'All' }],
  sorts: [['key', 'Key']],
  columns: [
    { name: 'key', words: 'Key', width: 80, sort: 'key', usual: true, show: (r) => r.key },
    { name: 'title', words: 'Title', width: 200, usual: true, show: (r) => r.title, edit: setCell('title') },
    {
      name: 'minutes',
      words: 'Minutes',
      width: 80,
      usual: true,
      number: true,
      show: (r) => `${r.minutes}`,
      edit: setNumberCell('minutes'),
    },
    { name: 'state', words: 'State', width: 90, show: (r) => r.state },
  ],
  rowHeight: 50,
  bulk: 'case',
};

@Component({
  selector: 'cp-table-host',
  imports: [RecordList, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div style="display: flex; flex-direction: column; height: 500px; width: 700px">
      <cp-record-list [kind]="kind" [current]="opened()" (opened)="opened.set($event)">
        <ng-template [cpRow]="kind" let-r>{{ r.key }}</ng-template>
      </cp-record-list>
    </div>
  `,
})
class Host {
  readonly kind = kind;
  readonly opened = signal('');
}

describe('a list as a table', () => {
  let api: FakeApi;
  let page: Mounted<Host>;
  let rows: Row[];
  const notes = { said: [] as string[], press: false };

  const open = async (roles: Role[] = ['author'], reason = 'It is so.'): Promise<void> => {
    rows = Array.from({ length: 30 }, (_, i): Row => ({
      key: `C-${String(i + 1).padStart(3, '0')}`,
      title: `Case ${i + 1}`,
      state: i === 2 ? 'approved' : 'draft',
      minutes: i,
      own: i === 0 ? { 7: 12 } : {},
    }));
    notes.said = [];
    notes.press = false;
    const snack = {
      open: (text: string, action?: string) => {
        notes.said.push(text);
        return { onAction: () => (action && notes.press ? of(undefined) : of<void>()) };
      },
    };
    ({ api } = openWeb(
      roles,
      [],
      [
        { provide: MatSnackBar, useValue: snack },
        { provide: MatDialog, useValue: { open: () => ({ afterClosed: () => of(reason || undefined) }) } },
      ],
    ));
    const definition = { type: 'number', unit: 'kg', choices: [], requiredFrom: null, levels: [], shown: 'both' };
    api
      .on(
        listCases,
        listOver(() => rows),
      )
      .on(listFields, () => [{ id: 7, kind: 'case', name: 'Mass', description: '', definition, position: 0, retired: false }])
      .on(previewBulk, ({ selection }) => ({
        total: 1,
        changed: 1,
        refused: 0,
        items: [{ key: (selection as { keys: string[] }).keys[0], outcome: 'done', words: '' }],
        digest: 'd',
      }))
      .on(doBulk, () => ({ id: 5 }))
      .on(undoBulk, () => ({ id: 5 }));
    page = await mount(Host);
    await page.press(/As a table/);
    await page.settled();
  };
  beforeEach(() => localStorage.clear());
  afterEach(() => localStorage.clear());

  const grid = (): HTMLElement => page.one('[role=grid]');
  const headings = (): string[] => page.all('.heading button').map((b) => b.textContent?.trim() ?? '');
  const cells = (row: number): string[] =>
    [...page.all('[role=row]')[row].querySelectorAll('[role=gridcell]')].map((c) => c.textContent?.trim() ?? '');
  const acts = (): BulkAct[] => api.of(doBulk).map(({ act }) => act as BulkAct);
  const goTo = async (down: number, right: number): Promise<void> => {
    for (let i = 0; i < down; i++) await page.key(grid(), 'ArrowDown');
    for (let i = 0; i < right; i++) await page.key(grid(), 'ArrowRight');
  };
  const writeHere = async (text: string, key = 'Enter'): Promise<void> => {
    await page.key(grid(), 'Enter');
    const box = page.one<HTMLInputElement>('.writing');
    box.value = text;
    await page.key(box, key);
  };

  it('shows its usual columns and the project’s own fields, and is a grid that says where one is', async () => {
    await open();
    expect(headings()).toEqual(['Key ↑', 'Title', 'Minutes', 'Mass']);
    expect(cells(0)).toEqual(['C-001', 'Case 1', '0', '12 kg']);
    expect(grid().getAttribute('aria-rowcount')).toBe('30');
    await goTo(1, 2);
    expect(grid().getAttribute('aria-activedescendant')).toBe('cell-1-2');
    expect(document.getElementById('cell-1-2')?.textContent?.trim()).toBe('1');
    await page.key(grid(), 'ArrowLeft');
    expect(document.getElementById('cell-1-1')?.getAttribute('aria-readonly')).toBe('false');
    expect(document.getElementById('cell-1-0')?.getAttribute('aria-readonly')).toBe('true');
  });

  it('opens by Enter on what is only read, and chooses by Space', async () => {
    await open();
    await goTo(2, 0);
    await page.key(grid(), ' ');
    expect(page.text()).toContain('1 chosen');
    await page.key(grid(), 'Enter');
    expect(page.fixture.componentInstance.opened()).toBe('C-003');
  });

  it('has its columns chosen, moved and drawn by keys, and keeps them on the device', async () => {
    await open();
    const [key, title] = page.all<HTMLButtonElement>('.heading button');
    await page.key(key, 'ArrowRight', { altKey: true });
    expect(headings()).toEqual(['Title', 'Key ↑', 'Minutes', 'Mass']);
    await page.key(title, 'ArrowRight', { shiftKey: true });
    page
      .all('.chip')
      .find((b) => b.getAttribute('aria-label') === 'Columns')
      ?.click();
    await page.settled();
    const choice = (words: string): HTMLElement =>
      [...document.querySelectorAll<HTMLElement>('[role=menuitemcheckbox]')].find((b) => b.textContent?.includes(words)) as HTMLElement;
    choice('State').click();
    choice('Minutes').click();
    await page.settled();
    expect(headings()).toEqual(['Title', 'Key ↑', 'Mass', 'State']);
    const kept = JSON.parse(localStorage.getItem('cord-proof.columns.spec-table') ?? '{}') as { shown: string[]; widths: object };
    expect(kept.shown).toEqual(['title', 'key', 'own:7', 'state']);
    expect(Object.values(kept.widths)).toEqual([jasmine.any(Number)]);
    page.fixture.destroy();
    page = await mount(Host);
    await page.press(/As a table/);
    await page.until(() => headings().length);
    expect(headings()).toEqual(['Title', 'Key ↑', 'Mass', 'State']);
  });

  it('writes a cell by Enter, as an act that is previewed, and takes it back', async () => {
    await open();
    notes.press = true;
    await goTo(0, 1);
    await writeHere('Another title');
    expect(api.of(previewBulk)[0]).toEqual(
      jasmine.objectContaining({ selection: { kind: 'case', keys: ['C-001'] }, act: { act: 'set', values: { title: 'Another title' } } }),
    );
    expect(api.of(doBulk)[0]).toEqual(jasmine.objectContaining({ digest: 'd', reason: '' }));
    expect(notes.said[0]).toContain('C-001: Title is written.');
    expect(api.of(undoBulk)).toEqual([{ project: 'demo', id: 5 }]);
  });

  it('lets go by Escape and of what is as before, takes by Tab and by leaving, and refuses what is no number', async () => {
    await open();
    await goTo(1, 1);
    await writeHere('Never', 'Escape');
    await writeHere('Case 2');
    expect(acts()).toEqual([]);
    await writeHere('By Tab', 'Tab');
    expect(grid().getAttribute('aria-activedescendant')).toBe('cell-1-2');
    await writeHere('many');
    expect(notes.said.at(-1)).toContain('“many” is no minutes');
    await writeHere('4,5');
    await page.key(grid(), 'F2');
    const box = page.one<HTMLInputElement>('.writing');
    box.value = '9';
    box.dispatchEvent(new Event('blur'));
    await page.settled();
    await goTo(0, 1);
    await writeHere('3');
    expect(acts()).toEqual([
      { act: 'set', values: { title: 'By Tab' } },
      { act: 'set', values: { minutes: 4.5 } },
      { act: 'set', values: { minutes: 9 } },
      { act: 'own', own: { 7: 3 } },
    ]);
  });

  it('asks for a reason where the record is approved, and writes nothing without one', async () => {
    await open(['author'], 'The rope is longer.');
    await goTo(2, 1);
    await writeHere('New');
    expect(api.of(doBulk)[0]['reason']).toBe('The rope is longer.');
    page.fixture.destroy();
    TestBed.resetTestingModule();
    await open(['author'], '');
    await goTo(2, 1);
    await writeHere('New');
    expect(api.of(previewBulk)).toEqual([]);
  });

  it('says why the server refuses, and is only read by whoever does not write', async () => {
    await open();
    api.on(previewBulk, () => ({
      total: 1,
      changed: 0,
      refused: 1,
      items: [{ outcome: 'refused', words: 'It is retired.' }],
      digest: 'd',
    }));
    await goTo(0, 1);
    await writeHere('New');
    expect([notes.said.at(-1), acts()]).toEqual(['C-001 is as it was: It is retired.', []]);
    page.fixture.destroy();
    TestBed.resetTestingModule();
    await open(['auditor']);
    await goTo(0, 1);
    await page.key(grid(), 'Enter');
    expect(page.all('.writing')).toEqual([]);
    expect(page.fixture.componentInstance.opened()).toBe('C-001');
  });

  it('is printed whole, page after page, under what was asked, and not where it is a document', async () => {
    await open();
    const print = spyOn(window, 'print');
    rows = Array.from({ length: 1200 }, (_, i) => ({ ...rows[0], key: `C-${i}` }));
    const orders = page.all<HTMLButtonElement>('.chip').find((b) => b.getAttribute('aria-label') === 'Order');
    const press = async (): Promise<void> => {
      orders?.click();
      await page.settled();
      [...document.querySelectorAll<HTMLElement>('[mat-menu-item]')].find((b) => b.textContent?.includes('Print'))?.click();
      await page.settled();
    };
    await press();
    expect(print).toHaveBeenCalledTimes(1);
    const paper = document.querySelector('.printed') as HTMLElement;
    expect(paper.querySelector('h1')?.textContent).toBe('Demo: cases');
    expect(paper.querySelector('p')?.textContent).toContain('All · 1200 cases · ledger entry 7');
    expect([...paper.querySelectorAll('th')].map((th) => th.textContent)).toEqual(['Key', 'Title', 'Minutes', 'Mass']);
    expect(paper.querySelectorAll('tbody tr').length).toBe(1200);
    dispatchEvent(new Event('afterprint'));
    expect([document.querySelector('.printed'), document.body.classList.contains('printing')]).toEqual([null, false]);
    rows = Array.from({ length: 6000 }, (_, i) => ({ ...rows[0], key: `C-${i}` }));
    await press();
    expect(print).toHaveBeenCalledTimes(1);
    expect(notes.said.at(-1)).toContain('More than 5000 cases are a document');
  });
});
