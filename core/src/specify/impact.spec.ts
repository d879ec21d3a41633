import fc from 'fast-check';
import { impactOf, type ImpactFacts, type ImpactRecord, type ImpactTrace } from './impact';

const requirement = (key: string): ImpactRecord => ({ kind: 'requirement', key, title: key, state: 'approved', minutes: 0, runs: 0 });
const verification = (key: string, minutes: number, runs: number): ImpactRecord => ({ ...requirement(key), kind: 'case', minutes, runs });
const trace = (id: number, kind: ImpactTrace['kind'], from: string, to: string, suspect = false): ImpactTrace => ({
  id,
  kind,
  from,
  to,
  suspect,
});

describe('What a change reaches', () => {
  const facts: ImpactFacts = {
    records: [
      ...['SYS-1', 'R-1', 'R-2', 'R-3', 'U-1'].map(requirement),
      verification('C-1', 10, 3),
      verification('C-2', 5, 0),
      verification('C-3', 7, 1),
      verification('C-4', 2, 1),
    ],
    traces: [
      trace(1, 'parent', 'R-1', 'SYS-1'),
      trace(2, 'parent', 'R-2', 'R-1', true),
      trace(3, 'parent', 'U-1', 'R-2'),
      trace(4, 'parent', 'R-3', 'SYS-1', true),
      trace(5, 'verifies', 'C-1', 'R-1'),
      trace(6, 'verifies', 'C-2', 'R-1'),
      trace(7, 'verifies', 'C-3', 'U-1', true),
      trace(8, 'calls', 'C-4', 'C-1'),
    ],
  };

  it('is what is derived from it, the cases of that, and those that call them: near first, each with the way', () => {
    const { reached } = impactOf('R-1', facts);
    expect(reached.map(({ key, distance, from }) => [key, distance, from])).toEqual([
      ['C-1', 1, 'R-1'],
      ['C-2', 1, 'R-1'],
      ['R-2', 1, 'R-1'],
      ['C-4', 2, 'C-1'],
      ['U-1', 2, 'R-2'],
      ['C-3', 3, 'U-1'],
    ]);
  });

  it('names the traces that a revision makes doubtful, at either end, and those that are already', () => {
    expect(impactOf('R-1', facts).suspect.map(({ other, suspect }) => [other, suspect])).toEqual([
      ['C-1', false],
      ['C-2', false],
      ['R-2', true],
      ['SYS-1', false],
    ]);
  });

  it('costs each case as often as it stands, and one that never ran once; near and far apart', () => {
    expect(impactOf('R-1', facts).minutes).toEqual({ near: 35, far: 9 });
    expect(impactOf('R-3', facts).minutes).toEqual({ near: 0, far: 0 });
  });

  it('tells what is still to be done about it, and nothing of what it does not reach', () => {
    expect(impactOf('R-1', facts).toDo.map(({ id }) => id)).toEqual([7, 2]);
    expect(impactOf('SYS-1', facts).toDo.map(({ id }) => id)).toEqual([7, 2, 4]);
  });

  it('walks circles once: each record is told once, at its shortest distance', () => {
    const pair = fc.tuple(fc.nat(9), fc.nat(9));
    fc.assert(
      fc.property(fc.array(pair, { maxLength: 25 }), (pairs) => {
        const keys = Array.from({ length: 10 }, (_, i) => `R-${i}`);
        const traces = pairs.map(([a, b], i) => trace(i, 'parent', keys[a], keys[b]));
        const { reached } = impactOf('R-0', { records: keys.map(requirement), traces });
        // Written a second time: rounds of relaxing, until nothing is nearer.
        const far = new Map([['R-0', 0]]);
        for (let round = 0; round < 10; round++)
          for (const { from, to } of traces) {
            const by = far.get(to);
            if (by !== undefined && by + 1 < (far.get(from) ?? Infinity)) far.set(from, by + 1);
          }
        far.delete('R-0');
        expect(new Map(reached.map(({ key, distance }) => [key, distance]))).toEqual(
          new Map([...far].sort((a, b) => reached.findIndex((r) => r.key === a[0]) - reached.findIndex((r) => r.key === b[0]))),
        );
        expect(reached.length).toBe(far.size);
      }),
    );
  });
});
