import fc from 'fast-check';
import {
  convertDifference,
  convertUnit,
  isKnownUnit,
  judgeReading,
  limitsOf,
  numberLine,
  readingFindings,
  readLimits,
  typedNumber,
} from '.';

/** NIST SP 811, appendix B, and the BIPM SI brochure (recalled): exact factors. */
const published: readonly (readonly [value: number, from: string, to: string, is: number])[] = [
  [1, 'in', 'mm', 25.4],
  [1, 'lbf', 'N', 4.4482216152605],
  [1, 'bar', 'kPa', 100],
  [1, 'psi', 'Pa', 6894.757293168],
  [1, 'mph', 'm/s', 0.44704],
  [1, 'kn', 'm/s', 1852 / 3600],
  [1, 'ft', 'm', 0.3048],
  [1, 'lb', 'kg', 0.45359237],
  [1, 'h', 's', 3600],
  [0, '°C', 'K', 273.15],
  [-459.67, '°F', 'K', 0],
  [212, '°F', '°C', 100],
  [1, 'mmHg', 'Pa', 133.322387415],
];

describe('units', () => {
  for (const [value, from, to, is] of published)
    it(`${value} ${from} are ${is} ${to}`, () => {
      const converted = convertUnit(value, from, to);
      expect(converted).toBeCloseTo(is, 9);
      expect(convertUnit(converted ?? NaN, to, from)).toBeCloseTo(value, 9);
    });

  it('of different quantities are not converted, nor unknown ones but into themselves', () => {
    expect(convertUnit(1, 'bar', 'ms')).toBeUndefined();
    expect(convertUnit(1, 'cycles', 's')).toBeUndefined();
    expect(convertUnit(7, 'cycles', 'cycles')).toBe(7);
    expect([isKnownUnit('cycles'), isKnownUnit('km/h'), isKnownUnit('m/s²'), isKnownUnit('')]).toEqual([false, true, true, true]);
  });

  it('of temperature are converted as points, and differences of them as steps', () => {
    expect(convertUnit(20, '°C', '°F')).toBe(68);
    expect(convertDifference(5, '°C', 'K')).toBe(5);
    expect(convertDifference(9, '°F', '°C')).toBeCloseTo(5, 9);
  });

  it('are the same there and back', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -1e6, max: 1e6, noNaN: true }),
        fc.constantFrom(['km/h', 'm/s'], ['bar', 'psi'], ['°F', 'K'], ['min', 'ms']),
        (value, [a, b]) => {
          const back = convertUnit(convertUnit(value, a, b) ?? NaN, b, a) ?? NaN;
          expect(Math.abs(back - value)).toBeLessThanOrEqual(1e-6 * Math.max(1, Math.abs(value)));
        },
      ),
    );
  });
});

const shown = (text: string): string => {
  const read = readLimits(text);
  if ('fault' in read) return `! ${read.fault}`;
  const { low, high, lowInside, highInside, nominal, unit } = read.limits;
  return `${low === undefined ? '(' : lowInside ? '[' : ']'}${low ?? ''};${high ?? ''}${high === undefined ? ')' : highInside ? ']' : '['} ${unit}${nominal === undefined ? '' : ` ~${nominal}`}`;
};

describe('limits', () => {
  const table: readonly (readonly [string, string])[] = [
    ['at most 120 ms', '(;120] ms'],
    ['≤ 120 ms', '(;120] ms'],
    ['<=120ms', '(;120] ms'],
    ['no more than 120 ms', '(;120] ms'],
    ['max. 3 bar', '(;3] bar'],
    ['less than 5 s', '(;5[ s'],
    ['< 5 s', '(;5[ s'],
    ['at least 2.5 bar', '[2.5;) bar'],
    ['more than 0', ']0;) '],
    ['3.0 to 5.0 bar', '[3;5] bar'],
    ['3,0 bar to 5,0 bar', '[3;5] bar'],
    ['between 3 and 5 bar', '[3;5] bar'],
    ['from 3 to 5', '[3;5] '],
    ['3..5 bar', '[3;5] bar'],
    ['-5 to +5 °C', '[-5;5] °C'],
    ['70 km/h ± 2 %', '[68.6;71.4] km/h ~70'],
    ['70 ± 2 km/h', '[68;72] km/h ~70'],
    ['36.5 °C +/- 0.3 °C', '[36.2;36.8] °C ~36.5'],
    ['20 °C ± 9 °F', '[15;25] °C ~20'],
    ['50 % ± 5 %', '[45;55] % ~50'],
    ['exactly 4', '[4;4]  ~4'],
    ['4 cycles', '[4;4] cycles ~4'],
    ['at least 3 bar and less than 5 bar', '[3;5[ bar'],
    ['at least 3 and at most 5 bar', '[3;5] bar'],
    ['', '! No limits are given.'],
    ['about right', '! “about” is no number, and begins no limit.'],
    ['at most', '! A number is missing.'],
    ['at most soon', '! “soon” is no number.'],
    ['5 bar to 3 bar', '! No value lies between these limits.'],
    ['3 bar to 5 kPa', '! bar and kPa are two units: use one.'],
    ['at least 3 bar and at most 5 s', '! bar and s are two units: use one.'],
    ['3 bar ± 5 s', '! s is no tolerance of bar.'],
    ['between 3 to 5', '! Behind “between” two numbers are joined by “and”.'],
    ['at most 3 bar please', '! “please” cannot be read here.'],
  ];
  for (const [text, is] of table) it(`“${text}” is ${is}`, () => expect(shown(text)).toBe(is));

  it('of any text are read or refused, and never throw', () => {
    for (const texts of [fc.string(), fc.stringMatching(/^[0-9 ±.,<>=a-z%-]{0,40}$/)])
      fc.assert(
        fc.property(texts, (text) => {
          const read = readLimits(text);
          if ('fault' in read) expect(read.fault).not.toBe('');
          else expect((read.limits.low ?? -Infinity) <= (read.limits.high ?? Infinity)).toBeTrue();
        }),
      );
  });
});

