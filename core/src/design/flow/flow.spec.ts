import fc from 'fast-check';
import {
  basisPaths,
  bestAddition,
  caseOfPath,
  compareCases,
  countPaths,
  cyclomaticNumber,
  coverageOfPaths,
  flowCriteria,
  sharesOfPaths,
  fewestPaths,
  flowFindings,
  graphOf,
  InputSpace,
  inputsOf,
  listPaths,
  primePaths,
  reachable,
  readFlow,
  readMermaid,
  writeFlow,
  writeMermaid,
  type Flow,
  type Graph,
} from './index';

const brake: Flow = {
  title: 'Wind limit',
  variables: [{ name: 'wind', unit: 'km/h', domain: { kind: 'range', from: 0, to: 120, step: 1 } }],
  nodes: [
    { id: 'start', kind: 'start', text: 'Start' },
    { id: 'set', kind: 'action', text: 'Set the wind to {{wind}} km/h' },
    { id: 'look', kind: 'check', text: 'The display shows {{wind}} km/h' },
    { id: 'storm', kind: 'decision', text: 'Is it a storm?' },
    { id: 'stop', kind: 'action', text: 'Wait 2 s', expected: 'The rope stands' },
    { id: 'run', kind: 'action', text: 'Command 6 m/s', expected: 'The rope runs' },
    { id: 'end', kind: 'end', text: 'End' },
  ],
  edges: [
    { from: 'start', to: 'set', label: '' },
    { from: 'set', to: 'look', label: '' },
    { from: 'look', to: 'storm', label: '' },
    { from: 'storm', to: 'stop', label: 'yes', guard: [{ variable: 'wind', is: '>', value: 70 }] },
    { from: 'storm', to: 'run', label: 'no', guard: [{ variable: 'wind', is: '<=', value: 70 }] },
    { from: 'stop', to: 'end', label: '' },
    { from: 'run', to: 'end', label: '' },
  ],
};

/** A flow of nodes 0 … n - 1 with these edges; 0 is the start, the last one the end. */
const plain = (n: number, pairs: readonly (readonly [number, number])[]): Graph =>
  graphOf({
    title: '',
    variables: [],
    nodes: Array.from({ length: n }, (_, i) => ({ id: String(i), kind: i === 0 ? 'start' : i === n - 1 ? 'end' : 'action', text: '' })),
    edges: pairs.map(([from, to]) => ({ from: String(from), to: String(to), label: '' })),
  });

/** Any small flow in which every node lies on a way from start to end; with loops or without. */
const graph = (loops: boolean): fc.Arbitrary<Graph> =>
  fc
    .record({
      n: fc.integer({ min: 2, max: 6 }),
      pairs: fc.uniqueArray(fc.tuple(fc.nat(5), fc.nat(5)), { maxLength: 12, selector: String }),
    })
    .map(({ n, pairs }) => {
      const chain = Array.from({ length: n - 1 }, (_, i) => [i, i + 1] as const);
      const more = pairs
        .map(([a, b]) => [a % (n - 1), 1 + (b % (n - 1))] as const)
        .filter(([a, b]) => (loops || a < b) && a !== n - 1 && !chain.some(([x, y]) => x === a && y === b));
      return plain(n, [...chain, ...new Map(more.map((pair) => [String(pair), pair])).values()]);
    });

/** The largest set of things of which none reaches another, by trying all sets. */
function largestApart(size: number, reaches: (a: number, b: number) => boolean): number {
  let most = 0;
  for (let set = 0; set < 2 ** size; set++) {
    const chosen = Array.from({ length: size }, (_, i) => i).filter((i) => (set >>> i) & 1);
    if (chosen.length > most && chosen.every((a) => chosen.every((b) => a === b || (!reaches(a, b) && !reaches(b, a)))))
      most = chosen.length;
  }
  return most;
}

