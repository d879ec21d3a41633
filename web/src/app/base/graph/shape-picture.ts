import {
  afterNextRender,
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { gradually } from '../gradually';
import { Icon } from '../ui/icon';
import { courseOf, largePicture, layOut, meets, pathOf, type Course, type Extent, type LaidOut } from './layout';
import { labelSize, outlineOf, shortLabel, sizeOf, type Shaped, type ShapeEdge, type ShapeNode } from './shapes';
import { arrowOf, focusBox, nearestBox } from './walking';

/** Smaller than this nobody reads it. */
const unreadable = 0.25;

const scales = [0.4, 0.6, 0.8, 1, 1.25, 1.6] as const;

/**
 * A model drawn from its list: laid out from above to below, nobody moves boxes. A path through it is lit, what is missing is dashed. Arrows
 * go from node to node, Enter chooses one.
 */
@Component({
  selector: 'cp-shape-picture',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="tools" role="group" aria-label="Size of the picture">
      <button class="chip" type="button" aria-label="Smaller" (click)="step(-1)">−</button>
      <button class="chip" type="button" aria-label="Larger" (click)="step(1)">+</button>
      <button class="chip" type="button" [attr.aria-pressed]="whole()" (click)="whole.set(!whole())">
        <cp-icon name="fit_screen" /> Whole
      </button>
    </div>
    <div #frame class="frame" [class.whole]="whole()" (scroll)="look()">
      @if (laid(); as p) {
        <svg
          [attr.width]="whole() ? '100%' : (p.width + 8) * scale()"
          [attr.height]="whole() ? '100%' : (p.height + 8) * scale()"
          [attr.viewBox]="'-4 -4 ' + (p.width + 8) + ' ' + (p.height + 8)"
          preserveAspectRatio="xMidYMin meet"
          role="tree"
          tabindex="-1"
          [attr.aria-label]="label()"
          (keydown)="key($event)"
        >
          <defs>
            @for (m of ['plain', 'on', 'off']; track m) {
              <marker
                [attr.id]="mark + m"
                viewBox="0 0 10 10"
                refX="9"
                refY="5"
                markerWidth="7"
                markerHeight="7"
                orient="auto-start-reverse"
              >
                <path d="M0 0L10 5L0 10z" [attr.class]="'tip ' + m" />
              </marker>
            }
          </defs>
          @for (line of drawnLines(); track line.at) {
            <path [attr.d]="line.d" [attr.class]="'line ' + line.tone" [attr.marker-end]="'url(#' + mark + line.tip + ')'">
              <title>{{ line.title }}</title>
            </path>
          }
          @for (line of drawnLines(); track line.at) {
            @if (line.label) {
              <text class="edge" [class.lit]="line.tone === 'lit'" [attr.x]="line.x" [attr.y]="line.y">{{ line.label }}</text>
            }
          }
          @for (node of drawnBoxes(); track node.id) {
            <g
              role="treeitem"
              [attr.data-id]="node.id"
              [attr.class]="'node ' + (node.tone ?? '') + (node.lit ? ' lit' : '') + (lit().length && !node.lit ? ' dim' : '')"
              [attr.tabindex]="node.id === at() ? 0 : -1"
              [attr.aria-selected]="node.id === chosen()"
              [attr.aria-level]="1"
              [attr.aria-setsize]="boxes().length"
              [attr.aria-posinset]="node.place"
              [attr.aria-label]="named(node)"
              [attr.transform]="'translate(' + node.x + ',' + node.y + ')'"
              (focus)="focused.set(node.id)"
              (click)="picked.emit(node.id)"
            >
              <path class="shape" [attr.d]="node.d" />
              @if (node.shape === 'check') {
                <path class="bar" [attr.d]="'M6 8V' + (node.height - 8)" />
              }
              @for (words of node.lines; track $index) {
                <text [attr.x]="node.width / 2" [attr.y]="24 + $index * 16" text-anchor="middle">{{ words }}</text>
                <!-- Between two lines, so that the words of both stay two in what is read aloud. -->
                {{ ' ' }}
              }
              <title>{{ node.title }}</title>
            </g>
          }
        </svg>
      } @else {
        <p class="second small">{{ failed() || 'Drawing …' }}</p>
      }
    </div>
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 8px;
      min-height: 0;
      flex: 1;
    }
    .tools {
      display: flex;
      gap: 6px;
      justify-content: flex-end;
    }
    .frame {
      overflow: auto;
      flex: 1;
      min-height: 260px;
      border: 1px solid var(--hairline);
      border-radius: 14px;
      padding: 14px;
      background: var(--surface);
      text-align: center;
    }
    .frame.whole {
      overflow: hidden;
    }
    .line {
      fill: none;
      stroke: var(--hairline-strong);
      stroke-width: 1.8;
    }
    .tip.plain,
    .tip.off {
      fill: var(--hairline-strong);
    }
    .tip.on {
      fill: var(--cord);
    }
    .line.lit {
      stroke: var(--cord);
      stroke-width: 3.4;
    }
    .line.missing {
      stroke: var(--suspect);
      stroke-dasharray: 6 4;
    }
    .line.broken {
      stroke: var(--broken);
      stroke-dasharray: 2 4;
    }
    .node {
      cursor: pointer;
      outline: none;
    }
    .shape {
      fill: var(--surface);
      stroke: var(--hairline-strong);
      stroke-width: 1.6;
    }
    .node.lit > .shape {
      stroke: var(--cord);
      stroke-width: 2.4;
    }
    .node.missing > .shape {
      stroke: var(--suspect);
      stroke-dasharray: 6 4;
    }
    .node.broken > .shape {
      stroke: var(--broken);
      stroke-width: 2.2;
    }
    .node[aria-selected='true'] > .shape {
      fill: var(--cord-tint);
    }
    .node:focus-visible > .shape {
      stroke: var(--cord);
      stroke-width: 3;
    }
    .bar {
      stroke: var(--cord);
      stroke-width: 3;
      stroke-linecap: round;
    }
    .node.dim text {
      font-weight: 400;
    }
    text {
      font:
        600 13px 'Source Sans 3',
        sans-serif;
      fill: var(--ink);
    }
    .edge {
      font-weight: 400;
      font-size: 12.5px;
      fill: var(--ink-2);
    }
    .edge.lit {
      font-weight: 650;
      fill: var(--cord);
    }
  `,
})
export class ShapePicture {
  readonly nodes = input.required<readonly ShapeNode[]>();
  readonly edges = input.required<readonly ShapeEdge[]>();
  readonly lit = input<readonly number[]>([]);
  readonly chosen = input('');
  readonly label = input.required<string>();
  readonly picked = output<string>();
  private static count = 0;
  protected readonly mark = `tip${++ShapePicture.count}-`;
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  private readonly destroyed = inject(DestroyRef);
  private readonly changes = inject(ChangeDetectorRef);
  protected readonly scale = signal<number>(1);
  protected readonly whole = signal(true);
  protected readonly laid = signal<LaidOut | null>(null);
  /** The edges of what is laid out, since the list may be ahead of the picture. */
  private readonly drawn = signal<readonly ShapeEdge[]>([]);
  protected readonly failed = signal('');
  protected readonly focused = signal('');
  protected readonly at = computed(() => {
    const ids = this.nodes().map(({ id }) => id);
    return [this.focused(), this.chosen()].find((id) => ids.includes(id)) ?? ids[0] ?? '';
  });
  private drawing = 0;
  private timer = 0;
  private readonly litNodes = computed(() => {
    const edges = this.edges();
    return new Set(this.lit().flatMap((e) => (edges[e] ? [edges[e].from, edges[e].to] : [])));
  });
  protected readonly boxes = computed(() => {
    const places = this.laid()?.places;
    const lit = this.litNodes();
    return this.nodes().flatMap((node, i) => {
      const place = places?.get(node.id);
      if (!place) return [];
      return [{ ...node, ...place, ...this.sizeOf(node), place: i + 1, lit: lit.has(node.id) }];
    });
  });
  /** What a box is called: what stands in it, and where that is cut off all of it. */
  protected named({ lines, title }: { readonly lines: readonly string[]; readonly title: string }): string {
    return lines.some((line) => line.endsWith('…')) ? `${lines.join(' ')}, ${title}` : title;
  }
  /** What of the lines of what is laid out does not change with what is lit. */
  private readonly courses = signal<readonly Course[]>([]);
  private readonly sizes = new WeakMap<ShapeNode, Shaped>();
  protected readonly lines = computed(() => {
    const places = new Map(this.edges().map((edge, i) => [edge, i]));
    const now = this.edges();
    const lit = new Set(this.lit());
    // Lit last, so that it lies over the others.
    return this.courses()
      .map((course) => {
        const edge = this.drawn()[course.at] as ShapeEdge | undefined;
        const at = (edge && places.get(edge)) ?? -1;
        const tone = lit.has(at) ? 'lit' : (now[at]?.tone ?? '');
        const label = edge?.label ?? '';
        return { ...course, tone, tip: tone === 'lit' ? 'on' : 'plain', label: shortLabel(label), title: label };
      })
      .sort((a, b) => Number(a.tone === 'lit') - Number(b.tone === 'lit'));
  });
  private shape = '';
  private readonly frame = viewChild.required<ElementRef<HTMLElement>>('frame');
  /** The part of a large picture that is in sight, and what is near it. */
  private readonly window = signal<Extent>({ left: 0, top: 0, right: 0, bottom: 0 });
  private readonly cut = computed(() => !this.whole() && this.boxes().length > largePicture);
  private readonly boxesInSight = computed(() => {
    const window = this.window();
    const cut = this.cut();
    // The one that Tab leads to is always there.
    const at = this.at();
    return this.boxes()
      .filter(
        ({ id, x, y, width, height }) => !cut || id === at || meets(window, { left: x, top: y, right: x + width, bottom: y + height }),
      )
      .map((box) => ({ ...box, d: outlineOf(box.shape, box.width, box.height) }));
  });
  private readonly linesInSight = computed(() => {
    const window = this.window();
    const lines = this.cut() ? this.lines().filter(({ extent }) => meets(window, extent)) : this.lines();
    return lines.map((line) => ({ ...line, d: pathOf(line.points) }));
  });
  /** Drawn in parts, each in a frame of its own: the page answers in between. */
  protected readonly drawnBoxes = gradually(this.boxesInSight, this.laid, { first: 24 });
  protected readonly drawnLines = gradually(this.linesInSight, this.laid, { first: 36 });

  constructor() {
    effect(() => {
      const nodes = this.nodes();
      const edges = this.edges();
      // What only looks otherwise is not laid out again.
      const shape = JSON.stringify([nodes.map((n) => [n.id, n.label, n.shape]), edges.map((e) => [e.from, e.to, e.label])]);
      untracked(() => {
        if (shape === this.shape) {
          this.drawn.set(this.known(edges));
          return;
        }
        this.shape = shape;
        // In a task of its own: the page stands there first.
        clearTimeout(this.timer);
        this.timer = window.setTimeout(() => void this.draw(nodes, edges));
      });
    });
    effect(() => {
      const chosen = this.chosen();
      this.laid();
      untracked(() => afterNextRender(() => this.bring(chosen), { injector: this.injector }));
    });
    effect(() => {
      this.scale();
      this.whole();
      // Before it is drawn its size is told by whoever watches that.
      if (!untracked(this.laid)) return;
      untracked(() => afterNextRender(() => this.look(), { injector: this.injector }));
    });
    afterNextRender(() => {
      const sizes = new ResizeObserver(() => this.look());
      sizes.observe(this.frame().nativeElement);
      this.destroyed.onDestroy(() => {
        sizes.disconnect();
        clearTimeout(this.timer);
      });
    });
  }

  /** What is in sight, with half as much around it; told only where that has moved on by a quarter of it. */
  protected look(): void {
    const { scrollLeft, scrollTop, clientWidth, clientHeight } = this.frame().nativeElement;
    const scale = this.scale();
    const [x, y, width, height] = [scrollLeft, scrollTop, clientWidth, clientHeight].map((pixels) => pixels / scale);
    const next = { left: x - width / 2, top: y - height / 2, right: x + 1.5 * width, bottom: y + 1.5 * height };
    const now = this.window();
    const moved = Math.max(Math.abs(next.left - now.left), Math.abs(next.right - now.right)) > width / 4;
    if (moved || Math.max(Math.abs(next.top - now.top), Math.abs(next.bottom - now.bottom)) > height / 4) this.window.set(next);
  }

  /** Brings a node into sight where the picture is larger than its frame. */
  private bring(id: string): void {
    const box = this.boxes().find((b) => b.id === id);
    if (!box || this.whole()) return;
    const frame = this.frame().nativeElement;
    const [x, y] = [(box.x + box.width / 2) * this.scale(), (box.y + box.height / 2) * this.scale()];
    const inside =
      x > frame.scrollLeft && x < frame.scrollLeft + frame.clientWidth && y > frame.scrollTop && y < frame.scrollTop + frame.clientHeight;
    if (!inside) frame.scrollTo({ left: x - frame.clientWidth / 2, top: y - frame.clientHeight / 2 });
    this.look();
  }

  /** The edges that were laid out, as they are now. */
  private known(edges: readonly ShapeEdge[]): ShapeEdge[] {
    const ids = new Set(this.nodes().map(({ id }) => id));
    return edges.filter(({ from, to }) => ids.has(from) && ids.has(to));
  }

  private sizeOf(node: ShapeNode): Shaped {
    const size = this.sizes.get(node) ?? sizeOf(node);
    this.sizes.set(node, size);
    return size;
  }

  private async draw(nodes: readonly ShapeNode[], edges: readonly ShapeEdge[]): Promise<void> {
    const mine = ++this.drawing;
    try {
      const laid = await layOut(
        nodes.map((node) => ({ id: node.id, ...this.sizeOf(node) })),
        edges.map(({ from, to, label }) => ({
          from,
          to,
          label: shortLabel(label),
          ...(label ? { labelSize: labelSize(shortLabel(label)) } : {}),
        })),
        'DOWN',
      );
      // In a task of its own: of a large picture each takes its time.
      await new Promise((next) => setTimeout(next));
      const courses = laid.lines.map(courseOf);
      await new Promise((next) => setTimeout(next));
      if (mine !== this.drawing) return;
      // Their looks may have changed while they were laid out.
      this.drawn.set(this.known(this.edges()));
      const { clientWidth, clientHeight } = this.frame().nativeElement;
      // A large one that could not be read as a whole is begun at its beginning.
      const scale = Math.min(clientWidth / laid.width, clientHeight / laid.height);
      if (!this.laid() && nodes.length > largePicture && scale < unreadable) this.whole.set(false);
      this.courses.set(courses);
      this.laid.set(laid);
      this.failed.set('');
    } catch {
      if (mine === this.drawing) this.failed.set('This could not be drawn: the list says the same.');
    }
  }

  protected step(by: number): void {
    const at = scales.findIndex((s) => s >= this.scale());
    this.scale.set(scales[Math.max(0, Math.min(scales.length - 1, at + (this.whole() ? 0 : by)))]);
    this.whole.set(false);
  }

  protected key(event: KeyboardEvent): void {
    const moved = arrowOf(event.key);
    if (event.key === 'Enter' || event.key === ' ') this.picked.emit(this.at());
    else if (moved) this.focus(nearestBox(this.boxes(), this.at(), moved, (box) => box.x + box.width / 2) ?? this.at());
    else return;
    event.preventDefault();
  }

  private focus(id: string): void {
    this.focused.set(id);
    this.bring(id);
    this.changes.detectChanges();
    focusBox(this.host.nativeElement, id);
  }
}
