import { TestBed } from '@angular/core/testing';
import * as contract from '@contract/base';
import { mount, openWeb, type Mounted } from '../testing';
import { blocksOf, layoutOf, replaceKeys, shownFiles, storedFiles, wordsOf, type WrittenText } from './html';
import { RichEditor } from './rich-editor';
import { RichText } from './rich-text';

const sha = 'ab'.repeat(32);

describe('a layout', () => {
  it('of plain text is a paragraph a line, whose words are that text again', () => {
    for (const text of ['', 'One', 'a < b & c', 'one\ntwo', 'one\n\ntwo']) expect(wordsOf(layoutOf({ text }))).toBe(text);
    expect(layoutOf({ text: 'x', html: '<p><b>y</b></p>' })).toBe('<p><b>y</b></p>');
  });

  it('falls into blocks that are the layout together', () => {
    const html = '<p>One</p><ul><li>a</li><li>b</li></ul><p>Two</p>';
    expect(blocksOf(html)).toEqual(['<p>One</p>', '<ul><li>a</li><li>b</li></ul>', '<p>Two</p>']);
    expect(blocksOf(html).join('')).toBe(html);
    expect(wordsOf(html)).toBe('One\na\nb\nTwo');
    expect(wordsOf('<table><tbody><tr><td>a</td><td>b</td></tr></tbody></table>')).toBe('a\tb');
  });

  it('has its pictures where the server gives them while it is shown, and by their hash when it is stored', () => {
    const stored = `<p>See</p><img src="files/${sha}" alt="A dot">`;
    const shown = shownFiles(stored, 'demo');
    expect(shown).toContain(`src="/api/projects/demo/pictures/${sha}"`);
    expect(storedFiles(shown)).toBe(stored);
    expect(shownFiles('<img src="https://elsewhere/x.png">', 'demo')).toContain('https://elsewhere/x.png');
  });

  it('makes links of known keys alone, and leaves code and links as they are', () => {
    const element = document.createElement('div');
    element.innerHTML = '<p>BRK-001, XBRK-001 and BRK-0011, <code>BRK-001</code> (BRK-001)</p>';
    replaceKeys(element, [{ kind: 'requirement', key: 'BRK-001' }], ({ key }) => {
      const made = document.createElement('b');
      made.textContent = key;
      return made;
    });
    expect([...element.querySelectorAll('b')].map((b) => b.textContent)).toEqual(['BRK-001', 'BRK-001']);
    expect(element.textContent).toBe('BRK-001, XBRK-001 and BRK-0011, BRK-001 (BRK-001)');
  });
});

describe('a text with its layout, as it is read', () => {
  it('shows lists and links to the records it names, and runs nothing', async () => {
    openWeb(['author']);
    const page = await mount(RichText, {
      text: 'x',
      html: '<p>As SYS-002 says</p><ul><li>one</li></ul><img src="x" onerror="window.bad = true">',
      mentions: [{ kind: 'requirement', key: 'SYS-002' }],
    });
    expect(page.all('li').map((li) => li.textContent)).toEqual(['one']);
    expect(page.one<HTMLAnchorElement>('a').getAttribute('href')).toBe('/demo/specify/requirement/SYS-002');
    expect(page.one('img').hasAttribute('onerror')).toBeFalse();
    page.fixture.componentRef.setInput('html', undefined);
    await page.settled();
    expect(page.text()).toBe('x');
  });
});

