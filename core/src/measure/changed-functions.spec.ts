import { changedFunctions, functionsHit, outsideFunctions, type CodeFunction } from './changed-functions';
import type { PointTable } from './point';

const f = (path: string, name: string, textHash: string, start = 1, end = 9): CodeFunction => ({ path, name, textHash, start, end });

describe('functions of two builds', () => {
  it('are changed where their text is another one, and not where it only stands elsewhere', () => {
    const before = [f('a.c', 'same', 's'), f('a.c', 'edited', 'e1'), f('a.c', 'moved', 'm'), f('a.c', 'gone', 'g')];
    const after = [f('a.c', 'same', 's'), f('a.c', 'edited', 'e2'), f('b.c', 'moved', 'm'), f('b.c', 'fresh', 'n')];
    expect(changedFunctions(before, after)).toEqual([
      { path: 'a.c', name: 'edited', what: 'changed' },
      { path: 'a.c', name: 'gone', what: 'gone' },
      { path: 'b.c', name: 'fresh', what: 'added' },
    ]);
    expect(changedFunctions(after, after)).toEqual([]);
  });

  it('are hit where a point of their lines was', () => {
    const table = { line: Uint32Array.from([2, 8, 12, 40]) } as unknown as PointTable;
    const places = [
      { start: 1, end: 5 },
      { start: 7, end: 20 },
      { start: 30, end: 50 },
    ];
    expect([...functionsHit(table, Uint32Array.from([0b0101]), places)]).toEqual([0, 1]);
    expect([...functionsHit(table, Uint32Array.from([0]), places)]).toEqual([]);
  });

  it('leave a rest, which tells what changed beside them', () => {
    const text = ['#define LIMIT 4', 'int f(void)', '{', '  return LIMIT;', '}', 'int rest;', ''].join('\n');
    const places = [{ start: 2, end: 5 }];
    expect(outsideFunctions(text, places)).toBe('#defineLIMIT4intrest;');
    expect(outsideFunctions(text.replace('return LIMIT', 'return 0'), places)).toBe(outsideFunctions(text, places));
    expect(outsideFunctions(text.replace('int rest', ' int  rest'), places)).toBe(outsideFunctions(text, places));
    expect(outsideFunctions(text.replace('LIMIT 4', 'LIMIT 5'), places)).not.toBe(outsideFunctions(text, places));
  });
});
