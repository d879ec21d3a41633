import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { content, openProject, password, type Project } from './support';

describe('Gaps and their exceptions', () => {
  let p: Project;
  let top = '';
  let low = '';
  beforeAll(async () => {
    p = await openProject();
    top = (
      await p.call('author', specify.addRequirement, {
        specification: 'BRK',
        content: content('Top', { level: 'SIL 3', text: 'It shall stop within 2 s.' }),
      })
    ).body.key;
    low = (
      await p.call('author', specify.addRequirement, {
        specification: 'BRK',
        parent: top,
        content: content('Low', { topLevel: false, level: 'SIL 2', text: 'It shall stop within 3 s.' }),
      })
    ).body.key;
  });
  afterAll(() => p.close());
  const list = async (more = {}) => (await p.call('auditor', specify.listGaps, more)).body;
  const rules = (of: Awaited<ReturnType<typeof list>>): string[] => of.rows.map((r) => `${r.rule} ${r.key}`);
  const gap = async (rule: string) => {
    const row = (await list({ excepted: 'with' })).rows.find((r) => r.rule === rule);
    if (!row) throw new Error(`no ${rule}`);
    return row;
  };

  it('are counted over the project, a specification and a branch, and come in pages', async () => {
    const all = await list();
    expect(rules(all)).toEqual([`noCase ${top}`, `noCase ${low}`, `withinLevel ${low}`, `lowerLevel ${low}`, `otherNumber ${low}`]);
    expect(all.rules.find((r) => r.rule === 'noCase')?.open).toBe(2);
    const page = await list({ rule: 'noCase', skip: 1, limit: 1 });
    expect([page.total, rules(page)]).toEqual([2, [`noCase ${low}`]]);
    expect((await list({ under: low })).checked).toBe(1);
    expect(rules(await list({ specification: 'BRK' }))).toEqual(rules(all));
    expect((await p.call('auditor', specify.listGaps, { specification: 'NOT' })).status).toBe(404);
  });

  it('are let be by a signed exception, which ends when what it rests on is revised', async () => {
    const { rule, key, other, ground } = await gap('lowerLevel');
    const grant = (who: string, more = {}) =>
      p.call(who, specify.grantException, { rule, key, other, ground, reason: 'Two channels.', password, ...more });
    expect((await grant('author')).problem.code).toBe('forbidden');
    expect((await grant('reviewer', { password: 'wrong' })).problem.code).toBe('signaturePassword');
    expect((await grant('reviewer', { ground: 'f'.repeat(64) })).problem.code).toBe('recordChanged');
    expect((await grant('reviewer', { rule: 'circle' })).status).toBe(404);
    expect((await grant('reviewer')).status).toBe(200);
    expect((await grant('reviewer')).problem.code).toBe('alreadySigned');
    expect(rules(await list())).not.toContain(`lowerLevel ${low}`);
    expect((await gap('lowerLevel')).exception?.reason).toBe('Two channels.');
    const signed = (await p.call('auditor', specify.getRequirement, { key: low })).body.signatures;
    expect(signed.map((s) => s.meaning)).toEqual(['exception granted']);
    await p.call('author', specify.saveRequirement, {
      key: top,
      basedOn: 1,
      content: content('Top', { level: 'SIL 3', text: 'It shall stop within 4 s.' }),
      reason: 'It was not clear.',
    });
    const after = await list();
    expect([after.ended, rules(after).includes(`lowerLevel ${low}`)]).toEqual([1, true]);
    expect(rules(after)).not.toContain(`otherNumber ${low}`);
  });

  it('are there again when the exception is ended, and go out as a table', async () => {
    const { rule, key, other, ground } = await gap('withinLevel');
    await p.call('reviewer', specify.grantException, { rule, key, other, ground, reason: 'One level only.', password });
    const file = async (query: string) =>
      (await p.app.inject({ url: `/api/projects/spec/gaps/file?${query}`, headers: { cookie: await p.cookie('auditor') } })).body;
    expect(await file('excepted=with')).toContain('One level only.');
    expect(await file('')).not.toContain('One level only.');
    const id = (await gap('withinLevel')).exception?.id ?? 0;
    expect((await p.call('author', specify.endException, { id, reason: 'There are two now.' })).status).toBe(200);
    expect((await p.call('author', specify.endException, { id })).status).toBe(404);
    expect(rules(await list())).toContain(`withinLevel ${low}`);
    expect((await p.call('auditor', base.verifyLedger, {})).body.fault).toBeUndefined();
  });

  it('are looked for by the rules of the project: tried before they are kept, and what they want counted', async () => {
    const { rules: usual, pattern, usual: asUsual, found } = (await p.call('auditor', specify.getTraceRules, {})).body;
    expect([asUsual, usual.map(({ id }) => id)]).toEqual([true, ['noParent', 'noCase', 'noChild', 'withinLevel']]);
    expect(pattern.map(({ id }) => id)).toContain('severalCases');
    expect(found['noCase']).toBe(2);
    const strict = { ...usual[1], id: 'strict', name: 'Strict ones want two', levels: ['SIL 3'], least: 2 };
    const tried = await p.call('author', specify.tryTraceRules, { rules: [strict] });
    expect(tried.body.found).toEqual({ strict: 1 });
    expect((await p.call('auditor', specify.getTraceRules, {})).body.usual).toBeTrue();
    expect((await p.call('reviewer', specify.saveTraceRules, { rules: [strict] })).problem.code).toBe('forbidden');
    const faulty = await p.call('author', specify.saveTraceRules, { rules: [strict, { ...strict, name: '' }] });
    expect(faulty.problem.fields?.map(({ path }) => path)).toEqual(['rules.1.id', 'rules.1.name']);
    const kept = await p.call('author', specify.saveTraceRules, { rules: [strict] });
    expect([kept.body.usual, kept.body.found]).toEqual([false, { strict: 1 }]);
    const now = await list();
    expect(now.rows.find((row) => row.rule === 'strict')).toEqual(jasmine.objectContaining({ key: top, words: 'Nothing verifies it.' }));
    expect(now.rows.some((row) => row.rule === 'noCase' || row.rule === 'withinLevel')).toBeFalse();
    expect(now.rules[0]).toEqual(jasmine.objectContaining({ rule: 'strict', name: 'Strict ones want two', open: 1 }));
    const url = '/api/projects/spec/gaps/file?format=csv&rule=strict';
    expect((await p.app.inject({ url, headers: { cookie: await p.cookie('auditor') } })).body).toContain('Strict ones want two');
  });
});
