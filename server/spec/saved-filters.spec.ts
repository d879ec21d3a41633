import * as base from '@contract/base';
import { openProject, type Project } from './support';

describe('Saved filters', () => {
  let p: Project;
  beforeAll(async () => void (p = await openProject()));
  afterAll(() => p.close());
  const save = (who: string, name: string, more: { shared?: boolean; list?: string; question?: string } = {}) =>
    p.call(who, base.saveFilter, { list: 'cases', name, question: 'f=state:draft', ...more });
  const names = async (who: string, list = 'cases') => (await p.call(who, base.listFilters, { list })).body.map(({ name }) => name);

  it('are a person’s own until they are shared, and of one list', async () => {
    await save('author', 'Mine');
    await save('author', 'Release/Ours', { shared: true });
    await save('author', 'Elsewhere', { list: 'problems' });
    expect(await names('author')).toEqual(['Mine', 'Release/Ours']);
    expect(await names('tester')).toEqual(['Release/Ours']);
    expect(await names('auditor')).toEqual(['Release/Ours']);
    expect(await names('author', 'problems')).toEqual(['Elsewhere']);
  });
  it('saved again under one name are changed, not doubled', async () => {
    await save('tester', 'Twice');
    const { body } = await save('tester', 'Twice', { question: 'f=state:approved' });
    expect(body.filter(({ name }) => name === 'Twice').map(({ question }) => question)).toEqual(['f=state:approved']);
  });
  it('may be where one’s list begins: one of them, and nobody else’s', async () => {
    const { body: all } = await save('tester', 'First', { shared: true });
    const { body: other } = await save('tester', 'Second');
    const id = (name: string) => other.find((f) => f.name === name)?.id ?? 0;
    expect(all.length).toBeGreaterThan(0);
    await p.call('tester', base.changeFilter, { id: id('First'), first: true });
    const { body: now } = await p.call('tester', base.changeFilter, { id: id('Second'), first: true });
    expect(now.filter(({ first }) => first).map(({ name }) => name)).toEqual(['Second']);
    await p.call('tester', base.changeFilter, { id: id('First'), first: true });
    const { body: theirs } = await p.call('author', base.listFilters, { list: 'cases' });
    expect(theirs.filter(({ first }) => first)).toEqual([]);
  });
  it('are changed and forgotten by their owner alone; an auditor saves none', async () => {
    const { body } = await save('author', 'Kept', { shared: true });
    const id = body.find(({ name }) => name === 'Kept')?.id ?? 0;
    expect((await p.call('tester', base.changeFilter, { id, shared: false })).status).toBe(404);
    expect((await p.call('tester', base.dropFilter, { id })).status).toBe(404);
    expect((await save('auditor', 'Any')).status).toBe(403);
    expect((await p.call('author', base.dropFilter, { id })).status).toBe(200);
    expect(await names('tester')).not.toContain('Kept');
  });
  it('that are shared stand in the ledger; without a name there is none', async () => {
    const { body } = await p.call('auditor', base.listLedger, { kind: 'filter' });
    expect(body.entries.map(({ action }) => action)).toEqual(jasmine.arrayContaining(['filter shared', 'shared filter taken away']));
    expect((await save('author', '   ')).status).toBe(400);
    expect((await save('author', 'x', { list: '../etc' })).status).toBe(400);
  });
});
