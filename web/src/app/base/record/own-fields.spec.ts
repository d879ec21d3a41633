import * as contract from '@contract/base';
import type { Field, FieldDefinition, OwnValue } from '@contract/base';
import { hear, mount, openWeb, type FakeApi, type Mounted } from '../testing';
import { OwnFields } from './own-fields';
import { ownFilterFields, ownWords } from './own-words';

const field = (id: number, name: string, definition: Partial<FieldDefinition> = {}, more: Partial<Field> = {}): Field => ({
  id,
  kind: 'requirement',
  name,
  description: '',
  definition: { type: 'text', unit: '', choices: [], requiredFrom: null, levels: [], shown: 'record', ...definition },
  position: id,
  retired: false,
  ...more,
});
const fields = [
  field(1, 'Mass', { type: 'number', unit: 'kg', least: 0 }, { description: 'Without the rope.' }),
  field(2, 'Part', { type: 'choice', choices: ['software', 'hardware'], requiredFrom: 'review', levels: ['SIL 3'] }),
  field(3, 'Rigs', { type: 'choices', choices: ['one', 'two', 'three'] }),
  field(4, 'Checked', { type: 'yesNo' }),
  field(5, 'Owner', { type: 'person' }),
  field(6, 'Old', {}, { retired: true }),
  field(7, 'Of cases', {}, { kind: 'case' }),
  field(8, 'Only in lists', { shown: 'list' }),
];

describe('fields of the project at a record', () => {
  let api: FakeApi;
  let page: Mounted<OwnFields>;
  const record = (own: Record<string, OwnValue> = {}, state = 'draft', revision = 3) => ({ key: 'BRK-001', revision, state, own });
  const open = async (of = record({ 1: 12.5, 4: false }), roles: Parameters<typeof openWeb>[0] = ['author'], level = 'SIL 3') => {
    const web = openWeb(roles);
    api = web.api.on(contract.listFields, () => fields).on(contract.setOwnFields, ({ own }) => ({ ...of, revision: 4, own }));
    page = await mount(OwnFields, { kind: 'requirement', of, level });
    return web.store;
  };
  afterEach(() => localStorage.clear());
  const shown = (): Record<string, string> =>
    Object.fromEntries(page.all('dt').map((dt) => [dt.textContent ?? '', (dt.nextElementSibling?.textContent ?? '').trim()]));

  it('are told with their units, those that are needed later with when; no other kind’s, none that was retired empty', async () => {
    await open();
    expect(shown()).toEqual({ Mass: '12.5 kg', Part: 'Needed from review on.', Rigs: 'not given', Checked: 'no', Owner: 'not given' });
  });

  it('say what is missing where it is needed now, for the levels that it is needed at', async () => {
    await open(record({}, 'review'));
    expect(shown()['Part']).toBe('Needed from review on, and missing.');
    page.fixture.componentRef.setInput('level', 'SIL 2');
    await page.settled();
    expect(shown()['Part']).toBe('not given');
  });

  it('are written as their types ask, and only what was written is sent', async () => {
    await open();
    await page.press(/Edit fields/);
    const box = page.one<HTMLInputElement>('input[type=number]');
    expect([box.min, box.value]).toEqual(['0', '12.5']);
    expect(page.text()).toContain('Without the rope.');
    expect(page.missing(/Save the fields/)).toBe('Nothing changed.');
    box.value = '13';
    box.dispatchEvent(new Event('input'));
    const [part, checked, owner] = page.all<HTMLSelectElement>('select');
    expect([...owner.options].map((o) => o.textContent?.trim())).toEqual(['', 'Ada Lund']);
    for (const [select, value] of [
      [part, 'hardware'],
      [checked, 'yes'],
      [owner, 'ada'],
    ] as const) {
      select.value = value;
      select.dispatchEvent(new Event('change'));
    }
    const rigs = page.all<HTMLInputElement>('input[type=checkbox]');
    rigs[2].click();
    await page.settled();
    rigs[0].click();
    await page.settled();
    await page.press(/Save the fields/);
    expect(api.of(contract.setOwnFields)).toEqual([
      {
        project: 'demo',
        key: 'BRK-001',
        basedOn: 3,
        own: { 1: 13, 2: 'hardware', 3: ['one', 'three'], 4: true, 5: 'ada' },
        reason: '',
      },
    ]);
    expect(page.all('form input')).toEqual([]);
  });

  it('take a value away, and forget what was written back to what it was', async () => {
    await open();
    await page.press(/Edit fields/);
    const box = page.one<HTMLInputElement>('input[type=number]');
    for (const value of ['', '12.5']) {
      box.value = value;
      box.dispatchEvent(new Event('input'));
      await page.settled();
      expect(page.missing(/Save the fields/)).toBe(value ? 'Nothing changed.' : '');
    }
    box.value = '';
    box.dispatchEvent(new Event('input'));
    await page.press(/Save the fields/);
    expect(api.of(contract.setOwnFields).map(({ own }) => own)).toEqual([{ 1: null }]);
  });

  it('keep what was written on the device until it is saved, and ask for a reason where the record is approved', async () => {
    await open(record({ 1: 12.5 }, 'approved'));
    await page.press(/Edit fields/);
    const box = page.one<HTMLInputElement>('input[type=number]');
    box.value = '14';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    page.fixture.destroy();
    page = await mount(OwnFields, { kind: 'requirement', of: record({ 1: 12.5 }, 'approved'), level: '' });
    expect(page.one<HTMLInputElement>('input[type=number]').value).toBe('14');
    expect(page.missing(/Save the fields/)).toBe('It is approved: say why they change.');
    await page.write(/Why they change/, 'Weighed again.');
    await page.press(/Save the fields/);
    expect(api.of(contract.setOwnFields)[0]['reason']).toBe('Weighed again.');
    expect(localStorage.length).toBe(0);
  });

  it('say what the server says, and keep what was written', async () => {
    await open();
    api.refuse(contract.setOwnFields, { fields: [{ path: 'own.Mass', text: 'At most 20.' }] });
    await page.press(/Edit fields/);
    const box = page.one<HTMLInputElement>('input[type=number]');
    box.value = '99';
    box.dispatchEvent(new Event('input'));
    await page.press(/Save the fields/);
    expect(page.text()).toContain('At most 20.');
    expect(page.one<HTMLInputElement>('input[type=number]').value).toBe('99');
  });

  it('are read again when they change, and only read by whoever does not write', async () => {
    const store = await open(record({ 1: 12.5 }), ['auditor']);
    expect(page.text()).not.toContain('Edit fields');
    api.on(contract.listFields, () => [field(1, 'Weight', { type: 'number', unit: 'kg' })]);
    hear(store, 'field', 'Weight');
    await page.settled();
    expect(shown()).toEqual({ Weight: '12.5 kg' });
  });
});

