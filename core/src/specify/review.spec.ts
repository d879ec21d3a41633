import fc from 'fast-check';
import { closingFaults, progressOf, reviewedText2, standingOf, type ReviewAnswer, type ReviewItem } from './index';

const said = (login: string, revision: number, answer: 'agree' | 'change'): ReviewAnswer => ({ login, revision, answer, note: '', at: '' });
const item = (now: number, answers: ReviewAnswer[], more: Partial<ReviewItem> = {}): ReviewItem => ({
  key: 'A-1',
  revision: 1,
  now,
  retired: false,
  answers,
  ...more,
});

describe('a review', () => {
  it('goes by the newest answer of each on the present revision, and asks again where it changed', () => {
    expect(standingOf(item(1, []), 'ada')).toBe('open');
    expect(standingOf(item(1, [said('tom', 1, 'agree')]), 'ada')).toBe('open');
    expect(standingOf(item(1, [said('ada', 1, 'change'), said('ada', 1, 'agree')]), 'ada')).toBe('agree');
    expect(standingOf(item(2, [said('ada', 1, 'agree')]), 'ada')).toBe('again');
    expect(standingOf(item(2, [said('ada', 1, 'change'), said('ada', 2, 'agree')]), 'ada')).toBe('agree');
    expect(standingOf(item(2, [said('ada', 1, 'change')], { retired: true }), 'ada')).toBe('change');
    expect(standingOf(item(1, [], { retired: true }), 'ada')).toBe('agree');
  });

  it('counts every item once for everybody, and is closed only when all have answered and signed', () => {
    const any = fc.array(
      fc.record({
        now: fc.integer({ min: 1, max: 3 }),
        retired: fc.boolean(),
        answers: fc.array(
          fc.record({
            login: fc.constantFrom('ada', 'tom'),
            revision: fc.integer({ min: 1, max: 3 }),
            answer: fc.constantFrom('agree' as const, 'change' as const),
          }),
        ),
      }),
    );
    fc.assert(
      fc.property(any, fc.subarray(['ada', 'tom']), (rows, signed) => {
        const items = rows.map((r, i) =>
          item(
            r.now,
            r.answers.map((a) => said(a.login, a.revision, a.answer)),
            { key: `A-${i}`, retired: r.retired },
          ),
        );
        for (const login of ['ada', 'tom']) {
          const { agree, change, open, again } = progressOf(items, login);
          expect(agree + change + open + again).toBe(items.length);
        }
        // Told a second time: nobody has anything to answer, and everybody signed.
        const waits = (login: string): boolean =>
          rows.some((r) => {
            const mine = r.answers.filter((a) => a.login === login);
            return !r.retired && mine.at(-1)?.revision !== r.now;
          });
        expect(closingFaults(['ada', 'tom'], items, new Set(signed)).length).toBe(
          ['ada', 'tom'].filter((login) => waits(login) || !signed.includes(login)).length,
        );
      }),
    );
  });

  it('is signed over what one answered oneself: another answer is another text, somebody else’s is not', () => {
    const one = item(1, [said('ada', 1, 'agree')]);
    const text = reviewedText2('RV-1', 'ada', [one]);
    expect(reviewedText2('RV-1', 'ada', [item(1, [...one.answers, said('tom', 1, 'change')])])).toBe(text);
    expect(reviewedText2('RV-1', 'ada', [item(1, [...one.answers, said('ada', 1, 'change')])])).not.toBe(text);
    expect(reviewedText2('RV-2', 'ada', [one])).not.toBe(text);
  });
});
