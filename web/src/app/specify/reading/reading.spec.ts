import { retireRecord } from '@contract/base';
import * as contract from '@contract/specify';
import type { Passage } from '@contract/specify';
import { hear, mount, openWeb } from '../../base/testing';
import { detail, rooms, row, serve } from '../testing';
import { ReadingPage } from './reading-page';

const passage = (n: number, depth: number, more: Partial<Passage> = {}): Passage => ({ ...row(n), depth, number: '', ...more });

describe('A specification as a document', () => {
  let rows: Passage[] = [];
  const open = async (roles: readonly ('author' | 'auditor')[] = ['author']) => {
    rows = [
      passage(1, 0, { kind: 'heading', title: 'Brake', text: '', number: '1' }),
      passage(2, 1, { under: 'BRK-001' }),
      passage(3, 1, { under: 'BRK-001', state: 'approved' }),
      passage(4, 0, { kind: 'heading', title: 'Doors', text: '', number: '2' }),
    ];
    const { api, store } = openWeb(roles, rooms);
    serve(api, () => rows);
    api
      .on(contract.readSpecification, ({ skip, limit }) => ({
        rows: rows.slice(Number(skip), Number(skip) + Number(limit)),
        skip: Number(skip),
        total: rows.length,
        seq: 1,
      }))
      .on(contract.saveRequirement, ({ key, content }) => detail(Number(String(key).slice(-1)), { ...(content as object), revision: 2 }))
      .on(contract.placeRequirement, ({ key }) => detail(Number(String(key).slice(-1))))
      .on(contract.addRequirement, ({ content, under }) => {
        const made = passage(5, 1, { ...(content as object), under: under as string, key: 'BRK-005' });
        rows = [...rows.slice(0, 2), made, ...rows.slice(2)];
        return detail(5, { ...(content as object), key: 'BRK-005' });
      });
    const page = await mount(ReadingPage, { of: 'BRK' });
    await page.until(() => page.all('.block').length === 4);
    const block = (i: number) => page.all('.block')[i];
    return { api, store, page, block, key: (i: number, name: string, more = {}) => page.key(block(i), name, more) };
  };

  it('is read from top to bottom with numbered headings, and walked by arrows', async () => {
    const { page, block, key } = await open();
    expect(page.all('.block').map((b) => b.textContent?.replace(/\s+/g, ' ').trim().slice(0, 15))).toEqual([
      '1 Brake',
      'BRK-002 Title 2',
      'BRK-003 Title 3',
      '2 Doors',
    ]);
    block(0).focus();
    await key(0, 'ArrowDown');
    expect(document.activeElement).toBe(block(1));
    await key(1, 'End');
    expect(document.activeElement).toBe(block(3));
  });

  it('is written where it stands, and saved on the revision that was read', async () => {
    const { api, page, block, key } = await open();
    block(1).focus();
    await key(1, 'Enter');
    await page.write(/BRK-002/, 'Another title');
    await page.press(/Save revision 2/);
    const [saved] = api.of(contract.saveRequirement);
    expect([saved['key'], saved['basedOn'], (saved['content'] as { title: string }).title]).toEqual(['BRK-002', 1, 'Another title']);
    expect(page.all('form').length).toBe(0);
    expect(block(1).textContent).toContain('Another title');
  });

  it('asks for a reason where it is approved, and lets go without a trace', async () => {
    const { api, page, block, key } = await open();
    block(2).focus();
    await key(2, 'Enter');
    await page.write(/BRK-003/, 'Changed');
    expect(page.missing(/Save revision/)).toBe('It is approved: say why it changes.');
    await page.key(page.one('form'), 'Escape');
    expect([page.all('form').length, api.of(contract.saveRequirement).length]).toEqual([0, 0]);
    expect(block(2).textContent).toContain('Title 3');
  });

  it('gets a new one below the row that one is at, and one goes on writing by Ctrl and Enter', async () => {
    const { api, page, block, key } = await open();
    block(1).focus();
    await key(1, 'Enter', { ctrlKey: true });
    expect(page.all('.block').length).toBe(5);
    await page.write(/New requirement/, 'Between');
    await page.key(page.one('form'), 'Enter', { ctrlKey: true });
    await page.until(() => page.all('form').length && rows.length === 5);
    const [made] = api.of(contract.addRequirement);
    expect([made['under'], made['after'], (made['content'] as { title: string; level: string }).level]).toEqual([
      'BRK-001',
      'BRK-002',
      'SIL 3',
    ]);
    // The next one begins behind it.
    expect(page.all('.block')[3].textContent).toContain('New requirement');
  });

  it('is moved by keys: among its neighbours, under the one above, and out', async () => {
    const { api, block, key } = await open();
    block(2).focus();
    await key(2, 'ArrowUp', { altKey: true, shiftKey: true });
    await key(2, 'ArrowRight', { altKey: true, shiftKey: true });
    await key(2, 'ArrowLeft', { altKey: true, shiftKey: true });
    expect(api.of(contract.placeRequirement).map(({ key: of, under, before }) => [of, under, before])).toEqual([
      ['BRK-003', 'BRK-001', 'BRK-002'],
      ['BRK-003', 'BRK-002', null],
      ['BRK-003', null, 'BRK-004'],
    ]);
  });

  /** Puts the cursor behind some words of the editor. */
  const cursorBehind = (editor: Element, words: string): void => {
    const walker = document.createTreeWalker(editor, NodeFilter.SHOW_TEXT);
    for (let node = walker.nextNode(); node; node = walker.nextNode()) {
      const at = (node as Text).data.indexOf(words);
      if (at >= 0) return document.getSelection()?.setBaseAndExtent(node, at + words.length, node, at + words.length);
    }
    throw new Error(`no ${words} is written`);
  };

  it('is parted at the cursor: the first half is saved, the second becomes the next of the same kind', async () => {
    const { api, page, block, key } = await open();
    rows = rows.map((r) => (r.key === 'BRK-002' ? { ...r, text: 'It shall close. It shall lock.', derivedFrom: ['SYS-001'] } : r));
    block(1).focus();
    await key(1, 'Enter');
    await page.until(() => page.all('.ql-editor').length === 1);
    const editor = page.one('.ql-editor');
    await page.key(editor, 'S', { altKey: true, shiftKey: true });
    expect(page.text()).toContain('Put the cursor into its text');
    expect(api.of(contract.saveRequirement)).toEqual([]);
    const [words] = (editor.textContent ?? '').split(' ').slice(1);
    cursorBehind(editor, words);
    await page.key(editor, 'S', { altKey: true, shiftKey: true });
    await page.until(() => api.of(contract.addRequirement).length === 1);
    const [saved] = api.of(contract.saveRequirement) as { key: string; content: { text: string } }[];
    const [made] = api.of(contract.addRequirement) as { under: string; after: string; content: { text: string; kind: string } }[];
    expect(saved.key).toBe('BRK-002');
    expect(`${saved.content.text} ${made.content.text}`.replace(/\s+/g, ' ')).toBe((editor.textContent ?? '').replace(/\s+/g, ' ').trim());
    expect([made.under, made.after, made.content.kind]).toEqual(['BRK-001', 'BRK-002', 'requirement']);
  });

  it('is joined with the one above, which says both; the one that is joined is retired', async () => {
    const { api, page, block, key } = await open();
    api.on(retireRecord, () => ({}));
    block(2).focus();
    await key(2, 'M', { altKey: true, shiftKey: true });
    const box = document.querySelector<HTMLTextAreaElement>('mat-dialog-container textarea');
    if (!box) throw new Error('no reason is asked for');
    box.value = 'One thought.';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    document.querySelector<HTMLButtonElement>('mat-dialog-container button[type=submit]')?.click();
    await page.until(() => api.of(retireRecord).length === 1);
    const [saved] = api.of(contract.saveRequirement) as { key: string; content: { text: string }; reason: string }[];
    expect([saved.key, saved.content.text, saved.reason]).toEqual(['BRK-002', `${rows[1].text}\n${rows[2].text}`, 'One thought.']);
    expect(api.of(retireRecord)).toEqual([{ project: 'demo', key: 'BRK-003', retired: true, reason: 'Joined with BRK-002: One thought.' }]);
    // A heading, and the first below one, is joined with nothing.
    await key(3, 'M', { altKey: true, shiftKey: true });
    await key(1, 'M', { altKey: true, shiftKey: true });
    expect(api.of(contract.saveRequirement).length).toBe(1);
  });

  it('is dragged to another place, with what stands below it', async () => {
    const { api, page } = await open();
    const document_ = page.fixture.componentInstance as unknown as {
      dropped(moved: { previousIndex: number; currentIndex: number }): void;
    };
    document_.dropped({ previousIndex: 2, currentIndex: 1 });
    document_.dropped({ previousIndex: 1, currentIndex: 3 });
    // A heading goes with its own: dropped among them it stays before what follows them.
    document_.dropped({ previousIndex: 0, currentIndex: 1 });
    document_.dropped({ previousIndex: 3, currentIndex: 0 });
    document_.dropped({ previousIndex: 3, currentIndex: 3 });
    await page.settled();
    expect(api.of(contract.placeRequirement).map(({ key: of, under, before }) => [of, under, before])).toEqual([
      ['BRK-003', 'BRK-001', 'BRK-002'],
      ['BRK-002', null, null],
      ['BRK-001', null, 'BRK-004'],
      ['BRK-004', null, 'BRK-001'],
    ]);
  });

  it('is dragged with those that are chosen beside it, in their order, each with what stands below it', async () => {
    const { api, page, block, key } = await open();
    const document_ = page.fixture.componentInstance as unknown as {
      dropped(moved: { previousIndex: number; currentIndex: number }): void;
    };
    const chosen = (): string[] => page.all('.block.chosen').map((b) => (b.getAttribute('aria-label') ?? '').slice(0, 7));
    const press = async (i: number, more: MouseEventInit = {}): Promise<void> => {
      block(i).dispatchEvent(new MouseEvent('mousedown', { bubbles: true, ...more }));
      await page.settled();
    };
    block(1).focus();
    await key(1, ' ');
    await key(1, 'ArrowDown', { shiftKey: true });
    expect([chosen(), document.activeElement]).toEqual([['BRK-002', 'BRK-003'], block(2)]);
    expect(page.one('.row [role=status]').textContent).toContain('2 chosen');
    await key(2, 'Escape');
    expect(chosen()).toEqual([]);
    await press(1, { ctrlKey: true });
    await press(0, { ctrlKey: true });
    await press(2, { shiftKey: true });
    expect(chosen()).toEqual(['BRK-001', 'BRK-002', 'BRK-003']);
    // A press on one of them begins to drag them; what stands below another of them goes with that.
    await press(1);
    document_.dropped({ previousIndex: 1, currentIndex: 3 });
    await page.settled();
    const placed = () => api.of(contract.placeRequirement).map(({ key: of, under, before }) => [of, under, before]);
    expect(placed()).toEqual([['BRK-001', null, null]]);
    await press(3);
    expect(chosen()).toEqual([]);
    await press(2, { ctrlKey: true });
    await press(1, { ctrlKey: true });
    document_.dropped({ previousIndex: 2, currentIndex: 0 });
    await page.settled();
    expect(placed().slice(1)).toEqual([
      ['BRK-002', null, 'BRK-001'],
      ['BRK-003', null, 'BRK-001'],
    ]);
  });

  it('of which one cannot be put, leaves those behind it where they are', async () => {
    const { api, page, block } = await open();
    api.refuse(contract.placeRequirement, { title: 'It is under review.' });
    for (const i of [1, 2]) block(i).dispatchEvent(new MouseEvent('mousedown', { bubbles: true, ctrlKey: true }));
    await page.settled();
    (page.fixture.componentInstance as unknown as { dropped(moved: object): void }).dropped({ previousIndex: 1, currentIndex: 3 });
    await page.settled();
    expect(api.of(contract.placeRequirement).length).toBe(1);
    expect(page.text()).toContain('It is under review.');
  });

  it('follows what others change, and is only read by who may not write', async () => {
    const { store, page, block, key } = await open(['auditor']);
    block(1).focus();
    await key(1, 'Enter');
    expect(page.all('form').length).toBe(0);
    rows = rows.map((r) => (r.key === 'BRK-002' ? { ...r, title: 'By somebody else' } : r));
    hear(store, 'requirement', 'BRK-002');
    await page.settled();
    expect(block(1).textContent).toContain('By somebody else');
  });
});
