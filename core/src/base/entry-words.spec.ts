import { differencesBetween, entryDifferences, entrySentence, memberWords, readable, type EntrySaid } from './index';

const entry = (action: string, more: Partial<EntrySaid> = {}): EntrySaid => ({
  action,
  kind: 'run',
  key: 'RUN-7',
  before: null,
  after: null,
  ...more,
});
const sentence = (action: string, more: Partial<EntrySaid> = {}): string => {
  const { lead, tail } = entrySentence(entry(action, more));
  return `${lead} RUN-7${tail}`;
};

describe('an entry of the ledger, read by people', () => {
  for (const [action, more, words] of [
    ['step recorded', { after: { step: 3, verdict: 'deviation' } }, 'recorded step 3 of RUN-7: passed with deviation'],
    ['step recorded', { after: { step: 3, verdict: null } }, 'recorded step 3 of RUN-7'],
    ['run recorded', { after: { verdict: 'failed', hash: 'x' } }, 'finished RUN-7: failed'],
    ['requirement revised', { after: { revision: 4 } }, 'revised RUN-7, now revision 4'],
    ['round planned', { after: { build: '1.0', runs: 1 } }, 'planned round RUN-7 on 1.0: 1 run'],
    ['round planned', { after: { build: '1.0', runs: 12 } }, 'planned round RUN-7 on 1.0: 12 runs'],
    ['roles set', { after: ['tester', 'author'] }, 'set the roles of RUN-7 to tester, author'],
    ['roles set', { after: [] }, 'set the roles of RUN-7 to none'],
    ['evidence taken off', { before: { name: 'a.png', step: 2 } }, 'took a.png off RUN-7, step 2'],
    ['evidence taken off', {}, 'took evidence off RUN-7'],
    ['something of another release', { after: { reason: 'it had to be' } }, 'something of another release: RUN-7 because it had to be'],
    ['pack made', {}, 'made a proof pack of RUN-7'],
    ['storage allowed', { after: { bytes: 1024 } }, 'allowed RUN-7 to hold 1024 bytes of files'],
    ['person renamed', { before: { printedName: 'A' }, after: { printedName: 'B' } }, 'renamed RUN-7 from A to B'],
    ['second factor added', { after: { name: 'Phone' } }, 'added the second factor Phone to RUN-7'],
    ['second factor removed', { before: { name: 'Phone' } }, 'removed the second factor Phone of RUN-7'],
    ['recovery code used', { after: { left: 9 } }, 'used a recovery code of RUN-7: 9 are left'],
    ['second factors removed', {}, 'removed all second factors of RUN-7'],
    ['something of another release', {}, 'something of another release: RUN-7'],
    ['rerun asked for', { after: { reason: 'Wrong channel.' } }, 'asked for a rerun of RUN-7: Wrong channel.'],
    [
      'clock corrected',
      { before: { seconds: 9 }, after: { seconds: 60, reason: 'Lunch' } },
      'corrected the clock of RUN-7 from 9 s to 60 s: Lunch',
    ],
    ['12 traces drawn', {}, 'drew 12 traces, RUN-7'],
    ['3 cases filed', { after: { folder: 'F-1' } }, 'filed 3 cases, RUN-7 in F-1'],
    ['round planned, further rows', { after: { build: '1.0', runs: 2 } }, 'planned round RUN-7 on 1.0: 2 runs, continued'],
    ['model approved', {}, 'approved the model RUN-7'],
    ['signed: looked at', {}, 'signed RUN-7: looked at'],
  ] as [string, Partial<EntrySaid>, string][])
    it(`${action} says “${words}”`, () => expect(sentence(action, more)).toBe(words));

  it('tells what differs, and leaves out hashes and what stayed', () => {
    expect(
      entryDifferences({
        before: { revision: 1, title: 'Old', hash: 'a', steps: [{ action: 'Look' }] },
        after: { revision: 2, title: 'New', hash: 'b', steps: [{ action: 'Look' }], plannedMinutes: 5 },
      }),
    ).toEqual([
      { name: 'Revision', before: '1', after: '2' },
      { name: 'Title', before: 'Old', after: 'New' },
      { name: 'Planned minutes', before: '', after: '5' },
    ]);
  });
  it('takes plain values and lists as one member', () => {
    expect(differencesBetween(['a'], ['a', 'b'])).toEqual([{ name: 'Value', before: '1. a', after: '1. a\n2. b' }]);
    expect(differencesBetween(null, null)).toEqual([]);
    expect(differencesBetween('a', 'a')).toEqual([]);
  });
  it('reads values as people write them', () => {
    expect(readable({ a: true, b: false, c: '', d: null, e: [1, { f: 2 }] })).toBe('a: yes; b: no; e: 1. 1\n2. f: 2');
    expect(memberWords('notInCodeRationale')).toBe('Not in code rationale');
  });
});
