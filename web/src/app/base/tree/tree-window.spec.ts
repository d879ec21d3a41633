import { branchPageSize } from '@contract/base';
import fc from 'fast-check';
import {
  openedTree,
  pagesOf,
  readAgain,
  rowsOf,
  stepOf,
  withAnswer,
  withWaiting,
  type BranchPage,
  type TreeAnswer,
  type TreeNode,
  type TreeWindow,
} from './tree-window';

/** A tree as a server holds it: what stands under what, in order. */
class Server {
  readonly below = new Map<string, string[]>([['', []]]);

  put(key: string, under = '', at?: number): void {
    for (const list of this.below.values()) if (list.includes(key)) list.splice(list.indexOf(key), 1);
    const list = this.below.get(under) ?? [];
    this.below.set(under, list);
    list.splice(at ?? list.length, 0, key);
    if (!this.below.has(key)) this.below.set(key, []);
  }

  takeOff(key: string): void {
    for (const list of this.below.values()) if (list.includes(key)) list.splice(list.indexOf(key), 1);
  }

  underOf(key: string): string | undefined {
    return [...this.below].find(([, list]) => list.includes(key))?.[0];
  }

  isBelow(key: string, other: string): boolean {
    for (let up: string | undefined = other; up; up = this.underOf(up)) if (up === key) return true;
    return false;
  }

  node(key: string): TreeNode {
    const under = this.underOf(key) ?? '';
    return { key, under: under || null, position: this.below.get(under)?.indexOf(key) ?? 0, children: this.below.get(key)?.length ?? 0 };
  }

  answer(pages: readonly BranchPage[], keys: readonly string[] = [], to?: string): TreeAnswer {
    const path: { row: TreeNode; at: number }[] = [];
    for (let up = to; up; up = this.underOf(up)) path.unshift({ row: this.node(up), at: this.node(up).position });
    return {
      total: [...this.below.values()].flat().length,
      branches: pages
        .filter(({ under }) => under === '' || this.underOf(under) !== undefined)
        .map(({ under, page }) => {
          const all = this.below.get(under) ?? [];
          const rows = all.slice(page * branchPageSize, (page + 1) * branchPageSize).map((key) => this.node(key));
          return { under: under || null, page, total: all.length, rows };
        }),
      rows: keys.filter((key) => this.underOf(key) !== undefined).map((key) => this.node(key)),
      path,
    };
  }

  /** In reading order, with depth. */
  all(under = '', depth = 0): string[] {
    return (this.below.get(under) ?? []).flatMap((key) => [`${depth} ${key}`, ...this.all(key, depth + 1)]);
  }
}

/** Asks until nothing that is seen is missing. */
function readAll(tree: TreeWindow, server: Server): TreeWindow {
  let now = tree;
  for (let i = 0; i < 200; i++) {
    now = withWaiting(now, pagesOf(rowsOf(now)));
    if (!now.waiting.length) return now;
    now = withAnswer(now, server.answer(now.waiting));
  }
  throw new Error('it never ends');
}
const shown = (tree: TreeWindow): string[] => rowsOf(tree).map(({ node, depth }) => `${depth} ${node?.key ?? '?'}`);
const opened = (): TreeWindow => openedTree({ kind: 'spec', of: {} }, []);

