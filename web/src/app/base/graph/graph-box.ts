import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import type { PictureEdge, PictureNode } from './folding';
import { GraphPicture } from './graph-picture';

/** A picture of what hangs together, loaded when one is first looked at. */
@Component({
  selector: 'cp-graph',
  imports: [GraphPicture],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @defer (on immediate) {
      <cp-graph-picture [nodes]="nodes()" [edges]="edges()" [root]="root()" [label]="label()" (opened)="opened.emit($event)" />
    }
  `,
})
export class GraphBox {
  readonly nodes = input.required<readonly PictureNode[]>();
  readonly edges = input.required<readonly PictureEdge[]>();
  readonly root = input.required<string>();
  readonly label = input.required<string>();
  readonly opened = output<string>();
}
