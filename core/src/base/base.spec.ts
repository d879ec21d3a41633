import fc from 'fast-check';
import {
  canonicalJson,
  compareKeys,
  isKey,
  keyNumber,
  keyPrefix,
  LedgerCheck,
  RowCheck,
  ledgerHash,
  ledgerRoot,
  nextKey,
  sha256Hex,
  findPassage,
  wordDifference,
  type Json,
  type LedgerEntry,
  type LedgerFacts,
} from './index';

describe('canonical JSON', () => {
  // Source: RFC 8785, section 3.2.2 and 3.2.3 (recalled from memory).
  it('writes numbers as ECMAScript does and sorts members by UTF-16 units', () => {
    expect(canonicalJson({ numbers: [333333333.33333329, 1e30, 4.5, 2e-3, 0.000000000000000000000000001] })).toBe(
      '{"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27]}',
    );
    expect(canonicalJson({ '\u20ac': 1, '\r': 2, '\ufb33': 3, '1': 4, '\u{1f600}': 5, '\u0080': 6, '\u00f6': 7 })).toBe(
      '{"\\r":2,"1":4,"\u0080":6,"\u00f6":7,"\u20ac":1,"\u{1f600}":5,"\ufb33":3}',
    );
    expect(canonicalJson(-0)).toBe('0');
  });

  it('refuses what JSON cannot hold exactly', () => {
    expect(() => canonicalJson(Number.NaN)).toThrowError();
    expect(() => canonicalJson('\ud800')).toThrowError();
  });

  it('does not depend on the order of members, and says the same as JSON', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        const text = canonicalJson(value as Json);
        expect(JSON.parse(text)).toEqual(JSON.parse(JSON.stringify(value)));
        const turned = JSON.parse(text, (_, v: unknown) =>
          v && typeof v === 'object' && !Array.isArray(v) ? Object.fromEntries(Object.entries(v).reverse()) : v,
        ) as Json;
        expect(canonicalJson(turned)).toBe(text);
      }),
    );
  });

  // Source: FIPS 180-4 examples; the empty hash also in RFC 6962 (recalled from memory).
  it('hashes as SHA-256', () => {
    expect(sha256Hex('')).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855');
    expect(sha256Hex('abc')).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad');
  });
});

describe('the ledger’s chain', () => {
  const chain = (n: number): LedgerEntry[] => {
    const entries: LedgerEntry[] = [];
    for (let seq = 1; seq <= n; seq++) {
      const facts: LedgerFacts = {
        format: seq % 2 ? 1 : 2,
        seq,
        at: '2026-01-01T00:00:00.000Z',
        who: 'a',
        action: 'did',
        kind: 'case',
        key: `C-${seq}`,
        before: null,
        after: { seq },
        writes: [{ table: 'cases', id: String(seq), hash: 'a'.repeat(64) }],
        operation: '',
      };
      const previous = entries.at(-1)?.hash ?? ledgerRoot;
      entries.push({ ...facts, previous, hash: ledgerHash(facts, previous) });
    }
    return entries;
  };
  const verify = (entries: readonly LedgerEntry[], head?: { seq: number; hash: string }) => {
    const check = new LedgerCheck();
    entries.forEach((entry) => check.push(entry));
    return check.verdict(head);
  };

  it('holds when nothing was touched', () => {
    const entries = chain(5);
    expect(verify(entries, { seq: 5, hash: entries[4].hash })).toEqual({ entries: 5, head: entries[4].hash });
    expect(verify([])).toEqual({ entries: 0, head: ledgerRoot });
  });

  it('names the first entry that does not fit, whatever was done to it', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 7 }), fc.constantFrom('change', 'drop', 'swap', 'rehash'), (at, what) => {
        const entries = chain(8);
        const head = { seq: 8, hash: entries[7].hash };
        if (what === 'change') entries[at] = { ...entries[at], who: 'b' };
        if (what === 'drop') entries.splice(at, 1);
        if (what === 'swap') [entries[at], entries[(at + 1) % 8]] = [entries[(at + 1) % 8], entries[at]];
        if (what === 'rehash')
          entries[at] = { ...entries[at], who: 'b', hash: ledgerHash({ ...entries[at], who: 'b' }, entries[at].previous) };
        const { fault } = verify(entries, head);
        expect(fault).toBeDefined();
        // A changed entry with its own new hash shows at the next one, or at the head that is kept apart.
        if (what === 'change' || what === 'drop') expect(fault?.seq).toBe(at + 1);
        if (what === 'rehash') expect(fault?.seq).toBe(at === 7 ? 8 : at + 2);
      }),
    );
  });
});

