import { InjectionToken, signal } from '@angular/core';
import type { Endpoint } from '@contract/base';

const name = 'cord-proof.device';
const inUse = signal(localStorage.getItem(name) !== null);

/** Does this device hold records that were taken along, or something that has not been sent? Known at once, before what it holds is read. */
export const deviceInUse = inUse.asReadonly();

export function useDevice(used: boolean): void {
  if (used) localStorage.setItem(name, '1');
  else localStorage.removeItem(name);
  inUse.set(used);
}

/** What answers for a server that cannot be reached; read when this device holds something. */
export interface Standby {
  call(endpoint: Endpoint, input: Readonly<Record<string, unknown>>, files?: readonly File[]): Promise<unknown>;
}
export const standby = new InjectionToken<() => Promise<Standby>>('standby');
