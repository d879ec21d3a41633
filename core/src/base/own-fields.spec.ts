import { isEmptyValue, neededFrom, needsValue, type OwnRule } from './own-fields';

describe('a field of a project’s own', () => {
  const rule = (requiredFrom: OwnRule['requiredFrom'], ...levels: string[]): OwnRule => ({ requiredFrom, levels });

  it('is needed from its state on, for its levels, and never where nothing is said', () => {
    const states = ['draft', 'review', 'approved', 'retired'];
    const needed = (of: OwnRule, level: string): string[] => states.filter((state) => needsValue(of, state, level));
    expect(needed(rule(null), 'SIL 3')).toEqual([]);
    expect(needed(rule('draft'), 'SIL 3')).toEqual(['draft', 'review', 'approved']);
    expect(needed(rule('review'), 'SIL 3')).toEqual(['review', 'approved']);
    expect(needed(rule('approved'), '')).toEqual(['approved']);
    expect(needed(rule('review', 'SIL 3', 'SIL 4'), 'SIL 3')).toEqual(['review', 'approved']);
    expect(needed(rule('draft', 'SIL 3'), 'SIL 2')).toEqual([]);
    expect([neededFrom(rule('review', 'SIL 3'), 'SIL 2'), neededFrom(rule('review', 'SIL 3'), 'SIL 3')]).toEqual([null, 'review']);
  });

  it('is empty without a value, text or choice; no and nought are values', () => {
    expect([undefined, null, '', []].map(isEmptyValue)).toEqual([true, true, true, true]);
    expect([false, 0, ' ', ['a']].map(isEmptyValue)).toEqual([false, false, false, false]);
  });
});
