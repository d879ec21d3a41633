import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { content, openProject, type Project } from './support';

describe('Specify', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const add = (title: string, more = {}) =>
    p.call('author', specify.addRequirement, { specification: 'BRK', content: content(title), ...more });

  it('gives the next free key and keeps a snapshot of every revision', async () => {
    const { body } = await add('First');
    expect(body.key).toBe('BRK-001');
    await p.call('author', specify.saveRequirement, {
      key: body.key,
      reason: 'It was not clear.',
      basedOn: 1,
      content: content('First, revised'),
    });
    const history = await p.call('auditor', base.recordHistory, { key: body.key });
    expect(history.body.map((r) => [r.revision, r.snapshot['title']])).toEqual([
      [2, 'First, revised'],
      [1, 'First'],
    ]);
  });

  it('answers the second of two editors with both versions, and loses neither', async () => {
    const { body } = await add('Shared');
    const save = (title: string) =>
      p.call('author', specify.saveRequirement, { key: body.key, reason: 'It was not clear.', basedOn: 1, content: content(title) });
    const [a, b] = await Promise.all([save('Mine'), save('Theirs')]);
    const [won, lost] = a.status === 200 ? [a, b] : [b, a];
    expect(won.status).toBe(200);
    expect(lost.status).toBe(409);
    expect(lost.problem.code).toBe('conflict');
    expect((lost.problem.current as { title: string }).title).toBe(won.body.title);
  });

  it('takes forty writers at once: every key is given once and the chain holds', async () => {
    const made = await Promise.all(Array.from({ length: 40 }, (_, i) => add(`Parallel ${i}`)));
    expect(new Set(made.map((m) => m.body.key)).size).toBe(40);
    const verdict = await p.call('auditor', base.verifyLedger, {});
    expect(verdict.body.fault).toBeUndefined();
  });

  it('approves only what is complete, and only by a reviewer', async () => {
    const { body } = await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('Empty', { text: '' }) });
    const refused = await p.call('author', specify.setRequirementState, { key: body.key, basedOn: 1, state: 'review' });
    expect([refused.status, refused.problem.detail]).toEqual([409, jasmine.stringContaining('no text')]);
    const whole = (await add('Whole')).body;
    const sign = (who: string, hash = whole.hash) =>
      p.call(who, specify.approveRequirement, { key: whole.key, basedOn: 1, hash, password: 'spec-password' });
    expect((await sign('author')).problem.code).toBe('forbidden');
    // Not straight from draft.
    expect((await sign('reviewer')).problem.detail).toContain('not in review');
    await p.call('author', specify.setRequirementState, { key: whole.key, basedOn: 1, state: 'review' });
    expect((await sign('reviewer', '0'.repeat(64))).problem.code).toBe('recordChanged');
    const approved = await sign('reviewer');
    expect(approved.body.state).toBe('approved');
    expect(approved.body.signatures.map((s) => [s.meaning, s.login, s.hash])).toEqual([['approved', 'reviewer', whole.hash]]);
    expect((await sign('reviewer')).problem.code).toBe('alreadySigned');
  });

  it('lets nobody approve what they wrote', async () => {
    await p.call('admin', base.setMember, { login: 'both', roles: ['author', 'tester', 'reviewer'] });
    const { body } = await p.call('both', specify.addRequirement, { specification: 'BRK', content: content('Mine') });
    await p.call('both', specify.setRequirementState, { key: body.key, basedOn: 1, state: 'review' });
    const mine = await p.call('both', specify.approveRequirement, {
      key: body.key,
      basedOn: 1,
      hash: body.hash,
      password: 'spec-password',
    });
    expect(mine.problem.code).toBe('ownWork');
  });

  it('refuses a circle of parents, a doubled trace and a heading below itself', async () => {
    const [a, b] = [(await add('A')).body.key, (await add('B')).body.key];
    const trace = (from: string, to: string) => p.call('author', base.addTrace, { kind: 'parent', from, to });
    expect((await trace(a, b)).status).toBe(200);
    expect((await trace(b, a)).problem.code).toBe('stateForbids');
    expect((await trace(a, b)).problem.code).toBe('exists');
    await p.call('author', specify.placeRequirement, { key: a, under: b, before: null });
    expect((await p.call('author', specify.placeRequirement, { key: b, under: a, before: null })).problem.code).toBe('stateForbids');
  });

  it('tells a tree branch by branch, in its order, with how many stand under each and the way to any of them', async () => {
    await p.call('author', specify.addSpecification, { key: 'DOR', title: 'Doors', prefix: 'DOR' });
    const put = async (key: string, under: string | null, more = {}): Promise<void> =>
      void (await p.call('author', specify.addRequirement, { specification: 'DOR', key, under, content: content(key, more) }));
    await put('DOR-100', null, { kind: 'heading' });
    await put('DOR-200', 'DOR-100', { kind: 'heading' });
    for (let i = 1; i <= base.branchPageSize + 3; i++) await put(`DOR-${1000 + i}`, 'DOR-200');
    await p.call('author', specify.placeRequirement, { key: 'DOR-1103', under: 'DOR-200', before: 'DOR-1001' });
    const ask = async (query: { at?: string; of?: string; to?: string }) =>
      (await p.call('auditor', specify.listBranches, { key: 'DOR', ...query })).body;
    const top = await ask({ at: '.0' });
    expect(top.total).toBe(105);
    expect(top.branches).toEqual([
      { under: null, page: 0, total: 1, rows: [jasmine.objectContaining({ key: 'DOR-100', under: null, children: 1, kind: 'heading' })] },
    ]);
    const { branches } = await ask({ at: 'DOR-200.0,DOR-200.1,DOR-200.7,NOPE-1.0' });
    expect(branches.map(({ page, total, rows }) => [page, total, rows.length])).toEqual([
      [0, 103, 100],
      [1, 103, 3],
      [7, 103, 0],
    ]);
    const keys = branches.flatMap(({ rows }) => rows.map((row) => row.key));
    expect(keys).toEqual(['DOR-1103', ...Array.from({ length: 102 }, (_, i) => `DOR-${1001 + i}`)]);
    const way = await ask({ of: 'DOR-1001,BRK-001', to: 'DOR-1001' });
    expect(way.rows.map(({ key }) => key)).toEqual(['DOR-1001']);
    expect(way.path.map(({ row, at }) => [row.key, row.children, at])).toEqual([
      ['DOR-100', 1, 0],
      ['DOR-200', 103, 0],
      ['DOR-1001', 0, 1],
    ]);
    expect((await p.call('auditor', specify.listBranches, { key: 'DOR', at: "x'.0" })).status).toBe(400);
    expect((await p.call('auditor', specify.listBranches, { key: 'NOPE' })).status).toBe(404);
  });

  it('makes a trace suspect when an end is revised, until somebody confirms what they saw', async () => {
    const [child, parent] = [(await add('Child')).body.key, (await add('Parent')).body.key];
    const { body: trace } = await p.call('author', base.addTrace, { kind: 'parent', from: child, to: parent });
    await p.call('author', specify.saveRequirement, {
      key: parent,
      reason: 'It was not clear.',
      basedOn: 1,
      content: content('Parent, revised'),
    });
    const stale = await p.call('author', base.confirmTrace, { id: trace.id, reason: 'Still holds', fromRevision: 1, toRevision: 1 });
    expect(stale.problem.code).toBe('conflict');
    const confirmed = await p.call('author', base.confirmTrace, { id: trace.id, reason: 'Still holds', fromRevision: 1, toRevision: 2 });
    expect(confirmed.body.toRevision).toBe(2);
  });

  const head = 'key,title,text,level,parent\n';
  const mapping = { key: 'key', title: 'title', text: 'text', level: 'level', parent: 'parent' };
  const load = (csv: string) => p.call('author', specify.importRequirements, { specification: 'BRK', fileName: 'x.csv', csv, mapping });

  it('writes nothing of a table with one bad row, and names row and cell', async () => {
    const answer = await load(`${head}IMP-001,One,Text,SIL 1,\nIMP-002,Two,Text,SIL 9,\nIMP-001,Again,Text,,NOPE-001\n`);
    expect(answer.status).toBe(422);
    expect(answer.problem.findings?.map((f) => [f.row, f.cell])).toEqual([
      [3, 'level'],
      [4, 'key'],
      [4, 'parent'],
    ]);
    const filter = JSON.stringify({ words: 'IMP' });
    expect((await p.call('auditor', specify.listRequirements, { filter, limit: 10 })).body.total).toBe(0);
  });

  it('writes 50,000 rows in one transaction, and refuses one more', async () => {
    const rows = (n: number, prefix: string) =>
      head + Array.from({ length: n }, (_, i) => `${prefix}-${i + 1},Requirement ${i},Text of it,SIL 1,\n`).join('');
    expect((await load(rows(50_001, 'TOO'))).problem.findings?.[0].text).toContain('50001 rows');
    expect((await load(rows(50_000, 'BIG'))).body.written).toBe(50_000);
    const verdict = await p.call('auditor', base.verifyLedger, {});
    expect(verdict.body.fault).toBeUndefined();
  });

  it('reads back what it exported', async () => {
    const csv = (
      await p.app.inject({ url: '/api/projects/spec/requirements.csv?specification=BRK', headers: { cookie: await p.cookie('auditor') } })
    ).body;
    expect(csv.split('\r\n')[0]).toContain('key,kind,under,title');
    expect(csv).toContain('BRK-001,requirement,,"First, revised"');
  });
});

