import * as base from '@contract/base';
import * as design from '@contract/design';
import * as specify from '@contract/specify';
import { content, openProject, type Project } from './support';

describe('The trace matrix', () => {
  let p: Project;
  const keys: string[] = [];
  beforeAll(async () => {
    p = await openProject();
    for (const title of ['One', 'Two', 'Three'])
      keys.push((await p.call('author', specify.addRequirement, { specification: 'BRK', content: content(title) })).body.key);
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('Head', { kind: 'heading', text: '' }) });
    for (const [i, title] of ['Shows one', 'Shows both'].entries()) {
      const steps = [{ action: 'Do it', expected: 'It holds' }];
      const { body } = await p.call('author', design.addCase, {
        content: { title, objective: '', preconditions: '', steps, plannedMinutes: 1 },
        verifies: i ? keys.slice(0, 2) : keys.slice(0, 1),
      } as never);
      expect(body.key).toBeTruthy();
    }
  });
  afterAll(() => p.close());
  const only = JSON.stringify({ field: 'kind', is: ['requirement'] });
  const matrix = async (more = {}) => (await p.call('auditor', specify.getMatrix, { rowFilter: only, ...more } as never)).body;
  const marks = (m: Awaited<ReturnType<typeof matrix>>): string[] =>
    m.cells.map((c) => `${m.rows[c.row].key} ${m.columns[c.column].key} ${c.state}`).sort();

  it('sets two filters against each other, in either direction, and says how each trace stands', async () => {
    const m = await matrix();
    expect([m.rows.map((r) => r.key), m.columns.length, m.from]).toEqual([keys, 2, 'column']);
    expect(marks(m).map((mark) => mark.split(' ').slice(0, 2).join(' '))).toEqual([
      `${keys[0]} C-001`,
      `${keys[0]} C-002`,
      `${keys[1]} C-002`,
    ]);
    const turned = (await p.call('auditor', specify.getMatrix, { rows: 'case', columns: 'requirement', columnFilter: only })).body;
    expect(turned.cells.length).toBe(3);
    expect(turned.from).toBe('row');
    const some = await matrix({ rowFilter: JSON.stringify({ words: 'Two' }) });
    expect(some.rows.map((r) => r.key)).toEqual([keys[1]]);
    expect(some.cells.length).toBe(1);
  });

  it('shows a trace as suspect once an end was revised, and forgets one that was taken back', async () => {
    await p.call('author', specify.saveRequirement, {
      key: keys[0],
      basedOn: 1,
      content: content('One, now'),
      reason: 'It was not clear.',
    });
    const m = await matrix();
    const states = m.cells.filter((c) => m.rows[c.row].key === keys[0]).map((c) => c.state);
    expect(states).toEqual(['suspect', 'suspect']);
    await p.call('author', base.removeTrace, { id: m.cells[0].id, reason: 'Not so.' });
    expect((await matrix()).cells.length).toBe(2);
  });

  it('refuses what no trace joins, and a filter that is none', async () => {
    const asked = (more: object) => p.call('auditor', specify.getMatrix, more as never);
    expect((await asked({ trace: 'foundAgainst' })).problem.fields?.[0].path).toBe('trace');
    expect((await asked({ trace: 'parent', rows: 'case', columns: 'case' })).problem.fields?.[0].path).toBe('trace');
    expect((await asked({ rowFilter: '{' })).problem.fields?.[0].path).toBe('filter');
  });

  it('goes out with just the rows that are asked for', async () => {
    const file = async (query: string) => {
      const filter = `rowFilter=${encodeURIComponent(only)}`;
      const answer = await p.app.inject({
        url: `/api/projects/spec/matrix/file?${filter}&${query}`,
        headers: { cookie: await p.cookie('auditor') },
      });
      return answer.body;
    };
    const gaps = (await file('only=gaps&format=csv')).trim().split('\r\n');
    expect(gaps.length).toBe(3);
    expect(gaps[1]).toContain(keys[2]);
    expect((await file('only=suspect&format=csv')).trim().split('\r\n').length).toBe(3);
    expect(await file('format=html')).toContain(`<th scope="row">${keys[2]}</th>`);
  });
});
