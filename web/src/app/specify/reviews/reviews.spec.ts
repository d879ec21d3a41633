import { TestBed } from '@angular/core/testing';
import * as contract from '@contract/specify';
import type { ReviewDetail, ReviewItemRow } from '@contract/specify';
import { hear, listOver, mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { ReviewRecord } from './review-record';
import { ReviewsPage } from './reviews-page';
import { reviewCommands, reviewFeature } from './state';

const item = (n: number, more: Partial<ReviewItemRow> = {}): ReviewItemRow => ({
  key: `BRK-00${n}`,
  title: `T ${n}`,
  text: `It shall ${n}.`,
  level: '',
  state: 'review',
  revision: 1,
  now: 1,
  retired: false,
  answers: [],
  mine: 'open',
  base: null,
  ...more,
});
const review = (rows: ReviewItemRow[], more: Partial<ReviewDetail> = {}): ReviewDetail => ({
  key: 'RV-001',
  title: 'Brake',
  question: 'Is it all?',
  due: '2026-12-24',
  state: 'open',
  people: ['ada'],
  items: rows.length,
  createdBy: 'tom',
  createdAt: '2026-03-01T10:00:00.000Z',
  revision: 1,
  summary: '',
  rows,
  progress: [{ login: 'ada', printedName: 'Ada Lund', agree: 0, change: 0, open: rows.length, again: 0, signed: false }],
  faults: ['ada has 2 still to answer.'],
  signatures: [],
  ...more,
});
const features = [...rooms, { feature: reviewFeature, effects: reviewCommands }] as never;

describe('a review', () => {
  const open = async (shown: ReviewDetail, roles: Parameters<typeof openWeb>[0] = ['reviewer']) => {
    const { api, store } = openWeb(roles, features);
    serve(api, () => []);
    let now = shown;
    api.on(contract.getReview, () => now);
    api.on(contract.answerReview, ({ requirement, answer, note }) => {
      const said = { login: 'ada', revision: 3, answer: answer as 'agree', note: note as string, at: '' };
      now = { ...now, rows: now.rows.map((r) => (r.key === requirement ? { ...r, mine: said.answer, answers: [said] } : r)) };
      return now;
    });
    return { api, store, page: await mount(ReviewRecord, { key: 'RV-001' }) };
  };

  it('is answered by keys, one after the other, in the revision that was read', async () => {
    const { api, page, store } = await open(
      review([item(1), item(2, { now: 3, mine: 'again', base: { revision: 2, title: 'T 2', text: 'It shall not.' } })]),
    );
    document.body.append(page.element);
    expect(page.text()).toContain('changed since you answered');
    expect(page.all('del').map((d) => d.textContent)).toEqual(['not']);
    const items = page.all('cp-review-item');
    await page.key(items[0], 'a');
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(document.activeElement).toBe(items[1]);
    await page.key(items[1], 'c');
    await new Promise((resolve) => setTimeout(resolve, 20));
    await page.write(/What should be changed/, 'Which side?');
    // Somebody else answered meanwhile: what is being written stays.
    hear(store, 'requirement', 'BRK-001', 'agreed in review');
    await page.settled();
    await page.press(/Ask for it/);
    expect(page.all('input.asked').length).toBe(0);
    expect(api.of(contract.answerReview)).toEqual([
      { project: 'demo', key: 'RV-001', requirement: 'BRK-001', revision: 1, answer: 'agree', note: '' },
      { project: 'demo', key: 'RV-001', requirement: 'BRK-002', revision: 3, answer: 'change', note: 'Which side?' },
    ]);
    page.element.remove();
  });

  it('says what lacks before it is signed or closed, and asks nothing of who is not asked', async () => {
    const { page } = await open(review([item(1)]));
    expect(page.missing(/Sign what I answered/)).toContain('still to be answered');
    await page.press(/Close the review/);
    expect(page.missing(/Sign and close/)).toContain('still to answer');
  });

  it('offers nothing to answer to somebody who is not asked, or once it is closed', async () => {
    const { page } = await open(review([item(1)], { people: ['tom'] }), ['tester']);
    expect(page.all('button').filter((b) => /Agree|Ask for|Sign|Close/.test(b.textContent)).length).toBe(0);
    TestBed.resetTestingModule();
    const closed = await open(review([item(1, { mine: 'agree' })], { state: 'closed', summary: 'All agreed.' }));
    expect(closed.page.text()).toContain('All agreed.');
    expect(closed.page.all('button').filter((b) => /Agree|Sign/.test(b.textContent)).length).toBe(0);
  });

  it('is asked for about branches and whole specifications, with who and by when', async () => {
    const { api } = openWeb(['author'], features);
    serve(api, () => []);
    api.on(
      contract.listReviews,
      listOver(() => []),
    );
    const page = await mount(ReviewsPage, {});
    await page.press(/^\s*Review\s*$/);
    expect(page.missing(/Ask for the review/)).toBe('Give it a title.');
    await page.write(/^Title/, 'Brake');
    page.all<HTMLInputElement>('fieldset input[type=checkbox]')[0].click();
    await page.settled();
    expect(page.missing(/Ask for the review/)).toBe('Choose what is reviewed.');
    await page.press(/All of Brake/);
    api.on(contract.addReview, () => review([]));
    await page.press(/Ask for the review/);
    expect(api.of(contract.addReview)[0]).toEqual({
      project: 'demo',
      title: 'Brake',
      question: '',
      due: '',
      people: ['ada'],
      keys: ['BRK'],
    });
  });
});
