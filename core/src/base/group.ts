/** Items by a key, in the order in which they came. */
export function groupBy<T, K>(items: Iterable<T>, key: (item: T) => K): Map<K, T[]>;
export function groupBy<T, K, V>(items: Iterable<T>, key: (item: T) => K, value: (item: T) => V): Map<K, V[]>;
export function groupBy<T, K>(items: Iterable<T>, key: (item: T) => K, value: (item: T) => unknown = (item) => item): Map<K, unknown[]> {
  const groups = new Map<K, unknown[]>();
  for (const item of items) {
    const k = key(item);
    const list = groups.get(k);
    if (list) list.push(value(item));
    else groups.set(k, [value(item)]);
  }
  return groups;
}