describe('the rows that a ledger accounts for', () => {
  const write = (table: string, id: string, hash: string | null) => ({ table, id, hash });
  const check = (entries: ReturnType<typeof write>[][], rows: readonly (readonly [string, string, string])[]) => {
    const rowCheck = new RowCheck();
    entries.forEach((writes, i) => rowCheck.entry({ seq: i + 1, writes }));
    for (const [table, id, hash] of rows) rowCheck.row(table, id, hash);
    return rowCheck.faults();
  };

  it('holds each row against the last that was written of it, and names what was changed, removed or put in', () => {
    const entries = [
      [write('runs', '1', 'a'), write('runs', '2', 'b')],
      [write('runs', '1', 'c')],
      [write('runs', '3', 'd'), write('runs', '4', null)],
    ];
    expect(
      check(entries, [
        ['runs', '1', 'c'],
        ['runs', '2', 'b'],
        ['runs', '3', 'd'],
      ]),
    ).toEqual([]);
    expect(
      check(entries, [
        ['runs', '1', 'a'],
        ['runs', '3', 'd'],
        ['runs', '4', 'x'],
        ['runs', '5', 'y'],
      ]),
    ).toEqual([
      { table: 'runs', id: '1', fault: 'changed', seq: 2 },
      { table: 'runs', id: '4', fault: 'inserted', seq: 3 },
      { table: 'runs', id: '5', fault: 'inserted', seq: null },
      { table: 'runs', id: '2', fault: 'removed', seq: 1 },
    ]);
  });
});

describe('keys and words', () => {
  it('counts keys as people do', () => {
    expect(['BRK-10', 'BRK-9', 'ALM-2'].sort(compareKeys)).toEqual(['ALM-2', 'BRK-9', 'BRK-10']);
    expect(nextKey('BRK', 9)).toBe('BRK-010');
    expect(keyNumber('DR-CASE-22')).toBe(22);
    expect([isKey('BRK-007'), isKey('brk-7'), isKey('BRK'), isKey(`A-${'1'.repeat(60)}`)]).toEqual([true, false, false, false]);
    // A number of ten digits would poison whatever is counted on from it.
    expect([isKey('BRK-999999999'), isKey('BRK-9999999999')]).toEqual([true, false]);
    expect(['DR-CASE-22', '2.4.0'].map(keyPrefix)).toEqual(['DR-CASE', '2.4.0']);
  });

  it('puts both texts together again from their difference', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('the', 'brake', 'shall', 'close', '120', 'ms')),
        fc.array(fc.constantFrom('the', 'brake', 'opens', '200', 'ms')),
        (a, b) => {
          const pieces = wordDifference(a.join(' '), b.join(' '));
          expect(
            pieces
              .filter((p) => p.kind !== 'added')
              .map((p) => p.text)
              .join(''),
          ).toBe(a.join(' '));
          expect(
            pieces
              .filter((p) => p.kind !== 'removed')
              .map((p) => p.text)
              .join(''),
          ).toBe(b.join(' '));
        },
      ),
    );
  });

  it('shows the passage in which words were found, and marks just their beginnings', () => {
    expect(findPassage('The brake shall close', 'BRA clo')).toEqual({
      text: 'The brake shall close',
      marks: [
        [4, 7],
        [16, 19],
      ],
    });
    expect(findPassage('The brake', 'gondola')).toBeUndefined();
    expect(findPassage('The brake', ' -- ')).toBeUndefined();
    const long = `${'word '.repeat(40)}needle ${'word '.repeat(60)}`;
    const found = findPassage(long, 'needle');
    expect(found?.text.length).toBeLessThan(170);
    expect(found?.text).toMatch(/^… .*needle.* …$/);
    fc.assert(
      fc.property(fc.string(), fc.string({ minLength: 1 }), (text, search) => {
        const passage = findPassage(text, search);
        for (const [from, to] of passage?.marks ?? []) {
          const marked = passage?.text.slice(from, to).toLowerCase() ?? '';
          expect(search.toLowerCase()).toContain(marked);
          expect(marked).not.toBe('');
        }
      }),
    );
  });
});