describe('a flow', () => {
  it('comes back from JSON and from Mermaid as it was written', () => {
    expect(readFlow(writeFlow(brake))).toEqual({ flow: brake, findings: [] });
    const { flow, findings } = readMermaid(writeMermaid(brake));
    expect(findings).toEqual([]);
    expect(flow.variables).toEqual(brake.variables);
    expect(flow.nodes).toEqual(brake.nodes);
    expect(flow.edges).toEqual(brake.edges);
  });

  it('is read from Mermaid as people write it', () => {
    const { flow, findings } = readMermaid(
      'graph LR\n  A([Go]) --> B{Ready?}\n  B -- yes --> C[Run] --> D((Done))\n  B -->|no| D;\nstyle A fill:#fff\n  ??\n',
    );
    expect(flow.nodes.map((n) => [n.id, n.kind, n.text])).toEqual([
      ['A', 'start', 'Go'],
      ['B', 'decision', 'Ready?'],
      ['C', 'action', 'Run'],
      ['D', 'end', 'Done'],
    ]);
    expect(flow.edges.map((e) => `${e.from}${e.label}${e.to}`)).toEqual(['AB', 'ByesC', 'CD', 'BnoD']);
    expect(findings.map((f) => f.row)).toEqual([6]);
  });

  it('that is malformed has findings with a place, and never throws', () => {
    const without = (id: string): Flow => ({ ...brake, edges: brake.edges.filter((e) => e.from !== id && e.to !== id) });
    expect(flowFindings(brake)).toEqual([]);
    expect(
      flowFindings(without('run'))
        .map((f) => f.text)
        .join(' '),
    ).toMatch(/run cannot be reached.*only one outcome|only one outcome.*run cannot be reached/);
    expect(flowFindings({ ...brake, edges: brake.edges.filter((e) => e.from !== 'stop') })[0].text).toContain('dead end');
    const guarded = (value: number): Flow => ({
      ...brake,
      edges: brake.edges.map((e) => (e.label === 'no' ? { ...e, guard: [{ variable: 'wind', is: '<=' as const, value }] } : e)),
    });
    expect(flowFindings(guarded(75))[0].text).toContain('overlap: with wind = 71');
    expect(flowFindings(guarded(60))[0].text).toContain('leave something out: with wind = 61');
    fc.assert(fc.property(fc.json(), (json) => void flowFindings(readFlow(`{"nodes":${json},"edges":[],"variables":${json}}`).flow)));
    fc.assert(fc.property(fc.string(), (text) => void flowFindings(readMermaid(`graph TD\nA-->${text}`).flow)));
  });
});

/** Every flow of n nodes in which each lies on a way from the first to the last. */
function allGraphs(n: number): Graph[] {
  const possible = Array.from({ length: n - 1 }, (_, a) => Array.from({ length: n - 1 }, (_b, b) => [a, b + 1] as const)).flat();
  const found: Graph[] = [];
  for (let set = 0; set < 2 ** possible.length; set++) {
    const g = plain(
      n,
      possible.filter((_, i) => (set >>> i) & 1),
    );
    if (reachable(g, [0]).size === n && reachable(g, [n - 1], 'backward').size === n) found.push(g);
  }
  return found;
}

describe('every small flow', () => {
  it('to 4 nodes has the fewest paths that theory allows, and as many paths as are listed', () => {
    const graphs = [2, 3, 4].flatMap(allGraphs);
    expect(graphs.length).toBe(149);
    for (const g of graphs) {
      const from = Array.from({ length: g.size }, (_, n) => reachable(g, [n]));
      expect(fewestPaths(g, 'nodes').paths.length).toBe(largestApart(g.size, (a, b) => from[a].has(b)));
      expect(fewestPaths(g, 'edges').paths.length).toBe(largestApart(g.from.length, (a, b) => from[g.to[a]].has(g.from[b])));
      for (const k of [0, 1]) expect(countPaths(g, k)).toBe(BigInt(listPaths(g, k, 100_000).paths.length));
    }
  });

  it('has a basis of v(G) = e - n + 2 independent paths', () => {
    // Source: McCabe 1976; NIST SP 500-235 (recalled).
    for (const g of [2, 3, 4].flatMap(allGraphs)) {
      const paths = basisPaths(g);
      expect([paths.length, cyclomaticNumber(g)]).toEqual([g.from.length - g.size + 2, g.from.length - g.size + 2]);
      for (const path of paths) {
        expect([g.from[path[0]], g.to[path[path.length - 1]]]).toEqual([0, g.size - 1]);
        path.forEach((e, i) => i && expect(g.from[e]).toBe(g.to[path[i - 1]]));
      }
      expect(rank(paths.map((path) => g.from.map((_, e) => path.filter((x) => x === e).length)))).toBe(paths.length);
    }
  });
});

