import fc from 'fast-check';
import { arrowHead, markBox, markOn, movedMark, stretchedMark, type PictureMark } from './index';

const picture = { width: 800, height: 600 };
const mark = (x1: number, y1: number, x2: number, y2: number, kind: PictureMark['kind'] = 'box'): PictureMark => ({ kind, x1, y1, x2, y2 });
const at = (most: number) => fc.integer({ min: 0, max: most });
const any = fc
  .tuple(at(800), at(600), at(800), at(600), fc.constantFrom('arrow' as const, 'box' as const, 'blackout' as const))
  .map(([x1, y1, x2, y2, kind]) => mark(x1, y1, x2, y2, kind))
  .filter((m) => markOn(picture, m) !== undefined);
const inside = ({ x1, y1, x2, y2 }: PictureMark): boolean =>
  [x1, x2].every((x) => x >= 0 && x <= 800) && [y1, y2].every((y) => y >= 0 && y <= 600);

describe('A mark on a picture', () => {
  it('stays within it, and a slip of the hand is none', () => {
    expect(markOn(picture, mark(-20, 10, 900, 700))).toEqual(mark(0, 10, 800, 600));
    expect(markOn(picture, mark(10, 10, 13, 12))).toBeUndefined();
    // A box has two sides; an arrow may be straight.
    expect(markOn(picture, mark(10, 10, 300, 10))).toBeUndefined();
    expect(markOn(picture, mark(10, 10, 300, 10, 'arrow'))).toEqual(mark(10, 10, 300, 10, 'arrow'));
  });

  it('is moved as it is, as far as the picture goes', () => {
    expect(movedMark(picture, mark(100, 100, 200, 150), -150, 20)).toEqual(mark(0, 120, 100, 170));
    fc.assert(
      fc.property(any, fc.integer({ min: -2000, max: 2000 }), fc.integer({ min: -2000, max: 2000 }), (m, dx, dy) => {
        const now = movedMark(picture, m, dx, dy);
        expect(inside(now)).toBeTrue();
        expect([now.x2 - now.x1, now.y2 - now.y1]).toEqual([m.x2 - m.x1, m.y2 - m.y1]);
      }),
    );
  });

  it('is stretched at its end, and never to nothing', () => {
    expect(stretchedMark(picture, mark(100, 100, 200, 150), 10, -5)).toEqual(mark(100, 100, 210, 145));
    expect(stretchedMark(picture, mark(100, 100, 200, 150), -100, 0)).toEqual(mark(100, 100, 200, 150));
    fc.assert(
      fc.property(any, fc.integer({ min: -900, max: 900 }), fc.integer({ min: -900, max: 900 }), (m, dx, dy) => {
        const now = stretchedMark(picture, m, dx, dy);
        expect(inside(now) && markOn(picture, now) !== undefined).toBeTrue();
      }),
    );
  });

  it('covers the same rectangle from whichever corner it was drawn', () => {
    expect(markBox(mark(200, 150, 100, 100))).toEqual({ x: 100, y: 100, width: 100, height: 50 });
  });

  it('has the head of an arrow at its end, pointing away from its beginning', () => {
    const [tip, left, right] = arrowHead(picture, mark(100, 100, 400, 100, 'arrow'));
    expect(tip).toEqual([400, 100]);
    expect(left[0]).toBeLessThan(400);
    expect(left[0]).toBeCloseTo(right[0], 6);
    expect(left[1] - 100).toBeCloseTo(100 - right[1], 6);
  });
});
