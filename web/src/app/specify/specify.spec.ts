import * as base from '@contract/base';
import * as contract from '@contract/specify';
import type { Requirement, RequirementDetail } from '@contract/specify';
import { FakeApi, hear, mount, openWeb, type Mounted } from '../base/testing';
import { RequirementRecord } from './requirement-record';
import { SpecifyPage } from './specify-page';
import { detail, rooms, row, serve } from './testing';
import { TestBed } from '@angular/core/testing';

describe('the tree of a specification', () => {
  let api: FakeApi;
  let store: ReturnType<typeof openWeb>['store'];
  let page: Mounted<SpecifyPage>;
  let rows: Requirement[];
  const items = (): HTMLElement[] => page.all('[role=treeitem]');
  const chosen = (): string[] =>
    items()
      .filter((i) => i.getAttribute('aria-selected') === 'true')
      .map((i) => i.querySelector('.key')?.textContent ?? '');

  const open = async (roles: Parameters<typeof openWeb>[0] = ['author']): Promise<void> => {
    ({ api, store } = openWeb(roles, rooms));
    rows = [row(1), row(2, { text: 'The lamp shall light.' }), row(3)];
    serve(api, () => rows);
    document.body.style.height = '600px';
    page = await mount(SpecifyPage);
    page.element.style.cssText = 'display:block;height:600px;width:1200px';
    window.dispatchEvent(new Event('resize'));
    await page.settled();
    await new Promise((resolve) => setTimeout(resolve, 60));
    await page.settled();
  };

  it('shows the rows of the chosen specification, and finds words as one types', async () => {
    await open();
    expect(page.text()).toContain('3 rows');
    const box = page.one<HTMLInputElement>('[data-filter]');
    box.value = 'Title 2';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    expect(page.text()).toContain('1 row');
    expect(items().map((i) => i.querySelector('.key')?.textContent)).toEqual(['BRK-002']);
    expect(api.of(contract.listRequirements).at(-1)).toEqual(
      jasmine.objectContaining({ specification: 'BRK', filter: '{"words":"Title 2"}' }),
    );
    box.value = 'gondola';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    expect(page.text()).toContain('Nothing here answers to “gondola”.');
  });

  it('chooses with Ctrl, a stretch with Shift, by Space, all and none; a plain press opens', async () => {
    await open();
    items()[0].dispatchEvent(new MouseEvent('click', { bubbles: true, ctrlKey: true }));
    await page.settled();
    expect(chosen()).toEqual(['BRK-001']);
    items()[2].dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }));
    await page.settled();
    expect(chosen()).toEqual(['BRK-001', 'BRK-002', 'BRK-003']);
    await page.press(/Choose none/);
    const tree = page.one('[role=tree]');
    await page.key(tree, 'Home');
    await page.key(tree, ' ');
    await page.key(tree, 'ArrowDown', { shiftKey: true });
    expect(chosen()).toEqual(['BRK-001', 'BRK-002']);
    expect(page.text()).toContain('2 chosen');
  });

  it('acts on what is chosen, or on all of it as a question, with levels, methods and specifications to choose from', async () => {
    await open();
    items()[1].dispatchEvent(new MouseEvent('click', { bubbles: true, ctrlKey: true }));
    await page.settled();
    await page.press(/Act on them/);
    expect(page.text()).toContain('Move to System');
    await page.press(/Level: SIL 2/);
    await page.press(/Choose none/);
    await page.press(/Choose all 3/);
    await page.press(/Act on them/);
    await page.press(/Level: SIL 2/);
    const asked = api.of(base.previewBulk).map((input) => input['selection']);
    expect(asked[0]).toEqual({ kind: 'requirement', keys: ['BRK-002'] });
    expect(asked.at(-1)).toEqual({ kind: 'requirement', filter: '{"field":"specification","is":["BRK"]}' });
  });

  it('patches just the row that somebody else changed', async () => {
    await open();
    rows = [row(1, { title: 'Changed by Tom' }), ...rows.slice(1)];
    hear(store, 'requirement', 'BRK-001');
    await page.settled();
    expect(page.text()).toContain('Changed by Tom');
    expect(page.text()).toContain('3 rows');
    expect(api.of(contract.listBranches).at(-1)).toEqual({ project: 'demo', key: 'BRK', of: 'BRK-001' });
  });

  describe('with headings', () => {
    const open3 = async (roles?: Parameters<typeof openWeb>[0]): Promise<HTMLElement> => {
      await open(roles);
      rows = [
        row(1, { kind: 'heading', title: 'Brake' }),
        row(2, { under: 'BRK-001', position: 1 }),
        row(3, { under: 'BRK-001', position: 2 }),
        row(4, { kind: 'heading', title: 'Lamp', position: 4 }),
      ];
      hear(store, 'requirement', 'BRK-001', 'requirements imported');
      await page.settled();
      await page.settled();
      api.on(contract.placeRequirement, ({ key, under, before }) => {
        const moved = rows.find((r) => r.key === key) as Requirement;
        const at = before ? (rows.find((r) => r.key === before)?.position ?? 0) - 0.5 : 99;
        rows = rows.map((r) => (r.key === key ? { ...moved, under: under as string | null, position: at } : r));
        return detail(Number(String(key).slice(-1)), { under: under as string | null, position: at });
      });
      return page.one('[role=tree]');
    };
    const shown = (): string[] => items().map((i) => `${i.getAttribute('aria-level')} ${i.querySelector('.key')?.textContent}`);
    const placed = (): unknown[] => api.of(contract.placeRequirement).map(({ key, under, before }) => [key, under, before]);

    it('folds and goes by the arrows, and remembers on this device what is folded', async () => {
      localStorage.clear();
      const tree = await open3();
      expect(shown()).toEqual(['1 BRK-001', '2 BRK-002', '2 BRK-003', '1 BRK-004']);
      await page.key(tree, 'Home');
      await page.key(tree, 'ArrowRight');
      await page.key(tree, 'ArrowLeft');
      await page.key(tree, 'ArrowLeft');
      expect(shown()).toEqual(['1 BRK-001', '1 BRK-004']);
      expect(items()[0].getAttribute('aria-expanded')).toBe('false');
      expect(Object.entries(localStorage).find(([name]) => name.includes('folded'))?.[1]).toBe('["BRK-001"]');
      await page.key(tree, 'ArrowRight');
      expect(shown().length).toBe(4);
      expect(items()[1].getAttribute('aria-setsize')).toBe('2');
    });

    it('moves the row by keys: down, into the heading above, and out again', async () => {
      const tree = await open3();
      await page.key(tree, 'Home');
      await page.key(tree, 'ArrowDown');
      await page.key(tree, 'ArrowDown', { altKey: true, shiftKey: true });
      await page.settled();
      expect(shown()).toEqual(['1 BRK-001', '2 BRK-003', '2 BRK-002', '1 BRK-004']);
      await page.key(tree, 'End');
      await page.key(tree, 'ArrowRight', { altKey: true, shiftKey: true });
      await page.settled();
      expect(shown()).toEqual(['1 BRK-001', '2 BRK-003', '2 BRK-002', '2 BRK-004']);
      await page.key(tree, 'End');
      await page.key(tree, 'ArrowLeft', { altKey: true, shiftKey: true });
      await page.settled();
      expect(placed()).toEqual([
        ['BRK-002', 'BRK-001', null],
        ['BRK-004', 'BRK-001', null],
        ['BRK-004', null, null],
      ]);
    });

    it('moves rows by drag: before one, or under a heading; nobody without the right to it drags', async () => {
      await open3();
      const drag = async (from: number, to: number, share: number): Promise<void> => {
        const transfer = new DataTransfer();
        const box = items()[to].getBoundingClientRect();
        const at = { bubbles: true, cancelable: true, dataTransfer: transfer, clientY: box.top + box.height * share };
        items()[from].dispatchEvent(new DragEvent('dragstart', at));
        items()[to].dispatchEvent(new DragEvent('dragover', at));
        await page.settled();
        items()[to].dispatchEvent(new DragEvent('drop', at));
        await page.settled();
      };
      await drag(2, 1, 0.1);
      await drag(1, 3, 0.5);
      expect(placed()).toEqual([
        ['BRK-003', 'BRK-001', 'BRK-002'],
        ['BRK-003', 'BRK-004', null],
      ]);
      TestBed.resetTestingModule();
      await open3(['auditor']);
      await drag(2, 1, 0.1);
      expect(placed()).toEqual([]);
    });
  });

  it('offers an auditor nothing to change', async () => {
    await open(['auditor']);
    expect(page.text()).not.toContain('Import');
    expect(page.all('button').some((b) => /^\s*Requirement\s*$/.test(b.textContent ?? ''))).toBeFalse();
  });

  it('begins a specification with a prefix like its key, and writes into it', async () => {
    await open();
    api.on(contract.addSpecification, (input) => ({ key: input['key'], title: input['title'], prefix: input['prefix'], requirements: 0 }));
    page.button(/Begin a specification/).click();
    await page.settled();
    await page.write(/^Title/, 'Doors');
    await page.write(/^Key/, 'dor');
    await page.press(/^\s*Begin\s*$/);
    expect(api.of(contract.addSpecification)[0]).toEqual({ project: 'demo', title: 'Doors', key: 'DOR', prefix: 'DOR' });
    api.on(contract.addRequirement, () => detail(4));
    await page.press(/Requirement/);
    expect(api.of(contract.addRequirement)[0]).toEqual(jasmine.objectContaining({ specification: 'DOR', under: null }));
  });
});

