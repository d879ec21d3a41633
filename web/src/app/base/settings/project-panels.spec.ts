import * as contract from '@contract/base';
import type { Field, TraceKind } from '@contract/base';
import { listCases } from '@contract/design';
import { listRequirements } from '@contract/specify';
import { mount, openWeb } from '../testing';
import { FieldsPanel } from './fields-panel';
import { TraceKindsPanel } from './trace-kinds-panel';

const mass: Field = {
  id: 4,
  kind: 'requirement',
  name: 'Mass',
  description: '',
  definition: { type: 'number', unit: 'kg', least: 0, choices: [], requiredFrom: 'approved', levels: ['SIL 3'], shown: 'both' },
  position: 0,
  retired: false,
};
const none = { rows: [], next: null, total: 0, seq: 1 };

describe('fields of a project, in its settings', () => {
  it('are added with their type, unit, bounds and rule, and what they ask of records that are there is counted before', async () => {
    const { api } = openWeb(['administrator']);
    api
      .on(contract.listFields, () => [])
      .on(contract.addField, () => [mass])
      .on(listRequirements, () => ({ ...none, total: 26 }))
      .on(listCases, () => none);
    const panel = await mount(FieldsPanel);
    expect(panel.text()).toContain('None yet.');
    await panel.press(/Field/);
    expect(panel.missing(/Add the field/)).toBe('Give it a name.');
    await panel.write(/^Name/, 'Mass');
    await panel.write(/^Holds/, 'number');
    await panel.write(/^Unit/, 'kg');
    await panel.write(/^At least/, '0');
    const from = panel.all<HTMLSelectElement>('select').find((s) => s.name === 'fr') as HTMLSelectElement;
    from.selectedIndex = 3;
    from.dispatchEvent(new Event('change'));
    await panel.settled();
    panel.all<HTMLInputElement>('[role=group] input')[1].click();
    await panel.settled();
    expect(panel.text()).toContain('26 of the requirements would lack a value that they need');
    const [asked] = api.of(listRequirements).slice(-1);
    expect(JSON.parse(asked['filter'] as string)).toEqual({
      and: [
        { field: 'state', is: ['approved'] },
        { field: 'level', is: ['SIL 3'] },
        { field: 'kind', is: ['requirement'] },
      ],
    });
    await panel.press(/Add the field/);
    expect(api.of(contract.addField)).toEqual([
      {
        project: 'demo',
        kind: 'requirement',
        name: 'Mass',
        description: '',
        definition: { type: 'number', unit: 'kg', choices: [], requiredFrom: 'approved', levels: ['SIL 3'], shown: 'record', least: 0 },
      },
    ]);
    expect(panel.text()).toContain('number in kg: from 0');
    expect(panel.text()).toContain('approval on at SIL 3');
  });

  it('of choices need some; one that is changed keeps kind and type, tells how many hold a value, and can be retired', async () => {
    const { api } = openWeb(['administrator']);
    api
      .on(contract.listFields, () => [mass])
      .on(contract.saveField, () => [{ ...mass, retired: true }])
      .on(listRequirements, ({ filter }) => ({ ...none, total: String(filter).includes('"not"') ? 7 : 2 }));
    const panel = await mount(FieldsPanel);
    await panel.press(/Field/);
    await panel.write(/^Name/, 'Part');
    await panel.write(/^Holds/, 'choice');
    expect(panel.missing(/Add the field/)).toBe('Write its choices.');
    await panel.write(/^The choices/, ' software \n\nhardware');
    expect(panel.missing(/Add the field/)).toBe('');
    await panel.press(/Cancel/);
    await panel.press(/Change Mass/);
    expect(panel.all<HTMLSelectElement>('select[disabled]').length).toBe(2);
    expect(panel.text()).toContain('7 of the requirements hold a value');
    expect(panel.text()).toContain('2 of the requirements would lack a value');
    const [retired] = panel.all<HTMLInputElement>('label input[type=checkbox]').slice(-1);
    retired.click();
    await panel.settled();
    await panel.press(/Change the field/);
    expect(api.of(contract.saveField)).toEqual([
      { project: 'demo', id: 4, name: 'Mass', description: '', definition: mass.definition, position: 0, retired: true },
    ]);
    expect(panel.text()).toContain('retired');
  });

  it('are changed by administrators only', async () => {
    const { api } = openWeb(['author']);
    api.on(contract.listFields, () => [mass]);
    const panel = await mount(FieldsPanel);
    expect(panel.all('button')).toEqual([]);
    expect(panel.text()).toContain('Mass');
  });
});

