import { meaningFaults, meaningsFor, type OwnMeaning } from './meanings';

const witnessed: OwnMeaning = { name: 'witnessed', says: 'I saw it done.', roles: ['tester', 'reviewer'], kinds: ['run'] };
const words = (list: readonly OwnMeaning[]): string[] => meaningFaults(list).map(({ at, text }) => `${at} ${text}`);

describe('meanings of signatures that a project has', () => {
  it('are whole, stand once, and are none that the rules know', () => {
    expect(words([witnessed, { ...witnessed, name: 'released' }])).toEqual([]);
    expect(words([{ ...witnessed, name: ' Approved ' }])).toEqual(['0 “Approved” is a meaning that the rules know: choose another name.']);
    expect(words([witnessed, { ...witnessed, name: 'Witnessed' }])).toEqual(['1 “Witnessed” stands here twice.']);
    expect(words([{ name: ' ', says: ' ', roles: [], kinds: [] }])).toEqual([
      '0 It needs a name.',
      '0 It needs the sentence that is signed.',
      '0 Say who may sign so.',
      '0 Say what is signed so.',
    ]);
    expect(words([{ ...witnessed, name: 'x'.repeat(31) }])).toEqual(['0 A name has at most thirty characters.']);
  });

  it('are offered to who may sign so, on what is signed so', () => {
    const released: OwnMeaning = { name: 'released', says: 'I release it.', roles: ['administrator'], kinds: ['run', 'case'] };
    const offered = (kind: string, roles: Parameters<typeof meaningsFor>[2]): string[] =>
      meaningsFor([witnessed, released], kind, roles).map(({ name }) => name);
    expect(offered('run', ['tester'])).toEqual(['witnessed']);
    expect(offered('run', ['administrator', 'reviewer'])).toEqual(['witnessed', 'released']);
    expect(offered('case', ['tester'])).toEqual([]);
    expect(offered('case', ['administrator'])).toEqual(['released']);
    expect(offered('run', ['auditor'])).toEqual([]);
    expect(meaningsFor(undefined, 'run', ['tester'])).toEqual([]);
  });
});
