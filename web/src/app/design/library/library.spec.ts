import * as base from '@contract/base';
import * as contract from '@contract/design';
import type { Folder } from '@contract/design';
import { listSpecifications } from '@contract/specify';
import { emptyCase } from '@core/design';
import { mount, openWeb } from '../../base/testing';
import { GroupsPage } from '../groups/groups-page';
import { designCommands, designFeature } from '../state';
import { DraftsPage } from './drafts-page';
import { FolderTree } from './folder-tree';
import { CaseImportPage } from './import-page';
import { KindsPage } from './kinds-page';
import { SelectionPage } from './selection-page';
import { SufficiencyPage } from './sufficiency-page';

const open = (roles: Parameters<typeof openWeb>[0]) => openWeb(roles, [{ feature: designFeature, effects: designCommands }] as never);
const specifications = [{ key: 'SYS', title: 'System', prefix: 'SYS' }];
const folder = (key: string, under: string | null, cases: number): Folder => ({
  key,
  title: `Folder ${key}`,
  description: '',
  under,
  position: 1,
  revision: 3,
  cases,
  approved: 1,
  neverRun: 0,
  minutes: 12.4,
});

describe('the folders of the library', () => {
  beforeEach(() => localStorage.clear());
  const folders = [folder('FO-1', null, 3), folder('FO-2', 'FO-1', 2), folder('FO-3', null, 1)];
  const shown = async (chosen = '') => {
    const { api } = open(['author']);
    api
      .on(contract.listFolders, () => ({ folders, unfiled: { cases: 4, approved: 0, neverRun: 4, minutes: 0 } }))
      .on(contract.saveFolder, (input) => ({ ...folders[0], ...input }))
      .on(contract.fileCases, () => ({ moved: 1 }));
    const page = await mount(FolderTree, { chosen });
    return { api, page };
  };
  const item = (key: string) => `[data-folder="${key}"]`;

  it('say how many cases are in and below each, all together, and in none', async () => {
    const { page } = await shown();
    expect(
      page.all('[role=treeitem]').map((row) => [...row.querySelectorAll('.name, .second')].map((s) => s.textContent).join(' ')),
    ).toEqual(['All cases 8', 'Folder FO-1 3', 'Folder FO-2 2', 'Folder FO-3 1', 'In no folder 4']);
  });

  it('are walked, folded and moved by keys', async () => {
    const { api, page } = await shown();
    await page.key(page.one(item('')), 'ArrowDown');
    expect(document.activeElement?.getAttribute('data-folder')).toBe('FO-1');
    await page.key(page.one(item('FO-1')), 'ArrowLeft');
    expect(page.all(item('FO-2')).length).toBe(0);
    await page.key(page.one(item('FO-1')), 'ArrowRight');
    await page.key(page.one(item('FO-1')), 'ArrowDown');
    await page.key(page.one(item('FO-2')), 'ArrowLeft', { altKey: true, shiftKey: true });
    expect(api.of(contract.saveFolder)[0]).toEqual(jasmine.objectContaining({ key: 'FO-2', under: null, after: 'FO-1', basedOn: 3 }));
    let picked = '';
    page.fixture.componentInstance.picked.subscribe((key) => (picked = key));
    await page.key(page.one(item('FO-2')), 'Enter');
    expect(picked).toBe('FO-2');
  });

  it('take cases and folders that are dropped on them', async () => {
    const { api, page } = await shown();
    const drop = async (on: string, type: string, text: string) => {
      const data = new DataTransfer();
      data.setData(type, text);
      page.one(item(on)).dispatchEvent(new DragEvent('drop', { dataTransfer: data, bubbles: true, cancelable: true }));
      await page.settled();
    };
    await drop('FO-3', 'text/plain', 'C-001 C-002');
    expect(api.of(contract.fileCases)).toEqual([{ project: 'demo', cases: ['C-001', 'C-002'], folder: 'FO-3' }]);
    await drop('-', 'text/plain', 'C-001');
    expect(api.of(contract.fileCases)[1]['folder']).toBeNull();
    await drop('FO-3', 'text/x-folder', 'FO-2');
    expect(api.of(contract.saveFolder)[0]).toEqual(jasmine.objectContaining({ key: 'FO-2', under: 'FO-3' }));
  });

  it('are renamed in their place, and retired only when empty', async () => {
    const { api, page } = await shown('FO-3');
    expect(page.missing(/Retire this folder/)).toBe('1 case is in it or below it: move it first.');
    expect(page.text()).toContain('1 case, 1 approved, 0 never run, 12 min');
    page.one(item('FO-3')).focus();
    await page.key(page.one(item('FO-3')), 'F2');
    const box = page.one<HTMLInputElement>('.tree .in');
    await page.type(box, 'Winter', 0);
    await page.key(box, 'Enter');
    expect(api.of(contract.saveFolder)[0]).toEqual(jasmine.objectContaining({ key: 'FO-3', title: 'Winter' }));
  });

  it('are described; what is written for one is not put to another', async () => {
    const { api, page } = await shown('FO-3');
    await page.press(/Describe/);
    const box = page.one<HTMLTextAreaElement>('textarea');
    await page.type(box as unknown as HTMLInputElement, ' What is done in the cold. ', 0);
    page.fixture.componentRef.setInput('chosen', 'FO-1');
    await page.settled();
    expect(page.all('textarea').length).toBe(0);
    await page.press(/Describe/);
    expect(page.one<HTMLTextAreaElement>('textarea').value).toBe('');
    await page.type(page.one<HTMLInputElement>('textarea'), ' Valves and pads. ', 0);
    await page.press(/Save/);
    expect(api.of(contract.saveFolder)).toEqual([
      jasmine.objectContaining({ key: 'FO-1', title: 'Folder FO-1', description: 'Valves and pads.', basedOn: 3, under: null }),
    ]);
    expect(page.all('textarea').length).toBe(0);
  });
});

