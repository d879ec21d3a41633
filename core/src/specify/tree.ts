import { compareKeys } from '../base';

export interface TreeItem {
  readonly key: string;
  /** The heading that it stands under; null at the top of its specification. */
  readonly under: string | null;
  readonly position: number;
}

export interface TreeRow<T extends TreeItem> {
  readonly item: T;
  readonly depth: number;
  readonly children: number;
  /** Section number in the specification, `2.1.3`. */
  readonly number: string;
}

/** The items of a specification in reading order with depth and number. What hangs in a circle or nowhere comes at the top, so that nothing is hidden. */
export function treeRows<T extends TreeItem>(items: readonly T[]): TreeRow<T>[] {
  const known = new Set(items.map((item) => item.key));
  const below = new Map<string | null, T[]>();
  for (const item of items) {
    const under = item.under !== null && known.has(item.under) ? item.under : null;
    const list = below.get(under);
    if (list) list.push(item);
    else below.set(under, [item]);
  }
  for (const list of below.values()) list.sort((a, b) => a.position - b.position || compareKeys(a.key, b.key));
  const rows: TreeRow<T>[] = [];
  const seen = new Set<string>();
  const walk = (list: readonly T[], depth: number, prefix: string): void => {
    list.forEach((item, i) => {
      if (seen.has(item.key)) return;
      seen.add(item.key);
      const number = `${prefix}${i + 1}`;
      const children = below.get(item.key) ?? [];
      rows.push({ item, depth, children: children.length, number });
      walk(children, depth + 1, `${number}.`);
    });
  };
  walk(below.get(null) ?? [], 0, '');
  for (const item of items) if (!seen.has(item.key)) walk([item], 0, '?.');
  return rows;
}
