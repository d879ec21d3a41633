import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  linkedSignal,
  output,
  signal,
  untracked,
} from '@angular/core';
import { toggled } from '../picking';
import { firstUnfolded, foldGraph, type PictureEdge, type PictureNode } from './folding';
import { layOut, pathOf, type LaidOut } from './layout';
import { arrowOf, focusBox, nearestBox } from './walking';

const nodeHeight = 24;
/** How wide a box is for its words. */
const widthOf = (label: string, more: number): number => Math.max(56, Math.min(190, 18 + label.length * 7 + (more ? 26 : 0)));

/**
 * What hangs together with one record, drawn: laid out in layers, far things folded. Arrows go from one to the next, Enter opens, Space
 * folds and unfolds.
 */
@Component({
  selector: 'cp-graph-picture',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="frame">
      @if (laid(); as p) {
        <svg
          [attr.width]="p.width + 4"
          [attr.height]="p.height + 4"
          [attr.viewBox]="'-2 -2 ' + (p.width + 4) + ' ' + (p.height + 4)"
          role="tree"
          tabindex="-1"
          [attr.aria-label]="label()"
          (keydown)="key($event)"
        >
          @for (line of p.lines; track $index) {
            <path [attr.d]="pathOf(line.points)" [class.lit]="line.edge.from === at() || line.edge.to === at()">
              <title>{{ line.edge.from }} {{ line.edge.label }} {{ line.edge.to }}</title>
            </path>
          }
          @for (node of boxes(); track node.id) {
            <g
              role="treeitem"
              [attr.data-id]="node.id"
              [class]="'node ' + (node.tone ?? '')"
              [class.self]="node.id === root()"
              [attr.tabindex]="node.id === at() ? 0 : -1"
              [attr.aria-selected]="node.id === at()"
              [attr.aria-level]="node.level"
              [attr.aria-expanded]="node.folds ? unfolded().has(node.id) : null"
              [attr.aria-label]="node.title + (node.more ? ', ' + node.more + ' more behind it' : '')"
              [attr.transform]="'translate(' + node.x + ',' + node.y + ')'"
              (focus)="at.set(node.id)"
              (click)="press(node.id)"
            >
              <rect [attr.width]="node.width" height="24" rx="6" />
              <text x="9" y="16">{{ node.label }}</text>
              @if (node.more) {
                <g
                  class="plus"
                  [attr.transform]="'translate(' + (node.width - 26) + ',4)'"
                  (click)="$event.stopPropagation(); fold(node.id)"
                >
                  <rect width="22" height="16" rx="8" />
                  <text x="11" y="12" text-anchor="middle">+{{ node.more }}</text>
                </g>
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
    .frame {
      overflow: auto;
      max-height: 420px;
      border: 1px solid var(--hairline);
      border-radius: 10px;
      padding: 10px;
      background: var(--paper);
    }
    path {
      fill: none;
      stroke: var(--hairline-strong);
      stroke-width: 1.5;
    }
    path.lit {
      stroke: var(--cord);
      stroke-width: 2;
    }
    .node {
      cursor: pointer;
      outline: none;
    }
    .node > rect {
      fill: var(--surface);
      stroke: var(--hairline-strong);
    }
    .node:focus-visible > rect,
    .node[aria-selected='true'] > rect {
      stroke: var(--cord);
      stroke-width: 2;
    }
    .suspect > rect {
      stroke: var(--suspect);
      stroke-dasharray: 5 3;
    }
    .broken > rect {
      stroke: var(--broken);
    }
    .waiting > rect {
      stroke: var(--waiting);
      stroke-dasharray: 2 3;
    }
    .self > rect {
      fill: var(--cord);
      stroke: var(--cord);
    }
    .self > text {
      fill: var(--on-cord);
    }
    text {
      font:
        600 12px 'Source Sans 3',
        sans-serif;
      fill: var(--ink);
    }
    .plus rect {
      fill: var(--cord-tint);
    }
    .plus text {
      font-size: 11px;
      fill: var(--cord);
    }
  `,
})
export class GraphPicture {
  readonly nodes = input.required<readonly PictureNode[]>();
  readonly edges = input.required<readonly PictureEdge[]>();
  readonly root = input.required<string>();
  readonly label = input.required<string>();
  readonly opened = output<string>();
  protected readonly pathOf = pathOf;
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly unfolded = linkedSignal<ReadonlySet<string>>(() => firstUnfolded(this.nodes(), this.edges(), this.root(), 24));
  private readonly folded = computed(() => foldGraph(this.nodes(), this.edges(), this.root(), this.unfolded()));
  protected readonly at = linkedSignal(() => this.root());
  protected readonly laid = signal<LaidOut | null>(null);
  protected readonly failed = signal('');
  private drawing = 0;
  protected readonly boxes = computed(() => {
    const { shown, hidden, distance } = this.folded();
    const places = this.laid()?.places;
    return shown.flatMap((node) => {
      const place = places?.get(node.id);
      const more = hidden.get(node.id) ?? 0;
      const level = (distance.get(node.id) ?? 0) + 1;
      const folds = more > 0 || (this.unfolded().has(node.id) && node.id !== this.root());
      return place ? [{ ...node, ...place, more, level, folds, width: widthOf(node.label, more) }] : [];
    });
  });

  constructor() {
    effect(() => {
      const { shown, edges, hidden } = this.folded();
      const boxes = shown.map(({ id, label }) => ({ id, width: widthOf(label, hidden.get(id) ?? 0), height: nodeHeight }));
      const lines = edges.map(({ from, to, words }) => ({ from, to, label: words }));
      untracked(() => void this.draw(boxes, lines));
    });
  }

  /** The newest drawing wins: one that was asked for before it is not shown after it. */
  private async draw(...[nodes, edges]: Parameters<typeof layOut>): Promise<void> {
    const mine = ++this.drawing;
    try {
      const laid = await layOut(nodes, edges);
      if (mine === this.drawing) this.laid.set(laid);
    } catch {
      if (mine === this.drawing) this.failed.set('This could not be drawn: the list says the same.');
    }
  }

  protected press(id: string): void {
    this.at.set(id);
    if (id !== this.root()) this.opened.emit(id);
  }

  protected fold(id: string): void {
    this.unfolded.update((all) => toggled(all, id));
    this.at.set(id);
  }

  protected key(event: KeyboardEvent): void {
    const id = this.at();
    const moved = arrowOf(event.key);
    if (event.key === 'Enter') this.press(id);
    else if (event.key === ' ') this.fold(id);
    else if (event.key === 'Home') this.focus(this.root());
    else if (moved) this.focus(nearestBox(this.boxes(), id, moved) ?? id);
    else return;
    event.preventDefault();
  }

  private focus(id: string): void {
    this.at.set(id);
    focusBox(this.host.nativeElement, id);
  }
}
