import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { Knot } from '@core/base';
import { cordWords, drawCord, type KnotState } from '@core/prove';

/** A requirement's cord: five knots, told by shape first. The words are for those who do not see it. */
@Component({
  selector: 'cp-cord',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg
      [attr.width]="drawing().width"
      [attr.height]="drawing().height"
      [attr.viewBox]="'0 0 ' + drawing().width + ' ' + drawing().height"
      role="img"
      [attr.aria-label]="words()"
    >
      @for (shape of drawing().shapes; track $index) {
        <path [attr.d]="shape.path" [class]="shape.what + ' r-' + shape.role" />
      }
    </svg>
  `,
  styles: `
    :host {
      display: inline-flex;
    }
    path {
      fill: none;
      stroke-width: 3.5;
    }
    .line,
    .dotted,
    .dashed,
    .hairline,
    .fray,
    .ring {
      stroke: var(--role);
    }
    .dotted {
      stroke-dasharray: 0.1 7;
      stroke-linecap: round;
    }
    .dashed {
      stroke-dasharray: 9 5;
    }
    .hairline {
      stroke-width: 1.4;
    }
    .fray {
      stroke-width: 2;
      stroke-linecap: round;
    }
    .ring {
      stroke-width: 2.4;
      fill: var(--surface);
    }
    .disc,
    .diamond,
    .half,
    .dot {
      fill: var(--role);
    }
    :host(.thin) path {
      stroke-width: 1.6;
    }
    :host(.thin) .hairline {
      stroke-width: 1;
    }
  `,
})
export class CordDrawing {
  readonly states = input.required<Readonly<Record<Knot, KnotState>>>();
  readonly gap = input(70);
  readonly radius = input(7);
  readonly label = input('');
  protected readonly drawing = computed(() => drawCord(this.states(), this.gap(), this.radius()));
  protected readonly words = computed(() => `${this.label()}${cordWords(this.states())}`);
}
