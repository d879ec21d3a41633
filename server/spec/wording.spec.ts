import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { usualWording } from '@core/specify';
import { content, openProject, type Project } from './support';

describe('Wording', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const add = async (text: string): Promise<string> =>
    (await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('T', { text }) })).body.key;
  const report = async (more = {}) => (await p.call('auditor', specify.reportWording, { key: 'BRK', ...more })).body;
  const lists = () => JSON.parse(JSON.stringify(usualWording)) as { glossary: { term: string; meaning: string }[] };

  it('is counted over a specification by rule, and shown requirement by requirement', async () => {
    const fast = await add('The pump shall start fast.');
    const both = await add('The valve shall close smoothly, if possible.');
    await add('The valve shall close within 2 s.');
    const all = await report();
    expect([all.checked, all.open, all.total]).toEqual([3, 2, 2]);
    expect(all.rules.filter((r) => r.open).map((r) => [r.rule, r.open])).toEqual([
      ['vague', 2],
      ['escape', 1],
    ]);
    const vague = await report({ rule: 'vague', skip: 1 });
    expect([vague.total, vague.rows.map((r) => r.key)]).toEqual([2, [both]]);
    expect(all.rows[0].findings).toEqual([{ rule: 'vague', from: 21, to: 25, words: 'fast', dismissed: null }]);
    expect(all.rows[0].key).toBe(fast);
  });

  it('can be let stand for a reason, for these words, until somebody looks anew or the text is another', async () => {
    const key = await add('The fan shall be quick.');
    const dismiss = (words: string, who = 'author', reason = 'A trade name.') =>
      p.call(who, specify.dismissFinding, { key, rule: 'vague', words, reason });
    expect((await dismiss('slow')).problem.code).toBe('recordChanged');
    expect((await dismiss('quick', 'tester')).problem.code).toBe('forbidden');
    expect((await dismiss('quick', 'author', '')).status).toBe(400);
    const [a, b] = await Promise.all([dismiss('quick'), dismiss('Quick')]);
    expect(a.body.id).toBe(b.body.id);
    const row = async () => (await report({ dismissed: 'with' })).rows.find((r) => r.key === key)?.findings;
    expect((await row())?.map((f) => f.dismissed)).toEqual(['A trade name.']);
    expect((await report()).rows.some((r) => r.key === key)).toBeFalse();
    expect((await p.call('auditor', specify.getRequirement, { key })).body.dismissals.map((d) => [d.words.toLowerCase(), d.by])).toEqual([
      ['quick', 'author'],
    ]);
    await p.call('reviewer', specify.endDismissal, { key, id: a.body.id });
    expect((await row())?.map((f) => f.dismissed)).toEqual([null]);
    expect((await p.call('reviewer', specify.endDismissal, { key, id: a.body.id })).status).toBe(404);
    expect((await p.call('auditor', base.verifyLedger, {})).body.fault).toBeUndefined();
  });

  it('goes by the project’s own words, which only an author or administrator sets', async () => {
    const key = await add('The XCU shall be snappy within 2 s.');
    const rules = async () => (await report()).rows.find((r) => r.key === key)?.findings.map((f) => f.rule);
    expect(await rules()).toEqual(['term']);
    const own = { ...lists(), vague: ['snappy'], glossary: [{ term: 'XCU', meaning: 'The unit.' }] };
    expect((await p.call('auditor', specify.saveWording, own as never)).problem.code).toBe('forbidden');
    expect((await p.call('author', specify.saveWording, own as never)).body.usual).toBeFalse();
    expect(await rules()).toEqual(['vague']);
    const twice = { ...own, glossary: [...own.glossary, { term: 'xcu', meaning: '' }] };
    expect((await p.call('author', specify.saveWording, twice as never)).problem.fields?.[0].path).toBe('glossary');
    expect((await p.call('auditor', specify.getWording, {})).body.lists.vague).toEqual(['snappy']);
  });
});
