import { gathered, type Db } from '../src/base';

describe('questions that many ask at once', () => {
  const db = {} as Db;
  const later = () => new Promise<void>((resolve) => setTimeout(resolve, 5));

  it('are asked together, and each gets its own answer', async () => {
    const asked: (readonly number[])[] = [];
    const double = gathered(async (_, keys: readonly number[]) => {
      asked.push(keys);
      await later();
      return keys.map((key) => key * 2);
    });
    expect(await Promise.all([1, 2, 3, 4].map((key) => double(db, key)))).toEqual([2, 4, 6, 8]);
    expect(asked).toEqual([[1, 2, 3, 4]]);
    expect(await double(db, 5)).toBe(10);
    expect(asked).toHaveSize(2);
  });

  it('do not mix two databases, and no more than two questions are on their way at once', async () => {
    let [now, most] = [0, 0];
    const asked: (readonly number[])[] = [];
    const same = gathered(async (_, keys: readonly number[]) => {
      asked.push(keys);
      most = Math.max(most, ++now);
      await later();
      now--;
      return keys;
    });
    const other = {} as Db;
    await Promise.all([same(db, 1), same(other, 2)]);
    expect(asked).toEqual([[1], [2]]);
    asked.length = 0;
    most = 0;
    const all: Promise<number>[] = [];
    for (let key = 0; key < 6; key++) {
      all.push(same(db, key));
      await new Promise((resolve) => setImmediate(resolve));
    }
    expect(await Promise.all(all)).toEqual([0, 1, 2, 3, 4, 5]);
    expect(most).toBe(2);
    expect(asked.length).toBeLessThan(6);
  });

  it('that fail fail for those who asked, and for nobody behind them', async () => {
    let broken = true;
    const frail = gathered(async (_, keys: readonly string[]) => {
      if (broken) throw new Error('the database is away');
      return keys;
    });
    const results = await Promise.allSettled([frail(db, 'a'), frail(db, 'b')]);
    expect(results.map(({ status }) => status)).toEqual(['rejected', 'rejected']);
    broken = false;
    expect(await frail(db, 'c')).toBe('c');
  });
});
