import fc from 'fast-check';
import { patch, type ListWindow } from './state';

describe('a patch of rows', () => {
  const window = (keys: readonly (string | undefined)[]): ListWindow =>
    ({ rows: keys.map((key) => (key ? { key } : undefined)), total: keys.length }) as unknown as ListWindow;
  const answer = (...keys: string[]) => ({ rows: keys.map((key) => ({ key, title: 'new' })), next: null, total: keys.length, seq: 1 });

  it('moves nothing where all stay', () => {
    const { window: after, moved } = patch(window(['a', undefined, 'b']), ['b'], answer('b'));
    expect(moved).toBeFalse();
    expect(after.rows as unknown[]).toEqual([{ key: 'a' }, undefined, { key: 'b', title: 'new' }]);
    expect(after.fresh).toEqual(['b']);
  });

  it('does what asking of every place says, whatever is there, came or went', () => {
    const names = ['a', 'b', 'c', 'd', 'e', 'f'];
    const some = fc.uniqueArray(fc.constantFrom(...names));
    let moves = 0;
    fc.assert(
      fc.property(fc.shuffledSubarray(names), fc.nat(4), some, some, (there, holes, keys, found) => {
        const places = there.flatMap((key, i) => (i < holes ? [undefined, key] : [key]));
        const { window: after, moved } = patch(window(places), keys, answer(...found));
        expect((after.rows as ({ key: string; title?: string } | undefined)[]).map((row) => row && `${row.key} ${row.title}`)).toEqual(
          places.map((key) => key && `${key} ${found.includes(key) ? 'new' : undefined}`),
        );
        const gone = there.some((key) => keys.includes(key) && !found.includes(key));
        expect(moved).toBe(gone || found.some((key) => !there.includes(key)));
        moves += Number(moved);
      }),
    );
    expect(moves).toBeGreaterThan(10);
  });

  it('says that rows move where one came or went', () => {
    expect(patch(window(['a', 'b']), ['b'], answer()).moved).toBeTrue();
    expect(patch(window(['a', 'b']), ['c'], answer('c')).moved).toBeTrue();
    expect(patch(window(['a', 'b']), ['c'], answer()).moved).toBeFalse();
  });
});
