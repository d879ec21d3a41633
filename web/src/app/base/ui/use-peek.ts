import { Overlay, type OverlayRef } from '@angular/cdk/overlay';
import { ComponentPortal } from '@angular/cdk/portal';
import { DestroyRef, inject } from '@angular/core';
import { Peek, peekTarget, type Peeked } from './peek';

/** So long somebody stays on a place before its peek opens, in milliseconds. */
const stay = 350;

/** The card of a record beside a place on which somebody stays: opened soon, shut at once, gone with whoever asked for it. */
export function usePeek(): { soon(of: Peeked, at: Element | DOMRect): void; close(): void } {
  const overlay = inject(Overlay);
  let timer: ReturnType<typeof setTimeout> | undefined;
  let open: OverlayRef | undefined;
  const show = (of: Peeked, at: Element | DOMRect): void => {
    const positionStrategy = overlay
      .position()
      .flexibleConnectedTo(at)
      .withPositions([
        { originX: 'start', originY: 'bottom', overlayX: 'start', overlayY: 'top', offsetY: 6 },
        { originX: 'start', originY: 'top', overlayX: 'start', overlayY: 'bottom', offsetY: -6 },
      ])
      .withPush(true);
    open = overlay.create({ positionStrategy, scrollStrategy: overlay.scrollStrategies.close() });
    peekTarget.set(of);
    open.attach(new ComponentPortal(Peek));
    // It is only looked at: what stands behind it is pressed through it.
    open.overlayElement.style.pointerEvents = 'none';
  };
  const close = (): void => {
    clearTimeout(timer);
    open?.dispose();
    open = undefined;
  };
  inject(DestroyRef).onDestroy(close);
  return {
    soon: (of, at) => {
      // A function is no record: what there is to see of it stands in its file.
      if (of.kind === 'file') return;
      close();
      timer = setTimeout(() => show(of, at), stay);
    },
    close,
  };
}
