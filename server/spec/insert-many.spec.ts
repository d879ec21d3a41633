import { records, insertMany, write, type Actor } from '../src/base';
import { runs } from '../src/run';
import { eq } from 'drizzle-orm';
import { openProject, type Project } from './support';

describe('many rows inserted at once', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());

  const row = (n: number, more: Partial<typeof records.$inferInsert> = {}): typeof records.$inferInsert => ({
    projectId: p.projectId,
    kind: 'group',
    key: `MANY-${n}`,
    keyPrefix: 'MANY',
    keyNumber: n,
    title: `Nr. ${n} 'quoted' \\ “always” → 文\u0000`,
    words: '',
    state: 'open',
    revision: 1,
    own: { '1': `value ${n % 3}` },
    createdBy: 'admin',
    createdAt: '2026-01-01T00:00:00.000Z',
    updatedBy: 'admin',
    updatedAt: '2026-01-01T00:00:00.000Z',
    authoredBy: 'admin',
    ...more,
  });
  const actor = (): Actor => ({ login: 'admin', projectId: p.projectId, now: () => new Date() });

  it('are those that one at a time are: texts, lists, numbers, what is not given', async () => {
    const { db } = p.database;
    const shared = { '2': 'the same' };
    await write(db, actor(), async (w) => {
      await insertMany(w.tx, records, [row(1), row(2, { retiredAt: null, own: shared }), row(3, { own: shared })]);
      await w.tx.insert(records).values(row(4, { key: 'MANY-4' }));
      w.log({ action: 'noted', kind: 'group', key: 'MANY-1' });
    });
    const found = await db.select().from(records).where(eq(records.keyPrefix, 'MANY')).orderBy(records.keyNumber);
    const plain = found.map(({ id: _, ...rest }) => rest);
    expect(plain.map(({ own }) => own)).toEqual([{ '1': 'value 1' }, shared, shared, { '1': 'value 1' }] as never);
    expect(plain[0]).toEqual({ ...plain[3], key: 'MANY-1', keyNumber: 1, title: row(1).title });
  });

  it('are none where one of them clashes, and none where there are none', async () => {
    const { db } = p.database;
    const list = Array.from({ length: 700 }, (_, i) => row(i + 100));
    const tried = write(db, actor(), async (w) => {
      await insertMany(w.tx, runs, []);
      await insertMany(w.tx, records, [...list, row(150)]);
      w.log({ action: 'noted', kind: 'group', key: 'MANY-1' });
    });
    await expectAsync(tried).toBeRejected();
    expect((await db.select({ id: records.id }).from(records).where(eq(records.keyNumber, 650))).length).toBe(0);
  });

  it('answer the ids that they got, in their order, over as many statements as they take', async () => {
    const { db } = p.database;
    const list = Array.from({ length: 1203 }, (_, i) => row(i + 1000));
    let ids: readonly number[] = [];
    await write(db, actor(), async (w) => {
      ids = await insertMany(w.tx, records, list);
      w.log({ action: 'noted', kind: 'group', key: 'MANY-1' });
    });
    const found = await db.select({ id: records.id, n: records.keyNumber }).from(records).where(eq(records.projectId, p.projectId));
    const byNumber = new Map(found.map(({ id, n }) => [n, id]));
    expect(ids).toEqual(list.map(({ keyNumber }) => byNumber.get(keyNumber) ?? 0));
  });

  it('of which the first part clashes leave nothing of the parts behind it', async () => {
    const { db } = p.database;
    const list = Array.from({ length: 1100 }, (_, i) => row(i + 5000));
    const tried = write(db, actor(), async (w) => {
      await insertMany(w.tx, records, [row(1), ...list]);
      w.log({ action: 'noted', kind: 'group', key: 'MANY-1' });
    });
    await expectAsync(tried).toBeRejected();
    expect((await db.select({ id: records.id }).from(records).where(eq(records.keyNumber, 6050))).length).toBe(0);
  });
});
