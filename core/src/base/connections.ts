/** Two records that are joined, with what joins them as it is read in each direction. */
export interface Joint<K> {
  readonly from: K;
  readonly to: K;
  readonly forward: string;
  readonly backward: string;
}

/** How a record is reached: over which one, by what, and how many steps away. */
export interface Reached<K> {
  readonly key: K;
  readonly from: K;
  readonly via: string;
  readonly distance: number;
}

/**
 * Everything that can be reached from a record, near first, each once and by a shortest way. `jointsOf` tells the joints of one layer at
 * a time; a way never leads back. At most `most` records are told, and whether there are more.
 */
export async function reachFrom<K>(
  start: K,
  far: number,
  most: number,
  jointsOf: (layer: readonly K[]) => Promise<readonly Joint<K>[]>,
): Promise<{ readonly reached: Reached<K>[]; readonly more: boolean }> {
  const known = new Set<K>([start]);
  const reached: Reached<K>[] = [];
  for (let distance = 1, layer: readonly K[] = [start]; distance <= far && layer.length; distance++) {
    const here = new Set(layer);
    const next: K[] = [];
    for (const { from, to, forward, backward } of await jointsOf(layer))
      for (const [near, other, via] of [
        [from, to, forward],
        [to, from, backward],
      ] as const) {
        if (!here.has(near) || known.has(other)) continue;
        if (reached.length >= most) return { reached, more: true };
        known.add(other);
        next.push(other);
        reached.push({ key: other, from: near, via, distance });
      }
    layer = next;
  }
  return { reached, more: false };
}
