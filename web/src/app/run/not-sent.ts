import { computed, inject, type Signal } from '@angular/core';
import { Device, deviceInUse, useProject } from '../base';

/** Is something of a run kept on this device, because the server does not have it yet? */
export function useNotSent(key: Signal<string>): Signal<boolean> {
  const { slug } = useProject();
  const device = deviceInUse() ? inject(Device) : undefined;
  return computed(() => device?.waiting().some(({ place }) => place.endsWith(` ${slug()} ${key()}`)) ?? false);
}
