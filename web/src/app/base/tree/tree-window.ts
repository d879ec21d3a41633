import { branchPageSize, type ProblemDetails } from '@contract/base';

/** A row of any tree, by its key. */
export interface TreeNode {
  readonly key: string;
  /** What it stands under; null at the top. */
  readonly under: string | null;
  readonly position: number;
  /** How many stand directly under it. */
  readonly children: number;
}

/** Which tree: its kind, the project and whatever else it is of. */
export interface TreeQuestion {
  readonly kind: string;
  readonly of: Readonly<Record<string, string>>;
}

/** A page of a branch: what it stands under, nothing at the top, and its number from 0 on. */
export interface BranchPage {
  readonly under: string;
  readonly page: number;
}

export interface TreeAnswer {
  readonly total: number;
  readonly branches: readonly {
    readonly under: string | null;
    readonly page: number;
    readonly total: number;
    readonly rows: readonly TreeNode[];
  }[];
  readonly rows: readonly TreeNode[];
  readonly path: readonly { readonly row: TreeNode; readonly at: number }[];
}

/** A tree on a screen: what was seen of it, branch by branch. */
export interface TreeWindow {
  readonly question: TreeQuestion;
  readonly total: number | null;
  readonly nodes: Readonly<Record<string, TreeNode>>;
  /** The keys of each branch in their order, as far as somebody looked; the top has no name. */
  readonly branches: Readonly<Record<string, readonly (string | undefined)[] | undefined>>;
  /** Branches that somebody folded. */
  readonly folded: Readonly<Record<string, true>>;
  readonly waiting: readonly BranchPage[];
  /** Keys that changed under one's eyes, to be marked for a moment. */
  readonly fresh: readonly string[];
  readonly problem: ProblemDetails | null;
}

/** A row as it is shown: one that is not read yet has no node. */
export interface TreeRow {
  readonly node: TreeNode | undefined;
  /** Its branch, and its place there. */
  readonly under: string;
  readonly at: number;
  readonly of: number;
  readonly depth: number;
}

const pageOf = (at: number): number => Math.floor(at / branchPageSize);
const same = (a: BranchPage, b: BranchPage): boolean => a.under === b.under && a.page === b.page;

export const openedTree = (question: TreeQuestion, folded: readonly string[]): TreeWindow => ({
  question,
  total: null,
  nodes: {},
  branches: {},
  folded: Object.fromEntries(folded.map((key) => [key, true as const])),
  waiting: [{ under: '', page: 0 }],
  fresh: [],
  problem: null,
});

/** What is shown of a tree from the top down. What is not read yet keeps its place, so that nothing jumps when it comes. */
export function rowsOf({ nodes, branches, folded }: TreeWindow): TreeRow[] {
  const rows: TreeRow[] = [];
  const seen = new Set<string>();
  const walk = (under: string, depth: number): void => {
    if (seen.has(under)) return;
    seen.add(under);
    const of = branches[under]?.length ?? (under === '' ? 1 : (nodes[under]?.children ?? 0));
    for (let at = 0; at < of; at++) {
      const key = branches[under]?.[at];
      const node = key === undefined ? undefined : nodes[key];
      rows.push({ node, under, at, of, depth });
      if (node && node.children && !folded[node.key]) walk(node.key, depth + 1);
    }
  };
  walk('', 0);
  return rows;
}

/** The pages of some rows that are not read yet, each once. */
export function pagesOf(rows: readonly TreeRow[]): BranchPage[] {
  const pages: BranchPage[] = [];
  for (const { node, under, at } of rows) {
    const page = { under, page: pageOf(at) };
    if (!node && !pages.some((other) => same(other, page))) pages.push(page);
  }
  return pages;
}

export const withWaiting = (tree: TreeWindow, pages: readonly BranchPage[]): TreeWindow => {
  const more = pages.filter((page) => !tree.waiting.some((other) => same(other, page)));
  return more.length ? { ...tree, waiting: [...tree.waiting, ...more] } : tree;
};

/** Does a branch stand in the tree as far as it was read? What was taken off may still be known. */
function stands({ nodes, branches }: Pick<TreeWindow, 'nodes' | 'branches'>, under: string): boolean {
  const seen = new Set<string>();
  let at = under;
  while (at !== '') {
    const above = nodes[at]?.under ?? '';
    if (seen.has(at) || !branches[above]?.includes(at)) return false;
    seen.add(at);
    at = above;
  }
  return true;
}

/** The pages of a branch that are there: what has to be read again when something in it moved. */
function readPages(tree: TreeWindow, under: string): BranchPage[] {
  const pages = new Set((tree.branches[under] ?? []).flatMap((key, at) => (key === undefined ? [] : pageOf(at))));
  return [...pages.add(0)].map((page) => ({ under, page }));
}

