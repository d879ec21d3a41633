/** Bytes as people say them: whole up to 1023, then with one decimal in KiB, MiB, GiB or TiB, each 1024 of the one before. */
export function bytesWords(bytes: number): string {
  const units = ['bytes', 'KiB', 'MiB', 'GiB', 'TiB'];
  let [value, unit] = [bytes, 0];
  while (value >= 1024 && unit < units.length - 1) [value, unit] = [value / 1024, unit + 1];
  return `${unit ? value.toFixed(1) : value} ${units[unit]}`;
}