describe('words of the project’s fields', () => {
  it('show each type as it is read', () => {
    const told = (definition: Partial<FieldDefinition>, value: OwnValue): string => ownWords(field(1, 'A', definition), value);
    expect([
      told({ type: 'number', unit: 'ms' }, 5),
      told({ type: 'number' }, 0),
      told({ type: 'yesNo' }, true),
      told({ type: 'choices' }, ['a', 'b']),
      told({ type: 'richText' }, '<p>a <b>b</b></p>'),
      told({ type: 'date' }, '2026-01-31'),
      told({ type: 'text' }, null),
    ]).toEqual(['5 ms', '0', 'yes', 'a, b', 'a b', '2026-01-31', '']);
  });

  it('are asked for in lists by a name that can be typed, with the values that there are', () => {
    const told = ownFilterFields([...fields, field(9, '3rd party: Gerät')], 'requirement');
    expect(told.map(({ name, field: id, type }) => [name, id, type])).toEqual([
      ['Mass', 'own:1', 'number'],
      ['Part', 'own:2', 'text'],
      ['Rigs', 'own:3', 'text'],
      ['Checked', 'own:4', 'yesNo'],
      ['Owner', 'own:5', 'text'],
      ['Onlyinlists', 'own:8', 'text'],
      ['own3rdpartyGerat', 'own:9', 'text'],
    ]);
    expect(told[1].values).toEqual(['software', 'hardware']);
  });
});