describe('drafts', () => {
  const row = (key: string, under: string | null, grain: string) => ({
    key,
    under,
    title: key,
    kind: under ? 'requirement' : 'heading',
    grain,
    why: `because of ${key}`,
    chosen: false,
  });
  const plan = {
    grains: [row('SYS-H', null, 'none'), row('SYS-001', 'SYS-H', 'case'), row('SYS-002', 'SYS-H', 'case')],
    make: [{ draft: 'SYS-001 case', verifies: ['SYS-001'], content: { ...emptyCase, title: 'Shows SYS-001' } }],
    link: [],
    skipped: [{ draft: 'SYS-002 case', case: 'C-009', why: 'made before' }],
    outdated: [],
    digest: 'd'.repeat(64),
  };

  it('say what each requirement becomes and why, take another grain for a branch, and are written as they were shown', async () => {
    const { api } = open(['author']);
    api
      .on(listSpecifications, () => specifications)
      .on(contract.listFolders, () => ({ folders: [folder('FO-1', null, 0)], unfiled: { cases: 0, approved: 0, neverRun: 0, minutes: 0 } }))
      .on(contract.planDrafts, () => plan)
      .on(contract.makeDrafts, () => ({ written: ['C-010'], linked: 1 }));
    const page = await mount(DraftsPage, {});
    expect(page.text()).toContain('1 new, 0 linked, 1 skipped');
    expect(page.text()).toContain('because of SYS-002');
    await page.press(/the same for all below/);
    expect(api.of(contract.planDrafts).at(-1)?.['choices']).toEqual([
      { key: 'SYS-001', grain: 'none' },
      { key: 'SYS-002', grain: 'none' },
    ]);
    await page.write(/Into the folder/, 'FO-1');
    await page.press(/Write 1 drafts/);
    expect(api.of(contract.makeDrafts)[0]).toEqual(jasmine.objectContaining({ digest: plan.digest, folder: 'FO-1', specification: 'SYS' }));
    expect(page.text()).toContain('1 draft written, 1 trace drawn');
  });

  it('are not written by those who may not, nor twice', async () => {
    const { api } = open(['reviewer']);
    api.on(listSpecifications, () => specifications).on(contract.planDrafts, () => ({ ...plan, make: [], link: [] }));
    const page = await mount(DraftsPage, {});
    expect(page.missing(/Write 0 drafts/)).toContain('Only an author');
  });
});

describe('what is said of the cases', () => {
  it('counts every rule, shows one, and reads on', async () => {
    const { api } = open(['auditor']);
    const one = { rule: 'noCase', key: 'SYS-001', title: 'It stops', words: 'No case verifies it.', others: [] };
    api
      .on(listSpecifications, () => specifications)
      .on(contract.getSufficiency, (input) => ({
        counts: [
          { rule: 'noCase', count: 2 },
          { rule: 'neverRun', count: 0 },
        ],
        rows: input['skip'] ? [{ ...one, key: 'SYS-002' }] : [one],
        total: 2,
        requirements: 5,
        cases: 4,
        boundaries: { stand: 1, of: 6 },
        seq: 1,
      }));
    const page = await mount(SufficiencyPage, {});
    await page.until(() => /1 of 6/.test(page.text()));
    expect(page.text()).toContain('1 of 6 limits');
    expect(page.button(/Never run/).disabled).toBeTrue();
    await page.press(/Show more of 2/);
    expect(page.all('.finding').length).toBe(2);
    expect(api.of(contract.getSufficiency).at(-1)?.['skip']).toBe(1);
  });

  it('finds the fewest, and says whether fewer could be', async () => {
    const { api } = open(['tester']);
    api
      .on(listSpecifications, () => specifications)
      .on(contract.selectCases, () => ({
        cases: [{ key: 'C-001', title: 'One', minutes: 7, adds: 9 }],
        minutes: 7,
        covered: 9,
        of: 9,
        bound: 1,
        proved: true,
        without: ['SYS-004'],
      }));
    const page = await mount(SelectionPage, {});
    await page.press(/Work it out/);
    expect(page.text()).toContain('1 case, 7 min, show 9 of 9 points');
    expect(page.text()).toContain('SYS-004');
    expect(page.one('.tag.sound').textContent).toMatch(/few/);
    await page.write(/Within minutes/, '5');
    await page.press(/Work it out/);
    expect(api.of(contract.selectCases)[1]['minutes']).toBe(5);
  });
});

