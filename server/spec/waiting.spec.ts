import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { openLies, type Lies } from './lies';
import { caseContent, password } from './support';

describe('What waits for a person', () => {
  let l: Lies;
  beforeAll(async () => void (l = await openLies()));
  afterAll(() => l.p.close());
  const waiting = async (who: string) => (await l.p.call(who, base.listWaiting, {})).body;

  it('is what they are asked for and nobody else, what holds up most first', async () => {
    const [one, two, three] = [await l.requirement(), await l.requirement(), await l.requirement()];
    const small = await l.aCase([one]);
    const wide = await l.aCase([one, two, three]);
    const [first, second] = [await l.planned(small), await l.planned(wide)];
    const mine = (await waiting('tester')).filter(({ asked }) => asked === 'record');
    expect(mine.map(({ key, holds, minutes, build }) => [key, holds, minutes, build])).toEqual([
      [second, 3, 5, '1.0'],
      [first, 1, 5, '1.0'],
    ]);
    expect((await waiting('second')).filter(({ asked }) => asked === 'record')).toEqual([]);
    await l.record(first);
    expect((await waiting('tester')).find(({ key }) => key === first)?.asked).toBe('sign');
    await l.sign(first, 'tester', 'performed');
    expect((await waiting('tester')).map(({ key }) => key)).not.toContain(first);
    expect((await waiting('reviewer')).find(({ key }) => key === first)).toEqual(jasmine.objectContaining({ asked: 'review', holds: 1 }));
    expect(await waiting('auditor')).toEqual([]);
  });
  it('is not asked of whoever wrote or drew it', async () => {
    const { body: r } = await l.p.call('second', specify.addRequirement, { specification: 'BRK', content: l.plain() });
    await l.p.call('second', specify.setRequirementState, { key: r.key, basedOn: 1, state: 'review' });
    expect((await waiting('reviewer')).find(({ key }) => key === r.key)?.asked).toBe('approve');
    expect((await waiting('second')).map(({ key }) => key)).not.toContain(r.key);
    const approved = await l.requirement();
    const c = await l.aCase([]);
    await l.p.call('second', base.addTrace, { kind: 'verifies', from: c, to: approved });
    const confirm = (who: string) => waiting(who).then((items) => items.filter(({ key, asked }) => key === c && asked === 'confirm'));
    expect((await confirm('reviewer')).map(({ note }) => note)).toEqual([`trace to ${approved} to confirm`]);
    expect(await confirm('second')).toEqual([]);
  });
  it('names nothing of a closed build', async () => {
    await l.p.call('author', run.addBuild, { name: '7.0', description: '' });
    const key = await l.planned(await l.aCase([await l.requirement()]), { build: '7.0' });
    expect((await waiting('tester')).map((item) => item.key)).toContain(key);
    const closed = await l.p.call('reviewer', base.closeBuild, { key: '7.0', password, reason: 'It is released.' });
    expect(closed.status).toBe(200);
    expect((await waiting('tester')).map((item) => item.key)).not.toContain(key);
  });
  it('tells what others did to what one follows and decided about one’s work, and not one’s own', async () => {
    const c = await l.aCase([await l.requirement()]);
    await l.p.call('reviewer', base.setFollowing, { key: c, follow: true });
    const news = async (who: string) => (await l.p.call(who, base.listNews, {})).body;
    const before = await news('reviewer');
    const { body } = await l.p.call('auditor', design.getCase, { key: c });
    await l.p.call('author', design.saveCase, { key: c, basedOn: body.revision, reason: 'It was wrong.', content: caseContent('Better') });
    const said = (await l.p.call('reviewer', base.addComment, { key: c, html: 'Is it?' })).body;
    const now = await news('reviewer');
    expect(now.entries[0]).toEqual(jasmine.objectContaining({ action: 'case revised', key: c, who: 'author', why: 'changed' }));
    expect(now.entries.length).toBe(before.entries.length + 1);
    expect(now.unseen).toBe(now.entries.length);
    // The author follows nothing, and is told what was decided about the case.
    const decided = (await news('author')).entries.filter(({ key }) => key === c);
    expect(decided.map(({ action, why }) => `${action}: ${why}`)).toEqual(['case approved: decided']);
    await l.p.call('author', base.addComment, { key: c, html: 'Yes, @reviewer.', parent: said.id });
    await l.p.call('both', base.addComment, { key: c, html: 'I see.', parent: said.id });
    expect((await news('reviewer')).entries.slice(0, 2).map(({ why }) => why)).toEqual(['answered', 'mentioned']);
    expect((await l.p.call('auditor', base.listNews, {})).body.entries).toEqual([]);
  });
  it('knows what one has seen of the news, and leaves out kinds that are off', async () => {
    const [newest] = (await l.p.call('reviewer', base.listNews, {})).body.entries;
    const seen = await l.p.call('reviewer', base.setNews, { seen: newest.seq });
    expect([seen.body.seen, seen.body.unseen]).toEqual([newest.seq, 0]);
    expect((await l.p.call('reviewer', base.setNews, { seen: 1 })).body.seen).toBe(newest.seq);
    const off = (await l.p.call('reviewer', base.setNews, { off: ['answered', 'answered', 'changed'] })).body;
    expect(off.off).toEqual(['answered', 'changed']);
    expect(new Set(off.entries.map(({ why }) => why)).has('answered')).toBeFalse();
    expect(off.entries.some(({ why }) => why === 'mentioned')).toBeTrue();
    expect((await l.p.call('author', base.listNews, {})).body.off).toEqual([]);
    expect((await l.p.call('reviewer', base.setNews, { off: ['weather'] as never })).status).toBe(400);
    const rest = (await l.p.call('reviewer', base.listNews, { limit: 1, before: newest.seq })).body;
    expect(rest.entries.every(({ seq }) => seq < newest.seq)).toBeTrue();
  });
  it('has a ledger that is read by days', async () => {
    const list = async (more: { from?: string; to?: string }) =>
      (await l.p.call('auditor', base.listLedger, { limit: 5, ...more })).body.total;
    const today = new Date().toISOString().slice(0, 10);
    const all = await list({});
    expect(await list({ from: today, to: today })).toBe(all);
    expect(await list({ to: '2020-01-01' })).toBe(0);
    expect((await l.p.call('auditor', base.listLedger, { from: 'yesterday' })).status).toBe(400);
  });
});
