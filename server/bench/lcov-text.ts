/** A tracefile of so many MiB: one section again and again, as a large program’s would be. */
export function lcovBytes(megabytes: number): Uint8Array {
  const section = [
    'TN:C_018',
    'SF:/build/src/brake.c',
    ...Array.from({ length: 40 }, (_, i) => `FN:${i * 25 + 1},function_${i}\nFNDA:${i},function_${i}`),
    ...Array.from({ length: 1000 }, (_, i) => `DA:${i + 1},${(i * 7919) % 1000}`),
    ...Array.from({ length: 600 }, (_, i) => `BRDA:${i + 1},0,${i % 2},${i % 3 ? i : '-'}`),
    'end_of_record',
    '',
  ].join('\n');
  return new TextEncoder().encode(section.repeat(Math.ceil((megabytes << 20) / section.length)));
}
