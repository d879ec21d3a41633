import * as base from '@contract/base';
import * as contract from '@contract/specify';
import type { Requirement, RequirementDetail } from '@contract/specify';
import { getCord } from '@contract/prove';
import { requirementCode } from '@contract/measure';
import { FakeApi, hear, mount, openWeb, type Mounted } from '../base/testing';
import { ImportPage } from './import-page';
import { RequirementRecord } from './requirement-record';
import { proofCommands, proofFeature } from './requirement-proof';
import { SpecifyPage } from './specify-page';
import { specifyCommands, specifyFeature } from './state';
import { previewRequirements, summariseImport, type ColumnMapping } from '@core/specify';
import { TestBed } from '@angular/core/testing';

const row = (n: number, more: Partial<Requirement> = {}): Requirement => ({
  key: `BRK-00${n}`,
  specification: 'BRK',
  kind: 'requirement',
  title: `Title ${n}`,
  text: `The valve ${n} shall close.`,
  rationale: '',
  level: 'SIL 3',
  method: 'test',
  topLevel: true,
  derived: false,
  notInCode: false,
  notInCodeRationale: '',
  under: null,
  derivedFrom: [],
  position: n,
  revision: 1,
  state: 'draft',
  own: {},
  updatedBy: 'tom',
  updatedAt: '2026-03-01T10:00:00.000Z',
  ...more,
});
const detail = (n: number, more: Partial<RequirementDetail> = {}): RequirementDetail => ({
  ...row(n),
  parents: [],
  children: [],
  cases: [],
  traces: [],
  author: 'tom',
  hash: 'a'.repeat(64),
  signatures: [],
  ...more,
});
const rooms = [
  { feature: specifyFeature, effects: specifyCommands },
  { feature: proofFeature, effects: proofCommands },
] as never;

