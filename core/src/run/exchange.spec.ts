import fc from 'fast-check';
import { mergeExchanged, stageOfWord, wordOfStage, type Exchanged } from './exchange';

const item: fc.Arbitrary<Exchanged> = fc.record({
  title: fc.constantFrom('a', 'b', 'c'),
  stage: fc.constantFrom('open', 'fixed', 'closed'),
});

describe('a report and its counterpart', () => {
  const base: Exchanged = { title: 'a', stage: 'open' };
  it('follow who alone changed something, and overwrite nobody', () => {
    expect(mergeExchanged(base, base, base)).toEqual({ take: {}, send: {}, conflicts: [], base });
    expect(mergeExchanged(base, { ...base, title: 'b' }, base).send).toEqual({ title: 'b' });
    expect(mergeExchanged(base, base, { ...base, stage: 'fixed' })).toEqual({
      take: { stage: 'fixed' },
      send: {},
      conflicts: [],
      base: { title: 'a', stage: 'fixed' },
    });
    expect(mergeExchanged(base, { ...base, title: 'b' }, { ...base, stage: 'fixed' })).toEqual({
      take: { stage: 'fixed' },
      send: { title: 'b' },
      conflicts: [],
      base: { title: 'a', stage: 'fixed' },
    });
    expect(mergeExchanged(base, { ...base, title: 'b' }, { ...base, title: 'c' }).conflicts).toEqual([
      { field: 'title', base: 'a', mine: 'b', theirs: 'c' },
    ]);
    expect(mergeExchanged(base, { ...base, title: 'b' }, { ...base, title: 'b' })).toEqual({
      take: {},
      send: {},
      conflicts: [],
      base: { title: 'b', stage: 'open' },
    });
  });

  it('are the same once each was told, but for what is in conflict, and what only one side wrote is never lost', () => {
    fc.assert(
      fc.property(item, item, item, (before, mine, theirs) => {
        const merged = mergeExchanged(before, mine, theirs);
        const [here, there] = [
          { ...mine, ...merged.take },
          { ...theirs, ...merged.send },
        ];
        for (const field of ['title', 'stage'] as const) {
          const inConflict = merged.conflicts.some((c) => c.field === field);
          if (inConflict) expect([here[field], there[field]]).toEqual([mine[field], theirs[field]]);
          else expect(here[field]).toBe(there[field]);
          if (!inConflict && mine[field] !== before[field]) expect(here[field]).toBe(mine[field]);
          if (!inConflict && theirs[field] !== before[field]) expect(there[field]).toBe(theirs[field]);
        }
        // Seen from the other side it is the same.
        const other = mergeExchanged(before, theirs, mine);
        expect([other.take, other.send]).toEqual([merged.send, merged.take]);
      }),
      { numRuns: 2000 },
    );
  });

  it('have words for the same stage', () => {
    const words = [
      { stage: 'open', theirs: 'New' },
      { stage: 'working', theirs: 'In work' },
      { stage: 'fixed', theirs: 'in work' },
    ];
    expect(stageOfWord(words, ' in WORK ')).toBe('working');
    expect(stageOfWord(words, 'Parked')).toBe('');
    expect(wordOfStage(words, 'fixed')).toBe('in work');
    expect(wordOfStage(words, 'closed')).toBeUndefined();
  });
});
