import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { RecordKind } from '@core/base';
import { useProject } from '../live';
import { recordLink } from '../links';
import { usePeek } from './use-peek';

/** A record's key as a link; hovering or focusing it shows the record's peek. */
@Component({
  selector: 'cp-record',
  imports: [RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<a
    class="key"
    [routerLink]="link().path"
    [queryParams]="link().query"
    (mouseenter)="soon()"
    (mouseleave)="peek.close()"
    (focus)="soon()"
    (blur)="peek.close()"
    (keydown.escape)="peek.close()"
    >{{ text() || key() }}</a
  >`,
  styles: `
    :host {
      display: inline;
    }
  `,
})
export class RecordLink {
  readonly kind = input.required<RecordKind>();
  readonly key = input.required<string>();
  readonly text = input('');
  private readonly project = useProject();
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly peek = usePeek();
  protected readonly link = computed(() => recordLink(this.project.slug(), { kind: this.kind(), key: this.key() }));

  protected soon(): void {
    this.peek.soon({ kind: this.kind(), key: this.key() }, this.element.nativeElement);
  }
}
