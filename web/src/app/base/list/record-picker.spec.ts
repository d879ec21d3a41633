import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { listCases } from '@contract/design';
import { listOver, mount, offered, openWeb, type Mounted } from '../testing';
import { linkWords } from '../trace-words';
import { pastedKeys, RecordPicker, type PickedRow } from './record-picker';

@Component({
  selector: 'cp-picker-host',
  imports: [RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-record-picker
    [from]="from"
    label="Link a case"
    [without]="['C-003']"
    [tells]="tells"
    makes="case"
    (picked)="picked.set($event)"
    (made)="made.set($event)"
  />`,
})
class Host {
  readonly from = listCases;
  readonly picked = signal<readonly PickedRow[]>([]);
  readonly made = signal('');
  readonly tells = (row: PickedRow): string => linkWords('verifies', row, { key: 'BRK-001', state: 'approved' });
}

describe('the picker of records', () => {
  let page: Mounted<Host>;
  let host: Host;
  const rows = [
    { key: 'C-001', title: 'Valve closes', state: 'approved', retired: false },
    { key: 'C-002', title: 'Valve opens', state: 'draft', retired: false },
    { key: 'C-003', title: 'Valve sticks', state: 'approved', retired: false },
  ];
  const open = async (): Promise<void> => {
    const { api } = openWeb(['author']);
    api.on(
      listCases,
      listOver(() => rows),
    );
    page = await mount(Host);
    host = page.fixture.componentInstance;
  };
  const box = (): HTMLInputElement => page.one('input');
  const words = (): string[] => offered().map((option) => (option.textContent ?? '').replace(/\s+/g, ' ').trim());
  const drop = async (text: string): Promise<boolean> => {
    const dataTransfer = new DataTransfer();
    dataTransfer.setData('text/plain', text);
    const at = { bubbles: true, cancelable: true, dataTransfer };
    box().dispatchEvent(new DragEvent('dragover', at));
    await page.settled();
    const marked = box().classList.contains('over');
    box().dispatchEvent(new DragEvent('drop', at));
    await new Promise((resolve) => setTimeout(resolve, 160));
    await page.settled();
    return marked;
  };

  it('offers what has the words, but not what is linked, and tells what each link would do', async () => {
    await open();
    await page.type(box(), 'valve');
    expect(words().length).toBe(3);
    expect(words()[0]).toContain('C-001 Valve closes');
    expect(words()[0]).toContain('Counts once somebody else confirms it; runs of C-001 then credit BRK-001.');
    expect(words()[1]).toContain('BRK-001 waits until C-002 is approved; counts once');
    expect(words()[2]).toBe('Make a new case: “valve”');
    offered()[1].click();
    await page.settled();
    expect(host.picked().map(({ key }) => key)).toEqual(['C-002']);
    expect(box().value).toBe('');
  });

  it('makes a new one from the words where there is none, and never from a key', async () => {
    await open();
    await page.type(box(), 'gate shuts');
    expect(words()).toEqual(['Make a new case: “gate shuts”']);
    offered()[0].click();
    await page.settled();
    expect([host.made(), host.picked().length]).toEqual(['gate shuts', 0]);
    await page.type(box(), 'C-009');
    expect(words()).toEqual([]);
  });

  it('takes rows that are dragged onto it, all of them or none', async () => {
    await open();
    expect(await drop('C-001 C-002')).toBeTrue();
    expect(host.picked().map(({ key }) => key)).toEqual(['C-001', 'C-002']);
    host.picked.set([]);
    await drop('C-001 C-008');
    expect(host.picked()).toEqual([]);
    expect(page.text()).toContain('Not found: C-008');
    await drop('some words');
    expect(host.picked()).toEqual([]);
  });

  it('knows pasted keys from words', () => {
    expect(pastedKeys('c-001, C-002\nC-001')).toEqual(['C-001', 'C-002']);
    expect(pastedKeys('C-001 and C-002')).toEqual([]);
  });

  it('tells of a parent whom its next revision makes suspect', () => {
    expect(linkWords('parent', { key: 'BRK-001', state: 'draft' }, { key: 'SYS-001', state: 'draft' })).toBe(
      'A new revision of SYS-001 makes BRK-001 suspect.',
    );
  });
});
