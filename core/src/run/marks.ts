/** A mark on a picture, in its own pixels: from where it was begun to where it ends. */
export interface PictureMark {
  readonly kind: 'arrow' | 'box' | 'blackout';
  readonly x1: number;
  readonly y1: number;
  readonly x2: number;
  readonly y2: number;
}

export interface PictureSize {
  readonly width: number;
  readonly height: number;
}

/** Shorter than this share of the picture's longer side a mark is a slip of the hand. */
const leastShare = 0.01;
const within = (value: number, most: number): number => Math.round(Math.min(Math.max(value, 0), most));
const longest = ({ width, height }: PictureSize): number => Math.max(width, height);

/** A mark inside the picture; undefined where it is too small to be meant. */
export function markOn(picture: PictureSize, mark: PictureMark): PictureMark | undefined {
  const { width, height } = picture;
  const { kind, x1, y1, x2, y2 } = mark;
  const inside = { kind, x1: within(x1, width), y1: within(y1, height), x2: within(x2, width), y2: within(y2, height) };
  const long = Math.hypot(inside.x2 - inside.x1, inside.y2 - inside.y1);
  const flat = kind !== 'arrow' && (inside.x1 === inside.x2 || inside.y1 === inside.y2);
  return long < leastShare * longest(picture) || flat ? undefined : inside;
}

/** The same mark moved, as far as the picture goes; its size stays. */
export function movedMark(picture: PictureSize, { kind, x1, y1, x2, y2 }: PictureMark, dx: number, dy: number): PictureMark {
  const step = (by: number, a: number, b: number, most: number): number => Math.min(Math.max(by, -Math.min(a, b)), most - Math.max(a, b));
  const [x, y] = [step(dx, x1, x2, picture.width), step(dy, y1, y2, picture.height)];
  return { kind, x1: x1 + x, y1: y1 + y, x2: x2 + x, y2: y2 + y };
}

/** The same mark with its end moved; one that would be too small stays as it was. */
export const stretchedMark = (picture: PictureSize, mark: PictureMark, dx: number, dy: number): PictureMark =>
  markOn(picture, { ...mark, x2: mark.x2 + dx, y2: mark.y2 + dy }) ?? mark;

/** The rectangle of a mark, from its upper left corner. */
export const markBox = ({ x1, y1, x2, y2 }: PictureMark): { x: number; y: number; width: number; height: number } => ({
  x: Math.min(x1, x2),
  y: Math.min(y1, y2),
  width: Math.abs(x2 - x1),
  height: Math.abs(y2 - y1),
});

/** Width of the lines of marks on a picture, in its pixels. */
export const markStroke = (picture: PictureSize): number => Math.max(2, Math.round(longest(picture) / 250));

/** The corners of an arrow's head: its tip, and the two behind it at 30° to either side. */
export function arrowHead(picture: PictureSize, { x1, y1, x2, y2 }: PictureMark): readonly (readonly [number, number])[] {
  const long = Math.min(6 * markStroke(picture), Math.hypot(x2 - x1, y2 - y1));
  const back = Math.atan2(y1 - y2, x1 - x2);
  const corner = (turn: number): readonly [number, number] => [x2 + long * Math.cos(back + turn), y2 + long * Math.sin(back + turn)];
  return [[x2, y2], corner(Math.PI / 6), corner(-Math.PI / 6)];
}
