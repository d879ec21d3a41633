import * as contract from '@contract/base';
import type { Comment, Revision } from '@contract/base';
import { FakeApi, hear, mount, openWeb, type Mounted } from '../testing';
import { paragraphsOf } from './comments-panel';
import { readable } from '@core/base';
import { changesBetween } from './revision-diff';
import { RecordPanels } from './record-panels';

const comment = (id: number, text: string, more: Partial<Comment> = {}): Comment => ({
  id,
  parent: null,
  field: '',
  passage: '',
  html: `<p>${text}</p>`,
  text,
  by: 'tom',
  at: '2026-03-01T10:00:00.000Z',
  resolvedBy: null,
  resolvedAt: null,
  ...more,
});
const revision = (n: number, snapshot: Record<string, unknown>, more: Partial<Revision> = {}): Revision => ({
  revision: n,
  state: 'draft',
  seq: n * 10,
  by: 'tom',
  at: '2026-03-01T10:00:00.000Z',
  reason: '',
  hash: null,
  snapshot,
  ...more,
});

describe('what a record has besides its content', () => {
  let api: FakeApi;
  let store: ReturnType<typeof openWeb>['store'];
  let comments: Comment[];
  let page: Mounted<RecordPanels>;

  const open = async (roles: Parameters<typeof openWeb>[0] = ['author'], key = 'BRK-001'): Promise<void> => {
    ({ api, store } = openWeb(roles));
    comments = [comment(1, 'Is it cold?'), comment(2, 'It is.', { parent: 1, by: 'ines' })];
    api
      .on(contract.getRecord, () => ({ following: false, record: {}, snapshot: null, traces: [], signatures: [], externalIds: [] }))
      .on(contract.listComments, () => comments)
      .on(contract.addComment, ({ html, parent }) => {
        const made = comment(comments.length + 1, String(html).replace(/<[^<>]+>/g, ''), {
          parent: (parent as number | null) ?? null,
          by: 'ada',
        });
        comments = [...comments, made];
        return made;
      })
      .on(contract.resolveComment, ({ id, resolved }) => ({
        ...comments.find((c) => c.id === id),
        resolvedBy: resolved ? 'ada' : null,
        resolvedAt: resolved ? '2026-03-02T10:00:00.000Z' : null,
      }))
      .on(contract.listAttachments, () => [
        { id: 4, name: 'trace.png', mime: 'image/png', bytes: 2048, sha256: 'a'.repeat(64), by: 'tom', at: '2026-03-01T10:00:00.000Z' },
      ])
      .on(contract.addAttachments, () => [])
      .on(contract.removeAttachment, () => ({ ok: true }))
      .on(contract.recordHistory, () => [
        revision(2, { title: 'Brake closes in 120 ms', level: 'SIL 3' }, { reason: 'measured' }),
        revision(1, { title: 'Brake closes', level: 'SIL 3' }),
      ])
      .on(contract.listLedger, () => ({
        entries: [
          { seq: 9, at: '2026-03-01T10:00:00.000Z', who: 'tom', action: 'requirement revised', kind: 'requirement', key: 'BRK-001' },
          { seq: 8, at: '2026-03-01T10:00:00.000Z', who: 'tom', action: 'something else', kind: 'requirement', key: 'BRK-0011' },
        ],
        total: 2,
        kinds: [],
        people: [],
      }))
      .on(contract.setFollowing, ({ follow }) => ({ following: follow }))
      .on(contract.setPresence, () => [{ login: 'tom', printedName: 'Tom Vell', field: 'text' }]);
    page = await mount(RecordPanels, { key });
  };

  it('shows threads with their answers, and how many are open', async () => {
    await open();
    expect(page.button(/Comments/).textContent).toContain('Comments 1');
    expect(page.text()).toContain('Is it cold?');
    expect(page.all('.answer').map((a) => a.textContent)).toEqual([jasmine.stringContaining('It is.')]);
  });

  it('keeps what was typed until it is stored, and sends it as clean paragraphs', async () => {
    await open();
    await page.write(/Say something/, 'Look at <b>\n\n@ines.quarry');
    await page.press(/^\s*Comment\s*$/);
    expect(api.of(contract.addComment)[0]['html']).toBe('<p>Look at &#60;b&#62;</p><p>@ines.quarry</p>');
    expect(page.one<HTMLTextAreaElement>('textarea').value).toBe('');
    api.refuse(contract.addComment, { detail: 'The database is away.' });
    await page.write(/Say something/, 'Do not lose me');
    await page.press(/^\s*Comment\s*$/);
    expect(page.one<HTMLTextAreaElement>('textarea').value).toBe('Do not lose me');
    expect(page.text()).toContain('The database is away.');
  });

  it('is said with a layout where one wants it, with what was typed already, and shown as it was laid out', async () => {
    await open();
    await page.write(/Say something/, 'First words');
    await page.press(/Lists, tables, pictures/);
    const editor = () => page.all('.ql-editor').at(0);
    await page.until(editor);
    expect(editor()?.textContent).toContain('First words');
    const paragraph = document.createElement('p');
    paragraph.innerHTML = 'All of <strong>it</strong>';
    editor()?.replaceChildren(paragraph);
    await page.settled();
    await page.press(/^\s*Comment\s*$/);
    expect(api.of(contract.addComment)[0]['html']).toBe('<p>All of <strong>it</strong></p>');
    expect(page.all('.ql-editor').length).toBe(0);
    comments = [...comments, comment(9, 'one two', { html: '<ul><li>one</li><li>two</li></ul>' })];
    hear(store, 'requirement', 'BRK-001', 'commented');
    await page.until(() => page.all('.words li').length);
    expect(page.all('.words li').map((li) => li.textContent)).toEqual(['one', 'two']);
  });

  it('answers a thread, and resolves and reopens it', async () => {
    await open();
    await page.press(/Answer/);
    await page.write(/Your answer/, 'Thanks');
    page.one('textarea').dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', ctrlKey: true }));
    await page.settled();
    expect(api.of(contract.addComment)[0]['parent']).toBe(1);
    await page.press(/Resolve/);
    expect(page.text()).toContain('resolved by ada');
    expect(page.button(/Comments/).textContent?.trim()).toBe('Comments');
    await page.press(/Open again/);
    expect(api.of(contract.resolveComment).map((i) => i['resolved'])).toEqual([true, false]);
  });

  it('lets an auditor read and say nothing', async () => {
    await open(['auditor']);
    expect(page.all('textarea').length).toBe(0);
    expect(page.text()).not.toContain('Resolve');
    await page.press(/Files/);
    expect(page.text()).not.toContain('Drop or paste');
  });

  it('takes files by choosing, dropping and pasting; shows pictures; takes one off', async () => {
    await open();
    await page.press(/Files/);
    expect(page.one<HTMLImageElement>('img').getAttribute('src')).toBe('/api/projects/demo/files/4');
    expect(page.text()).toContain('2.0 KiB');
    const file = new File(['x'], 'log.txt');
    const transfer = new DataTransfer();
    transfer.items.add(file);
    page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true }));
    page.one('.drop').dispatchEvent(new ClipboardEvent('paste', { clipboardData: transfer, bubbles: true }));
    await page.settled();
    const sent = api.asked.filter((a) => a.endpoint === contract.addAttachments);
    expect(sent.map((a) => a.files?.map((f) => f.name))).toEqual([['log.txt'], ['log.txt']]);
    page.one('.drop').dispatchEvent(new ClipboardEvent('paste', { clipboardData: new DataTransfer(), bubbles: true }));
    expect(api.asked.filter((a) => a.endpoint === contract.addAttachments).length).toBe(2);
  });

  it('reads history and activity only when somebody looks at them', async () => {
    await open();
    expect(api.of(contract.recordHistory)).toEqual([]);
    await page.press(/History/);
    expect(api.of(contract.recordHistory).length).toBe(1);
    expect(page.text()).toContain('Because: measured');
    expect(page.all('ins, .added').length).toBeGreaterThan(0);
    await page.press(/Activity/);
    expect(page.text()).toContain('revised BRK-001');
    // Another record whose key begins alike is not this one.
    expect(page.text()).not.toContain('something else');
  });

  it('is walked through by arrow keys, as tabs are', async () => {
    await open();
    await page.key(page.one('[role=tab][aria-selected=true]'), 'ArrowRight');
    expect(page.one('[aria-selected=true]').textContent).toContain('Files');
    await page.key(page.one('[role=tab][aria-selected=true]'), 'ArrowLeft');
    await page.key(page.one('[role=tab][aria-selected=true]'), 'ArrowLeft');
    expect(page.one('[aria-selected=true]').textContent).toContain('Connections');
    expect(page.all('[role=tab]').filter((tab) => tab.tabIndex === 0).length).toBe(1);
  });

  it('folds to the side, for the next record too, and while the record is written; opens where somebody wants one', async () => {
    localStorage.clear();
    await open();
    const folded = (): boolean => page.element.classList.contains('folded');
    expect(folded()).toBeFalse();
    page.fixture.componentRef.setInput('away', true);
    await page.settled();
    expect(folded()).toBeTrue();
    await page.press(/History/);
    expect([folded(), page.text().includes('Because: measured')]).toEqual([false, true]);
    page.fixture.componentRef.setInput('away', false);
    await page.settled();
    expect(folded()).toBeFalse();
    await page.press(/Fold to the side/);
    expect(folded()).toBeTrue();
    page.fixture.destroy();
    page = await mount(RecordPanels, { key: 'BRK-002' });
    expect(folded()).toBeTrue();
    await page.press(/Show what is said about it/);
    expect(folded()).toBeFalse();
    localStorage.clear();
  });

  it('says who else is here, tells others that I am, and that I left', async () => {
    await open();
    expect(page.text()).toContain('Also here: Tom Vell (writing in text)');
    page.fixture.destroy();
    expect(api.of(contract.setPresence).at(-1)).toEqual(jasmine.objectContaining({ key: 'BRK-001', here: false }));
  });

  it('follows, and no longer', async () => {
    await open();
    await page.press(/Follow/);
    expect(page.text()).toContain('You follow it');
    await page.press(/You follow it/);
    expect(api.of(contract.setFollowing).map((i) => i['follow'])).toEqual([true, false]);
  });

  it('reads again what somebody else said, of this record only', async () => {
    await open();
    const before = api.of(contract.listComments).length;
    hear(store, 'requirement', 'BRK-002');
    await page.settled();
    expect(api.of(contract.listComments).length).toBe(before);
    comments = [...comments, comment(3, 'From afar')];
    hear(store, 'requirement', 'BRK-001');
    await page.until(() => page.text().includes('From afar'));
    expect(page.text()).toContain('From afar');
  });

  it('shows nothing of one record at another', async () => {
    await open();
    api.on(contract.listComments, () => []);
    page.fixture.componentRef.setInput('key', 'BRK-002');
    await page.settled();
    expect(page.text()).not.toContain('Is it cold?');
    expect(page.text()).toContain('Nobody has said anything yet.');
  });
});

describe('words of the panels', () => {
  it('escape what is typed', () => {
    expect(paragraphsOf(' a\nb\n\n<i>"c"&</i> ')).toBe('<p>a<br>b</p><p>&#60;i&#62;&#34;c&#34;&#38;&#60;/i&#62;</p>');
  });
  it('tell what changed, member by member, and nothing else', () => {
    const before = revision(1, { title: 'A', steps: [{ action: 'Do', expected: 'See' }], derived: false, gone: 'x' });
    const after = revision(2, { title: 'A', steps: [{ action: 'Do', expected: 'Hear' }], derived: true });
    expect(changesBetween(before, after)).toEqual([
      { name: 'Steps', before: '1. action: Do; expected: See', after: '1. action: Do; expected: Hear' },
      { name: 'Derived', before: 'no', after: 'yes' },
      { name: 'Gone', before: 'x', after: '' },
    ]);
    expect(readable({ a: null, b: [], c: 0 })).toBe('c: 0');
  });
});
