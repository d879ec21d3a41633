import { knots, type Knot } from '../base';
import type { KnotState } from './knot-state';
import { shiftsOf, type JudgedStates } from './shifts';

const letters: Readonly<Record<string, KnotState>> = { s: 'sound', w: 'waiting', b: 'broken', n: 'notReached' };
const cord = (key: string, states: string): JudgedStates => ({
  key,
  states: Object.fromEntries(knots.map((knot, i) => [knot, letters[states[i]]])) as Record<Knot, KnotState>,
});

describe('what another judgement changes', () => {
  it('counts requirements once, and each knot that is another', () => {
    const before = [cord('A-1', 'sssss'), cord('A-2', 'sssss'), cord('A-3', 'sssww'), cord('A-4', 'wnnnn')];
    const after = [cord('A-1', 'sssbw'), cord('A-2', 'sssbw'), cord('A-3', 'sssss'), cord('A-4', 'wnnnn')];
    expect(shiftsOf(before, after)).toEqual({
      of: 4,
      changed: 3,
      proved: { before: 2, after: 1 },
      shifts: [
        { knot: 'measure', from: 'sound', to: 'broken', count: 2, keys: ['A-1', 'A-2'] },
        { knot: 'measure', from: 'waiting', to: 'sound', count: 1, keys: ['A-3'] },
        { knot: 'prove', from: 'sound', to: 'waiting', count: 2, keys: ['A-1', 'A-2'] },
        { knot: 'prove', from: 'waiting', to: 'sound', count: 1, keys: ['A-3'] },
      ],
    });
  });

  it('compares by key whatever the order, leaves out what one of them lacks, and names only the first', () => {
    const many = Array.from({ length: 30 }, (_, i) => cord(`B-${i}`, 'sssss'));
    const other = [...many].reverse().map(({ key }) => cord(key, 'bssss'));
    const found = shiftsOf([...many, cord('GONE', 'sssss')], [cord('NEW', 'sssss'), ...other]);
    expect([found.of, found.changed, found.shifts.length]).toEqual([30, 30, 1]);
    expect(found.shifts[0].count).toBe(30);
    expect(found.shifts[0].keys).toEqual(['B-0', 'B-1', 'B-2', 'B-3', 'B-4', 'B-5', 'B-6', 'B-7']);
  });

  it('of the same twice is nothing', () => {
    const same = [cord('C-1', 'sswbn')];
    expect(shiftsOf(same, same)).toEqual({ of: 1, changed: 0, proved: { before: 0, after: 0 }, shifts: [] });
  });
});
