import fc from 'fast-check';
import {
  baselineContent,
  baselineRows,
  baselineTable,
  baselineText2,
  compareBaselines,
  emptyRequirement,
  inReadingOrder,
  type BaselineContent,
  type BaselineRequirement,
} from './index';

const requirement = (key: string, more: Partial<BaselineRequirement> = {}, title = key): BaselineRequirement => ({
  key,
  specification: 'BRK',
  revision: 1,
  state: 'approved',
  under: null,
  content: { ...emptyRequirement, title, text: `${title} shall hold.` },
  own: {},
  ...more,
});
const of = (requirements: BaselineRequirement[], traces: BaselineContent['traces'] = []): BaselineContent => ({
  seq: 7,
  specifications: [{ key: 'BRK', title: 'Brake' }],
  requirements,
  traces,
});
const trace = (from: string, to: string) => ({ kind: 'parent', from, to, fromRevision: 1, toRevision: 1, confirmed: true });
const told = (a: BaselineContent, b: BaselineContent): string[] => compareBaselines(a, b).map(({ what, key }) => `${what} ${key}`);

describe('a baseline', () => {
  it('becomes rows of a document: below a heading for each of several specifications, with the traces of then, or just what words find', () => {
    const one = of(
      [requirement('A-1', { own: { Zone: 'top' } }), requirement('A-2', { under: 'A-1' })],
      [trace('A-2', 'A-1'), { ...trace('C-1', 'A-2'), kind: 'verifies' }],
    );
    const shown = (content: BaselineContent, words = '') => baselineRows(content, words).map(({ key, under }) => `${key} ${under}`);
    expect(shown(one)).toEqual(['A-1 null', 'A-2 A-1']);
    const [first, second] = baselineRows(one, '');
    expect([first.children, second.parents, second.cases, first.cases]).toEqual([['A-2'], ['A-1'], ['C-1'], []]);
    expect(shown(one, 'a-2 SHALL')).toEqual(['A-2 null']);
    const two = { ...one, specifications: [...one.specifications, { key: 'DOR', title: 'Doors' }] };
    const more = { ...two, requirements: [...one.requirements, requirement('D-1', { specification: 'DOR' })] };
    expect(shown(more)).toEqual(['BRK null', 'A-1 BRK', 'A-2 A-1', 'DOR null', 'D-1 DOR']);
    expect(shown(more, 'd-1')).toEqual(['D-1 null']);
    const { columns, lines } = baselineTable(baselineRows(one, ''));
    const cell = (line: number, name: string) => lines[line][columns.indexOf(name)];
    expect([cell(1, 'key'), cell(1, 'under'), cell(1, 'parent'), cell(1, 'verified by')]).toEqual(['A-2', 'A-1', 'A-1', 'C-1']);
    expect([cell(0, 'Zone'), cell(1, 'Zone'), lines[0].length]).toEqual(['top', '', columns.length]);
  });

  it('is read back as it was written, whatever stands in it', () => {
    const text = fc.string({ unit: 'binary-ascii' });
    const any = fc.record({
      key: fc.constantFrom('A-1', 'A-2', 'B-3'),
      title: text,
      text,
      own: fc.dictionary(fc.constantFrom('Mass', 'Zone'), text),
      html: fc.option(text, { nil: undefined }),
    });
    fc.assert(
      fc.property(fc.array(any), (list) => {
        const content = of(
          list.map(({ key, title, text: words, own, html }) =>
            requirement(key, { own: { ...own }, content: { ...emptyRequirement, title, text: words, ...(html ? { html } : {}) } }),
          ),
        );
        expect(JSON.stringify(baselineContent(baselineText2('BL-1', content)))).toBe(
          JSON.stringify(JSON.parse(JSON.stringify(sorted(content)))),
        );
      }),
    );
  });

  it('says what was added, removed, changed and moved, and which traces came and went', () => {
    const before = of(
      [requirement('A-1'), requirement('A-2'), requirement('A-3', { under: 'A-1' })],
      [trace('A-1', 'S-1'), trace('A-2', 'S-1')],
    );
    const after = of(
      [requirement('A-1', { revision: 2 }, 'Other'), requirement('A-3'), requirement('A-4', { own: { Mass: '3' } })],
      [trace('A-1', 'S-1'), trace('A-4', 'S-2')],
    );
    expect(told(before, after)).toEqual(['changed A-1', 'moved A-3', 'added A-4', 'removed A-2', 'traceAdded A-4', 'traceRemoved A-2']);
    const [changed, moved] = compareBaselines(before, after);
    expect(changed.revisions).toEqual([1, 2]);
    expect(changed.differences.map((d) => [d.name, d.before, d.after])).toEqual([
      ['Title', 'A-1', 'Other'],
      ['Text', 'A-1 shall hold.', 'Other shall hold.'],
    ]);
    expect(moved.differences).toEqual([{ name: 'Place', before: 'BRK, under A-1', after: 'BRK' }]);
  });

  it('says that something stands in another order, and names as few as can be', () => {
    const keys = ['A-1', 'A-2', 'A-3', 'A-4'];
    const before = of(keys.map((key) => requirement(key)));
    expect(told(before, of(['A-4', 'A-1', 'A-2', 'A-3'].map((key) => requirement(key))))).toEqual(['moved A-4']);
    expect(told(before, of(['A-1', 'A-5', 'A-2', 'A-3', 'A-4'].map((key) => requirement(key))))).toEqual(['added A-5']);
  });

  it('differs in nothing from itself, and the other way round in the same things', () => {
    const rows = fc.uniqueArray(fc.record({ key: fc.nat(12), under: fc.option(fc.nat(12)), title: fc.constantFrom('x', 'y') }), {
      selector: (r) => r.key,
    });
    const made = (list: { key: number; under: number | null; title: string }[]): BaselineContent =>
      of(
        inReadingOrder(
          list.map(({ key, under, title }) =>
            requirement(`A-${key}`, { under: under !== null && under < key ? `A-${under}` : null }, title),
          ),
        ),
        list.flatMap(({ key, under }) => (under === null ? [] : [trace(`A-${key}`, `S-${under}`)])),
      );
    const opposite = {
      added: 'removed',
      removed: 'added',
      changed: 'changed',
      moved: 'moved',
      traceAdded: 'traceRemoved',
      traceRemoved: 'traceAdded',
    };
    fc.assert(
      fc.property(rows, rows, (one, two) => {
        const [a, b] = [made(one), made(two)];
        expect(compareBaselines(a, a)).toEqual([]);
        const there = compareBaselines(a, b);
        const back = compareBaselines(b, a);
        // Which of two neighbours moved can be told either way; everything else is the same from both sides.
        const plain = (list: typeof there, turn: boolean): string[] =>
          list
            .filter(({ what }) => what !== 'moved')
            .map(
              ({ what, key, differences }) =>
                `${turn ? opposite[what] : what} ${key} ${what.startsWith('trace') ? differences[0].before + differences[0].after : ''}`,
            )
            .sort();
        expect(plain(back, true)).toEqual(plain(there, false));
      }),
    );
  });

  it('stands in reading order, each below what it stands under, once', () => {
    const rows = fc.uniqueArray(fc.record({ key: fc.nat(20), under: fc.option(fc.nat(25)) }), { selector: (r) => r.key });
    fc.assert(
      fc.property(rows, (list) => {
        const given = list.map(({ key, under }) => ({
          key: String(key),
          under: under !== null && under !== key && (under < key || under > 20) ? String(under) : null,
        }));
        const out = inReadingOrder(given);
        expect(out.map((r) => r.key).sort()).toEqual(given.map((r) => r.key).sort());
        for (const [i, { under }] of out.entries())
          if (under !== null && given.some((g) => g.key === under)) expect(out.findIndex((o) => o.key === under)).toBeLessThan(i);
      }),
    );
  });
});

/** Members in the order of their names, as canonical JSON has them. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, v]) => [k, sorted(v)]),
  );
}
