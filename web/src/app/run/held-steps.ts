import { signal } from '@angular/core';
import { useDeviceMemory } from '../base';
import { heldText, type HeldStep } from './held-step';

/** What is typed on the Bench and has not arrived: held on this device, by run, until the server has it. */
export class HeldSteps {
  /** The run whose steps are on the screen. */
  run = '';
  private readonly all = signal<Readonly<Record<number, HeldStep>>>({});
  private readonly device = useDeviceMemory<Readonly<Record<number, HeldStep>>>('bench');

  /** What is held, by the place of its step from 0. */
  readonly steps = this.all.asReadonly();

  /** Takes up what this device still holds of a run. Is there anything? */
  open(run: string): boolean {
    const held = this.device.read(run);
    this.all.set(held ?? {});
    return !!held;
  }

  hold(step: number, value: HeldStep): void {
    this.all.update((all) => ({ ...all, [step]: value }));
    this.device.keep(this.run, this.all());
  }

  /** The server has what was sent: it is let go, unless it was written in meanwhile. */
  arrived(step: number, sent: HeldStep): void {
    const here = this.all()[step];
    if (!here || heldText(here) !== heldText(sent)) return;
    const rest: Record<number, HeldStep> = { ...this.all() };
    delete rest[step];
    this.all.set(rest);
    if (Object.keys(rest).length) this.device.keep(this.run, rest);
    else this.device.drop(this.run);
  }
}