function serve(api: FakeApi, rows: () => Requirement[]): void {
  api
    .on(contract.listSpecifications, () => [
      { key: 'BRK', title: 'Brake', prefix: 'BRK', requirements: 3 },
      { key: 'SYS', title: 'System', prefix: 'SYS', requirements: 0 },
    ])
    .on(contract.listRequirements, () => ({ rows: rows(), next: null, total: rows().length, seq: 7 }))
    .on(contract.getRequirement, ({ key }) => detail(Number(String(key).slice(-1))))
    .on(base.listFields, () => [])
    .on(base.getRecord, () => ({ following: false, record: {}, snapshot: null, traces: [], signatures: [], externalIds: [] }))
    .on(base.listComments, () => [])
    .on(base.listAttachments, () => [])
    .on(base.setPresence, () => [])
    .on(getCord, () => null)
    .on(requirementCode, () => ({ units: [], total: null }))
    .on(base.previewBulk, () => ({ total: 2, changed: 2, refused: 0, items: [], digest: 'd'.repeat(64) }));
}

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

  it('shows the rows of the chosen specification, filtered as one types', async () => {
    await open();
    expect(page.text()).toContain('3 of 3');
    const box = page.one<HTMLInputElement>('[data-filter]');
    box.value = 'lamp';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    expect(page.text()).toContain('1 of 3');
    box.value = 'gondola';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    expect(page.text()).toContain('Nothing has these words.');
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

  it('acts on what is chosen, with levels, methods and specifications to choose from', async () => {
    await open();
    await page.press(/Choose all shown/);
    await page.press(/Act on them/);
    expect(page.text()).toContain('Move to System');
    await page.press(/Level: SIL 2/);
    expect(api.of(base.previewBulk)[0]).toEqual(
      jasmine.objectContaining({
        selection: { kind: 'requirement', keys: ['BRK-001', 'BRK-002', 'BRK-003'] },
        act: { act: 'set', values: { level: 'SIL 2' } },
      }),
    );
  });

  it('patches just the row that somebody else changed', async () => {
    await open();
    rows = [row(1, { title: 'Changed by Tom' }), ...rows.slice(1)];
    api.on(contract.listRequirements, ({ filter }) => {
      const keys = (JSON.parse(String(filter)) as { is: string[] }).is;
      return { rows: rows.filter((r) => keys.includes(r.key)), next: null, total: 1, seq: 8 };
    });
    hear(store, 'requirement', 'BRK-001');
    await page.settled();
    expect(page.text()).toContain('Changed by Tom');
    expect(page.text()).toContain('3 of 3');
    expect(api.of(contract.listRequirements).at(-1)?.['filter']).toBe('{"field":"key","is":["BRK-001"]}');
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
    expect(page.text()).toContain('Their title');
    api.on(contract.saveRequirement, () => detail(1, { title: 'My title', revision: 3 }));
    await page.press(/Save mine as revision 3/);
    expect(api.of(contract.saveRequirement).map((i) => i['basedOn'])).toEqual([1, 2]);
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

describe('the import of a table', () => {
  const open = async (existing: Requirement[] = []) => {
    const { api } = openWeb(['author'], rooms);
    serve(api, () => existing);
    api.on(contract.previewImport, ({ csv, mapping }) => {
      const known = existing.map(
        ({ key, derivedFrom: parents, under, own, ...content }) => [key, { content, parents, under, own }] as const,
      );
      return summariseImport(
        previewRequirements(csv as string, mapping as ColumnMapping, { existing: new Map(known), levels: ['SIL 2', 'SIL 3'] }),
      );
    });
    const page = await mount(ImportPage);
    const give = async (csv: string): Promise<void> => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([csv], 'r.csv', { type: 'text/csv' }));
      page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
      await new Promise((resolve) => setTimeout(resolve, 20));
      await page.settled();
    };
    return { api, page, give };
  };

  it('names each fault by row and cell, and writes nothing while there is one', async () => {
    const { page, give } = await open();
    await give('key,title,text,level\nBRK-005,T,X,SIL 9\n');
    expect(page.text()).toContain('“SIL 9” is not a level of this project');
    expect(page.all('button').some((b) => /^Write/.test((b.textContent ?? '').trim()))).toBeFalse();
  });

  it('says what is new, changed and the same, and writes just that', async () => {
    const { api, page, give } = await open([row(1), row(2)]);
    await give('key,title,text\nBRK-001,Title 1,The valve 1 shall close.\nBRK-002,Other,The valve 2 shall close.\nBRK-009,New,It shall.\n');
    expect(page.text()).toContain('1 new, 1 changed, 1 the same');
    api.on(contract.importRequirements, () => ({ written: 1, changed: 1, same: 1 }));
    await page.press(/Write 1 new and 1 changed/);
    expect(api.of(contract.importRequirements)[0]).toEqual(
      jasmine.objectContaining({ specification: 'BRK', fileName: 'r.csv', mapping: { key: 'key', title: 'title', text: 'text' } }),
    );
  });

  it('offers nothing to write where nothing differs, and takes another mapping', async () => {
    const { page, give } = await open([row(1)]);
    await give('key,title,text,words\nBRK-001,Title 1,The valve 1 shall close.,other\n');
    expect(page.missing(/Nothing differs/)).toContain('Every row is here already');
    await page.write(/^Text/, 'words');
    expect(page.text()).toContain('0 new, 1 changed, 0 the same');
  });
});

describe('what is known of requirements', () => {
  it('is of the specification that was asked for last, whichever answers first', () => {
    const { reducer } = specifyFeature;
    const { start, done } = specifyCommands.listRequirements;
    const ask = (specification: string) => start({ project: 'demo', specification } as never);
    const answer = (specification: string) =>
      done({
        input: { project: 'demo', specification } as never,
        answer: { rows: [row(1, { specification, key: `${specification}-001` })], next: null, total: 1, seq: 1 },
        command: '',
        phase: 'done',
      });
    const after = (...actions: Parameters<typeof reducer>[1][]) =>
      actions.reduce(reducer, undefined as unknown as ReturnType<typeof reducer>);
    for (const order of [
      ['BRK', 'SYS'],
      ['SYS', 'BRK'],
    ]) {
      const state = after(ask('SYS'), ask('BRK'), ...order.map(answer));
      expect(state.requirements.rows.map(({ key }) => key)).toEqual(['BRK-001']);
      expect(state.read).toBe('BRK');
    }
  });
});
