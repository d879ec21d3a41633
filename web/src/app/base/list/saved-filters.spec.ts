import { ChangeDetectionStrategy, Component } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import * as contract from '@contract/base';
import type { SavedFilter } from '@contract/base';
import { listCases } from '@contract/design';
import type { Role } from '@core/base';
import { listOver, mount, openWeb } from '../testing';
import { recordFilterFields, RowTemplate, type ListKind } from './kind';
import { RecordList } from './record-list';

interface Row {
  readonly key: string;
  readonly title: string;
  readonly state: string;
}
const kind: ListKind<Row> = {
  name: 'cases',
  endpoint: listCases,
  noun: ['case', 'cases'],
  changedBy: ['case'],
  fields: [...recordFilterFields, { name: 'state', words: 'State', type: 'text', values: ['draft', 'approved'] }],
  views: [{ name: 'all', words: 'All' }],
  sorts: [['key', 'Key']],
  rowHeight: 50,
  exported: 'cases',
};

@Component({
  selector: 'cp-filters-host',
  imports: [RecordList, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div style="display: flex; flex-direction: column; height: 500px; width: 400px">
    <cp-record-list [kind]="kind"
      ><ng-template [cpRow]="kind" let-r
        ><b>{{ r.key }}</b></ng-template
      ></cp-record-list
    >
  </div>`,
})
class Host {
  readonly kind = kind;
}

describe('Saved filters of a list', () => {
  const filter = (id: number, name: string, more: Partial<SavedFilter> = {}): SavedFilter => ({
    id,
    list: 'cases',
    name,
    question: 'f=state%3Adraft',
    login: 'ada',
    shared: false,
    first: false,
    ...more,
  });
  const rows: Row[] = Array.from({ length: 8 }, (_, i) => ({
    key: `C-${i + 1}`,
    title: `Case ${i + 1}`,
    state: i < 3 ? 'draft' : 'approved',
  }));
  const open = async (known: SavedFilter[], roles: Role[] = ['author'], address?: Record<string, string>) => {
    const { api } = openWeb(roles);
    api
      .on(
        listCases,
        listOver(() => rows),
      )
      .on(contract.listFilters, () => known)
      .on(contract.saveFilter, (input) => [...known, filter(9, String(input['name']), { question: String(input['question']) })])
      .on(contract.changeFilter, () => known.map((f) => ({ ...f, first: true })))
      .on(contract.dropFilter, () => ({ ok: true }));
    if (address) await TestBed.inject(Router).navigate([], { queryParams: address });
    const page = await mount(Host);
    await page.settled();
    return { api, page };
  };
  const shown = (page: Awaited<ReturnType<typeof open>>['page']) => page.all('.item b').map((b) => b.textContent);

  it('stand in folders, and one press asks what they hold', async () => {
    const { page } = await open([filter(1, 'Release/Drafts'), filter(2, 'All of Tom', { login: 'tom', shared: true, question: '' })]);
    await page.press(/Saved filters/);
    expect(page.text()).toContain('Release');
    expect(page.text()).toContain('of tom');
    expect(shown(page).length).toBe(8);
    await page.press(/^\s*Drafts\s*$/);
    expect(shown(page)).toEqual(['C-1', 'C-2', 'C-3']);
  });
  it('are where a list begins, unless the address asks for something', async () => {
    const first = filter(1, 'Drafts', { first: true });
    const { page } = await open([first]);
    expect(shown(page)).toEqual(['C-1', 'C-2', 'C-3']);
  });
  it('keep what is asked now under a name, and are forgotten', async () => {
    const { api, page } = await open([filter(1, 'Old')]);
    await page.press(/Saved filters/);
    await page.type(page.one<HTMLInputElement>('cp-filter-bar input'), 'state:draft');
    const box = page.one<HTMLInputElement>('input[name=name]');
    await page.type(box, ' Drafts ');
    await page.press(/^\s*Save\s*$/);
    expect(api.of(contract.saveFilter)).toEqual([jasmine.objectContaining({ list: 'cases', name: 'Drafts', question: 'f=state%3Adraft' })]);
    expect(page.text()).toContain('Drafts');
    await page.press(/Forget Old/);
    expect(api.of(contract.dropFilter)).toEqual([jasmine.objectContaining({ id: 1 })]);
    expect(page.all('button').some((b) => b.getAttribute('aria-label') === 'Forget Old')).toBeFalse();
  });
  it('are read and not saved by an auditor', async () => {
    const { page } = await open([filter(1, 'Theirs', { login: 'tom', shared: true })], ['auditor']);
    await page.press(/Saved filters/);
    expect(page.text()).toContain('Theirs');
    expect(page.all('input[name=name]')).toEqual([]);
  });
});