describe('a requirement', () => {
  const open = async (roles: Parameters<typeof openWeb>[0], shown: RequirementDetail) => {
    const { api, store } = openWeb(roles, rooms);
    serve(api, () => [row(1)]);
    api.on(contract.getRequirement, () => shown);
    return { api, store, page: await mount(RequirementRecord, { key: shown.key }) };
  };

  it('asks for review, and offers approval only to a reviewer who did not write it', async () => {
    const { api, page } = await open(['author'], detail(1));
    api.on(contract.setRequirementState, () => detail(1, { state: 'review' }));
    await page.press(/Ask for review/);
    expect(api.of(contract.setRequirementState)[0]).toEqual({ project: 'demo', key: 'BRK-001', basedOn: 1, state: 'review' });
    TestBed.resetTestingModule();
    const mine = await open(['reviewer'], detail(1, { state: 'review', author: 'ada' }));
    expect(mine.page.text()).not.toContain('Approve');
    TestBed.resetTestingModule();
    const theirs = await open(['reviewer'], detail(1, { state: 'review', author: 'tom' }));
    expect(theirs.page.text()).toContain('Approve');
  });

  it('shows both versions where somebody saved in between, and saves mine on top', async () => {
    localStorage.clear();
    const { api, page } = await open(['author'], detail(1));
    await page.press(/Edit/);
    await page.write(/^Title/, 'My title');
    api.refuse(contract.saveRequirement, {
      code: 'conflict',
      status: 409,
      current: { ...detail(1, { title: 'Their title' }), revision: 2, updatedBy: 'tom' },
    });
    await page.press(/Save/);
    expect(page.text()).toContain('tom saved revision 2 while you were writing. Nothing is lost');
    expect(page.all('ins').map((word) => word.textContent)).toEqual(['My', 'title', 'Their', 'title']);
    api.on(contract.saveRequirement, () => detail(1, { title: 'My title', revision: 3 }));
    expect(page.missing(/Save this as revision 3/)).toContain('Choose at 1 passage');
    page.one('fieldset').querySelectorAll('input')[0].click();
    await page.settled();
    await page.press(/Save this as revision 3/);
    const saved = api.of(contract.saveRequirement);
    expect(saved.map((i) => [i['basedOn'], (i['content'] as Requirement).title])).toEqual([
      [1, 'My title'],
      [2, 'My title'],
    ]);
    // What says nothing is not sent as an empty value.
    expect(Object.keys(saved[1]['content'] as Requirement)).toEqual(Object.keys(saved[0]['content'] as Requirement));
  });

  it('joins what two people changed in different places, from a draft that outlived the window', async () => {
    localStorage.clear();
    const first = await open(['author'], detail(1, { text: 'It closes. It waits.' }));
    await first.page.press(/Edit/);
    await first.page.writeRich('Text', 'It shuts. It waits.');
    TestBed.resetTestingModule();
    // Somebody saved meanwhile: what one finds when one comes back is theirs, and what one typed is still based on the one before.
    const theirs = detail(1, { text: 'It closes. It waits a second.', level: 'SIL 2', revision: 2 });
    const { api, page } = await open(['author'], theirs);
    api.refuse(contract.saveRequirement, { code: 'conflict', status: 409, current: { ...theirs, updatedBy: 'tom' } });
    await page.press(/Save/);
    expect(page.all('legend').map((l) => l.textContent?.trim())).toEqual(['You changed this', 'They changed this', 'They changed this']);
    api.on(contract.saveRequirement, () => detail(1, { revision: 3 }));
    await page.press(/Save this as revision 3/);
    const [, last] = api.of(contract.saveRequirement);
    expect(last['content']).toEqual(jasmine.objectContaining({ text: 'It shuts. It waits a second.', level: 'SIL 2' }));
    localStorage.clear();
  });

  it('names a suspect trace and lets it be confirmed at the revisions that are shown', async () => {
    const trace = {
      id: 5,
      kind: 'verifies',
      from: 'C-001',
      to: 'BRK-001',
      fromKind: 'case' as const,
      toKind: 'requirement' as const,
      fromTitle: 'Case',
      toTitle: 'Title 1',
      fromRevision: 1,
      toRevision: 1,
      fromNow: 2,
      toNow: 1,
      suspect: ['from' as const],
      drawnBy: 'tom',
      drawnAt: '',
      waits: false,
      confirmedBy: 'tom',
      confirmedAt: '',
      reason: '',
    };
    const { page } = await open(['reviewer'], detail(1, { state: 'approved', cases: [trace], traces: [trace] }));
    expect(page.text()).toContain('suspect');
    expect(page.button(/Confirm/)).toBeTruthy();
  });
});
