import { MatDialogRef } from '@angular/material/dialog';
import * as contract from '@contract/base';
import { JumpDialog } from './jump-dialog';
import { jumpOffers, type JumpScope } from './jump-offers';
import { baseActions } from './state';
import { mount, openWeb } from './testing';

describe('The jump', () => {
  const scope: JumpScope = {
    slug: 'demo',
    build: '1.0',
    builds: ['1.0', '2.0'],
    trail: [
      { label: 'R-1', url: '/demo/specify/requirement/R-1' },
      { label: 'C-2', url: '/demo/design/C-2' },
    ],
  };
  const words = (typed: string): string[] => jumpOffers(scope, typed).map((offer) => offer.words);

  it('offers what was visited last while nothing is typed', () => {
    expect(words('')).toEqual(['C-2', 'R-1']);
  });
  it('finds places by their names and by what people call them', () => {
    expect(words('led')).toEqual(['Ledger']);
    expect(words('audit trail')).toEqual(['Ledger']);
    expect(words('coverage')).toEqual(['Measure']);
    expect(words('nothing of the kind')).toEqual([]);
  });
  it('does what can be done from anywhere, and offers no build twice', () => {
    expect(words('build')).toEqual(['Prove build 2.0']);
    expect(jumpOffers(scope, 'dark')[0].to).toEqual({ do: 'theme' });
  });

  const open = async () => {
    const closed = jasmine.createSpy('close');
    const { api, store } = openWeb(['tester'], [], [{ provide: MatDialogRef, useValue: { close: closed } }]);
    api.on(contract.jump, ({ q }) => (q ? [{ kind: 'case', key: 'C-9', title: 'The pack is kept dry', note: 'draft' }] : []));
    store.dispatch(baseActions.placeVisited({ url: '/demo/design/C-2', label: 'C-2' }));
    const page = await mount(JumpDialog);
    const type = (text: string) => page.type(page.one<HTMLInputElement>('input'), text);
    const key = async (name: string) => {
      page.one('input').dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true }));
      await page.settled();
    };
    const picked = () => page.one('li[aria-selected="true"]').textContent?.replace(/\s+/g, ' ').trim();
    return { api, page, type, key, picked, closed };
  };

  it('shows records and places together, in groups, and walks through all of them by arrows', async () => {
    const { page, type, key, picked } = await open();
    expect(page.text()).toContain('Recent');
    await type('pack');
    expect(page.all('.group').map((g) => g.textContent?.trim())).toEqual(['Go to', 'Cases']);
    expect(picked()).toContain('Prove');
    await key('ArrowDown');
    expect(picked()).toContain('C-9');
    await key('ArrowDown');
    expect(picked()).toContain('C-9');
    await key('ArrowUp');
    expect(picked()).toContain('Prove');
  });
  it('marks the words that were found', async () => {
    const { page, type } = await open();
    await type('dry');
    expect(page.all('mark').map((m) => m.textContent)).toEqual(['dry']);
  });
  it('closes with what was chosen', async () => {
    const { type, key, closed } = await open();
    await type('ledger');
    await key('Enter');
    expect(closed).toHaveBeenCalled();
  });
});
