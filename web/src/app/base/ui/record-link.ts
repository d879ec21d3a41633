import { Overlay, type OverlayRef } from '@angular/cdk/overlay';
import { ComponentPortal } from '@angular/cdk/portal';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, type OnDestroy } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { RecordKind } from '@core/base';
import { useProject } from '../live';
import { recordLink } from '../links';
import { Peek, peekTarget } from './peek';

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
    (mouseleave)="close()"
    (focus)="soon()"
    (blur)="close()"
    (keydown.escape)="close()"
    >{{ text() || key() }}</a
  >`,
  styles: `
    :host {
      display: inline;
    }
  `,
})
export class RecordLink implements OnDestroy {
  readonly kind = input.required<RecordKind>();
  readonly key = input.required<string>();
  readonly text = input('');
  private readonly project = useProject();
  private readonly overlay = inject(Overlay);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly link = computed(() => recordLink(this.project.slug(), { kind: this.kind(), key: this.key() }));
  private timer: ReturnType<typeof setTimeout> | undefined;
  private open: OverlayRef | undefined;

  protected soon(): void {
    // A function is no record: what there is to see of it stands in its file.
    if (this.kind() === 'file') return;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.show(), 350);
  }

  private show(): void {
    if (this.open) return;
    const positionStrategy = this.overlay
      .position()
      .flexibleConnectedTo(this.element)
      .withPositions([
        { originX: 'start', originY: 'bottom', overlayX: 'start', overlayY: 'top', offsetY: 6 },
        { originX: 'start', originY: 'top', overlayX: 'start', overlayY: 'bottom', offsetY: -6 },
      ])
      .withPush(true);
    this.open = this.overlay.create({ positionStrategy, scrollStrategy: this.overlay.scrollStrategies.close() });
    peekTarget.set({ kind: this.kind(), key: this.key() });
    this.open.attach(new ComponentPortal(Peek));
  }

  protected close(): void {
    clearTimeout(this.timer);
    this.open?.dispose();
    this.open = undefined;
  }

  ngOnDestroy(): void {
    this.close();
  }
}
