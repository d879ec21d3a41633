import { Component, signal } from '@angular/core';
import * as contract from '@contract/specify';
import { usualWording, type OutlineRow } from '@core/specify';
import { mount, openWeb, type Mounted } from '../../base/testing';
import { rooms, serve } from '../testing';
import { OutlineEditor } from './outline-editor';
import { OutlinePage } from './outline-page';
import { htmlBlocks, readDocument, readText } from './read-document';

@Component({
  selector: 'cp-host',
  imports: [OutlineEditor],
  template: '<cp-outline-editor [rows]="rows()" (changed)="rows.set($event)" />',
})
class Host {
  readonly rows = signal<readonly OutlineRow[]>([{ kind: 'requirement', depth: 0, title: '', text: '' }]);
}

/** Types as a person does: at once, one key after the other, wherever the focus is. */
async function keys(page: Mounted<unknown>, ...pressed: string[]): Promise<void> {
  for (const key of pressed) {
    const box = document.activeElement as HTMLTextAreaElement;
    const [, ctrl, alt, shift, name] = /^(Ctrl\+)?(Alt\+)?(Shift\+)?(.+)$/.exec(key) ?? [];
    if (name.length > 1 && !/^(Enter|Tab|Backspace|Arrow\w+|Home|End)$/.test(name)) {
      box.setRangeText(name, box.selectionStart, box.selectionEnd, 'end');
      box.dispatchEvent(new Event('input', { bubbles: true }));
    } else if (name === 'Home') box.setSelectionRange(0, 0);
    else
      box.dispatchEvent(
        new KeyboardEvent('keydown', { key: name, ctrlKey: !!ctrl, altKey: !!alt, shiftKey: !!shift, bubbles: true, cancelable: true }),
      );
  }
  await page.settled();
}

describe('an outline that is written by keys', () => {
  const open = async () => {
    const page = await mount(Host);
    document.body.append(page.element);
    page.one('textarea').focus();
    const told = (): string[] => page.fixture.componentInstance.rows().map((r) => `${r.depth} ${r.kind[0]} ${r.text || r.title}`);
    return { page, told };
  };
  afterEach(() => document.querySelectorAll('cp-host, body > div[id^=root]').forEach((e) => e.remove()));

  it('has sub-levels, headings and notes without the mouse', async () => {
    const { page, told } = await open();
    await keys(
      page,
      'Ctrl+Enter',
      'Brake',
      'Enter',
      'It shall close.',
      'Enter',
      'It shall open.',
      'Enter',
      'Tab',
      'Within 2 s it shall.',
      'Enter',
      'Shift+Tab',
      'Ctrl+Enter',
      'Ctrl+Enter',
      'See there.',
    );
    expect(told()).toEqual(['0 h Brake', '1 r It shall close.', '1 r It shall open.', '2 r Within 2 s it shall.', '1 n See there.']);
    await keys(page, 'Alt+ArrowUp');
    expect(told()[2]).toBe('1 n See there.');
  });

  it('parts a line where one stands and joins it again', async () => {
    const { page, told } = await open();
    await keys(page, 'It shall close. It shall open.');
    (document.activeElement as HTMLTextAreaElement).setSelectionRange(15, 15);
    await keys(page, 'Enter');
    expect(told()).toEqual(['0 r It shall close.', '0 r It shall open.']);
    await keys(page, 'Home', 'Backspace');
    expect(told()).toEqual(['0 r It shall close. It shall open.']);
  });

  it('leaves by Tab where there is no deeper', async () => {
    const { page } = await open();
    const event = new KeyboardEvent('keydown', { key: 'Tab', bubbles: true, cancelable: true });
    page.one('textarea').dispatchEvent(event);
    expect(event.defaultPrevented).toBeFalse();
  });
});

describe('an outline from a document', () => {
  it('reads pages and Markdown: headings, items, rows of tables, and nothing that runs', async () => {
    const html =
      '<h1>A</h1><div>Loose <b>words</b><script>x()</script></div><ul><li>one</li><li>two</li></ul><table><tr><th>k</th><td>v</td></tr></table>';
    expect(htmlBlocks(html).map((b) => `${b.level} ${b.text}`)).toEqual(['1 A', '0 Loose words', '0 one', '0 two', '0 k; v']);
    const read = await readText('# A\n\n## B\n\n- It shall.\n', 'markdown', usualWording);
    expect('rows' in read && read.rows.map((r) => `${r.depth} ${r.kind}`)).toEqual(['0 heading', '1 heading', '2 requirement']);
  });

  it('says what cannot be read, and reads nothing of it', async () => {
    const fault = async (name: string, bytes: Uint8Array<ArrayBuffer>) => {
      const read = await readDocument(new File([bytes], name), usualWording);
      return 'fault' in read ? read.fault : 'read';
    };
    expect(await fault('a.docx', new Uint8Array([1, 2, 3]))).toContain('cannot be read');
    expect(await fault('a.txt', new Uint8Array([0x50, 0, 0]))).toContain('neither a text');
    expect(await fault('a.md', new TextEncoder().encode('   '))).toContain('no text');
    const { zipSync } = await import('fflate');
    const bomb = zipSync({ 'word/document.xml': new Uint8Array(101 << 20) });
    expect(await fault('bomb.docx', new Uint8Array(bomb))).toContain('far more than one has');
  }, 30_000);

  it('is looked through before it is written, kept meanwhile, and written whole', async () => {
    localStorage.clear();
    const { api } = openWeb(['author'], rooms);
    serve(api, () => []);
    api.on(contract.getWording, () => ({ lists: usualWording, usual: true }));
    const page = await mount(OutlinePage, { into: 'SYS' });
    expect(page.missing(/Write all/)).toBe('Nothing is written yet.');
    const transfer = new DataTransfer();
    transfer.items.add(new File(['1 Doors\nThe door shall lock.\n'], 'doors.txt'));
    page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
    await new Promise((resolve) => setTimeout(resolve, 50));
    await page.settled();
    expect(page.text()).toContain('1 requirements, 1 headings');
    expect(JSON.stringify(localStorage)).toContain('The door shall lock.');
    api.on(contract.addOutline, () => ({ written: 2, first: 'SYS-001', keys: [] }));
    await page.press(/Write all/);
    expect(api.of(contract.addOutline)[0]).toEqual(
      jasmine.objectContaining({
        key: 'SYS',
        source: 'doors.txt',
        method: 'test',
        rows: [
          { kind: 'heading', depth: 0, title: 'Doors', text: '' },
          { kind: 'requirement', depth: 1, title: 'The door shall lock', text: 'The door shall lock.' },
        ],
      }),
    );
    expect(JSON.stringify(localStorage)).not.toContain('The door shall lock.');
  });
});
