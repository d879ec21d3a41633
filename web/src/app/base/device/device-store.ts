import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { Taken, Waiting } from './keeping';

/** What the server answered when it could be reached. */
interface Answer {
  /** `login address`; who is signed in is asked without a login. */
  readonly name: string;
  readonly place: string;
  readonly value: unknown;
}

interface Schema extends DBSchema {
  taken: { key: string; value: Taken };
  answers: { key: string; value: Answer; indexes: { place: string } };
  waiting: { key: number; value: Waiting; indexes: { place: string } };
}

let opened: Promise<IDBPDatabase<Schema>> | undefined;

function database(): Promise<IDBPDatabase<Schema>> {
  opened ??= openDB<Schema>('cord-proof', 1, {
    upgrade(db) {
      db.createObjectStore('taken', { keyPath: 'place' });
      db.createObjectStore('answers', { keyPath: 'name' }).createIndex('place', 'place');
      db.createObjectStore('waiting', { keyPath: 'n', autoIncrement: true }).createIndex('place', 'place');
    },
  });
  return opened;
}

/** What this device holds, in its own database: written before anything is answered, so that a browser that is killed loses nothing. */
export const deviceStore = {
  taken: async (): Promise<Taken[]> => (await database()).getAll('taken'),
  takenAt: async (place: string): Promise<Taken | undefined> => (await database()).get('taken', place),
  putTaken: async (taken: Taken): Promise<void> => void (await (await database()).put('taken', taken)),
  answer: async (name: string): Promise<Answer | undefined> => (await database()).get('answers', name),
  putAnswer: async (answer: Answer): Promise<void> => void (await (await database()).put('answers', answer)),
  /** In the order in which it was done. */
  waiting: async (): Promise<Waiting[]> => (await database()).getAll('waiting'),
  waitingAt: async (place: string): Promise<Waiting[]> => (await database()).getAllFromIndex('waiting', 'place', place),
  /** Stored for good when this has been answered. */
  async addWaiting(waiting: Waiting): Promise<Waiting> {
    const step = (await database()).transaction('waiting', 'readwrite', { durability: 'strict' });
    const n = await step.store.add(waiting);
    await step.done;
    return { ...waiting, n };
  },
  putWaiting: async (waiting: Waiting): Promise<void> => void (await (await database()).put('waiting', waiting)),
  dropWaiting: async (n: number): Promise<void> => (await database()).delete('waiting', n),
  /** Forgets a record, and what was read for it alone. */
  async dropTaken(place: string): Promise<void> {
    const step = (await database()).transaction(['taken', 'answers'], 'readwrite');
    await step.objectStore('taken').delete(place);
    for (const name of await step.objectStore('answers').index('place').getAllKeys(place)) await step.objectStore('answers').delete(name);
    await step.done;
  },
  async dropAnswers(): Promise<void> {
    await (await database()).clear('answers');
  },
  /** For tests: all of it goes. */
  async empty(): Promise<void> {
    const db = await database();
    await Promise.all([db.clear('taken'), db.clear('answers'), db.clear('waiting')]);
  },
};