describe('a reading', () => {
  const reading = { name: 'time', unit: 'ms', resolution: 1, limits: 'at most 0.12 s' };

  it('is judged in its own unit, with its margin, at the limit too', () => {
    expect(judgeReading(reading, '119,5')).toEqual({ value: 119.5, verdict: 'pass', margin: 0.5 });
    expect(judgeReading(reading, '120')).toEqual({ value: 120, verdict: 'pass', margin: 0 });
    expect(judgeReading(reading, '121')).toEqual({ value: 121, verdict: 'fail', margin: -1 });
    expect(judgeReading({ ...reading, limits: 'less than 120 ms' }, '120')?.verdict).toBe('fail');
    expect(judgeReading({ unit: 'm/s', limits: '70 km/h ± 2 %' }, '19.8')?.verdict).toBe('pass');
    expect(judgeReading({ unit: 'm/s', limits: '70 km/h ± 2 %' }, '19.9')?.verdict).toBe('fail');
  });

  it('that is no number, or cannot be compared, has no verdict', () => {
    expect(judgeReading(reading, 'soon')).toBeUndefined();
    expect(judgeReading({ ...reading, unit: 'bar' }, '3')).toBeUndefined();
    expect([typedNumber('1e3'), typedNumber(' −2,5 '), typedNumber('')]).toEqual([undefined, -2.5, undefined]);
  });

  it('is judged as its limits say, whatever the numbers', () => {
    // The oracle knows no units: in tenths, as whole numbers.
    fc.assert(
      fc.property(
        fc.integer({ min: -2000, max: 2000 }),
        fc.integer({ min: 0, max: 500 }),
        fc.integer({ min: -4000, max: 4000 }),
        (middle, width, value) => {
          const judged = judgeReading({ unit: 'bar', limits: `${middle / 10} ± ${width / 10} bar` }, String(value / 10));
          expect(judged?.verdict).toBe(Math.abs(value - middle) <= width ? 'pass' : 'fail');
          expect(judged?.margin).toBeCloseTo((width - Math.abs(value - middle)) / 10, 9);
        },
      ),
    );
  });

  it('is told what is wrong with it, at its member', () => {
    expect(readingFindings(reading)).toEqual([]);
    expect(readingFindings({ ...reading, name: ' ' }).map((f) => f.cell)).toEqual(['name']);
    expect(readingFindings({ ...reading, unit: 'bar' })[0].text).toContain('s cannot be compared with bar');
    expect(readingFindings({ ...reading, limits: 'soon' })[0].cell).toBe('limits');
    expect(readingFindings({ ...reading, limits: '10 ± 1 ms', resolution: 5 })).toEqual([
      jasmine.objectContaining({ severity: 'warning', cell: 'resolution' }),
    ]);
  });

  it('stands on a line between its limits, with room on both sides', () => {
    const limits = limitsOf({ unit: 'bar', limits: '3 to 5 bar' });
    const line = numberLine(limits ?? { lowInside: true, highInside: true, unit: '' }, [4, 6]);
    expect(line.at(line.low)).toBe(0);
    expect(line.at(line.high)).toBe(1);
    expect(line.at(3)).toBeLessThan(line.at(4));
    expect(line.at(6)).toBeLessThan(1);
    fc.assert(fc.property(fc.double({ noNaN: true }), (value) => line.at(value) >= 0 && line.at(value) <= 1));
  });
});