describe('kinds of trace, in the settings', () => {
  const verifies: TraceKind = {
    name: 'verifies',
    forward: 'verifies',
    backward: 'is verified by',
    fromKinds: ['case'],
    toKinds: ['requirement'],
    circles: false,
  };

  it('say how many traces stand; of such a kind only the words change', async () => {
    const { api } = openWeb(['administrator']);
    api.on(contract.listTraceKinds, () => [verifies]).on(contract.countTraces, () => [{ kind: 'verifies', traces: 61 }]);
    const panel = await mount(TraceKindsPanel);
    expect(panel.all('td.num').map((td) => td.textContent?.trim())).toEqual(['61']);
    await panel.press(/Change/);
    expect(panel.text()).toContain('61 traces stand and are told so from then on');
    expect(panel.all<HTMLInputElement>('[role=group] input').every(({ disabled }) => disabled)).toBeTrue();
    await panel.press(/Cancel/);
    await panel.press(/Kind of trace/);
    expect(panel.text()).not.toContain('61 traces');
    expect(panel.all<HTMLInputElement>('[role=group] input').some(({ disabled }) => disabled)).toBeFalse();
  });

  it('are added with both their directions and ends, in a sentence before they are', async () => {
    const { api } = openWeb(['administrator']);
    api.on(contract.listTraceKinds, () => [verifies]).on(contract.saveTraceKind, () => [verifies]);
    const panel = await mount(TraceKindsPanel);
    expect(panel.text()).toContain('is verified by');
    await panel.press(/Kind of trace/);
    await panel.write(/^Short name/, 'verifies');
    expect(panel.missing(/Add the kind/)).toBe('There is a kind of that short name.');
    await panel.write(/^Short name/, 'refines');
    expect(panel.missing(/Add the kind/)).toContain('forwards and backwards');
    await panel.write(/^Told forwards/, 'refines');
    await panel.write(/^Told backwards/, 'is refined by');
    const [from] = panel.all('[role=group]');
    const box = (words: string): HTMLInputElement =>
      [...from.querySelectorAll('label')].find((l) => l.textContent?.includes(words))?.querySelector('input') as HTMLInputElement;
    box('requirement').click();
    await panel.settled();
    expect(panel.missing(/Add the kind/)).toContain('Choose what it joins');
    box('case').click();
    await panel.settled();
    expect(panel.text()).toContain('A case refines a requirement; a requirement is refined by a case.');
    await panel.press(/Add the kind/);
    expect(api.of(contract.saveTraceKind)).toEqual([
      {
        project: 'demo',
        name: 'refines',
        forward: 'refines',
        backward: 'is refined by',
        fromKinds: ['case'],
        toKinds: ['requirement'],
        circles: false,
      },
    ]);
  });

  it('are changed in their words under the same short name, and only read by whoever does not administer', async () => {
    const { api } = openWeb(['administrator']);
    api.on(contract.listTraceKinds, () => [verifies]).on(contract.saveTraceKind, () => [{ ...verifies, forward: 'shows' }]);
    const panel = await mount(TraceKindsPanel);
    await panel.press(/Change verifies/);
    await panel.write(/^Told forwards/, 'shows');
    await panel.press(/Change the kind/);
    expect(api.of(contract.saveTraceKind)[0]).toEqual(jasmine.objectContaining({ name: 'verifies', forward: 'shows' }));
    expect(panel.text()).toContain('shows');
  });
});
