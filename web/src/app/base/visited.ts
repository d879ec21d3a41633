import { useDeviceMemory } from './device-memory';

/** A record that somebody looked at. */
export interface Visited {
  readonly url: string;
  readonly label: string;
  readonly title?: string;
}

const most = 12;

/** The records that somebody looked at last in the project, the newest last; this device remembers them. */
export function useVisited() {
  const memory = useDeviceMemory<readonly Visited[]>('visited');
  const list = (): readonly Visited[] => memory.read('list') ?? [];
  return {
    list,
    add: (place: Visited): void => {
      const known = list().find(({ url }) => url === place.url);
      memory.keep('list', [...list().filter((other) => other !== known && other.url !== place.url), { ...known, ...place }].slice(-most));
    },
    /** What it is called, once it was read. */
    name: (label: string, title: string): void => {
      if (list().some((place) => place.label === label && place.title !== title))
        memory.keep(
          'list',
          list().map((place) => (place.label === label ? { ...place, title } : place)),
        );
    },
  };
}