describe('an import of cases', () => {
  const preview = {
    headings: ['Title', 'Do'],
    columns: { title: 0 },
    remembered: false,
    findings: [{ row: 2, cell: 'Do', severity: 'error', text: 'Nothing is done.' }],
    cases: [{ row: 2, title: 'One', steps: 1, verifies: [], folder: '' }],
    total: 1,
    digest: 'e'.repeat(64),
  };

  it('is shown with its faults at their rows, mapped, and written only without them', async () => {
    const { api } = open(['author']);
    api
      .on(contract.previewCaseImport, (input) => (input['columns'] ? { ...preview, columns: input['columns'], findings: [] } : preview))
      .on(contract.importCases, () => ({ written: ['C-011'] }));
    const page = await mount(CaseImportPage, {});
    await page.type(page.one('textarea') as unknown as HTMLInputElement, 'Title\tDo\nOne\tPress', 320);
    expect(page.text()).toContain('Row 2, Do: Nothing is done.');
    expect(page.missing(/Write 1 cases/)).toContain('Mend the faults');
    const box = page.all('label').find((l) => /^Action/.test((l.textContent ?? '').trim())) as HTMLLabelElement;
    const select = box.control as HTMLSelectElement;
    select.selectedIndex = 2;
    select.dispatchEvent(new Event('change', { bubbles: true }));
    await page.settled();
    expect(api.of(contract.previewCaseImport).at(-1)?.['columns']).toEqual({ title: 0, action: 1 });
    await page.press(/Write 1 cases/);
    expect(api.of(contract.importCases)[0]).toEqual(
      jasmine.objectContaining({ digest: preview.digest, fileName: 'pasted rows', columns: { title: 0, action: 1 } }),
    );
    expect(page.text()).toContain('1 cases written');
  });
});

describe('kinds of case', () => {
  const kind = { name: 'bench', title: 'Bench test', description: '', part: 'steps', evidence: false, fields: [], retired: false };
  it('are made by an administrator, under a short name of their own', async () => {
    const { api } = open(['administrator']);
    api
      .on(contract.listCaseKinds, () => [kind])
      .on(base.listFields, () => [])
      .on(contract.saveCaseKind, (input) => [kind, input]);
    const page = await mount(KindsPage, {});
    await page.press(/^add\s*Kind|Kind\s*$/);
    await page.write(/Short name/, 'bench');
    await page.write(/^Name/, 'Again');
    expect(page.missing(/Keep/)).toContain('There is a kind of this short name');
    await page.write(/Short name/, 'field');
    await page.write(/Is made of/, 'checklist');
    await page.press(/Keep/);
    expect(api.of(contract.saveCaseKind)[0]).toEqual(jasmine.objectContaining({ name: 'field', title: 'Again', part: 'checklist' }));
  });

  it('are only read by others', async () => {
    const { api } = open(['author']);
    api.on(contract.listCaseKinds, () => [kind]).on(base.listFields, () => []);
    const page = await mount(KindsPage, {});
    expect(page.text()).toContain('Bench test');
    expect(page.all('tbody button').length).toBe(0);
  });
});

describe('a group of cases', () => {
  it('is ordered and saved as a whole, on the revision that was read', async () => {
    const { api } = open(['author']);
    const member = (key: string) => ({ key, title: key, state: 'approved', plannedMinutes: 5 });
    const group = {
      key: 'G-001',
      title: 'Winter',
      purpose: '',
      revision: 4,
      members: [member('C-001'), member('C-002')],
      requirements: ['SYS-001'],
      traces: [],
      cases: 2,
      minutes: 10,
      updatedBy: 'ada',
      updatedAt: '',
      retired: false,
      own: {},
    };
    api
      .on(contract.getGroup, () => group)
      .on(contract.listGroups, () => ({ rows: [group], next: null, total: 1, seq: 1 }))
      .on(contract.saveGroup, (input) => ({ ...group, ...input, members: group.members, revision: 5 }));
    const page = await mount(GroupsPage, { key: 'G-001' });
    expect(page.missing(/^\s*Save\s*$/)).toContain('Nothing changed');
    await page.press(/Move C-002 up|C-002.*earlier|C-002 up/);
    await page.write(/^Purpose/, 'Before the cold');
    await page.press(/^\s*Save\s*$/);
    expect(api.of(contract.saveGroup)[0]).toEqual(
      jasmine.objectContaining({
        key: 'G-001',
        basedOn: 4,
        cases: ['C-002', 'C-001'],
        requirements: ['SYS-001'],
        purpose: 'Before the cold',
      }),
    );
  });
});