describe('the ledger', () => {
  it('names the first entry that was changed behind its back, and the server’s own account cannot change one', async () => {
    const p = await openProject();
    for (const title of ['One', 'Two', 'Three'])
      await p.call('author', specify.addRequirement, { specification: 'BRK', content: content(title) });
    await expectAsync(p.database.pool.query("update ledger set who = 'nobody' where seq = 3")).toBeRejectedWithError(/denied/);
    await expectAsync(p.database.pool.query('delete from signatures')).toBeRejectedWithError(/denied/);
    const verify = async () => (await p.call('auditor', base.verifyLedger, {})).body;
    const { entries } = await verify();
    await p.owner.query(`update ${p.name}.ledger set who = 'nobody' where project_id = ${p.projectId} and seq = 4`);
    expect((await verify()).fault).toEqual({ seq: 4, fault: 'hash' });
    await p.owner.query(`update ${p.name}.ledger set who = 'admin' where project_id = ${p.projectId} and seq = 4`);
    expect((await verify()).fault).toBeUndefined();
    await p.owner.query(`delete from ${p.name}.ledger where project_id = ${p.projectId} and seq = ${entries}`);
    expect((await verify()).fault).toEqual({ seq: entries, fault: 'gap' });
    await p.close();
  });
});

describe('a table of requirements', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const usual = {
    key: 'key',
    kind: 'kind',
    under: 'under',
    title: 'title',
    text: 'text',
    rationale: 'rationale',
    level: 'level',
    method: 'method',
    parent: 'parent',
    topLevel: 'top level',
    derived: 'derived',
    notInCode: 'not in code',
  };
  const exported = async (): Promise<string> =>
    (await p.app.inject({ url: '/api/projects/spec/requirements.csv', headers: { cookie: await p.cookie('auditor') } })).body;
  const load = (csv: string, mapping: Record<string, string>) =>
    p.call('author', specify.importRequirements, { specification: 'BRK', fileName: 'r.csv', csv, mapping });

  it('exported, imported and exported again is the same to the byte, and the import changes nothing', async () => {
    const fields = (
      await p.call('admin', base.addField, {
        kind: 'requirement',
        name: 'Zones',
        definition: { type: 'choices', choices: ['front', 'rear'] },
      })
    ).body;
    const mass = (await p.call('admin', base.addField, { kind: 'requirement', name: 'Mass', definition: { type: 'number', unit: 'kg' } }))
      .body;
    const [zones, kilos] = [fields.find((f) => f.name === 'Zones')?.id, mass.find((f) => f.name === 'Mass')?.id];
    const texts = ['=1+1', "'=2", '-2+3', ' "=x"', 'two\nlines', 'a;b,"c"', '文 “quoted”', '-5'];
    const rows = texts.map(
      (text, i) =>
        `BRK-00${i + 1},requirement,,T ${i},"${text.replace(/"/g, '""')}",,SIL 1,test,${i > 2 ? 'BRK-001; BRK-002' : ''},${i === 0 ? 'yes' : ''},,${i === 4 ? 'yes' : ''},front; rear,${i}.5`,
    );
    const heading = 'key,kind,under,title,text,rationale,level,method,parent,top level,derived,not in code,Zones,Mass';
    const mapping = { ...usual, [`own:${zones}`]: 'Zones', [`own:${kilos}`]: 'Mass' };
    const first = await load(`${heading}\n${rows.join('\n')}\n`, mapping);
    expect(first.body).toEqual(jasmine.objectContaining({ written: 8, changed: 0, same: 0 }));
    const once = await exported();
    const before = (await p.call('auditor', base.listLedger, {})).body.total;
    const again = await load(once, mapping);
    expect(again.body).toEqual({ written: 0, changed: 0, same: 8, retired: 0, bulk: null });
    expect(await exported()).toBe(once);
    expect((await p.call('auditor', base.listLedger, {})).body.total).toBe(before);
  });

  it('brings what differs to what it says, as new revisions', async () => {
    const table = (await exported()).replace('T 2', 'Another title').replace('BRK-001; BRK-002', 'BRK-001; BRK-003');
    expect((await load(table, usual)).body).toEqual(jasmine.objectContaining({ written: 0, changed: 2, same: 6 }));
    const third = (await p.call('auditor', specify.getRequirement, { key: 'BRK-003' })).body;
    expect([third.title, third.revision, third.state]).toEqual(['Another title', 2, 'draft']);
    const fourth = (await p.call('auditor', specify.getRequirement, { key: 'BRK-004' })).body;
    expect(fourth.parents.map((t) => t.to).sort()).toEqual(['BRK-001', 'BRK-003']);
  });

  it('is refused as a whole, with row and cell, where an own field does not fit, or parents form a circle', async () => {
    const { problem } = await load('key,title,text,parent\nBRK-020,T,X,BRK-021\nBRK-021,T,X,BRK-020\n', {
      key: 'key',
      title: 'title',
      text: 'text',
      parent: 'parent',
    });
    expect(problem.findings?.[0].text).toContain('BRK-020 → BRK-021 → BRK-020');
    const through = await load('key,title,text,parent\nBRK-001,T 0,X,BRK-008\n', {
      key: 'key',
      title: 'title',
      text: 'text',
      parent: 'parent',
    });
    expect(through.problem.findings?.[0].text).toContain('BRK-001 → BRK-008 → BRK-001');
    expect((await p.call('auditor', specify.listRequirements, {})).body.total).toBe(8);
  });
});
