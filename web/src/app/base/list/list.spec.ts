import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import type { Store } from '@ngrx/store';
import type { Selection } from '@contract/base';
import { listCases } from '@contract/design';
import { hear, listOver, mount, offered, openWeb, type FakeApi, type Mounted } from '../testing';
import { recordFilterFields, RowTemplate, type ListKind } from './kind';
import { RecordList } from './record-list';
import { listActions, listsFeature } from './state';

interface Row {
  readonly key: string;
  readonly title: string;
  readonly state: string;
  readonly minutes: number;
  readonly createdBy: string;
}
const kind: ListKind<Row> = {
  name: 'spec-cases',
  endpoint: listCases,
  noun: ['case', 'cases'],
  changedBy: ['case'],
  fields: [...recordFilterFields, { name: 'state', words: 'State', type: 'text', values: ['draft', 'approved'] }],
  views: [
    { name: 'all', words: 'All' },
    { name: 'draft', words: 'Drafts', filter: { field: 'state', is: ['draft'] } },
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Title'],
  ],
  rowHeight: 50,
  sum: ['minutes', 'min'],
  exported: 'cases',
  bulk: 'case',
};

@Component({
  selector: 'cp-list-host',
  imports: [RecordList, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div style="display: flex; flex-direction: column; height: 500px; width: 400px">
      <cp-record-list [kind]="kind" [current]="opened()" (opened)="opened.set($event)" (chosen)="chosen.set($event)">
        <ng-template [cpRow]="kind" let-r
          ><b>{{ r.key }}</b
          >&ngsp;<span>{{ r.title }}</span></ng-template
        >
        <p empty>Nothing yet</p>
      </cp-record-list>
    </div>
  `,
})
class Host {
  readonly kind = kind;
  readonly opened = signal('');
  readonly chosen = signal<Selection | null>(null);
}

const make = (count: number): Row[] =>
  Array.from({ length: count }, (_, i) => ({
    key: `C-${String(i + 1).padStart(4, '0')}`,
    title: `Case ${i + 1}`,
    state: i % 4 === 0 ? 'draft' : 'approved',
    minutes: 2,
    createdBy: i % 2 ? 'tom' : 'mira',
  }));

describe('a list of records', () => {
  let rows: Row[];
  let api: FakeApi;
  let store: Store;
  let page: Mounted<Host>;

  const open = async (count: number): Promise<void> => {
    rows = make(count);
    ({ api, store } = openWeb(['author']));
    api.on(
      listCases,
      listOver(() => rows),
    );
    page = await mount(Host);
    await page.settled();
  };
  const shown = (): string[] => page.all('.item b').map((b) => b.textContent ?? '');
  const list = (): HTMLElement => page.one('.list');
  /** What was asked for rows, not for counts. */
  const asked = () => api.of(listCases).filter((input) => input['limit'] !== 1);
  const news = async (...keys: string[]): Promise<void> => {
    for (const key of keys) hear(store, 'case', key);
    await page.settled();
    await page.settled();
  };

  it('opens the next record and the one before by keys, from anywhere on the page, and stops at its ends', async () => {
    await open(5);
    const host = page.fixture.componentInstance;
    const press = (key: string): Promise<void> => page.key(document.body, key, { altKey: true });
    await press('PageDown');
    expect(host.opened()).toBe('');
    host.opened.set('C-0003');
    await page.settled();
    await press('PageDown');
    await press('PageDown');
    await press('PageDown');
    expect(host.opened()).toBe('C-0005');
    await press('PageUp');
    expect(host.opened()).toBe('C-0004');
  });

  it('reads one page of many, tells how many there are in each view, and reads on where somebody scrolls', async () => {
    await open(950);
    expect(page.one('[role=status]').textContent?.trim()).toBe('950 cases');
    expect(page.button(/Drafts/).textContent?.trim()).toBe('Drafts 238');
    expect(asked().length).toBe(1);
    expect(shown()[0]).toBe('C-0001');
    list().scrollTop = 50 * 700;
    list().dispatchEvent(new Event('scroll'));
    await new Promise((resolve) => setTimeout(resolve, 100));
    await page.settled();
    expect(asked().at(-1)?.['skip']).toBe(700);
    expect(shown()).toContain('C-0701');
    expect(asked().length).toBeLessThan(5);
    expect(page.one('.item').getAttribute('aria-setsize')).toBe('950');
  });

  const menu = async (button: RegExp, item: string, more: MouseEventInit = {}): Promise<void> => {
    await page.press(button);
    const found = [...document.querySelectorAll<HTMLElement>('[mat-menu-item]')].find((i) => i.textContent?.trim().startsWith(item));
    found?.dispatchEvent(new MouseEvent('click', { bubbles: true, ...more }));
    await page.settled();
  };
  const groups = (): string[] => page.all('cp-groups button').map((b) => b.getAttribute('aria-label') ?? '');

  it('is grouped by a field, with counts and sums that agree with its rows, and narrowed to some of the groups', async () => {
    await open(40);
    await menu(/Groups/, 'State');
    const counted = api
      .of(listCases)
      .filter((input) => input['groups'])
      .at(-1);
    expect(counted).toEqual(jasmine.objectContaining({ groups: 'state', sum: 'minutes', limit: 1 }));
    expect(groups().sort()).toEqual(['approved: 30, 60 min', 'draft: 10, 20 min']);
    expect(page.text()).toContain('40 cases in 2 groups, 80 min');
    expect(asked().at(-1)?.['sort']).toBe('state,key');
    await page.press(/^\s*draft/);
    expect(page.one('[role=status]').textContent?.trim()).toBe('10 cases');
    expect(page.one<HTMLInputElement>('input[data-filter]').value).toBe('');
    expect(page.text()).toContain('state:draft');
    // The other groups stay there, so that one can go over to them.
    expect(groups().length).toBe(2);
    rows[1] = { ...rows[1], state: 'draft' };
    await news(rows[1].key);
    expect(groups().sort()).toEqual(['approved: 29, 58 min', 'draft: 11, 22 min']);
    await menu(/Groups/, 'State');
    expect(groups()).toEqual([]);
  });

  it('shows its records in one line each where this device is told so, and the next time too', async () => {
    await open(40);
    const height = (): number => page.one('.item').getBoundingClientRect().height;
    expect(height()).toBe(50);
    await menu(/Order/, 'Records in one line');
    expect(height()).toBe(30);
    expect(localStorage.getItem('cord-proof.rows')).toBe('one line');
    await menu(/Order/, 'Records in one line');
    expect(height()).toBe(50);
    expect(localStorage.getItem('cord-proof.rows')).toBeNull();
  });

  it('is copied as a table, for a spreadsheet', async () => {
    await open(2);
    const asked = spyOn(window, 'fetch').and.resolveTo(new Response('key,title\r\nC-0001,"One, and\ttab"\r\nC-0002,Two\r\n'));
    const copied = spyOn(navigator.clipboard, 'writeText').and.resolveTo();
    await menu(/Export/, 'Copy as a table');
    await new Promise((resolve) => setTimeout(resolve, 100));
    expect(String(asked.calls.mostRecent().args[0])).toContain('/api/projects/demo/exports/cases?format=csv&sort=key');
    expect(copied).toHaveBeenCalledOnceWith('key\ttitle\r\nC-0001\t"One, and\ttab"\r\nC-0002\tTwo');
  });

  it('is ordered by several fields, each turned round by itself', async () => {
    await open(10);
    await menu(/Order/, 'Title');
    expect(asked().at(-1)?.['sort']).toBe('title');
    await menu(/Order/, 'Key', { shiftKey: true });
    expect(asked().at(-1)?.['sort']).toBe('title,key');
    await menu(/Order/, 'Title', { shiftKey: true });
    expect(asked().at(-1)?.['sort']).toBe('-title,key');
    await menu(/Order/, 'Key');
    expect(asked().at(-1)?.['sort']).toBe('-key');
  });

  it('asks the server what is typed, by words and by fields, and keeps it in the address', async () => {
    await open(300);
    const box = page.one<HTMLInputElement>('input[data-filter]');
    await page.type(box, 'state:draft 29');
    await page.key(box, 'Enter');
    expect(JSON.parse(asked().at(-1)?.['filter'] as string)).toEqual({ and: [{ field: 'state', is: ['draft'] }, { words: '29' }] });
    expect(shown()).toEqual(['C-0029', 'C-0129', 'C-0229', 'C-0293', 'C-0297']);
    expect(page.all('.held').map((chip) => chip.textContent?.trim())).toEqual(['state:draft']);
    await new Promise((resolve) => setTimeout(resolve, 350));
    await page.settled();
    expect(TestBed.inject(Router).url).toContain('f=state:draft%2029');
    await page.press(/Without state:draft/);
    expect(shown().length).toBeGreaterThan(5);
    await page.type(box, 'colour:red');
    await page.key(box, 'Enter');
    expect(page.text()).toContain('There is no field “colour” here.');
  });

  it('offers what can be typed, and takes it', async () => {
    await open(20);
    const box = page.one<HTMLInputElement>('input[data-filter]');
    await page.type(box, 'stat');
    expect(offered().map((option) => option.textContent?.trim())).toEqual(['state: State']);
    offered()[0].click();
    await page.settled();
    expect(box.value).toBe('state:');
    await page.type(box, 'state:d');
    offered()[0].click();
    await page.settled();
    expect(page.all('.held').length).toBe(1);
    expect(box.value).toBe('');
    expect(shown().length).toBe(5);
    // A step back with the line empty takes the chip back into it.
    await page.key(box, 'Backspace');
    expect([page.all('.held').length, box.value]).toEqual([0, 'state:draft']);
  });

  it('offers what stands in the list where only its records know it, and groups by that', async () => {
    await open(20);
    const box = page.one<HTMLInputElement>('input[data-filter]');
    await page.type(box, 'createdBy:');
    await page.until(() => offered().length);
    expect(offered().map((option) => option.textContent?.trim())).toEqual(['createdBy:mira mira', 'createdBy:tom tom']);
    expect(api.of(listCases).filter((q) => q['groups'] === 'createdBy').length).toBe(1);
    offered()[1].click();
    await page.settled();
    expect(shown().length).toBe(10);
    await page.press(/Groups/);
    const names = [...document.querySelectorAll('[mat-menu-item]')].map((item) => item.textContent?.trim());
    expect(names).toEqual(['Made by (sign-in name)', 'Changed by (sign-in name)', 'State']);
    document.querySelector<HTMLElement>('.cdk-overlay-backdrop')?.click();
    await page.settled();
  });

  it('turns its order round, and asks for it', async () => {
    await open(5);
    await page.press(/Order/);
    const entry = (words: string) =>
      [...document.querySelectorAll<HTMLElement>('[mat-menu-item]')].find((e) => e.textContent?.includes(words));
    entry('Title')?.click();
    await page.settled();
    expect(asked().at(-1)?.['sort']).toBe('title');
    await page.press(/Order/);
    entry('Title')?.click();
    await page.settled();
    expect(asked().at(-1)?.['sort']).toBe('-title');
  });

  it('puts what somebody changed where it stands, and reads nothing else', async () => {
    await open(950);
    const before = asked().length;
    rows = rows.map((row) => (row.key === 'C-0003' ? { ...row, title: 'Another title' } : row));
    await news('C-0003');
    expect(page.text()).toContain('Another title');
    const more = asked().slice(before);
    expect(more.length).toBe(1);
    expect(JSON.parse(more[0]['filter'] as string)).toEqual({ field: 'key', is: ['C-0003'] });
    expect(page.all('.fresh b').map((b) => b.textContent)).toEqual(['C-0003']);
  });

  it('lets go what the question finds no more, takes in what it finds now, and counts again', async () => {
    await open(40);
    await page.press(/Drafts/);
    expect(shown()).toEqual(['C-0001', 'C-0005', 'C-0009', 'C-0013', 'C-0017', 'C-0021', 'C-0025', 'C-0029', 'C-0033', 'C-0037']);
    rows = rows.map((row) =>
      row.key === 'C-0005' ? { ...row, state: 'approved' } : row.key === 'C-0006' ? { ...row, state: 'draft' } : row,
    );
    await news('C-0005', 'C-0006');
    expect(shown().slice(0, 3)).toEqual(['C-0001', 'C-0006', 'C-0009']);
    rows = rows.filter((row) => row.key !== 'C-0009');
    await news('C-0009');
    await page.until(() => page.button(/All/).textContent?.trim() === 'All 39');
    expect(page.one('[role=status]').textContent?.trim()).toBe('9 cases');
    expect(page.button(/All/).textContent?.trim()).toBe('All 39');
  });

  it('asks once for many changes that come in one moment, and for their counts hardly ever', async () => {
    await open(40);
    const asked = (count: boolean) =>
      api.of(listCases).filter((q) => (q['limit'] === 1) === count && String(q['filter'] ?? '').includes(count ? '' : 'C-00')).length;
    const [rowsBefore, countsBefore] = [asked(false), asked(true)];
    for (let n = 1; n <= 20; n++) await news(`C-00${String(n).padStart(2, '0')}`);
    await page.until(() => JSON.stringify(api.of(listCases).at(-1)).includes('C-0020'));
    const later = api.of(listCases).filter((q) => String(q['filter']).includes('C-0020'));
    expect(later.length).toBeGreaterThan(0);
    expect(asked(false) - rowsBefore).toBeLessThan(8);
    expect(asked(true) - countsBefore).toBeLessThan(kind.views.length * 2 + 1);
  });

  it('stands there also where things change faster than they are answered: one request on its way, one behind it', async () => {
    await open(40);
    const gates: (() => void)[] = [];
    const answer = listOver(() => rows);
    api.on(listCases, (input) => new Promise((resolve) => gates.push(() => resolve(answer(input)))));
    const before = asked().length;
    const name = Object.keys(store.selectSignal(listsFeature.selectListsState)()).find((list) => !list.includes('#')) ?? '';
    await page.press(/Drafts/);
    for (let i = 0; i < 10; i++) {
      store.dispatch(listActions.changed({ list: name, keys: [`C-00${10 + i}`] }));
      await page.settled();
    }
    const [pages, patches] = [false, true].map((patch) =>
      asked()
        .slice(before)
        .filter(({ filter }) => String(filter).includes('"key"') === patch),
    );
    expect([pages.length, patches.length]).toEqual([1, 1]);
    expect(shown()).toEqual([]);
    for (let i = 0; i < 20 && gates.length; i++) {
      for (const open of gates.splice(0)) open();
      await page.settled();
    }
    expect(shown().length).toBe(10);
    // What changed meanwhile was asked for once more, all of it together.
    const last = asked()
      .slice(before)
      .filter(({ filter }) => String(filter).includes('"key"'));
    expect(last.length).toBe(2);
    expect(String(last[1]['filter'])).toContain('C-0019');
    expect(
      asked()
        .slice(before)
        .filter(({ filter }) => !String(filter).includes('"key"')).length,
    ).toBe(2);
  });

  it('gives up what it need not know any more: questions that were asked anew, pages that somebody scrolled past', async () => {
    await open(950);
    const answer = listOver(() => rows);
    const gates: (() => void)[] = [];
    api.on(listCases, (input) => new Promise((resolve) => gates.push(() => resolve(answer(input)))));
    const sent = () => api.asked.filter(({ endpoint, input }) => endpoint === listCases && input['limit'] !== 1);
    const givenUp = (from: number) =>
      sent()
        .slice(from)
        .map(({ sending }) => sending?.signal?.aborted);
    const scrollTo = async (row: number): Promise<void> => {
      list().scrollTop = 50 * row;
      list().dispatchEvent(new Event('scroll'));
      await new Promise((resolve) => setTimeout(resolve, 100));
      await page.settled();
    };
    const before = sent().length;
    await scrollTo(410);
    await scrollTo(710);
    expect(givenUp(before)).toEqual([true, false]);
    // Who comes back there asks again.
    await scrollTo(410);
    expect(givenUp(before)).toEqual([true, true, false]);
    for (const open of gates.splice(0)) open();
    await page.settled();
    expect(shown()).toContain('C-0411');
    expect(shown()).not.toContain('C-0711');
    const asked = sent().length;
    await page.press(/Drafts/);
    await page.press(/All/);
    expect(givenUp(asked)).toEqual([true, false]);
    for (const open of gates.splice(0)) open();
    await page.settled();
    expect(shown()[0]).toBe('C-0001');
  });

  it('goes by keys alone: arrows, a stretch with Shift, Space, Enter, Escape', async () => {
    await open(30);
    await page.key(list(), 'ArrowDown');
    await page.key(list(), ' ');
    await page.key(list(), 'ArrowDown', { shiftKey: true });
    await page.key(list(), 'ArrowDown', { shiftKey: true });
    expect(page.fixture.componentInstance.chosen()).toEqual({ kind: 'case', keys: ['C-0002', 'C-0003', 'C-0004'] });
    await page.key(list(), 'Enter');
    expect(page.fixture.componentInstance.opened()).toBe('C-0004');
    expect(page.one('[aria-current=true]').textContent).toContain('C-0004');
    await page.key(list(), 'Escape');
    expect(page.fixture.componentInstance.chosen()).toBeNull();
    await page.key(list(), 'End');
    await page.key(list(), 'Enter');
    expect(page.fixture.componentInstance.opened()).toBe('C-0030');
  });

  it('chooses all that match, also what was never read, as a question', async () => {
    await open(950);
    await page.press(/Drafts/);
    await page.press(/Choose all 238/);
    expect(page.fixture.componentInstance.chosen()).toEqual({ kind: 'case', filter: '{"field":"state","is":["draft"]}' });
    expect(page.one('[role=status]').textContent).toContain('238 chosen');
    await page.press(/Choose none/);
    expect(page.fixture.componentInstance.chosen()).toBeNull();
  });

  it('says what belongs there where there is nothing, and why where nothing matches', async () => {
    await open(0);
    expect(page.text()).toContain('Nothing yet');
    await page.type(page.one('input[data-filter]'), 'lamp');
    expect(page.text()).toContain('Nothing matches');
    await page.press(/Show all/);
    expect(page.text()).toContain('Nothing yet');
  });

  it('tells what the server refuses, and goes on when it answers again', async () => {
    await open(10);
    api.refuse(listCases, { detail: 'The database is away.' });
    await page.type(page.one('input[data-filter]'), 'lamp');
    expect(page.text()).toContain('The database is away.');
    api.on(
      listCases,
      listOver(() => rows),
    );
    await page.type(page.one('input[data-filter]'), 'case');
    expect(page.text()).not.toContain('The database is away.');
    expect(shown().length).toBe(10);
  });
});
