/**
 * Names each circle that keys close by what they rest on, once, at one that is among `keys`. `restsOn` tells the next of a key, inside
 * the table or outside.
 */
export function circlesThrough(
  keys: readonly string[],
  restsOn: (key: string) => readonly string[],
  found: (key: string, circle: string) => void,
): void {
  const among = new Set(keys);
  const done = new Set<string>();
  for (const key of keys) {
    // The way up, walked with a stack of our own: a chain may be longer than the call stack.
    const way: { key: string; next: number }[] = [];
    const onWay = new Set<string>();
    const enter = (at: string): void => {
      way.push({ key: at, next: 0 });
      onWay.add(at);
    };
    if (!done.has(key)) enter(key);
    for (let top = way.at(-1); top; top = way.at(-1)) {
      const above = restsOn(top.key)[top.next++];
      if (above === undefined) {
        way.pop();
        onWay.delete(top.key);
        done.add(top.key);
      } else if (onWay.has(above)) {
        const circle = [...way.map((step) => step.key).slice(way.findIndex((step) => step.key === above)), above];
        const culprit = circle.find((step) => among.has(step));
        if (culprit !== undefined) found(culprit, circle.join(' → '));
      } else if (!done.has(above)) enter(above);
    }
  }
}
