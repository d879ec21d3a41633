/**
 * Text from bytes whose encoding nobody has said: a byte order mark decides, else valid UTF-8, else Windows-1252.
 * Bytes with NUL and no byte order mark are not text: `undefined`.
 */
export function decodeText(bytes: Uint8Array): { readonly text: string; readonly encoding: string } | undefined {
  const mark = (...want: number[]): boolean => want.every((byte, i) => bytes[i] === byte);
  const decode = (encoding: string): { text: string; encoding: string } => ({ text: new TextDecoder(encoding).decode(bytes), encoding });
  if (mark(0xff, 0xfe)) return decode('utf-16le');
  if (mark(0xfe, 0xff)) return decode('utf-16be');
  if (bytes.subarray(0, 65536).includes(0)) return undefined;
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: 'utf-8' };
  } catch {
    return decode('windows-1252');
  }
}
