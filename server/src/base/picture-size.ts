export interface PictureSize {
  readonly kind: 'png' | 'jpg' | 'gif';
  readonly width: number;
  readonly height: number;
}

/** How large a PNG, JPEG or GIF is, from its first bytes; undefined for what is none, or is cut off. */
export function pictureSize(bytes: Buffer): PictureSize | undefined {
  const sized = (kind: PictureSize['kind'], width: number, height: number): PictureSize | undefined =>
    width > 0 && height > 0 ? { kind, width, height } : undefined;
  if (bytes.length >= 24 && bytes.readUInt32BE(0) === 0x89504e47) return sized('png', bytes.readUInt32BE(16), bytes.readUInt32BE(20));
  if (bytes.length >= 10 && bytes.toString('latin1', 0, 4) === 'GIF8') return sized('gif', bytes.readUInt16LE(6), bytes.readUInt16LE(8));
  if (bytes.length < 4 || bytes.readUInt16BE(0) !== 0xffd8) return undefined;
  // Segment by segment up to the one that holds the frame.
  for (let at = 2; at + 9 < bytes.length;) {
    if (bytes[at] !== 0xff) return undefined;
    const marker = bytes[at + 1];
    if (marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc)
      return sized('jpg', bytes.readUInt16BE(at + 7), bytes.readUInt16BE(at + 5));
    at += 2 + bytes.readUInt16BE(at + 2);
  }
  return undefined;
}
