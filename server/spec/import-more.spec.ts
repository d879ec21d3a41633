import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { openProject, type Project } from './support';

describe('A table of requirements, further', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const preview = (csv: string, more = {}) => p.call('author', specify.previewImport, { csv, specification: 'BRK', ...more });
  const load = async (csv: string, more: { mapping?: Record<string, string>; missing?: 'retire' } = {}) => {
    const mapping = more.mapping ?? (await preview(csv)).body.mapping;
    return p.call('author', specify.importRequirements, { specification: 'BRK', fileName: 'r.csv', csv, ...more, mapping });
  };
  const of = async (key: string) => (await p.call('auditor', specify.getRequirement, { key })).body;
  const undo = (id: number | null) => p.call('author', base.undoBulk, { id: id ?? 0 });
  const sound = async () =>
    expect((await p.call('auditor', base.verifyLedger, {})).body).toEqual(jasmine.objectContaining({ rowFaults: [] }));

  it('makes a tree of numbers and of depth, and says which number is not there', async () => {
    const numbered = await load(
      'key,title,text,kind,number\nBRK-010,Brake,,heading,1\nBRK-011,Closes,It shall close.,,1.1\nBRK-012,Opens,It shall open.,,1.1.1\n',
    );
    expect(numbered.body.written).toBe(3);
    expect([(await of('BRK-011')).under, (await of('BRK-012')).under]).toEqual(['BRK-010', 'BRK-011']);
    const deep = await load(
      'key,title,text,kind,depth\nBRK-020,Doors,,heading,1\nBRK-021,Shut,It shall shut.,,2\nBRK-022,Lock,It shall lock.,,2\n',
    );
    expect(deep.body.written).toBe(3);
    expect([(await of('BRK-021')).under, (await of('BRK-022')).under]).toEqual(['BRK-020', 'BRK-020']);
    const indented = 'key,title,text\nBRK-030,A,It shall.\nBRK-031,  B,It shall.\nBRK-032,    C,It shall.\nBRK-033,  D,It shall.\n';
    await load(indented, { mapping: { key: 'key', title: 'title', text: 'text', depth: 'title' } });
    expect((await of('BRK-033')).under).toBe('BRK-030');
    expect((await of('BRK-032')).under).toBe('BRK-031');
    const gap = (await preview('key,title,text,number\nBRK-040,A,It shall.,2.1\n')).body.findings;
    expect(gap.map(({ row, cell, text }) => [row, cell, text])).toEqual([
      [2, 'number', 'No row has the number 2, under which 2.1 would stand.'],
    ]);
  });

  it('brings what a requirement has beside its text, and leaves what it has no column for', async () => {
    await load(
      'key,title,text,acceptance criteria,source,risk,priority,tags\nBRK-050,A,It shall.,"Seen once\nSeen twice",EN 1 § 4,high,low,"brake, cold"\n',
    );
    const first = await of('BRK-050');
    const more = { criteria: ['Seen once', 'Seen twice'], source: 'EN 1 § 4', risk: 'high', priority: 'low', tags: ['brake', 'cold'] };
    expect(first).toEqual(jasmine.objectContaining(more));
    const { body } = await preview('key,title,text,tags\nBRK-050,A,It shall.,warm\n');
    expect(body.rows[0].differences).toEqual([{ name: 'Tags', before: '1. brake\n2. cold', after: '1. warm' }]);
    await load('key,title,text,tags\nBRK-050,A,It shall.,warm\n');
    expect(await of('BRK-050')).toEqual(jasmine.objectContaining({ ...more, tags: ['warm'], revision: 2 }));
    const tagged = await p.call('auditor', specify.listRequirements, { filter: JSON.stringify({ field: 'tags', is: ['warm'] }) });
    expect(tagged.body.rows.map(({ key }) => key)).toEqual(['BRK-050']);
    await sound();
  });

  it('names what it does not name, leaves it or retires it, and is taken back as one', async () => {
    const kept = 'key,title,text,parent\nBRK-050,Other title,It shall.,BRK-011\nBRK-060,New,It shall.,\n';
    const { missing, missingKeys } = (await preview(kept)).body;
    expect([missing, missingKeys[0], missingKeys.length]).toEqual([10, 'BRK-010', 10]);
    const before = await of('BRK-050');
    const done = (await load(kept, { missing: 'retire' })).body;
    expect(done).toEqual(jasmine.objectContaining({ written: 1, changed: 1, retired: 10 }));
    expect([(await of('BRK-011')).state, (await of('BRK-050')).derivedFrom]).toEqual(['retired', ['BRK-011']]);
    expect((await preview(kept)).body.missing).toBe(0);
    const back = (await undo(done.bulk)).body;
    expect([back.done, back.refused]).toEqual([12, 0]);
    const now = await of('BRK-050');
    expect([now.title, now.derivedFrom, now.tags]).toEqual([before.title, [], ['warm']]);
    expect([(await of('BRK-011')).state, (await of('BRK-060')).state]).toEqual(['draft', 'retired']);
    expect((await undo(done.bulk)).problem.code).toBe('stateForbids');
    await sound();
  });

  it('that somebody changed meanwhile is left as it is when an import is taken back', async () => {
    const done = (await load('key,title,text\nBRK-050,Third title,It shall.\nBRK-010,Fourth,\n')).body;
    const now = await of('BRK-050');
    const { kind, text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale, tags } = now;
    const content = { kind, title: 'Mine', text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale, tags };
    expect((await p.call('author', specify.saveRequirement, { key: 'BRK-050', basedOn: now.revision, content })).status).toBe(200);
    const back = (await undo(done.bulk)).body;
    expect([back.done, back.refused]).toEqual([1, 1]);
    expect([(await of('BRK-050')).title, (await of('BRK-010')).title]).toEqual(['Mine', 'Brake']);
  });

  it('is read as the last one of the same headings was', async () => {
    await load('Nummer,Name,Wortlaut\nBRK-070,A,It shall.\n', { mapping: { key: 'Nummer', title: 'Name', text: 'Wortlaut' } });
    const { mapping, findings, same } = (await preview('Wortlaut,Nummer,Name\nIt shall.,BRK-070,A\n')).body;
    expect([mapping, findings, same]).toEqual([{ key: 'Nummer', title: 'Name', text: 'Wortlaut' }, [], 1]);
  });

  it('whose places or parents go in a circle is refused', async () => {
    const { findings } = (await preview('key,title,text,under\nBRK-080,A,It shall.,BRK-081\nBRK-081,B,It shall.,BRK-080\n')).body;
    expect(findings.map(({ row, cell, text }) => [row, cell, text])).toEqual([
      [2, 'under', 'It would stand below itself: BRK-080 → BRK-081 → BRK-080.'],
    ]);
  });
});
