import { Directive, output } from '@angular/core';

/** So far a finger moves sideways, in CSS pixels, and at least twice as far as up or down. */
const farEnough = 60;

/** Where fingers work: a swipe to the left asks for what comes next (1), one to the right for what was before (-1). What is written in or scrolls sideways keeps its own. */
@Directive({
  selector: '[cpSwipe]',
  host: { '(touchstart)': 'begin($event)', '(touchend)': 'end($event)', '(touchcancel)': 'from = undefined' },
})
export class Swipe {
  readonly cpSwipe = output<1 | -1>();
  protected from: { readonly x: number; readonly y: number } | undefined;

  protected begin(event: TouchEvent): void {
    const [finger] = event.touches;
    const own = event.target instanceof Element && event.target.closest('input, textarea, select, [contenteditable], .scrolls');
    this.from = event.touches.length === 1 && !own ? { x: finger.clientX, y: finger.clientY } : undefined;
  }

  protected end(event: TouchEvent): void {
    const finger = event.changedTouches.item(0);
    if (!this.from || !finger) return;
    const [x, y] = [finger.clientX - this.from.x, finger.clientY - this.from.y];
    this.from = undefined;
    if (Math.abs(x) > farEnough && Math.abs(x) > 2 * Math.abs(y)) this.cpSwipe.emit(x < 0 ? 1 : -1);
  }
}
