import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { content, openProject, password, type Project } from './support';

describe('Reviews', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const add = async (title: string, more = {}): Promise<string> =>
    (await p.call('author', specify.addRequirement, { specification: 'BRK', content: content(title), ...more })).body.key;
  const revise = (key: string, basedOn: number, title: string) =>
    p.call('author', specify.saveRequirement, { key, basedOn, content: content(title), reason: 'It was asked for.' });
  const answer = (who: string, key: string, requirement: string, revision: number, given: 'agree' | 'change' = 'agree', note = '') =>
    p.call(who, specify.answerReview, { key, requirement, revision, answer: given, note });
  const waits = async (who: string) =>
    (await p.call(who, base.listWaiting, {})).body.filter((w) => w.asked === 'answer').map((w) => w.note);
  let heading = '';
  let one = '';
  let two = '';

  it('ask people about a branch, without headings and what is retired; only those who can answer', async () => {
    heading = (
      await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('Brake', { kind: 'heading', text: '' }) })
    ).body.key;
    one = await add('One', { under: heading });
    two = await add('Two', { under: heading });
    const gone = await add('Gone', { under: heading });
    await p.call('author', base.retireRecord, { key: gone, retired: true, reason: 'Not wanted.' });
    const ask = (people: string[], keys = [heading], who = 'author') =>
      p.call(who, specify.addReview, { title: 'Brake', question: 'Is it all?', due: '2026-12-24', people, keys });
    expect((await ask(['auditor'])).problem.fields?.[0].path).toBe('people');
    expect((await ask(['nobody'])).problem.fields?.[0].path).toBe('people');
    expect((await ask(['reviewer'], [gone])).problem.fields?.[0].path).toBe('keys');
    expect((await ask(['reviewer'], ['BRK-999'])).status).toBe(404);
    expect((await ask(['reviewer'], [heading], 'tester')).problem.code).toBe('forbidden');
    const { body } = await ask(['reviewer', 'tester'], [heading, one]);
    expect([body.key, body.rows.map((r) => [r.key, r.mine]), body.faults.length]).toEqual([
      'RV-001',
      [
        [one, 'open'],
        [two, 'open'],
      ],
      2,
    ]);
    expect(await waits('reviewer')).toEqual(['2 to answer, by 2026-12-24']);
    expect(await waits('author')).toEqual([]);
  });

  it('take an answer about what was read alone, with a note where a change is asked for', async () => {
    expect((await answer('author', 'RV-001', one, 1)).problem.detail).toContain('not asked');
    expect((await answer('reviewer', 'RV-001', heading, 1)).status).toBe(404);
    expect((await answer('reviewer', 'RV-001', one, 1, 'change')).problem.fields?.[0].path).toBe('note');
    expect((await answer('reviewer', 'RV-001', one, 2)).problem.code).toBe('recordChanged');
    const { body } = await answer('reviewer', 'RV-001', one, 1, 'change', 'Within which time?');
    expect(body.rows.map((r) => r.mine)).toEqual(['change', 'open']);
    await answer('reviewer', 'RV-001', two, 1);
  });

  it('ask again about what changed after the answer, with the difference to what was answered', async () => {
    await revise(one, 1, 'One within 2 s');
    const { body } = await p.call('reviewer', specify.getReview, { key: 'RV-001' });
    const [changed, same] = body.rows;
    expect([changed.mine, changed.base?.revision, changed.base?.title, changed.title]).toEqual(['again', 1, 'One', 'One within 2 s']);
    expect([same.mine, same.base]).toEqual(['agree', null]);
    expect((await p.call('reviewer', specify.signReview, { key: 'RV-001', password })).problem.detail).toContain('still to be answered');
    await answer('reviewer', 'RV-001', one, 2);
  });

  it('close when all have answered and signed; a changed text takes the signature’s worth away', async () => {
    const close = () => p.call('author', specify.closeReview, { key: 'RV-001', summary: 'Two agreed.', password });
    await answer('tester', 'RV-001', one, 2);
    await answer('tester', 'RV-001', two, 1, 'change', 'Which side?');
    await p.call('tester', specify.signReview, { key: 'RV-001', password });
    expect((await p.call('tester', specify.signReview, { key: 'RV-001', password })).problem.code).toBe('alreadySigned');
    expect((await close()).problem.detail).toBe('reviewer has not signed yet.');
    await p.call('reviewer', specify.signReview, { key: 'RV-001', password });
    expect(await waits('reviewer')).toEqual([]);
    await revise(two, 1, 'Two on the left');
    expect((await close()).problem.detail).toContain('still to answer');
    expect(await waits('reviewer')).toEqual(['1 to answer, by 2026-12-24']);
    for (const who of ['tester', 'reviewer']) {
      await answer(who, 'RV-001', two, 2);
      expect(
        (await p.call('auditor', specify.getReview, { key: 'RV-001' })).body.progress.find((x) => x.login === who)?.signed,
      ).toBeFalse();
      await p.call(who, specify.signReview, { key: 'RV-001', password });
    }
    const { body } = await close();
    expect([body.state, body.summary, body.signatures.at(-1)?.meaning]).toEqual(['closed', 'Two agreed.', 'review closed']);
    expect((await answer('tester', 'RV-001', two, 2)).problem.detail).toContain('is closed');
    expect((await p.call('auditor', base.verifyLedger, {})).body.fault).toBeUndefined();
    const listed = await p.call('auditor', specify.listReviews, { filter: JSON.stringify({ field: 'state', is: ['closed'] }) });
    expect(listed.body.rows.map((r) => [r.key, r.items, r.people])).toEqual([['RV-001', 2, ['reviewer', 'tester']]]);
  });

  it('count each of many answers at once', async () => {
    const keys = await Promise.all(Array.from({ length: 12 }, (_, i) => add(`Many ${i}`)));
    const { key } = (await p.call('author', specify.addReview, { title: 'Many', people: ['reviewer', 'tester'], keys })).body;
    const answers = await Promise.all(keys.flatMap((k) => [answer('reviewer', key, k, 1), answer('tester', key, k, 1)]));
    expect(answers.map((a) => a.status)).toEqual(answers.map(() => 200));
    const { progress } = (await p.call('auditor', specify.getReview, { key })).body;
    expect(progress.map((x) => [x.agree, x.open])).toEqual([
      [12, 0],
      [12, 0],
    ]);
  });
});
