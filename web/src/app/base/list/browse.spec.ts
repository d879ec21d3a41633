import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import type { Filter } from '@contract/base';
import { listFolders, listCases } from '@contract/design';
import { listBranches, listRequirements, listSpecifications } from '@contract/specify';
import { listOver, mount, openWeb, type FakeApi, type Mounted } from '../testing';
import { browsable, type Browsable } from './browse';
import { recordFilterFields, type ListKind } from './kind';
import { RecordPicker, type PickedRow } from './record-picker';

const rows = Array.from({ length: 30 }, (_, i) => ({
  key: `C-${String(i + 1).padStart(3, '0')}`,
  title: `Case ${i + 1}`,
  objective: `Shows ${i + 1}`,
  state: i % 2 ? 'approved' : 'draft',
  folder: i < 10 ? 'FO-001' : 'FO-002',
  specification: 'BRK',
  retired: false,
}));
const kind = (from: ListKind<PickedRow>['endpoint'], more: object = {}): Browsable['kind'] => ({
  name: 'spec-browse',
  endpoint: from,
  noun: ['case', 'cases'],
  changedBy: ['case'],
  fields: [...recordFilterFields, { name: 'state', words: 'State', type: 'text' }],
  views: [
    { name: 'all', words: 'All' },
    { name: 'draft', words: 'Draft', filter: { field: 'state', is: ['draft'] } },
  ],
  sorts: [['key', 'Key']],
  rowHeight: 50,
  columns: [{ name: 'key', words: 'Key', width: 80, usual: true, show: (r) => r.key }],
  exported: 'cases',
  bulk: 'case',
  ...more,
});
const browse: Readonly<Record<string, () => Promise<Browsable>>> = {
  [listCases.path]: async () => ({
    kind: kind(listCases),
    places: async (api, project) =>
      (await api.call(listFolders, { project })).folders.map(({ key, title }) => ({
        key,
        title,
        depth: 1,
        filter: { field: 'folder', is: [key] },
      })),
  }),
  [listRequirements.path]: async () => ({
    kind: kind(listRequirements, { bulk: 'requirement' }),
    places: async (api, project) =>
      (await api.call(listSpecifications, { project })).map(({ key, title }) => ({
        key,
        title,
        depth: 0,
        filter: { field: 'specification', is: [key] },
      })),
    tree: {
      kind: {
        name: 'spec-tree',
        branches: listBranches,
        list: kind(listRequirements, { bulk: 'requirement' }),
        noun: ['row', 'rows'],
        changedBy: [],
        rowHeight: 40,
        holds: () => true,
      },
      of: (key) => ({ key }),
      listOf: (specification) => ({ specification }),
    },
  }),
};

