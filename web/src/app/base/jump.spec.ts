import { MatDialogRef } from '@angular/material/dialog';
import { Subject } from 'rxjs';
import * as contract from '@contract/base';
import { actsHere } from './here-acts';
import { JumpDialog } from './jump-dialog';
import { jumpOffers, type JumpScope } from './jump-offers';
import { mount, openWeb } from './testing';
import { useVisited } from './visited';
import { TestBed } from '@angular/core/testing';

describe('The jump', () => {
  beforeEach(() => localStorage.clear());
  afterEach(() => localStorage.clear());
  const scope: JumpScope = {
    slug: 'demo',
    build: '1.0',
    builds: ['1.0', '2.0'],
    visited: [
      { label: 'R-1', url: '/demo/specify/requirement/R-1' },
      { label: 'C-2', title: 'Doors', url: '/demo/design/C-2' },
    ],
    here: [{ words: 'Design a case', also: 'new add', button: document.createElement('button') }],
  };
  const words = (typed: string): string[] => jumpOffers(scope, typed).map((offer) => offer.words);

  it('offers what was visited last while nothing is typed, and then what can be done here', () => {
    expect(words('')).toEqual(['C-2', 'R-1', 'Design a case']);
  });
  it('finds places by their names and by what people call them', () => {
    expect(words('led')).toEqual(['Ledger']);
    expect(words('audit trail')).toEqual(['Ledger']);
    expect(words('coverage')).toEqual(['Measure']);
    expect(words('design')[0]).toBe('Design a case');
    expect(words('tracker')).toEqual(['Tracker outside']);
    expect(words('nothing of the kind')).toEqual([]);
  });
  it('does what can be done from anywhere, and offers no build twice', () => {
    expect(words('build')).toEqual(['Prove build 2.0']);
    expect(jumpOffers(scope, 'dark')[0].to).toEqual({ do: 'theme' });
  });

  it('takes from a page what is seen and can be pressed, each name once, and nothing of its lists', async () => {
    const page = document.createElement('main');
    page.innerHTML = `
      <button>Approve</button><button disabled>Retire</button><button hidden>Hidden</button><button>Approve</button>
      <a class="chip" href="#">Case as a table</a><a href="#">C-018</a><button>×</button><button aria-label="Link a case">+</button>
      <ul><li><button>Remove row</button></li></ul><div role="listbox"><button>Choose</button></div>`;
    document.body.append(page);
    expect(actsHere(page).map((act) => act.words)).toEqual(['Approve', 'Case as a table', 'Link a case']);
    expect(actsHere(null)).toEqual([]);

    const pressed = jasmine.createSpy('pressed');
    page.querySelector('button')?.addEventListener('click', pressed);
    const { type, key, picked, leave } = await open();
    await type('approve');
    expect(picked()).toContain('Approve');
    await key('Enter');
    expect(pressed).not.toHaveBeenCalled();
    leave.next(undefined);
    expect(pressed).toHaveBeenCalledTimes(1);
    expect(document.activeElement?.textContent).toBe('Approve');
    page.remove();
  });

  const open = async () => {
    const leave = new Subject<undefined>();
    const closed = jasmine.createSpy('close');
    const { api } = openWeb(['tester'], [], [{ provide: MatDialogRef, useValue: { close: closed, afterClosed: () => leave } }]);
    api.on(contract.jump, ({ q }) => (q ? [{ kind: 'case', key: 'C-9', title: 'The pack is kept dry', note: 'draft' }] : []));
    TestBed.runInInjectionContext(() => {
      const visited = useVisited();
      visited.add({ url: '/demo/design/C-2', label: 'C-2' });
      visited.name('C-2', 'Doors');
      visited.add({ url: '/demo/design/C-2', label: 'C-2' });
    });
    const page = await mount(JumpDialog);
    const type = (text: string) => page.type(page.one<HTMLInputElement>('input'), text);
    const key = async (name: string) => {
      page.one('input').dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true }));
      await page.settled();
    };
    const picked = () => page.one('li[aria-selected="true"]').textContent?.replace(/\s+/g, ' ').trim();
    return { api, page, type, key, picked, closed, leave };
  };

  it('shows records and places together, in groups, and walks through all of them by arrows', async () => {
    const { page, type, key, picked } = await open();
    expect(page.text()).toContain('Recent');
    expect(page.all('li').map((li) => li.textContent?.replace(/\s+/g, ' ').trim())[0]).toBe('C-2 Doors');
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
