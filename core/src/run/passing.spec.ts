import { proposedVerdict, readingsAsked, verdictFaults } from '.';

const step = {
  action: 'Close',
  expected: 'Closed',
  readings: [
    { name: 'time', unit: 'ms', resolution: 1, limits: 'at most 120 ms' },
    { name: 'force', unit: 'N', resolution: 1, limits: 'at least 300 N' },
  ],
};
const read = (time: string, force: string) => [
  { name: 'time', value: time },
  { name: 'force', value: force },
];

describe('a step that measures', () => {
  it('proposes to pass when every reading lies inside, to fail when one lies outside, and nothing before', () => {
    expect(proposedVerdict(step, read('119', '300'))).toBe('pass');
    expect(proposedVerdict(step, read('121', ''))).toBe('fail');
    expect(proposedVerdict(step, read('119', ''))).toBeUndefined();
    expect(proposedVerdict({ action: 'a', expected: 'b' }, [])).toBeUndefined();
  });

  it('keeps what it asks for, in its order, and nothing else', () => {
    expect(
      readingsAsked(step, [
        { name: 'force', value: ' 3 ' },
        { name: 'other', value: '1' },
      ]),
    ).toEqual(read('', '3'));
  });

  it('does not pass without its readings, its picture or its file; it fails or is blocked without', () => {
    const paths = (
      verdict: 'pass' | 'fail' | 'deviation' | 'blocked',
      more: object = {},
      files: { mime: string }[] = [],
      observed = 'Seen',
    ) => verdictFaults({ ...step, ...more }, { verdict, observed, readings: read('119', '') }, files).map((f) => f.path);
    expect(paths('pass')).toEqual(['readings']);
    expect(paths('deviation')).toEqual(['readings']);
    expect(paths('fail')).toEqual([]);
    expect(paths('blocked')).toEqual([]);
    expect(paths('pass', { readings: [], evidence: 'picture' }, [{ mime: 'text/csv' }])).toEqual(['evidence']);
    expect(paths('pass', { readings: [], evidence: 'picture' }, [{ mime: 'image/png' }])).toEqual([]);
    expect(paths('pass', { readings: [], evidence: 'file' })).toEqual(['evidence']);
    expect(paths('pass', { readings: [], evidence: 'file' }, [{ mime: 'text/csv' }])).toEqual([]);
  });

  it('asks for words where it passes against a reading, and for numbers', () => {
    const faults = (observed: string, time: string) => verdictFaults(step, { verdict: 'pass', observed, readings: read(time, '300') }, []);
    expect(faults('', '121').map((f) => f.path)).toEqual(['observed']);
    expect(faults('The timer was late.', '121')).toEqual([]);
    expect(faults('x', 'soon')[0].text).toContain('no number');
  });
});
