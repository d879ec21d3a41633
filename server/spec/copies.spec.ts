import { eq } from 'drizzle-orm';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as specify from '@contract/specify';
import { addField, addProject, attachments, listFields, people, records, setMember, traces, verifyLedger, type Actor } from '../src/base';
import { addSpecification } from '../src/specify';
import { caseContent, content, openProject, password, type Project } from './support';

const png = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');

describe('Requirements copied into another project', () => {
  let p: Project;
  let other: Actor;
  beforeAll(async () => {
    p = await openProject();
    const { db } = p.database;
    const now = () => new Date();
    const [admin] = await db.select({ id: people.id }).from(people).where(eq(people.login, 'admin'));
    const { id } = await addProject(db, { login: 'admin', projectId: 0, now }, admin.id, {
      slug: 'other',
      name: 'Other',
      standard: 'IEC 62304',
      level: 'class B',
    });
    other = { login: 'admin', projectId: id, now };
    await setMember(db, other, 'author', ['author']);
    await setMember(db, other, 'reviewer', ['reviewer']);
    await addSpecification(db, { ...other, login: 'author' }, { key: 'OTH', title: 'Other', prefix: 'OTH' });
    await addField(db, other, { kind: 'requirement', name: 'Zone', description: '', definition: { type: 'text', choices: [] } as never });
    const zone = (await p.call('admin', base.addField, { kind: 'requirement', name: 'Zone', definition: { type: 'text' } })).body.find(
      (f) => f.name === 'Zone',
    );
    const mass = (await p.call('admin', base.addField, { kind: 'requirement', name: 'Mass', definition: { type: 'number' } })).body.find(
      (f) => f.name === 'Mass',
    );
    await p.call('author', specify.addOutline, {
      key: 'BRK',
      rows: [
        { kind: 'heading', depth: 0, title: 'Brake', text: '' },
        { kind: 'requirement', depth: 1, title: 'Closes', text: 'It shall close.' },
        { kind: 'requirement', depth: 1, title: 'Opens', text: 'It shall open.' },
        { kind: 'heading', depth: 0, title: 'Doors', text: '' },
        { kind: 'requirement', depth: 1, title: 'Shut', text: 'They shall shut.' },
      ],
    });
    const { body } = await p.upload('author', '/records/BRK-002/files', [{ name: 'a.png', bytes: png, mime: 'image/png' }]);
    const [{ sha256 }] = body as unknown as { sha256: string }[];
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-002',
      basedOn: 1,
      content: content('Closes', { html: `<p>See <strong>it</strong></p><p><img src="files/${sha256}" alt="a"></p>`, tags: ['brake'] }),
    });
    const { status } = await p.call('author', base.setOwnFields, {
      key: 'BRK-002',
      basedOn: 2,
      own: { [String(zone?.id)]: 'front', [String(mass?.id)]: 4 },
    });
    expect(status).toBe(200);
    for (const [from, to] of [
      ['BRK-003', 'BRK-002'],
      ['BRK-003', 'BRK-005'],
    ])
      await p.call('author', base.addTrace, { kind: 'parent', from, to });
  });
  afterAll(() => p.close());
  const copy = (who: string, more: Partial<{ keys: string[]; project: string; specification: string; traces: boolean }> = {}) => {
    const { keys = ['BRK-001'], project = 'other', specification = 'OTH', traces: withTraces = true } = more;
    return p.call(who, specify.copyOut, { keys, into: { project, specification, under: null }, traces: withTraces });
  };

  it('are the tree that they were, in draft, with pictures and what fits; what could not come along is said', async () => {
    const { body } = await copy('author');
    expect(body.copies).toEqual([
      { from: 'BRK-001', to: 'OTH-001' },
      { from: 'BRK-002', to: 'OTH-002' },
      { from: 'BRK-003', to: 'OTH-003' },
    ]);
    expect(body.left).toEqual([
      'BRK-002: other has no level SIL 2.',
      'BRK-002: other has no place for Mass.',
      'BRK-003: the trace to BRK-005.',
    ]);
    const { db } = p.database;
    const rows = await db.select().from(records).where(eq(records.projectId, other.projectId));
    const made = rows.find(({ key }) => key === 'OTH-002');
    const zone = (await listFields(db, other.projectId)).find(({ name }) => name === 'Zone');
    expect([made?.state, made?.revision, made?.own]).toEqual(['draft', 1, { [String(zone?.id)]: 'front' }]);
    const files = await db.select().from(attachments).where(eq(attachments.projectId, other.projectId));
    expect(files.map(({ recordId, name }) => [recordId, name])).toEqual([[made?.id ?? 0, 'a.png']]);
    const drawn = await db.select().from(traces).where(eq(traces.projectId, other.projectId));
    expect(drawn.map(({ fromId, toId }) => [fromId, toId])).toEqual([[rows.find(({ key }) => key === 'OTH-003')?.id ?? 0, made?.id ?? 0]]);
    const checked = await verifyLedger(db, other.projectId);
    expect([checked.fault, checked.rowFaultCount]).toEqual([undefined, 0]);
  });

  it('go only where one is an author, and all or none', async () => {
    expect((await copy('reviewer')).problem.code).toBe('forbidden');
    expect((await copy('tester')).status).toBe(404);
    expect((await copy('author', { project: 'nowhere' })).status).toBe(404);
    expect((await copy('author', { project: 'spec' })).problem.code).toBe('invalid');
    expect((await copy('author', { keys: ['BRK-004', 'BRK-999'] })).status).toBe(404);
    expect((await copy('author', { specification: 'NOT' })).status).toBe(404);
    const before = (await p.database.db.select().from(records).where(eq(records.projectId, other.projectId))).length;
    expect((await copy('author', { keys: ['BRK-003'], traces: false })).body).toEqual({
      copies: [{ from: 'BRK-003', to: 'OTH-004' }],
      left: ['BRK-003: the trace to BRK-002, BRK-005.'],
    });
    expect((await p.database.db.select().from(records).where(eq(records.projectId, other.projectId))).length).toBe(before + 1);
  });

  it('a case says for which baseline it is made, and that says when there is a newer one', async () => {
    const baseline = (title: string) => p.call('author', specify.addBaseline, { title, specifications: ['BRK'], password });
    const first = (await baseline('First')).body.key;
    const { body } = await p.call('author', design.addCase, { content: caseContent('One'), verifies: ['BRK-002'] });
    expect((await p.call('author', base.addTrace, { kind: 'madeFor', from: body.key, to: first })).status).toBe(200);
    expect((await p.call('author', base.addTrace, { kind: 'madeFor', from: 'BRK-002', to: first })).status).toBe(404);
    expect((await p.call('auditor', specify.getBaseline, { key: first })).body.newer).toBeNull();
    const second = (await baseline('Second')).body.key;
    expect((await p.call('auditor', specify.getBaseline, { key: first })).body.newer).toBe(second);
    const at = (await p.call('auditor', base.getRecord, { key: body.key })).body.traces.find((t) => t.kind === 'madeFor');
    expect([at?.to, at?.toTitle]).toEqual([first, 'First']);
  });
});
