import fc from 'fast-check';
import { mount, openWeb } from '../testing';
import { firstUnfolded, foldGraph, type PictureEdge } from './folding';
import { GraphPicture } from './graph-picture';
import { layOut, pathOf } from './layout';
import { ShapePicture } from './shape-picture';
import type { ShapeEdge, ShapeNode } from './shapes';

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

  it('lays a large one out by quicker ways, with nothing over anything, and labels where their lines begin', async () => {
    const all = names(160).map((id) => ({ id, width: 90, height: 24 }));
    const edges = all.slice(1).map(({ id }, i) => ({ from: `N-${i}`, to: id, label: 'next', labelSize: { width: 30, height: 16 } }));
    const { places, lines } = await layOut(all, edges, 'DOWN');
    const tops = all.map(({ id }) => places.get(id)?.y ?? 0);
    expect(tops.every((y, i) => i === 0 || y >= tops[i - 1] + 24)).toBeTrue();
    expect(lines.every(({ label, points }) => label?.x === points[0].x && label.y === points[0].y)).toBeTrue();
  });
});

describe('A large model drawn', () => {
  const nodes = names(160).map((id): ShapeNode => ({ id, label: id, shape: 'box', title: id }));
  const edges = nodes.slice(1).map(({ id }, i): ShapeEdge => ({ from: `N-${i}`, to: id, label: '' }));
  const open = async (more: object = {}) => {
    openWeb(['author']);
    const page = await mount(ShapePicture, { nodes, edges, label: 'Drawn', ...more });
    // A frame of a page: without one there is nothing that scrolls.
    page.element.style.height = '500px';
    page.one<HTMLElement>('.frame').style.cssText = 'overflow: auto; height: 400px; flex: none';
    document.body.append(page.element);
    await page.until(() => page.all('[role=treeitem]').length);
    const drawn = () => page.all('[role=treeitem]').map((box) => box.getAttribute('data-id'));
    return { page, drawn };
  };

  it('begins at its beginning, draws only what is near what is in sight, and all of it as a whole', async () => {
    const { page, drawn } = await open();
    expect(drawn()).toContain('N-0');
    expect(drawn().length).toBeLessThan(80);
    expect(page.one('[data-id=N-0]').getAttribute('aria-setsize')).toBe('160');
    const frame = page.one<HTMLElement>('.frame');
    frame.scrollTop = frame.scrollHeight;
    await page.until(() => drawn().includes('N-159'));
    expect(drawn()).not.toContain('N-40');
    // Where Tab leads is there, however far away.
    expect(page.all('[role=treeitem][tabindex="0"]').map((box) => box.getAttribute('data-id'))).toEqual(['N-0']);
    await page.press(/Whole/);
    await page.until(() => drawn().length === 160);
    expect(page.all('.line').length).toBe(159);
    page.element.remove();
  });

  it('brings what is chosen elsewhere into sight, and is walked beyond what is drawn', async () => {
    const { page, drawn } = await open();
    page.fixture.componentRef.setInput('chosen', 'N-120');
    await page.until(() => drawn().includes('N-120'));
    const frame = page.one<HTMLElement>('.frame').getBoundingClientRect();
    const box = page.one('[data-id=N-120]').getBoundingClientRect();
    expect(box.top > frame.top && box.bottom < frame.bottom).toBeTrue();
    for (let i = 0; i < 30; i++) await page.key(page.one('svg[role=tree]'), 'ArrowDown');
    expect(page.one('[role=treeitem][tabindex="0"]').getAttribute('data-id')).toBe('N-150');
    expect(drawn()).toContain('N-150');
    page.element.remove();
  });
});
