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
    this.onWay.clear();
    return !!held;
  }

  hold(step: number, value: HeldStep): void {
    this.all.update((all) => ({ ...all, [step]: value }));
    this.device.keep(this.run, this.all());
  }

  /** What is on its way to the server, by the place of its step. */
  private readonly onWay = new Map<number, string>();

  /** May it be sent now? Not while the same is on its way already: one press of a key may ask for it more than once. */
  sending(step: number, value: HeldStep): boolean {
    const text = heldText(value);
    if (this.onWay.get(step) === text) return false;
    this.onWay.set(step, text);
    return true;
  }

  /** Something did not arrive: all of it may be sent again. */
  failed(): void {
    this.onWay.clear();
  }

  /** The server has what was sent: it is let go, unless it was written in meanwhile. */
  arrived(step: number, sent: HeldStep): void {
    this.onWay.delete(step);
    const here = this.all()[step];
    if (!here || heldText(here) !== heldText(sent)) return;
    const rest: Record<number, HeldStep> = { ...this.all() };
    delete rest[step];
    this.all.set(rest);
    if (Object.keys(rest).length) this.device.keep(this.run, rest);
    else this.device.drop(this.run);
  }
}
