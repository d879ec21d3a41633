import * as base from '@contract/base';
import type { SuspectTrace } from '@contract/base';
import { MatDialog } from '@angular/material/dialog';
import { TestBed } from '@angular/core/testing';
import { of } from 'rxjs';
import { mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { SuspectsPage } from './suspects-page';

const suspect = (id: number, from: string, to: string): SuspectTrace => ({
  trace: {
    id,
    kind: 'verifies',
    from,
    to,
    fromKind: 'case',
    toKind: 'requirement',
    fromTitle: 'A case',
    toTitle: 'A requirement',
    fromRevision: 1,
    toRevision: 1,
    fromNow: 1,
    toNow: 2,
    suspect: ['to'],
    drawnBy: 'tom',
    drawnAt: '',
    waits: false,
    confirmedBy: 'ada',
    confirmedAt: '',
    reason: '',
  },
  changed: [{ key: to, from: 1, to: 2, before: 'within 3 s', after: 'within 2 s' }],
  other: { key: from, text: `What ${from} does` },
});

describe('Suspect traces', () => {
  const open = async (
    roles: readonly ('author' | 'reviewer' | 'auditor')[] = ['author'],
    list = [1, 2, 3].map((n) => suspect(n, `C-00${n}`, `BRK-00${n}`)),
  ) => {
    const { api } = openWeb(roles, rooms);
    serve(api, () => []);
    api
      .on(base.listSuspects, () => ({ traces: list, total: list.length, next: null, seq: 1 }))
      .on(base.confirmTraces, () => ({ done: 1 }))
      .on(base.removeTraces, () => ({ done: 1 }));
    const page = await mount(SuspectsPage);
    await page.until(() => page.all('li').length || page.text().includes('No trace'));
    const asked = spyOn(TestBed.inject(MatDialog), 'open').and.returnValue({ afterClosed: () => of('It still holds.') } as never);
    return { api, page, asked, press: (key: string) => page.key(document.body, key) };
  };

  it('stand with what changed on one side and the other end beside it; the next by key', async () => {
    const { page, press } = await open();
    expect(page.one('cp-words-diff').textContent).toBe('within 32 s');
    expect(page.one('.said').textContent).toContain('What C-001 does');
    await press('j');
    expect(page.one('.said').textContent).toContain('What C-002 does');
    await press('k');
    await press('k');
    expect(page.one('.said').textContent).toContain('What C-001 does');
  });

  it('are confirmed one by one by key, or many with one reason; what is done goes', async () => {
    const { api, page, press } = await open();
    await press('c');
    expect(api.of(base.confirmTraces)[0]).toEqual({
      project: 'demo',
      reason: 'It still holds.',
      traces: [{ id: 1, fromRevision: 1, toRevision: 2 }],
    });
    expect(page.all('li').length).toBe(2);
    await press('x');
    await press('j');
    await press('x');
    await page.press(/Confirm 2/);
    expect((api.of(base.confirmTraces)[1]['traces'] as { id: number }[]).map(({ id }) => id)).toEqual([2, 3]);
    expect(page.text()).toContain('No trace is in doubt');
  });

  it('are broken by an author, and by nobody who only reviews', async () => {
    const { api, page, press } = await open();
    await page.press(/All 3/);
    await page.press(/Break 3/);
    expect(api.of(base.removeTraces)).toEqual([{ project: 'demo', reason: 'It still holds.', ids: [1, 2, 3] }]);
    TestBed.resetTestingModule();
    const reviewer = await open(['reviewer']);
    expect(reviewer.page.all('button').some((b) => /Break/.test(b.textContent ?? ''))).toBeFalse();
    await reviewer.press('b');
    expect(reviewer.asked).not.toHaveBeenCalled();
    expect(press).toBeDefined();
  });

  it('lets keys alone while somebody types', async () => {
    const { page, asked } = await open();
    const box = document.createElement('input');
    page.element.append(box);
    await page.key(box, 'c');
    expect(asked).not.toHaveBeenCalled();
  });
});
