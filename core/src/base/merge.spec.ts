import fc from 'fast-check';
import { passagesOf, sentencesOf, type Passage } from './merge';

const letters = fc.array(fc.constantFrom('a', 'b', 'c', 'd'), { maxLength: 9 });
const taken = (passages: readonly Passage<string>[], whose: 'base' | 'mine' | 'theirs'): string[] => passages.flatMap((p) => p[whose]);

describe('what two people made of one text', () => {
  it('is mine where mine is taken, theirs where theirs is, and the beginning where neither is', () => {
    fc.assert(
      fc.property(letters, letters, letters, (base, mine, theirs) => {
        const passages = passagesOf(base, mine, theirs);
        expect(taken(passages, 'mine')).toEqual(mine);
        expect(taken(passages, 'theirs')).toEqual(theirs);
        expect(taken(passages, 'base')).toEqual(base);
      }),
    );
  });

  it('asks nobody where only one of them changed something, and is the same from either side', () => {
    fc.assert(
      fc.property(letters, letters, letters, (base, mine, theirs) => {
        expect(passagesOf(base, mine, base).every((p) => p.kind === 'same' || p.kind === 'mine')).toBeTrue();
        expect(passagesOf(base, mine, mine).every((p) => p.kind === 'same')).toBeTrue();
        const swapped = { same: 'same', both: 'both', mine: 'theirs', theirs: 'mine' } as const;
        expect(passagesOf(base, theirs, mine)).toEqual(
          passagesOf(base, mine, theirs).map((p) => ({ kind: swapped[p.kind], base: p.base, mine: p.theirs, theirs: p.mine })),
        );
      }),
    );
  });

  it('takes changes in different places together, and leaves those in one place to a person', () => {
    const base = sentencesOf('The valve closes. It stays closed. A lamp is lit.');
    const mine = sentencesOf('The valve shall close. It stays closed. A lamp is lit.');
    const theirs = sentencesOf('The valve closes. It stays closed. A red lamp is lit.');
    expect(passagesOf(base, mine, theirs).map((p) => p.kind)).toEqual(['mine', 'same', 'theirs']);
    const other = sentencesOf('The valve shuts. It stays closed. A lamp is lit.');
    expect(passagesOf(base, mine, other)).toEqual([
      { kind: 'both', base: ['The valve closes. '], mine: ['The valve shall close. '], theirs: ['The valve shuts. '] },
      jasmine.objectContaining({ kind: 'same', base: ['It stays closed. ', 'A lamp is lit.'] }),
    ]);
  });

  it('is written in sentences that are the text again', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom('a', '.', ' ', '\n', ';', '5') }), (text) => {
        expect(sentencesOf(text).join('')).toBe(text);
      }),
    );
    expect(sentencesOf('At 3.5 bar it opens. Then\nit closes!')).toEqual(['At 3.5 bar it opens. ', 'Then\n', 'it closes!']);
  });
});
