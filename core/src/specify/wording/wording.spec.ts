import fc from 'fast-check';
import { checkWording, isDismissed, quantitiesIn, termsIn, usualWording, wordingRuleNames } from './index';
import { faulty, rows, sound } from './sentences.testing';

const found = (text: string): string[] => checkWording(text).map(({ rule }) => rule);

describe('the rules of wording', () => {
  it('have a table of sentences that is long enough, with every rule in it', () => {
    expect(rows(faulty).length).toBeGreaterThanOrEqual(120);
    expect(rows(sound).length).toBeGreaterThanOrEqual(60);
    const used = new Set(rows(faulty).flatMap(({ rules }) => rules));
    expect([...used].sort()).toEqual([...wordingRuleNames].sort());
  });

  for (const { rules, text } of rows(faulty))
    it(`find ${rules.join(', ')} in: ${text}`, () => expect(found(text).sort()).toEqual([...rules].sort()));

  for (const { text } of rows(sound)) it(`find nothing in: ${text}`, () => expect(found(text)).toEqual([]));

  it('say where the words stand, whatever the text is', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.constantFrom(
            'The pump',
            'shall',
            'not',
            'be stored',
            'fast',
            'etc',
            '20',
            'ms',
            '.',
            '\n',
            'It',
            'XCU',
            '…',
            'if possible',
            'é',
          ),
        ),
        (parts) => {
          const text = parts.join(' ');
          for (const { from, to, words, rule } of checkWording(text)) {
            expect(text.slice(from, to)).toBe(words);
            expect(words === '').toBe(rule === 'noShall');
          }
        },
      ),
    );
    expect(checkWording('  ')).toEqual([]);
  });

  it('go by the project’s own lists', () => {
    const lists = { ...usualWording, binding: ['must'], vague: ['snappy'], glossary: [{ term: 'XCU', meaning: 'The unit.' }] };
    expect(checkWording('The XCU must be snappy.', lists).map((f) => f.rule)).toEqual(['vague']);
    expect(checkWording('The XCU shall be fast.', lists).map((f) => f.rule)).toContain('noShall');
    expect(termsIn('The XCUs and an xcu', lists)).toEqual([{ term: 'XCU', meaning: 'The unit.', places: [{ words: 'xcu', from: 16 }] }]);
    expect(termsIn('The XCUs', lists)).toEqual([]);
  });

  it('let stand what somebody let stand, for the same words alone', () => {
    const [finding] = checkWording('The pump shall start fast.');
    expect(isDismissed(finding, [{ rule: 'vague', words: 'Fast' }])).toBeTrue();
    expect(isDismissed(finding, [{ rule: 'vague', words: 'slow' }])).toBeFalse();
    expect(isDismissed(finding, [{ rule: 'weak', words: 'fast' }])).toBeFalse();
  });
});

describe('numbers with their units', () => {
  const of = (text: string) => quantitiesIn(text).map(({ value, unit, relation }) => [value, unit, relation]);

  it('are read with what is said of them', () => {
    expect(of('within 120 ms')).toEqual([[120, 'ms', 'at most']]);
    expect(of('no more than 0.4 m/s2')).toEqual([[0.4, 'm/s2', 'at most']]);
    expect(of('at least 1,000 h')).toEqual([[1000, 'h', 'at least']]);
    expect(of('0,5 bar')).toEqual([[0.5, 'bar', '']]);
    expect(of('below -10 °C or above 60 °C')).toEqual([
      [-10, '°C', 'below'],
      [60, '°C', 'above'],
    ]);
    expect(of('between 20 and 28 V')).toEqual([
      [20, 'V', 'between'],
      [28, 'V', 'between'],
    ]);
    expect(of('50 ms to 80 ms')).toEqual([
      [50, 'ms', 'between'],
      [80, 'ms', 'between'],
    ]);
    expect(of('10 ms ± 0.5 ms')).toEqual([
      [10, 'ms', ''],
      [0.5, 'ms', 'tolerance'],
    ]);
    expect(of('24V and 10kΩ')).toEqual([
      [24, 'V', ''],
      [10, 'kΩ', ''],
    ]);
  });

  it('are none in keys, names and numbers of parts', () => {
    expect(of('BRK-004 and v2.4.0-rc2 and A4')).toEqual([]);
    expect(of('alarm 3')).toEqual([[3, '', '']]);
  });
});
