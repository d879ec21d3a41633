import { Component } from '@angular/core';
import * as base from '@contract/base';
import type { Comment } from '@contract/base';
import { mount, openWeb, type Mounted } from '../testing';
import { CommentsPanel } from './comments-panel';
import { Passages, PassagesBody, rangeOf } from './passages';
import { recordCommands, recordOpened } from './state';
import { TestBed } from '@angular/core/testing';

@Component({
  selector: 'cp-spoken',
  imports: [PassagesBody, CommentsPanel],
  template: `<cp-passages version="BRK-001 1"
      ><h1 data-field="Title">The brake</h1>
      <p data-field="Text">It <b>shall</b> close within 120 ms.</p>
      <p class="other">Not a field.</p></cp-passages
    ><cp-comments-panel key="BRK-001" />`,
})
class Spoken {}

const comment = (id: number, more: Partial<Comment> = {}): Comment => ({
  id,
  parent: null,
  field: '',
  passage: '',
  html: '<p>Why?</p>',
  text: 'Why?',
  by: 'tom',
  at: '2026-03-01T10:00:00.000Z',
  resolvedBy: null,
  resolvedAt: null,
  ...more,
});

describe('words of a record that are spoken of', () => {
  let page: Mounted<Spoken>;
  let api: ReturnType<typeof openWeb>['api'];
  const open = async (roles: Parameters<typeof openWeb>[0], comments: readonly Comment[] = []): Promise<void> => {
    const web = openWeb(roles);
    api = web.api;
    api
      .on(base.listComments, () => comments)
      .on(base.addComment, ({ html, ...input }) => comment(9, { ...(input as Partial<Comment>), html: String(html) }));
    web.store.dispatch(recordOpened({ key: 'BRK-001' }));
    web.store.dispatch(recordCommands.listComments.start({ project: 'demo', key: 'BRK-001' }));
    page = await mount(Spoken);
  };
  afterEach(() => {
    document.getSelection()?.removeAllRanges();
    page.element.remove();
  });
  const choose = async (selector: string, words: string): Promise<void> => {
    const range = rangeOf(page.one(selector), words);
    if (!range) throw new Error(`nothing says ${words}`);
    document.getSelection()?.removeAllRanges();
    document.getSelection()?.addRange(range);
    document.dispatchEvent(new Event('selectionchange'));
    await page.settled();
  };
  const offered = (): boolean => page.all('button').some((b) => b.textContent?.includes('Comment on this'));

  it('are found over all parts of a field', async () => {
    await open(['author']);
    const range = rangeOf(page.one('[data-field=Text]'), 'shall close');
    expect(range?.toString()).toBe('shall close');
    expect(rangeOf(page.one('[data-field=Text]'), 'shall open')).toBeUndefined();
  });

  it('are chosen, and the comment is stored with them and their field', async () => {
    await open(['author']);
    await choose('[data-field=Text]', 'within 120 ms');
    await page.press(/Comment on this/);
    expect(page.one('blockquote').textContent).toContain('within 120 ms');
    await page.write(/^Say something/, 'Measured from what?');
    await page.press(/^\s*Comment\s*$/);
    expect(api.of(base.addComment)[0]).toEqual({
      project: 'demo',
      key: 'BRK-001',
      html: '<p>Measured from what?</p>',
      parent: null,
      field: 'Text',
      passage: 'within 120 ms',
    });
    expect(TestBed.inject(Passages).about()).toBeNull();
  });

  it('are offered by a key too, only within one field, and to nobody who only reads', async () => {
    await open(['reviewer']);
    await choose('[data-field=Title]', 'brake');
    document.dispatchEvent(new KeyboardEvent('keydown', { key: 'C', code: 'KeyC', altKey: true, shiftKey: true }));
    await page.settled();
    expect(TestBed.inject(Passages).about()).toEqual({ field: 'Title', words: 'brake' });
    await choose('.other', 'Not a field');
    expect(offered()).toBeFalse();
    page.element.remove();
    TestBed.resetTestingModule();
    await open(['auditor']);
    await choose('[data-field=Title]', 'brake');
    expect(offered()).toBeFalse();
  });

  it('stand with their thread, which says where they are gone; a field is named without any words', async () => {
    await open(
      ['author'],
      [
        comment(1, { field: 'Text', passage: 'within 120 ms' }),
        comment(2, { field: 'Text', passage: 'within 150 ms' }),
        comment(3, { field: 'Title' }),
      ],
    );
    const threads = page.all('.thread').map((thread) => thread.textContent?.replace(/\s+/g, ' ') ?? '');
    expect(threads[0]).toContain('Show it');
    expect(threads[1]).toContain('not in the text any more');
    expect(threads[2]).toContain('Title');
    await page.press(/Show it/);
    expect(document.getSelection()?.toString()).toBe('within 120 ms');
    expect('highlights' in CSS && [...(CSS.highlights.get('spoken-of') ?? [])].map(String)).toEqual(['within 120 ms']);
  });

  it('may be left out: a comment is about a field, or about the record as a whole', async () => {
    await open(['author']);
    await page.write(/^About/, 'Title');
    await page.write(/^Say something/, 'Too short.');
    await page.press(/^\s*Comment\s*$/);
    await page.write(/^Say something/, 'Good.');
    await page.press(/^\s*Comment\s*$/);
    expect(api.of(base.addComment).map(({ field, passage }) => [field, passage])).toEqual([
      ['Title', ''],
      [undefined, undefined],
    ]);
  });
});
