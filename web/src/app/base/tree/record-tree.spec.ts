import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { Router } from '@angular/router';
import type { Filter, Selection } from '@contract/base';
import { listBranches, listRequirements } from '@contract/specify';
import { recordFilterFields } from '../list/kind';
import { listOver, mount, offered, openWeb, type FakeApi, type Mounted } from '../testing';
import { NodeTemplate, type TreeKind } from './kind';
import { RecordTree } from './record-tree';
import type { TreeNode } from './tree-window';

type Row = TreeNode & { readonly title: string; readonly state: string; readonly specification: string };
const row = (n: number, more: Partial<Row>): Row => ({
  key: `BRK-${n}`,
  title: `Text ${n}`,
  state: 'draft',
  specification: 'BRK',
  under: null,
  position: 0,
  children: 0,
  ...more,
});
const rows = [
  row(100, { title: 'Closing', children: 2, state: 'approved' }),
  row(1, { title: 'Ice is seen', under: 'BRK-100' }),
  row(2, { title: 'Ice is told', under: 'BRK-100', position: 1, state: 'approved' }),
  row(3, { title: 'Rain is told', position: 1, state: 'review' }),
];
const kind: TreeKind<Row> = {
  name: 'spec-tree',
  branches: listBranches,
  list: {
    name: 'spec-tree-list',
    endpoint: listRequirements,
    noun: ['requirement', 'requirements'],
    fields: [...recordFilterFields, { name: 'state', words: 'State', type: 'text', values: ['draft', 'review', 'approved'] }],
    bulk: 'requirement',
  },
  noun: ['row', 'rows'],
  changedBy: ['requirement'],
  rowHeight: 40,
  holds: (node) => node.children > 0,
};

@Component({
  imports: [RecordTree, NodeTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div style="height: 400px; display: flex; flex-direction: column">
    <cp-record-tree
      [kind]="kind"
      [of]="of"
      [listOf]="listOf"
      [moreFields]="more"
      [choosing]="choosing()"
      bulk="requirement"
      (chosen)="chosen.set($event)"
      (asked)="asked.set($event)"
      (opened)="opened.set($event)"
    >
      <ng-template [cpNode]="kind" let-r>{{ r.key }} {{ r.title }}</ng-template>
    </cp-record-tree>
  </div>`,
})
class Host {
  readonly kind = kind;
  readonly of = { key: 'BRK' };
  readonly listOf = { specification: 'BRK' };
  readonly more = [{ name: 'level', words: 'Level', type: 'text' as const, values: ['SIL 3'] }];
  readonly choosing = signal(false);
  readonly chosen = signal<Selection | null>(null);
  readonly asked = signal<Filter | undefined>(undefined);
  readonly opened = signal('');
  readonly router = inject(Router);
}

describe('a tree of records', () => {
  let api: FakeApi;
  let page: Mounted<Host>;
  const line = (): HTMLInputElement => page.one<HTMLInputElement>('input[aria-label="Filter requirements"]');
  const shown = (): string[] => page.all('[role=treeitem]').map((item) => `${item.ariaLevel} ${(item.textContent ?? '').trim()}`);
  const ask = async (text: string): Promise<void> => {
    await page.type(line(), text, 60);
    await page.until(() => !page.text().includes('Reading'));
    await page.settled();
  };

  beforeEach(async () => {
    ({ api } = openWeb(['author']));
    api
      .on(
        listRequirements,
        listOver(() => rows),
      )
      .on(listBranches, ({ at }) => ({
        total: rows.length,
        branches: String(at ?? '')
          .split(',')
          .filter(Boolean)
          .map((place) => place.split('.')[0] || null)
          .map((under) => {
            const below = rows.filter((r) => r.under === under);
            return { under, page: 0, total: below.length, rows: below };
          }),
        rows: [],
        path: [],
        seq: 1,
      }));
    page = await mount(Host);
    await page.until(() => shown().length === rows.length);
  });

  it('stands in its branches until something is looked for, and again when nothing is', async () => {
    expect(shown()).toEqual(['1 BRK-100 Closing', '2 BRK-1 Ice is seen', '2 BRK-2 Ice is told', '1 BRK-3 Rain is told']);
    await ask('ice');
    expect(shown()).toEqual(['1 BRK-1 Ice is seen', '1 BRK-2 Ice is told']);
    await ask('');
    expect(shown().length).toBe(4);
    expect(page.fixture.componentInstance.asked()).toBeUndefined();
  });

  it('is asked by fields as its list is, of its own and of the page, and says which there are', async () => {
    await ask('state:approved ice');
    expect(shown()).toEqual(['1 BRK-2 Ice is told']);
    const filter: Filter = { and: [{ field: 'state', is: ['approved'] }, { words: 'ice' }] };
    expect(page.fixture.componentInstance.asked()).toEqual(filter);
    await ask('lev');
    expect(offered().map((option) => (option.textContent ?? '').trim().split(' ')[0])).toContain('level:');
    await ask('hail');
    expect(page.text()).toContain('Nothing here answers to “state:approved hail”.');
    await ask('height:3 ');
    expect(page.one('[role=alert]').textContent).toContain('There is no field “height” here.');
  });

  it('chooses all that was asked as that question, within what it is a tree of', async () => {
    await ask('-state:approved ');
    expect(shown()).toEqual(['1 BRK-1 Ice is seen', '1 BRK-3 Rain is told']);
    await page.press(/Choose all 2/);
    const { filter } = page.fixture.componentInstance.chosen() as { filter: string };
    expect(JSON.parse(filter)).toEqual({
      and: [{ field: 'specification', is: ['BRK'] }, { not: { field: 'state', is: ['approved'] } }],
    });
  });

  it('keeps what is asked in the address, but not for somebody who only chooses here', async () => {
    const address = (): string => page.fixture.componentInstance.router.url;
    await ask('ice');
    await page.until(() => address().includes('f='));
    expect(address()).toBe('/?f=ice');
    page.fixture.componentInstance.choosing.set(true);
    await page.settled();
    expect(line().value).toBe('');
    await ask('rain');
    await new Promise((resolve) => setTimeout(resolve, 400));
    expect(address()).toBe('/?f=ice');
  });

  it('folds by keys and goes to what a row stands under', async () => {
    const tree = page.one('[role=tree]');
    await page.key(tree, 'ArrowLeft');
    expect(shown()).toEqual(['1 BRK-100 Closing', '1 BRK-3 Rain is told']);
    await page.key(tree, 'ArrowRight');
    await page.key(tree, 'ArrowRight');
    await page.key(tree, 'ArrowDown');
    await page.key(tree, 'Enter');
    expect(page.fixture.componentInstance.opened()).toBe('BRK-2');
    await page.key(tree, 'ArrowLeft');
    await page.key(tree, 'Enter');
    expect(page.fixture.componentInstance.opened()).toBe('BRK-100');
  });
});
