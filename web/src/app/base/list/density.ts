import { Injectable, signal } from '@angular/core';

const memory = 'cord-proof.rows';
const denseHeight = 30;

/** Whether lists show a record in one line, on this device: more of them, less of each. */
@Injectable({ providedIn: 'root' })
export class Density {
  private readonly chosen = signal(localStorage.getItem(memory) === 'one line');
  readonly dense = this.chosen.asReadonly();

  toggle(): void {
    this.chosen.set(!this.chosen());
    if (this.chosen()) localStorage.setItem(memory, 'one line');
    else localStorage.removeItem(memory);
  }

  /** The height of a row that has so much where it is shown whole. */
  height(whole: number): number {
    return this.chosen() ? denseHeight : whole;
  }
}
