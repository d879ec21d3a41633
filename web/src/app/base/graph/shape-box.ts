import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { ShapePicture } from './shape-picture';
import type { ShapeEdge, ShapeNode } from './shapes';

/** A picture of a model, loaded when one is first looked at. */
@Component({
  selector: 'cp-shapes',
  imports: [ShapePicture],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @defer (on immediate) {
      <cp-shape-picture
        [nodes]="nodes()"
        [edges]="edges()"
        [lit]="lit()"
        [chosen]="chosen()"
        [label]="label()"
        (picked)="picked.emit($event)"
      />
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
    }
  `,
})
export class ShapeBox {
  readonly nodes = input.required<readonly ShapeNode[]>();
  readonly edges = input.required<readonly ShapeEdge[]>();
  /** The places of the edges that are lit, one after the other; empty where none is. */
  readonly lit = input<readonly number[]>([]);
  readonly chosen = input('');
  readonly label = input.required<string>();
  readonly picked = output<string>();
}

/** Reads what lays pictures out before the first is asked for: where one leads to them. */
export const preparePictures = (): void => void import('./layout').then(({ prepareLayout }) => prepareLayout());