/** The tree with what was answered; `keys` are those whose rows were asked for because they changed. */
export function withAnswer(tree: TreeWindow, answer: TreeAnswer, keys: readonly string[] = []): TreeWindow {
  const nodes = { ...tree.nodes };
  const branches = { ...tree.branches };
  const folded = { ...tree.folded };
  const waiting = tree.waiting.filter((page) => !answer.branches.some((b) => same({ under: b.under ?? '', page: b.page }, page)));
  const moved = new Set<string>();
  const told = new Map(answer.rows.map((row) => [row.key, row]));
  for (const key of keys) {
    const [before, now] = [tree.nodes[key], told.get(key)];
    // One that was gone may come back to the place where it was last seen: what counts is whether it is shown there.
    const there = tree.branches[before?.under ?? '']?.includes(key);
    if (there && before && now && before.under === now.under && before.position === now.position) nodes[key] = now;
    else for (const row of [before, now]) if (row) moved.add(row.under ?? '');
  }
  for (const { under, page, total, rows } of answer.branches) {
    const name = under ?? '';
    const here = new Set(rows.map(({ key }) => key));
    const list = Array.from({ length: total }, (_, at) => branches[name]?.[at]);
    for (let at = 0; at < total; at++) if (here.has(list[at] ?? '')) list[at] = undefined;
    for (let at = 0; at < branchPageSize && page * branchPageSize + at < total; at++) list[page * branchPageSize + at] = rows[at]?.key;
    for (const row of rows) {
      // It stood elsewhere: there it is no more.
      const before = nodes[row.key]?.under ?? '';
      if (nodes[row.key] && before !== name) branches[before] = branches[before]?.filter((key) => key !== row.key);
      nodes[row.key] = row;
    }
    branches[name] = list;
    if (nodes[name]) nodes[name] = { ...nodes[name], children: total };
  }
  const way: BranchPage[] = [];
  for (const [i, { row, at }] of answer.path.entries()) {
    nodes[row.key] ??= row;
    if (i < answer.path.length - 1) delete folded[row.key];
    const under = row.under ?? '';
    if (branches[under]?.[at] !== row.key) way.push({ under, page: pageOf(at) });
  }
  const open = waiting.filter(({ under }) => stands({ nodes, branches }, under));
  const known: TreeWindow = { ...tree, total: answer.total, nodes, branches, folded, waiting: open, problem: null };
  const again = [...moved].filter((under) => stands(known, under)).flatMap((under) => readPages(known, under));
  return { ...withWaiting(known, [...way, ...again]), fresh: keys.filter((key) => told.has(key)) };
}

/** Everything may have changed: what is seen is read again, the rest when somebody goes there. */
export function readAgain(tree: TreeWindow, seen: readonly BranchPage[]): TreeWindow {
  const kept = (under: string, at: number): boolean => seen.some((page) => same(page, { under, page: pageOf(at) }));
  const branches = Object.fromEntries(
    Object.entries(tree.branches).map(([under, list]) => [under, list?.map((key, at) => (kept(under, at) ? key : undefined))]),
  );
  return withWaiting({ ...tree, branches, waiting: [] }, [{ under: '', page: 0 }, ...seen]);
}

/** Where a row can go by a step among those beside it, or a level up or down: under what, and before which one. */
export function stepOf(
  tree: TreeWindow,
  key: string,
  step: 'up' | 'down' | 'in' | 'out',
  holds: (node: TreeNode) => boolean,
): { readonly under: string | null; readonly before: string | null } | undefined {
  const node = tree.nodes[key];
  const beside = tree.branches[node?.under ?? ''] ?? [];
  const at = beside.indexOf(key);
  if (!node || at < 0) return undefined;
  const next = (list: readonly (string | undefined)[], place: number): string | null | undefined =>
    place >= list.length ? null : list[place];
  const place = (under: string | null, before: string | null | undefined) => (before === undefined ? undefined : { under, before });
  if (step === 'up') return at > 0 ? place(node.under, beside[at - 1]) : undefined;
  if (step === 'down') return at < beside.length - 1 ? place(node.under, next(beside, at + 2)) : undefined;
  if (step === 'in') {
    const above = tree.nodes[beside[at - 1] ?? ''];
    return above && holds(above) ? place(above.key, null) : undefined;
  }
  const parent = node.under === null ? undefined : tree.nodes[node.under];
  if (!parent) return undefined;
  const level = tree.branches[parent.under ?? ''] ?? [];
  return place(parent.under, next(level, level.indexOf(parent.key) + 1));
}
