import fc from 'fast-check';
import {
  branchEnd,
  joined,
  moved,
  outlineFaults,
  outlineOf,
  parted,
  placesOf,
  settled,
  shifted,
  textBlocks,
  titleOf,
  type OutlineRow,
} from './index';

const row = (depth: number, title: string, more: Partial<OutlineRow> = {}): OutlineRow => ({
  kind: 'requirement',
  depth,
  title,
  text: '',
  ...more,
});
const told = (rows: readonly OutlineRow[]): string[] => rows.map((r) => `${r.depth} ${r.title}`);
const outline = fc
  .array(fc.record({ depth: fc.nat(4), n: fc.nat(999) }), { maxLength: 12 })
  .map((list) => settled(list.map(({ depth }, i) => row(depth, `T${i}`))));

describe('an outline that a document proposes', () => {
  it('has its headings as a tree, a requirement for each sentence that asks, and the rest as notes', () => {
    const rows = outlineOf([
      { level: 1, text: '1 Brake' },
      { level: 0, text: 'The brake holds the cabin.' },
      { level: 2, text: '1.1 Closing' },
      { level: 0, text: 'The brake shall close within 120 ms. The relay shall open first. See figure 2.' },
      { level: 0, text: 'The brake shall stay closed. It is tested each morning.' },
      { level: 1, text: 'Doors' },
      { level: 0, text: '   ' },
    ]);
    expect(rows.map((r) => `${r.depth} ${r.kind}: ${r.text || r.title}`)).toEqual([
      '0 heading: Brake',
      '1 note: The brake holds the cabin.',
      '1 heading: Closing',
      '2 requirement: The brake shall close within 120 ms.',
      '2 requirement: The relay shall open first.',
      '2 note: See figure 2.',
      '2 requirement: The brake shall stay closed. It is tested each morning.',
      '0 heading: Doors',
    ]);
  });

  it('loses no word of the document, whatever stands in it', () => {
    const block = fc.record({
      level: fc.nat(6),
      text: fc.array(fc.constantFrom('The', 'pump', 'shall', 'stop.', 'v2.4', 'now!', 'ü'), { minLength: 1 }).map((w) => w.join(' ')),
    });
    fc.assert(
      fc.property(fc.array(block), (blocks) => {
        const words = (text: string): string[] => text.split(/\s+/).filter(Boolean);
        const given = blocks.flatMap((b) => words(b.text));
        const kept = outlineOf(blocks).flatMap((r) => words(r.text || r.title));
        expect(kept.map((w) => w.replace(/[.:;]$/, ''))).toEqual(given.map((w) => w.replace(/[.:;]$/, '')));
      }),
    );
  });

  it('reads plain text: chapters by their numbers, items one by one, lines of a paragraph together', () => {
    expect(textBlocks('1 Brake\n\nThe brake shall\nclose.\n\n1.2 Doors\n- one shall hold\n- two\n2) three\n')).toEqual([
      { level: 1, text: '1 Brake' },
      { level: 0, text: 'The brake shall close.' },
      { level: 2, text: '1.2 Doors' },
      { level: 0, text: 'one shall hold' },
      { level: 0, text: 'two' },
      { level: 0, text: 'three' },
    ]);
  });

  it('gives a title to a text that has none', () => {
    expect(titleOf('The brake shall close. It holds.')).toBe('The brake shall close');
    const long = titleOf('word '.repeat(60));
    expect(long.length).toBeLessThan(95);
    expect(long).toMatch(/ …$/);
  });
});

describe('an outline that is written', () => {
  it('moves a branch as a whole and keeps every row once, through any steps', () => {
    const step = fc.record({ what: fc.constantFrom('deeper', 'higher', 'up', 'down'), at: fc.nat(11) });
    fc.assert(
      fc.property(outline, fc.array(step, { maxLength: 12 }), (first, steps) => {
        let rows = first;
        for (const { what, at } of steps) {
          if (at >= rows.length) continue;
          const branch = rows.slice(at, branchEnd(rows, at)).map((r) => r.title);
          const before = rows;
          if (what === 'deeper' || what === 'higher') rows = shifted(rows, at, what === 'deeper' ? 1 : -1);
          else {
            const to = moved(rows, at, what === 'up' ? -1 : 1);
            expect(to.rows.slice(to.at, to.at + branch.length).map((r) => r.title)).toEqual(branch);
            rows = to.rows;
          }
          expect([...rows.map((r) => r.title)].sort()).toEqual([...before.map((r) => r.title)].sort());
          expect(settled(rows)).toEqual(rows);
          // Back again is where it was.
          if (what === 'up' && moved(before, at, -1).at !== at)
            expect(told(moved(rows, moved(before, at, -1).at, 1).rows)).toEqual(told(before));
        }
      }),
    );
  });

  it('stands each row under the nearest less deep one above it', () => {
    fc.assert(
      fc.property(outline, (rows) => {
        for (const [i, under] of placesOf(rows).entries()) {
          const slow = rows.slice(0, i).findLastIndex((r) => r.depth < rows[i].depth);
          expect(under).toBe(slow < 0 ? null : slow);
        }
      }),
    );
  });

  it('parts a row where one stands in it, and joins it with the one above again', () => {
    const rows = [row(0, 'A'), row(1, 'The pump shall stop', { text: 'The pump shall stop. The valve shall close.' })];
    const two = parted(rows, 1, 21);
    expect(two.slice(1).map((r) => r.text)).toEqual(['The pump shall stop.', 'The valve shall close.']);
    expect(joined(two, 2)).toEqual([rows[0], { ...rows[1], title: 'The pump shall stop' }]);
    expect(told(joined([row(0, 'A'), row(1, 'B')], 1))).toEqual(['0 A B']);
    expect(joined(rows, 0)).toEqual(rows);
  });

  it('says which row lacks a title', () => {
    expect(outlineFaults([row(0, 'A'), row(0, ' ')])).toEqual([{ row: 2, text: 'It has no title.' }]);
  });
});
