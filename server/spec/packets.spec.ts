import { eq, sql } from 'drizzle-orm';
import {
  forReading,
  forRecording,
  inLastPacket,
  inOnePacket,
  lastly,
  ledgerHeads,
  packedReading,
  packedTransaction,
  type Db,
  type Tx,
} from '../src/base';
import { openSite, packetsOver, type Site } from './support';

describe('questions in one packet', () => {
  let site: Site;
  let db: Db;
  beforeAll(async () => {
    site = await openSite();
    ({ db } = site.database);
  });
  afterAll(() => site.close());

  const one = async (tx: Db | Tx, text: ReturnType<typeof sql>): Promise<Record<string, unknown>> => {
    const [rows] = (await tx.execute(text)) as unknown as [Record<string, unknown>[]];
    return rows[0];
  };
  /** How many commands this connection has sent: what the question for it counts is itself as well. */
  const sent = async (tx: Tx): Promise<number> => {
    const row = await one(tx, sql`show session status like 'Com_select'`);
    return Number(row['Value']);
  };
  const head = async (projectId: number): Promise<number | undefined> =>
    (await db.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, projectId)))[0]?.seq;
  const insert = (tx: Tx, projectId: number) => async () => tx.insert(ledgerHeads).values({ projectId, seq: 1, hash: 'x' });

  it('are answered each as it was asked, in their order', async () => {
    const answers = await packedTransaction(db, (tx) =>
      inOnePacket(
        tx,
        () => one(tx, sql`select 'it''s; one' as said, ${'a; drop table x -- \'"'} as given`),
        async () => tx.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, 77)),
        insert(tx, 77),
        async () => tx.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, 77)),
      ),
    );
    expect(answers[0]).toEqual({ said: "it's; one", given: 'a; drop table x -- \'"' });
    expect(answers[1]).toEqual([]);
    expect(answers[3]).toEqual([{ seq: 1 }]);
    expect(await head(77)).toBe(1);
  });

  it('are fewer packets: what is asked before any is answered goes together', async () => {
    const packets = packetsOver(forRecording(db));
    await packedTransaction(db, async (tx) => {
      await inOnePacket(
        tx,
        () => one(tx, sql`select 1 as n`),
        () => one(tx, sql`select 2 as n`),
      );
      await Promise.all([one(tx, sql`select 3 as n`), one(tx, sql`select 4 as n`)]);
      // What Drizzle builds asks whenever somebody waits for it, and more than one does here.
      await inOnePacket(tx, () => tx.select({ n: sql`6` }).from(ledgerHeads));
      await lastly(tx, () => one(tx, sql`select 5 as n`));
    });
    expect(packets).toEqual([
      'begin;select 1 as n;select 2 as n',
      'select 3 as n;select 4 as n',
      'select 6 from `ledger_heads`',
      'select 5 as n;commit',
    ]);
  });

  it('end a reading where they are its last, and begin another where they are not', async () => {
    const packets = packetsOver(forReading(db));
    const of = (n: number) => (tx: Tx) => () => one(tx, sql`select ${sql.raw(String(n))} as n`);
    const seen = await packedReading(db, async (tx) => {
      await inOnePacket(tx, of(1)(tx));
      return inLastPacket(tx, of(2)(tx), of(3)(tx));
    });
    expect(seen).toEqual([{ n: 2 }, { n: 3 }]);
    expect(packets.splice(0)).toEqual(['begin;select 1 as n', 'select 2 as n;select 3 as n;rollback']);
    await packedReading(db, async (tx) => {
      await inLastPacket(tx, of(4)(tx));
      await of(5)(tx)();
    });
    // Its end is not waited for.
    await packedReading(db, async () => undefined);
    expect(packets.splice(0).slice(0, 3)).toEqual(['begin;select 4 as n;rollback', 'begin;select 5 as n', 'rollback']);
    await expectAsync(packedReading(db, (tx) => inLastPacket(tx, of(6)(tx), insert(tx, 83)))).toBeRejected();
    await packedReading(db, (tx) => inLastPacket(tx, of(7)(tx)));
    expect(packets.filter((text) => text === 'rollback' || text.includes('7'))).toEqual(['rollback', 'begin;select 7 as n;rollback']);
  });

  it('behind the last of a reading are of a later moment', async () => {
    await db.insert(ledgerHeads).values({ projectId: 84, seq: 1, hash: 'x' });
    const now = (tx: Tx) => async () => tx.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, 84));
    const seen = await packedReading(db, async (tx) => {
      const [first] = await inLastPacket(tx, now(tx));
      await db.update(ledgerHeads).set({ seq: 2 }).where(eq(ledgerHeads.projectId, 84));
      return [...first, ...(await now(tx)())];
    });
    expect(seen).toEqual([{ seq: 1 }, { seq: 2 }]);
    await db.transaction(async (tx) => expect(await inLastPacket(tx, now(tx))).toEqual([[{ seq: 2 }]]));
  });

  it('fail together, and nothing of the transaction stays', async () => {
    const answers: string[] = [];
    await expectAsync(
      packedTransaction(db, async (tx) => {
        await insert(tx, 78)();
        await inOnePacket(
          tx,
          insert(tx, 79),
          async () => insert(tx, 79)().catch(() => answers.push('refused')),
          async () => one(tx, sql`select 1 as n`).catch(() => answers.push('with it')),
        ).catch(() => answers.push('all of it'));
        // Whoever goes on as if nothing had been is refused as well.
        await one(tx, sql`select 1 as n`).catch(() => answers.push('over'));
      }),
    ).toBeRejected();
    expect(answers).toEqual(['refused', 'with it', 'all of it', 'over']);
    expect([await head(78), await head(79)]).toEqual([undefined, undefined]);
  });

  it('that fail with the end of the transaction take all of it back', async () => {
    await expectAsync(packedTransaction(db, (tx) => lastly(tx, insert(tx, 80), insert(tx, 80)))).toBeRejected();
    expect(await head(80)).toBeUndefined();
    // The connection is as good as new.
    await packedTransaction(db, (tx) => lastly(tx, insert(tx, 80)));
    expect(await head(80)).toBe(1);
  });

  it('read what stood at one moment, and write nothing', async () => {
    const seen = await packedReading(db, async (tx) => {
      const first = await tx.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, 77));
      await db.update(ledgerHeads).set({ seq: 2 }).where(eq(ledgerHeads.projectId, 77));
      const second = await tx.select({ seq: ledgerHeads.seq }).from(ledgerHeads).where(eq(ledgerHeads.projectId, 77));
      return [...first, ...second];
    });
    expect(seen).toEqual([{ seq: 1 }, { seq: 1 }]);
    await expectAsync(packedReading(db, (tx) => insert(tx, 81)())).toBeRejected();
    await expectAsync(forReading(db).insert(ledgerHeads).values({ projectId: 81, seq: 1, hash: 'x' })).toBeRejected();
    expect(await head(81)).toBeUndefined();
  });

  it('elsewhere go one after the other: a connection for all else takes one at a time', async () => {
    await db.transaction(async (tx) => {
      const before = await sent(tx);
      expect(
        await inOnePacket(
          tx,
          () => one(tx, sql`select 1 as n`),
          () => one(tx, sql`select 2 as n`),
        ),
      ).toEqual([{ n: 1 }, { n: 2 }]);
      expect(await sent(tx)).toBe(before + 2);
      await lastly(tx, insert(tx, 82));
    });
    expect(await head(82)).toBe(1);
    await expectAsync(db.execute(sql.raw('select 1; select 2'))).toBeRejected();
  });
});