describe('a text with its layout, as it is written', () => {
  /** The editor itself, once it was loaded. */
  async function open(value: { text: string; html?: string }, of = 'BRK-001') {
    const { api } = openWeb(['author']);
    const written: WrittenText[] = [];
    const page = await mount(RichEditor, { label: 'Text', value, of });
    page.fixture.componentInstance.written.subscribe((w) => written.push(w));
    for (let i = 0; i < 100 && !page.all('.ql-editor').length; i++) {
      await new Promise((resolve) => setTimeout(resolve, 30));
      await page.settled();
    }
    return { api, page, written };
  }
  const choose = (page: Mounted<RichEditor>, from: number, length: number): void => {
    const { quill } = page.fixture.componentInstance as unknown as {
      quill: { setSelection(from: number, length: number, by: string): void };
    };
    quill.setSelection(from, length, 'user');
  };
  const type = (page: Mounted<RichEditor>, at: number, text: string): void => {
    const { quill } = page.fixture.componentInstance as unknown as {
      quill: { insertText(at: number, text: string, by: string): void; setSelection(at: number, length: number, by: string): void };
    };
    quill.insertText(at, text, 'user');
    quill.setSelection(at + text.length, 0, 'user');
  };

  it('opens with what is there, under its name, and says nothing until somebody writes', async () => {
    const { page, written } = await open({ text: 'one\ntwo' });
    const box = page.one('.ql-editor');
    expect([box.getAttribute('role'), box.getAttribute('aria-label')]).toEqual(['textbox', 'Text']);
    expect(page.all('.ql-editor p').map((p) => p.textContent)).toEqual(['one', 'two']);
    expect(written).toEqual([]);
    type(page, 3, ' more words');
    expect(written.at(-1)).toEqual({ html: undefined, text: 'one more words\ntwo' });
  });

  it('keeps the cursor where it is while what was written comes back, blanks at the end too', async () => {
    const { page, written } = await open({ text: 'one' });
    const { quill } = page.fixture.componentInstance as unknown as {
      quill: { getSelection(): { index: number } | null; getText(): string };
    };
    for (const letter of [' ', 't', 'w', 'o', ' ']) {
      type(page, quill.getText().length - 1, letter);
      const { text, html } = written.at(-1) ?? { text: '' };
      page.fixture.componentRef.setInput('value', { text, ...(html ? { html } : {}) });
      await page.settled();
      expect(quill.getSelection()?.index).toBe(quill.getText().length - 1);
    }
    expect(quill.getText()).toBe('one two \n');
  });

  it('lays out what is chosen, says which layouts are on, and takes them off again', async () => {
    const { page, written } = await open({ text: 'one two' });
    choose(page, 0, 3);
    await page.press(/^Bold|Bold/);
    expect(written.at(-1)?.html).toBe('<p><strong>one</strong> two</p>');
    expect(page.button(/Bold/).getAttribute('aria-pressed')).toBe('true');
    await page.press(/Bold/);
    expect(written.at(-1)).toEqual({ text: 'one two', html: undefined });
    await page.press(/^ *List|^List/);
    expect(written.at(-1)?.html).toBe('<ul><li>one two</li></ul>');
    await page.press(/Table/);
    expect(written.at(-1)?.html).toMatch(/<table><tbody>(<tr>(<td[^>]*>.*?<\/td>){3}<\/tr>){2}<\/tbody><\/table>/);
    expect(page.text()).toContain('Row below');
  });

  it('leaves by Tab as any field', async () => {
    const { page, written } = await open({ text: 'one' });
    choose(page, 1, 0);
    const event = new KeyboardEvent('keydown', { key: 'Tab', bubbles: true, cancelable: true });
    page.one('.ql-editor').dispatchEvent(event);
    expect(event.defaultPrevented).toBeFalse();
    expect(written).toEqual([]);
  });

  it('finds a record after an @ and puts its key there', async () => {
    const { api, page, written } = await open({ text: 'See' });
    api.on(contract.jump, ({ q }) => [
      { kind: 'requirement', key: 'BRK-001', title: `One for ${q}`, note: '' },
      { kind: 'requirement', key: 'BRK-002', title: 'Two', note: '' },
    ]);
    type(page, 3, ' @brake');
    await page.settled();
    expect(page.all('[role=option]').map((o) => o.textContent.trim())).toEqual(['BRK-001 One for brake', 'BRK-002 Two']);
    await page.key(page.one('.ql-editor'), 'ArrowDown');
    await page.key(page.one('.ql-editor'), 'Enter');
    expect(written.at(-1)?.text).toBe('See BRK-002');
    expect(page.all('[role=option]').length).toBe(0);
  });

  it('keeps a picture at the record first, and asks what it shows', async () => {
    const { api, page, written } = await open({ text: '' });
    api.on(contract.addAttachments, () => [
      { id: 1, name: 'old.txt', mime: 'text/plain', bytes: 1, sha256: 'cd'.repeat(32), by: 'ada', at: '' },
      { id: 2, name: 'valve.png', mime: 'image/png', bytes: 1, sha256: sha, by: 'ada', at: '' },
    ]);
    const transfer = new DataTransfer();
    transfer.items.add(new File([new Uint8Array(4)], 'valve.png', { type: 'image/png' }));
    page.one('.sheet-of-text').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
    await page.settled();
    expect(api.asked.find((a) => a.endpoint === contract.addAttachments)?.files?.map((f) => f.name)).toEqual(['valve.png']);
    expect(written.at(-1)?.html).toContain(`<img src="files/${sha}" alt="valve">`);
    await page.write(/What the picture shows/, 'The valve, closed');
    expect(written.at(-1)?.html).toContain('alt="The valve, closed"');
  });

  it('shows what is put into it from elsewhere: a taken version, another draft', async () => {
    const { page } = await open({ text: 'mine' });
    page.fixture.componentRef.setInput('value', { text: 'theirs', html: '<p><em>theirs</em></p>' });
    await page.settled();
    expect(page.one('.ql-editor em').textContent).toBe('theirs');
    TestBed.resetTestingModule();
  });
});