describe('a tree that is read branch by branch', () => {
  it('keeps a place for what is not read yet, and asks for the pages of just that', () => {
    const server = new Server();
    for (let i = 0; i < 250; i++) server.put(`A-${i}`);
    for (let i = 0; i < 3; i++) server.put(`B-${i}`, 'A-120');
    const first = withAnswer(opened(), server.answer([{ under: '', page: 0 }]));
    expect(rowsOf(first).length).toBe(250);
    expect(pagesOf(rowsOf(first).slice(95, 130))).toEqual([{ under: '', page: 1 }]);
    const second = withAnswer(first, server.answer([{ under: '', page: 1 }]));
    expect(rowsOf(second).length).toBe(253);
    expect(pagesOf(rowsOf(second))).toEqual([
      { under: 'A-120', page: 0 },
      { under: '', page: 2 },
    ]);
    expect(shown(readAll(second, server))).toEqual(server.all());
  });

  it('folds a branch, and opens the way to a row that is to be shown', () => {
    const server = new Server();
    server.put('A');
    server.put('B', 'A');
    server.put('C', 'B');
    const tree = readAll({ ...opened(), folded: { A: true } }, server);
    expect(shown(tree)).toEqual(['0 A']);
    const way = withAnswer(tree, server.answer([], [], 'C'));
    expect(shown(readAll(way, server))).toEqual(['0 A', '1 B', '2 C']);
  });

  it('says where a step leads: beside, a level in, a level out; and nothing where it leads nowhere', () => {
    const server = new Server();
    for (const key of ['A', 'B', 'C']) server.put(key);
    for (const key of ['D', 'E']) server.put(key, 'B');
    const tree = readAll(opened(), server);
    const any = (): boolean => true;
    expect(stepOf(tree, 'B', 'up', any)).toEqual({ under: null, before: 'A' });
    expect(stepOf(tree, 'B', 'down', any)).toEqual({ under: null, before: null });
    expect(stepOf(tree, 'A', 'down', any)).toEqual({ under: null, before: 'C' });
    expect(stepOf(tree, 'E', 'in', any)).toEqual({ under: 'D', before: null });
    expect(stepOf(tree, 'D', 'out', any)).toEqual({ under: null, before: 'C' });
    expect(stepOf(tree, 'A', 'up', any)).toBeUndefined();
    expect(stepOf(tree, 'C', 'down', any)).toBeUndefined();
    expect(stepOf(tree, 'A', 'out', any)).toBeUndefined();
    expect(stepOf(tree, 'D', 'in', any)).toBeUndefined();
    expect(stepOf(tree, 'C', 'in', () => false)).toBeUndefined();
  });

  it('shows what comes back to the very place where it was', () => {
    const server = new Server();
    for (const key of ['A', 'B']) server.put(key);
    let tree = readAll(opened(), server);
    server.takeOff('A');
    tree = readAll(withAnswer(tree, server.answer([], ['A']), ['A']), server);
    expect(shown(tree)).toEqual(['0 B']);
    server.put('A', '', 0);
    tree = readAll(withAnswer(tree, server.answer([], ['A']), ['A']), server);
    expect(shown(tree)).toEqual(['0 A', '0 B']);
  });

  it('asks for nothing below what was taken off, also where something came up from there', () => {
    const server = new Server();
    server.put('A');
    server.put('B', 'A');
    let tree = readAll(opened(), server);
    const hear = (key: string): void => {
      tree = readAll(withAnswer(tree, server.answer([], [key]), [key]), server);
      expect(shown(tree)).toEqual(server.all());
    };
    server.takeOff('B');
    hear('B');
    server.takeOff('A');
    hear('A');
    server.put('B');
    hear('B');
  });

  it('is the server’s tree after any changes that it heard of, one by one or all at once', () => {
    const change = fc.record({
      what: fc.constantFrom('put', 'move', 'takeOff', 'everything'),
      key: fc.nat(30),
      under: fc.nat(30),
      at: fc.nat(5),
    });
    fc.assert(
      fc.property(fc.array(change, { maxLength: 40 }), (changes) => {
        const server = new Server();
        for (let i = 0; i < 8; i++) server.put(`K-${i}`, i > 4 ? `K-${i - 4}` : '');
        let tree = readAll(opened(), server);
        for (const { what, key: n, under: u, at } of changes) {
          const key = `K-${n}`;
          const under = server.underOf(`K-${u}`) === undefined || server.isBelow(key, `K-${u}`) ? '' : `K-${u}`;
          if (what === 'takeOff') {
            if (server.below.get(key)?.length) continue;
            server.takeOff(key);
          } else if (what !== 'everything') server.put(key, under, Math.min(at, server.below.get(under)?.length ?? 0));
          tree =
            what === 'everything'
              ? readAgain(tree, pagesOf(rowsOf(tree).map((row) => ({ ...row, node: undefined }))))
              : withAnswer(tree, server.answer([], [key]), [key]);
          tree = readAll(tree, server);
          expect(shown(tree)).toEqual(server.all());
          expect(tree.total).toBe(server.all().length);
        }
      }),
      { numRuns: 1000 },
    );
  });
});
