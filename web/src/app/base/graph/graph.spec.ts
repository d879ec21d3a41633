import fc from 'fast-check';
import { mount, openWeb } from '../testing';
import { firstUnfolded, foldGraph, type PictureEdge } from './folding';
import { GraphPicture } from './graph-picture';
import { layOut, pathOf } from './layout';

const node = (id: string) => ({ id, label: id, title: `About ${id}` });
const edge = (from: string, to: string): PictureEdge => ({ from, to, words: 'leads to' });
const names = (n: number): string[] => Array.from({ length: n }, (_, i) => `N-${i}`);

describe('A folded graph', () => {
  const nodes = ['A', 'B', 'C', 'D', 'E'].map(node);
  const edges = [edge('A', 'B'), edge('B', 'C'), edge('C', 'D'), edge('E', 'B')];

  it('shows what is next to anything unfolded, and counts what is behind the rest', () => {
    const { shown, hidden, distance } = foldGraph(nodes, edges, 'A', new Set(['A', 'B']));
    expect(shown.map(({ id }) => id)).toEqual(['A', 'B', 'C', 'E']);
    expect([...hidden]).toEqual([['C', 1]]);
    expect(distance.get('E')).toBe(2);
    expect(foldGraph(nodes, edges, 'A', new Set()).hidden.get('A')).toBe(1);
  });

  it('shows all of a small one at first, and of a large one no more than somebody takes in', () => {
    expect(foldGraph(nodes, edges, 'A', firstUnfolded(nodes, edges, 'A', 24)).shown.length).toBe(5);
    const many = names(100);
    const star = many.slice(1).map((id) => edge('N-0', id));
    expect(foldGraph(many.map(node), star, 'N-0', firstUnfolded(many.map(node), star, 'N-0', 24)).shown.length).toBe(100);
    const chain = many.slice(1).map((id, i) => edge(many[i], id));
    expect(foldGraph(many.map(node), chain, 'N-0', firstUnfolded(many.map(node), chain, 'N-0', 24)).shown.length).toBe(24);
  });

  it('shows and counts, whatever the graph, each neighbour of what is shown exactly once', () => {
    const pair = fc.tuple(fc.nat(11), fc.nat(11));
    fc.assert(
      fc.property(fc.array(pair, { maxLength: 30 }), fc.array(fc.nat(11)), (pairs, open) => {
        const all = names(12);
        const lines = pairs.map(([a, b]) => edge(all[a], all[b]));
        const { shown, hidden, edges: drawn } = foldGraph(all.map(node), lines, 'N-0', new Set(open.map((i) => all[i])));
        const there = new Set(shown.map(({ id }) => id));
        expect(there.size).toBe(shown.length);
        expect(drawn.every(({ from, to }) => there.has(from) && there.has(to))).toBeTrue();
        for (const id of there) {
          const neighbours = new Set(lines.flatMap(({ from, to }) => (from === id ? [to] : to === id ? [from] : [])));
          expect(hidden.get(id) ?? 0).toBe([...neighbours].filter((other) => !there.has(other)).length);
        }
      }),
    );
  });
});

describe('A graph laid out', () => {
  it('lets no two boxes lie over each other, and each line begins and ends at its boxes', async () => {
    const all = names(30).map((id) => ({ id, width: 90, height: 24 }));
    const edges = all.slice(1).map(({ id }, i) => ({ from: `N-${Math.floor(i / 3)}`, to: id }));
    const { places, lines } = await layOut(all, [...edges, { from: 'N-0', to: 'gone' }]);
    const at = [...places.values()];
    for (const [i, a] of at.entries())
      for (const b of at.slice(i + 1)) expect(Math.abs(a.x - b.x) >= 90 || Math.abs(a.y - b.y) >= 24).toBeTrue();
    expect(lines.length).toBe(29);
    for (const { edge: e, points } of lines) {
      expect(points[0].x).toBe((places.get(e.from)?.x ?? 0) + 90);
      expect(points.at(-1)?.x).toBe(places.get(e.to)?.x);
    }
  });

  it('draws lines whose corners are round, and never beyond their points', () => {
    expect(pathOf([])).toBe('');
    expect(
      pathOf([
        { x: 0, y: 0 },
        { x: 10, y: 0 },
      ]),
    ).toBe('M0 0L10 0');
    expect(
      pathOf([
        { x: 0, y: 0 },
        { x: 10, y: 0 },
        { x: 10, y: 4 },
      ]),
    ).toBe('M0 0L5 0Q10 0 10 2L10 4');
  });

  it('is walked by keys, folded and unfolded, and opened', async () => {
    openWeb(['author']);
    const nodes = ['A', ...names(40)].map(node);
    const edges = [
      edge('A', 'N-0'),
      edge('A', 'N-1'),
      ...names(40)
        .slice(2)
        .map((id) => edge('N-1', id)),
    ];
    const page = await mount(GraphPicture, { nodes, edges, root: 'A', label: 'Drawn' });
    const opened: string[] = [];
    page.fixture.componentInstance.opened.subscribe((id) => opened.push(id));
    const boxes = () => page.all('.node');
    const at = () => page.one('.node[aria-selected=true]').getAttribute('data-id');
    await page.until(() => boxes().length);
    expect(boxes().length).toBe(3);
    const svg = page.one('svg');
    await page.key(svg, 'ArrowRight');
    await page.key(svg, 'ArrowDown');
    expect(at()).toBe('N-1');
    expect(page.one('[data-id=N-1]').getAttribute('aria-label')).toBe('About N-1, 38 more behind it');
    await page.key(svg, ' ');
    await page.until(() => boxes().length > 3);
    expect(boxes().length).toBe(41);
    expect(page.one('[data-id=N-1]').getAttribute('aria-expanded')).toBe('true');
    await page.key(svg, 'Enter');
    expect(opened).toEqual(['N-1']);
    await page.key(svg, 'Home');
    await page.key(svg, 'Enter');
    expect([at(), opened.length]).toEqual(['A', 1]);
  });
});