@Component({
  selector: 'cp-browse-host',
  imports: [RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-record-picker
    [from]="from()"
    label="Link a case"
    [without]="['C-003']"
    [where]="where"
    [tells]="tells"
    (picked)="picked.set($event)"
  />`,
})
class Host {
  readonly from = signal<ListKind<PickedRow>['endpoint']>(listCases);
  readonly where: Filter = { not: { field: 'state', is: ['retired'] } };
  readonly picked = signal<readonly PickedRow[]>([]);
  readonly tells = (row: PickedRow): string => `Makes ${row.key} suspect.`;
}

describe('looking through records that are chosen', () => {
  let api: FakeApi;
  let page: Mounted<Host>;
  const dialog = (): HTMLElement => document.querySelector<HTMLElement>('cp-browse-dialog') as HTMLElement;
  const said = (): string => (dialog()?.textContent ?? '').replace(/\s+/g, ' ');
  const press = async (words: RegExp): Promise<void> => {
    const button = [...dialog().querySelectorAll('button')].find((b) => words.test(b.textContent ?? ''));
    if (!button) throw new Error(`no button says ${words} in: ${said()}`);
    button.click();
    await moment();
  };
  const options = (): HTMLElement[] => [...dialog().querySelectorAll<HTMLElement>('[role=option], [role=treeitem]')];
  const moment = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 60));
    await page.settled();
  };
  const open = async (): Promise<void> => {
    ({ api } = openWeb(['author'], [], [{ provide: browsable, useValue: browse }]));
    api
      .on(
        listCases,
        listOver(() => rows),
      )
      .on(
        listRequirements,
        listOver(() => rows),
      )
      .on(listFolders, () => ({
        folders: [
          { key: 'FO-001', title: 'Valves' },
          { key: 'FO-002', title: 'Doors' },
        ],
        unfiled: {},
      }))
      .on(listSpecifications, () => [{ key: 'BRK', title: 'Brake' }])
      .on(listBranches, () => ({
        total: 2,
        branches: [{ under: null, page: 0, total: 2, rows: rows.slice(0, 2).map((row) => ({ ...row, children: 0, kind: 'requirement' })) }],
        rows: [],
        path: [],
        seq: 1,
      }));
    page = await mount(Host);
  };
  const look = async (): Promise<void> => {
    page.button(/look through them/).click();
    await page.until(() => dialog()?.querySelector('[role=option]'));
    await moment();
  };
  const close = async (): Promise<void> => {
    await press(/Cancel/);
    await page.until(() => !dialog());
  };

  it('is offered only where a room tells how, and asks for what is not linked yet, retired or excluded', async () => {
    await open();
    await look();
    const asked = JSON.parse(String(api.of(listCases).find((q) => q['limit'] === 100)?.['filter'])) as Filter;
    expect(asked).toEqual({
      and: [{ field: 'retired', is: [false] }, { not: { field: 'state', is: ['retired'] } }, { not: { field: 'key', is: ['C-003'] } }],
    });
    expect(said()).not.toContain('C-003');
    // Neither files nor saved questions belong here.
    expect(dialog().querySelector('cp-export-menu, [aria-label="Saved filters"], [aria-label="As a table"]')).toBeNull();
    await close();
    page.fixture.componentInstance.from.set(listFolders as never);
    await page.settled();
    expect(page.all('button').length).toBe(0);
  });

  it('gives the one that was pressed, after telling what it would do', async () => {
    await open();
    await look();
    expect(dialog().querySelector<HTMLButtonElement>('mat-dialog-actions button:last-child')?.ariaDisabled).toBe('true');
    options()[1].click();
    await moment();
    expect(said()).toContain('Makes C-002 suspect.');
    await press(/Choose 1/);
    await page.until(() => !dialog());
    expect(page.fixture.componentInstance.picked().map(({ key }) => key)).toEqual(['C-002']);
  });

  it('gives all that are marked, in the order of the list', async () => {
    await open();
    await look();
    for (const at of [4, 0]) options()[at].querySelector<HTMLElement>('.box')?.click();
    await moment();
    await press(/Choose 2/);
    await page.until(() => !dialog());
    expect(page.fixture.componentInstance.picked().map(({ key }) => key)).toEqual(['C-001', 'C-006']);
  });

  it('gives all that a view of a place finds, also those never scrolled to', async () => {
    await open();
    await look();
    await press(/Doors/);
    await press(/^\s*Draft/);
    await press(/Choose all 10/);
    expect(said()).toContain('and 6 more');
    await press(/Choose 10\b/);
    await page.until(() => !dialog());
    const keys = page.fixture.componentInstance.picked().map(({ key }) => key);
    expect(keys.length).toBe(10);
    expect(keys[0]).toBe('C-011');
  });

  it('shows a place as its tree, in which several are marked and no acts are offered', async () => {
    await open();
    page.fixture.componentInstance.from.set(listRequirements);
    await page.settled();
    await look();
    await press(/Brake/);
    await press(/As a tree/);
    await page.until(() => options().length === 2);
    expect(api.of(listBranches)[0]).toEqual(jasmine.objectContaining({ key: 'BRK' }));
    for (const item of options()) item.querySelector<HTMLElement>('.box')?.click();
    await moment();
    expect(said()).not.toContain('Act on them');
    await press(/Choose 2/);
    await page.until(() => !dialog());
    expect(page.fixture.componentInstance.picked().map(({ key }) => key)).toEqual(['C-001', 'C-002']);
  });
});
