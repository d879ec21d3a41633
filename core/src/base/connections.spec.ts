import fc from 'fast-check';
import { reachFrom, type Joint } from './index';

describe('What is connected with a record', () => {
  const joint = (from: string, to: string): Joint<string> => ({ from, to, forward: `${from}>`, backward: `<${to}` });
  const over = (joints: readonly Joint<string>[]) => async (layer: readonly string[]) =>
    joints.filter(({ from, to }) => layer.includes(from) || layer.includes(to));

  it('is told near first, in both directions, with the way that leads there', async () => {
    const { reached, more } = await reachFrom(
      'R',
      3,
      100,
      over([joint('C', 'R'), joint('RUN', 'C'), joint('R', 'P'), joint('X', 'RUN'), joint('Y', 'X')]),
    );
    expect(reached.map(({ key, from, distance }) => `${key}<${from}:${distance}`)).toEqual(['C<R:1', 'P<R:1', 'RUN<C:2', 'X<RUN:3']);
    expect(reached.map(({ via }) => via)).toEqual(['<R', 'R>', '<C', '<RUN']);
    expect(more).toBeFalse();
  });
  it('walks a circle once, and stops where there is too much', async () => {
    const circle = over([joint('A', 'B'), joint('B', 'C'), joint('C', 'A')]);
    expect((await reachFrom('A', 9, 100, circle)).reached.map(({ key }) => key).sort()).toEqual(['B', 'C']);
    const star = over(Array.from({ length: 50 }, (_, i) => joint('A', `B${i}`)));
    const few = await reachFrom('A', 3, 10, star);
    expect([few.reached.length, few.more]).toEqual([10, true]);
  });
  it('finds by a shortest way exactly what is within reach', async () => {
    const node = fc.integer({ min: 0, max: 7 }).map(String);
    await fc.assert(
      fc.asyncProperty(fc.array(fc.tuple(node, node), { maxLength: 14 }), fc.integer({ min: 1, max: 4 }), async (pairs, far) => {
        const { reached } = await reachFrom('0', far, 1000, over(pairs.map(([a, b]) => joint(a, b))));
        // Written a second time: distances by relaxing every pair until nothing changes.
        const distance = new Map([['0', 0]]);
        for (let again = true; again;) {
          again = false;
          for (const [a, b] of [...pairs, ...pairs.map(([x, y]) => [y, x] as const)]) {
            const here = distance.get(a);
            if (here === undefined || (distance.get(b) ?? Infinity) <= here + 1) continue;
            distance.set(b, here + 1);
            again = true;
          }
        }
        const expected = [...distance].filter(([, d]) => d > 0 && d <= far).sort();
        expect(reached.map((r) => [r.key, r.distance]).sort()).toEqual(expected.map(([k, d]) => [k, d]));
      }),
    );
  });
});
