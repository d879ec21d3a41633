/** Sets of small whole numbers, packed 32 to a word: the hits of a measurement, the points of a group. */
export type Bits = Uint32Array;

export const bitsFor = (size: number): Bits => new Uint32Array((size + 31) >>> 5);
export const hasBit = (bits: Bits, i: number): boolean => ((bits[i >>> 5] >>> (i & 31)) & 1) === 1;
export const setBit = (bits: Bits, i: number): void => void (bits[i >>> 5] |= 1 << (i & 31));

/** How many bits of a word are set. */
export function ones(word: number): number {
  let v = word - ((word >>> 1) & 0x55555555);
  v = (v & 0x33333333) + ((v >>> 2) & 0x33333333);
  return Math.imul((v + (v >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}

/** The bits of word `w` that lie in [from, to). */
function maskOf(w: number, from: number, to: number): number {
  let mask = -1;
  if (w === from >>> 5) mask &= -1 << (from & 31);
  if (w === to >>> 5) mask &= (1 << (to & 31)) - 1;
  return mask;
}

/** How many bits are set in [from, to). */
export function countBits(bits: Bits, from: number, to: number): number {
  if (to <= from) return 0;
  const first = from >>> 5;
  const last = (to - 1) >>> 5;
  let sum = 0;
  for (let w = first; w <= last; w++) {
    const word = w === first || w === last ? bits[w] & maskOf(w, from, to) : bits[w];
    if (word) sum += ones(word);
  }
  return sum;
}

/** Adds `from`’s bits to `into`, all of them. */
export function orAll(into: Bits, from: Bits): void {
  for (let w = 0; w < from.length; w++) into[w] |= from[w];
}

/** Adds `source`’s bits in [from, to) to `into`. */
export function orRange(into: Bits, source: Bits, from: number, to: number): void {
  if (to <= from) return;
  const first = from >>> 5;
  const last = (to - 1) >>> 5;
  into[first] |= source[first] & maskOf(first, from, to);
  for (let w = first + 1; w < last; w++) into[w] |= source[w];
  if (last > first) into[last] |= source[last] & maskOf(last, from, to);
}

/** Takes the bits in [from, to) out. */
export function clearRange(bits: Bits, from: number, to: number): void {
  if (to <= from) return;
  for (let w = from >>> 5; w <= (to - 1) >>> 5; w++) bits[w] &= ~maskOf(w, from, to);
}

/** The first number in [from, to) that is not set; undefined where all are. */
export function firstClear(bits: Bits, from: number, to: number): number | undefined {
  for (let i = from; i < to; i++) {
    if ((i & 31) === 0 && bits[i >>> 5] === 0xffffffff && i + 32 <= to) i += 31;
    else if (!hasBit(bits, i)) return i;
  }
  return undefined;
}