/** The rank of a matrix of whole numbers, by elimination over fractions kept whole. */
function rank(matrix: number[][]): number {
  const rows = matrix.map((row) => [...row]);
  let done = 0;
  for (let column = 0; column < (rows[0]?.length ?? 0); column++) {
    const at = rows.findIndex((row, r) => r >= done && row[column] !== 0);
    if (at < 0) continue;
    [rows[done], rows[at]] = [rows[at], rows[done]];
    for (let r = done + 1; r < rows.length; r++) {
      const [a, b] = [rows[done][column], rows[r][column]];
      if (b) rows[r] = rows[r].map((value, c) => value * a - rows[done][c] * b);
    }
    done++;
  }
  return done;
}

describe('the fewest paths', () => {
  it('over every node: as many as the largest set of nodes of which none reaches another', () => {
    // Source: Dilworth 1950 (recalled); loops count as one node.
    fc.assert(
      fc.property(graph(true), (g) => {
        const set = fewestPaths(g, 'nodes');
        expect(coverageOfPaths(g, set.paths, 'nodes').missing).toEqual([]);
        const from = Array.from({ length: g.size }, (_, n) => reachable(g, [n]));
        expect([set.paths.length, set.minimal]).toEqual([largestApart(g.size, (a, b) => from[a].has(b)), true]);
      }),
    );
  });

  it('over every edge: as many as the largest set of edges of which none can follow another', () => {
    fc.assert(
      fc.property(graph(true), (g) => {
        const set = fewestPaths(g, 'edges');
        for (const criterion of ['edges', 'nodes'] as const) expect(coverageOfPaths(g, set.paths, criterion).missing).toEqual([]);
        for (const path of set.paths) {
          expect(g.from[path[0]]).toBe(0);
          expect(g.to[path[path.length - 1]]).toBe(g.size - 1);
          path.forEach((e, i) => i > 0 && expect(g.from[e]).toBe(g.to[path[i - 1]]));
        }
        const from = Array.from({ length: g.size }, (_, n) => reachable(g, [n]));
        if (g.from.length <= 14) expect(set.paths.length).toBe(largestApart(g.from.length, (a, b) => from[g.to[a]].has(g.from[b])));
      }),
      { numRuns: 60 },
    );
  });

  it('with guards are taken by inputs, and what no inputs reach is told', () => {
    const g = graphOf(brake);
    expect(fewestPaths(g, 'edges')).toEqual(jasmine.objectContaining({ minimal: true, lowerBound: 2, infeasible: [] }));
    // Twice the same question: only two of the four ways exist.
    const twice = graphOf({
      ...brake,
      nodes: [...brake.nodes, { id: 'again', kind: 'decision', text: 'Still?' }, { id: 'calm', kind: 'action', text: 'Wait' }],
      edges: [
        ...brake.edges.filter((e) => e.to !== 'end'),
        { from: 'stop', to: 'again', label: '' },
        { from: 'run', to: 'again', label: '' },
        { from: 'again', to: 'end', label: 'storm', guard: [{ variable: 'wind', is: '>', value: 70 }] },
        { from: 'again', to: 'calm', label: 'calm', guard: [{ variable: 'wind', is: '<=', value: 70 }] },
        { from: 'calm', to: 'end', label: '' },
      ],
    });
    const set = fewestPaths(twice, 'edges');
    const space = new InputSpace(
      twice.flow.variables,
      twice.flow.edges.map((e) => e.guard),
    );
    expect([set.paths.length, set.minimal, set.infeasible]).toEqual([2, true, []]);
    expect(set.paths.every((path) => inputsOf(twice, path, space))).toBeTrue();
    const never = graphOf({
      ...brake,
      edges: brake.edges.map((e) => (e.label === 'yes' ? { ...e, guard: [{ variable: 'wind', is: '>' as const, value: 500 }] } : e)),
    });
    expect(fewestPaths(never, 'edges').infeasible.map(([e]) => never.flow.edges[e].to)).toEqual(['stop', 'end']);
  });
});

