import fc from 'fast-check';
import { inOrderOfHolding, type Waits } from './index';

describe('What waits for a person', () => {
  const item = (key: string, holds: number, minutes: number | null = null): Waits => ({ key, holds, minutes });
  const keys = (items: readonly Waits[]): string =>
    inOrderOfHolding(items)
      .map(({ key }) => key)
      .join(' ');

  it('stands in the order in which it holds others up, then by minutes, then by key', () => {
    expect(keys([item('RUN-10', 1, 5), item('RUN-2', 1, 5), item('RUN-3', 4, 90), item('RUN-4', 1), item('RUN-5', 1, 2)])).toBe(
      'RUN-3 RUN-5 RUN-2 RUN-10 RUN-4',
    );
  });
  it('keeps everything once, whatever the order it came in', () => {
    const any = fc.uniqueArray(
      fc.record({ key: fc.integer({ min: 1, max: 99 }).map((n) => `RUN-${n}`), holds: fc.nat(3), minutes: fc.option(fc.nat(9)) }),
      { selector: ({ key }) => key },
    );
    fc.assert(
      fc.property(any, any, (items, seed) => {
        const turned = seed.length % 2 ? [...items].reverse() : items;
        expect(keys(items)).toBe(keys(turned));
        expect(inOrderOfHolding(items).length).toBe(items.length);
      }),
    );
  });
});
