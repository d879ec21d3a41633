import { useProject } from './live';

/** A text while it is written, with the revision that was read when writing began. */
export interface Draft<T> {
  readonly content: T;
  readonly basedOn: number;
  /** As it was then. */
  readonly base?: T;
}

export interface DeviceMemory<T> {
  read(key: string): T | undefined;
  keep(key: string, value: T): void;
  drop(key: string): void;
}

/**
 * What is typed and not yet saved, and how somebody left what they look at, kept on this device. It belongs to one person in one project: RUN-001 and C-001
 * stand in every project, and a device on a bench has many hands.
 */
export function useDeviceMemory<T>(area: 'draft' | 'bench' | 'conclusion' | 'folded' | 'outline' | 'panels' | 'visited'): DeviceMemory<T> {
  const { session, slug } = useProject();
  const place = (key: string): string => ['cord-proof', area, session()?.person.login, slug(), key].join('.');
  return {
    read: (key) => {
      const retained = localStorage.getItem(place(key));
      return retained === null ? undefined : (JSON.parse(retained) as T);
    },
    keep: (key, value) => localStorage.setItem(place(key), JSON.stringify(value)),
    drop: (key) => localStorage.removeItem(place(key)),
  };
}