describe('counting paths', () => {
  it('equals listing them, for any loops and any bound', () => {
    fc.assert(
      fc.property(graph(true), fc.nat(2), (g, k) => {
        const { paths, complete } = listPaths(g, k, 3000);
        if (!complete) return;
        expect(countPaths(g, k)).toBe(BigInt(paths.length));
        expect(new Set(paths.map(String)).size).toBe(paths.length);
      }),
    );
  });

  it('without loops equals plain recursion, and is exact beyond 2^53', () => {
    fc.assert(
      fc.property(graph(false), (g) => {
        const ways = (n: number): number => (n === g.size - 1 ? 1 : g.out[n].reduce((sum, e) => sum + ways(g.to[e]), 0));
        expect(countPaths(g, 5)).toBe(BigInt(ways(0)));
      }),
    );
    const diamonds = 60;
    const pairs = Array.from(
      { length: diamonds },
      (_, i) =>
        [
          [3 * i, 3 * i + 1],
          [3 * i, 3 * i + 2],
          [3 * i + 1, 3 * i + 3],
          [3 * i + 2, 3 * i + 3],
        ] as const,
    ).flat();
    expect(countPaths(plain(3 * diamonds + 1, pairs), 0)).toBe(2n ** 60n);
    // One loop of one node: as often as it may, or less.
    expect(
      countPaths(
        plain(3, [
          [0, 1],
          [1, 1],
          [1, 2],
        ]),
        3,
      ),
    ).toBe(4n);
  });
});

describe('coverage of a set of paths', () => {
  it('is told for each criterion, with the path that would add most', () => {
    const g = graphOf(brake);
    const yes = [0, 1, 2, 3, 5];
    expect(coverageOfPaths(g, [yes], 'edges')).toEqual({ covered: 5, of: 7, missing: [[4], [6]] });
    expect(coverageOfPaths(g, [yes], 'nodes').missing).toEqual([[5]]);
    expect(sharesOfPaths(g, [yes])).toEqual(
      flowCriteria.map((criterion) => {
        const { covered, of } = coverageOfPaths(g, [yes], criterion);
        return { criterion, covered, of, complete: true };
      }),
    );
    expect(coverageOfPaths(g, [yes], 'edgePairs').missing).toEqual([
      [2, 4],
      [4, 6],
    ]);
    expect(bestAddition(g, [yes], 'edges')).toEqual({ path: [0, 1, 2, 4, 6], adds: 2 });
    expect(bestAddition(g, [yes, [0, 1, 2, 4, 6]], 'edges')).toBeUndefined();
  });

  it('by prime paths: simple, and part of no longer one', () => {
    // Ammann & Offutt’s own small loop (recalled): 0 1 2 3 with 1 ⇄ 2.
    const g = plain(4, [
      [0, 1],
      [1, 2],
      [2, 1],
      [2, 3],
    ]);
    const nodes = primePaths(g).list.map((path) => [g.from[path[0]], ...path.map((e) => g.to[e])].join(''));
    expect(nodes.sort()).toEqual(['0123', '121', '212']);
    fc.assert(
      fc.property(graph(true), (any) => {
        const { list } = primePaths(any);
        const texts = list.map((path) => `,${path.join(',')},`);
        texts.forEach((text, i) => expect(texts.some((other, j) => i !== j && other.includes(text))).toBeFalse());
        // Every edge lies on one of them.
        expect(new Set(list.flat()).size).toBe(any.from.length);
      }),
    );
  });
});

describe('a case of a path', () => {
  const g = graphOf(brake);
  const [yes, no] = [
    [0, 1, 2, 3, 5],
    [0, 1, 2, 4, 6],
  ];

  it('has its steps, and a row that takes the path', () => {
    const made = caseOfPath(g, yes);
    expect(made?.content.title).toBe('Wind limit: yes');
    expect(made?.content.steps).toEqual([
      { action: 'Set the wind to {{wind}} km/h', expected: 'The display shows {{wind}} km/h' },
      { action: 'Wait 2 s', expected: 'The rope stands' },
    ]);
    expect(made?.row).toEqual({ wind: 71 });
    expect(caseOfPath(g, no)?.row).toEqual({ wind: 0 });
  });

  it('made again after a change of the flow is new, changed, gone or the same, never doubled', () => {
    const made = (flow: Flow, paths: number[][]) => paths.flatMap((path) => caseOfPath(graphOf(flow), path) ?? []);
    const before = made(brake, [yes, no]);
    const renamed: Flow = { ...brake, nodes: brake.nodes.map((n) => (n.id === 'stop' ? { ...n, text: 'Wait 3 s' } : n)) };
    const after = compareCases(before, [...made(renamed, [yes, no]), ...made(renamed, [yes])]);
    expect([after.fresh.length, after.changed.length, after.gone.length, after.same.length]).toEqual([0, 1, 0, 1]);
    expect(compareCases(before, before.slice(1)).gone.map((c) => c.identity)).toEqual([before[0].identity]);
    expect(compareCases([], before).fresh.length).toBe(2);
  });
});
