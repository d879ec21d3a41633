import * as contract from '@contract/design';
import type { MadePlanned, ModelDetail } from '@contract/design';
import { listCases } from '@contract/design';
import { listOver, mount, offered, openWeb } from '../../base/testing';
import { MadePanel } from './made-panel';
import { modelCommands, modelFeature } from './state';

const content = (title: string) => ({
  title,
  objective: '',
  preconditions: '',
  plannedMinutes: 5,
  steps: [{ action: `Do ${title}`, expected: 'It is so' }],
});
const planned: MadePlanned = {
  fresh: [
    { identity: 'a', content: content('One way') },
    { identity: 'b', content: content('Other way') },
  ],
  changed: [{ identity: 'c', key: 'C-003', title: 'Third', edited: true, content: content('Third way') }],
  same: [{ identity: 'd', key: 'C-004', title: 'Fourth' }],
  gone: [{ identity: 'e', key: 'C-005', title: 'Fifth' }],
  leftOut: 1,
} as unknown as MadePlanned;
const model = (more: object = {}) =>
  ({
    key: 'F-001',
    kind: 'flow',
    revision: 4,
    made: [{ key: 'C-003', state: 'approved', identity: 'c', retired: false }],
    ...more,
  }) as unknown as ModelDetail;

describe('cases made of a model', () => {
  const open = async (inputs: object = {}, roles: Parameters<typeof openWeb>[0] = ['author']) => {
    const { api } = openWeb(roles, [{ feature: modelFeature, effects: modelCommands }] as never);
    api
      .on(contract.planCasesOf, () => planned)
      .on(contract.makeCasesOf, () => ({
        written: ['C-010'],
        changed: ['C-003'],
        retired: ['C-005'],
        model: model({ revision: 4 }),
      }));
    const choice = { of: 'paths', paths: [[0, 1]] };
    const page = await mount(MadePanel, { of: model(), choice, count: 1, ...inputs });
    return { api, page };
  };
  const boxes = (page: Awaited<ReturnType<typeof open>>['page']) => page.all<HTMLInputElement>('.plan input[type=checkbox]');

  it('are shown before they are written: new, changed, gone, the same and what cannot be made', async () => {
    const { api, page } = await open();
    expect(api.of(contract.planCasesOf)).toEqual([]);
    await page.press(/Cases of 1 path …/);
    expect(api.of(contract.planCasesOf)[0]).toEqual(jasmine.objectContaining({ key: 'F-001', basedOn: 4 }));
    const text = page.text().replace(/\s+/g, ' ');
    for (const words of [
      'One way',
      'somebody changed its steps since',
      'no longer chosen',
      'The same as before: C-004',
      '1 of what was chosen cannot be made',
    ])
      expect(text).toContain(words);
    // What is gone is retired only where somebody says so.
    expect(boxes(page).map((box) => box.checked)).toEqual([true, true, true, false]);
    expect(page.one('.preview').textContent).toContain('Do One way');
  });

  it('are written as they were chosen, with a reason where an approved one changes', async () => {
    const { api, page } = await open();
    await page.press(/Cases of 1 path …/);
    boxes(page)[1].click();
    boxes(page)[3].click();
    await page.settled();
    expect(page.missing(/Write 1 new, change 1, retire 1/)).toContain('say why');
    await page.write(/Why approved cases change/, 'The flow has a new way');
    await page.press(/Write 1 new, change 1, retire 1/);
    expect(api.of(contract.makeCasesOf)[0]).toEqual(
      jasmine.objectContaining({ take: ['a', 'c'], retire: ['C-005'], reason: 'The flow has a new way', basedOn: 4 }),
    );
    expect(page.text()).toContain('Written:');
    expect(page.text()).toContain('Retired: C-005');
    expect(page.all('.plan').length).toBe(0);
  });

  it('ask no reason where only new ones are taken, and nothing is written of nothing', async () => {
    const { page } = await open();
    await page.press(/Cases of 1 path …/);
    boxes(page)[2].click();
    await page.settled();
    expect(page.missing(/Write 2 new/)).toBe('');
    boxes(page)[0].click();
    boxes(page)[1].click();
    await page.settled();
    expect(page.missing(/Nothing to do/)).toContain('Nothing is chosen');
    await page.press(/Not now/);
    expect(page.all('.plan').length).toBe(0);
  });

  it('are planned anew for another choice, and only of what is saved, by an author, of something', async () => {
    const { page } = await open();
    await page.press(/Cases of 1 path …/);
    page.fixture.componentRef.setInput('choice', { of: 'paths', paths: [[0, 2]] });
    await page.settled();
    expect(page.all('.plan').length).toBe(0);
    page.fixture.componentRef.setInput('unsaved', true);
    await page.settled();
    expect(page.missing(/Cases of 1 path/)).toContain('Save the model first');
    page.fixture.componentRef.setInput('unsaved', false);
    page.fixture.componentRef.setInput('count', 0);
    await page.settled();
    expect(page.missing(/Cases of what is chosen/)).toContain('at least one');
  });

  it('are made by authors alone', async () => {
    expect((await open({}, ['tester'])).page.missing(/Cases of 1 path/)).toContain('Only an author');
  });

  it('of rows go into a case that stands, where one is chosen', async () => {
    const { api, page } = await open({ choice: { of: 'rows', rows: [{ a: 1 }] } });
    api.on(
      listCases,
      listOver(() => [{ key: 'C-020', title: 'Wind and speed' }]),
    );
    await page.press(/Cases of 1 row …/);
    await page.type(page.one<HTMLInputElement>('cp-record-picker input'), 'wind');
    offered()[0].click();
    await page.settled();
    await page.write(/Why approved cases change/, 'More rows');
    await page.press(/Put the rows into C-020/);
    expect(api.of(contract.makeCasesOf)[0]['into']).toBe('C-020');
  });
});
