import fc from 'fast-check';
import { sourcesDigest, whyNotCarried, type CodeChange, type ResultToCarry } from './index';
import { run, signed } from './testing';

const result = (more: Partial<ResultToCarry> = {}): ResultToCarry => ({
  run: run(),
  caseRevision: 1,
  caseApproved: true,
  requirements: [{ key: 'R-1', level: 'SIL 2', revised: false }],
  hit: [{ path: 'a.c', name: 'held', changed: false }],
  there: 'nothing',
  ...more,
});
const still: CodeChange = { functions: 0, outside: [] };
const changed: CodeChange = { functions: 1, outside: [] };

describe('a result that is carried to another build', () => {
  it('says each reason why it may not be', () => {
    const why = (more: Partial<ResultToCarry>, change = changed, allowed = ['SIL 2']) => whyNotCarried(result(more), change, allowed);
    expect(why({})).toEqual([]);
    expect(why({ there: 'finished' })).toEqual(['it was run on the later build']);
    expect(why({ there: 'otherwise' })).toEqual(['its case is planned there in other configurations']);
    expect(why({ there: 'carried' })).toEqual(['it is carried already']);
    expect(why({ caseApproved: false })).toEqual(['its case is not approved']);
    expect(why({ caseRevision: 2 })).toEqual(['its case was revised']);
    expect(why({ caseRevision: 2, run: run({ carriedOverTo: 2 }) })).toEqual([]);
    expect(why({ run: run({ verdict: 'failed' }) })).toEqual(['it does not pass']);
    expect(why({ run: run({ returned: true }) })).toEqual(['it does not pass']);
    expect(why({ run: run({ verdict: 'deviation' }) })).toEqual(['it does not pass']);
    expect(why({ run: run({ verdict: 'deviation', deviationAccepted: true }) })).toEqual([]);
    expect(why({ run: run({ signatures: [] }) })).toEqual(['it is not signed by its tester']);
    expect(why({ run: run({ signatures: [{ meaning: 'performed', login: 'ann', matches: true }] }) })).toEqual([
      'it is not signed by its tester',
    ]);
    expect(why({ run: run({ signatures: [{ ...signed[0], matches: false }] }) })).toEqual(['it is not signed by its tester']);
    expect(why({ run: run({ tool: 'unit 1.0', signatures: [] }) })).toEqual(['nobody reviewed it']);
    expect(why({ run: run({ tool: 'unit 1.0', signatures: [{ meaning: 'reviewed', login: 'ann', matches: true }] }) })).toEqual([]);
    expect(why({ requirements: [] })).toEqual(['its case verifies nothing']);
    expect(why({ requirements: [{ key: 'R-1', level: 'SIL 2', revised: true }] })).toEqual(['R-1 was revised']);
    expect(why({}, changed, ['SIL 1'])).toEqual(['the project does not allow it at SIL 2']);
    expect(why({ hit: undefined })).toEqual(['nothing measured tells which code its case reaches']);
    expect(why({ hit: undefined }, still)).toEqual([]);
    expect(why({ hit: [{ path: 'a.c', name: 'held', changed: true }] })).toEqual(['it hit held in a.c, which changed']);
    expect(why({}, { functions: 0, outside: ['a.c', 'b.h'] })).toEqual(['it hit a.c, which changed outside its functions']);
    expect(why({}, { functions: 0, outside: ['b.h'] })).toEqual([]);
  });

  it('may never be where a changed function was hit, whatever else is true', () => {
    const functions = fc.array(fc.record({ path: fc.constantFrom('a.c', 'b.c'), name: fc.constantFrom('f', 'g'), changed: fc.boolean() }), {
      maxLength: 4,
    });
    let free = 0;
    fc.assert(
      fc.property(
        fc.option(functions, { nil: undefined }),
        fc.record({ functions: fc.integer({ min: 0, max: 2 }), outside: fc.subarray(['a.c', 'b.c', 'c.h']) }),
        fc.subarray(['SIL 1', 'SIL 2']),
        fc.array(fc.record({ key: fc.constantFrom('R-1', 'R-2'), level: fc.constantFrom('SIL 1', 'SIL 2'), revised: fc.boolean() }), {
          maxLength: 2,
        }),
        (hit, change, allowed, requirements) => {
          const may = whyNotCarried(result({ hit, requirements }), change, allowed).length === 0;
          const reached = hit
            ? hit.some((f) => f.changed) || hit.some((f) => change.outside.includes(f.path))
            : change.functions > 0 || change.outside.length > 0;
          const unchanged = requirements.length > 0 && requirements.every((r) => !r.revised && allowed.includes(r.level));
          expect(may).toBe(!reached && unchanged);
          if (may) free++;
        },
      ),
      { numRuns: 2000 },
    );
    expect(free).toBeGreaterThan(10);
  });

  it('is said of the sources as a whole, in whatever order they are read', () => {
    const [a, b] = [
      { path: 'a.c', sha256: '1' },
      { path: 'b.c', sha256: '2' },
    ];
    expect(sourcesDigest([a, b])).toBe(sourcesDigest([b, a]));
    expect(sourcesDigest([a, b])).not.toBe(sourcesDigest([a, { ...b, sha256: '3' }]));
    expect(sourcesDigest([a])).not.toBe(sourcesDigest([a, b]));
  });
});
