import { TestBed } from '@angular/core/testing';
import * as z from 'zod';
import { endpoint, getProject, inProjectKey, signOut, getSession, addAttachments } from '@contract/base';
import { ApiFailure } from '../api';
import { FakeApi, openWeb } from '../testing';
import { Device } from './device';
import { deviceStore } from './device-store';
import { deviceInUse, useDevice } from './in-use';
import { endpointName, keeping, type Keeping } from './keeping';

const answer = z.object({ key: z.string(), words: z.array(z.string()), owner: z.string() });
const read = endpoint('GET', '/projects/:project/things/:key', { summary: '', may: 'member', params: inProjectKey, answer });
const say = endpoint('PUT', '/projects/:project/things/:key', {
  summary: '',
  may: 'member',
  params: inProjectKey,
  body: z.object({ word: z.string() }),
  answer,
});
const rename = endpoint('PUT', '/projects/:project/things/:key/name', {
  summary: '',
  may: 'member',
  params: inProjectKey,
  body: z.object({ name: z.string() }),
  answer,
});
const takeOff = endpoint('DELETE', '/projects/:project/things/:key/files', {
  summary: '',
  may: 'member',
  params: inProjectKey,
  query: z.object({ file: z.coerce.number() }),
  answer,
});
const give = endpoint('POST', '/projects/:project/things/:key/given', {
  summary: '',
  may: 'member',
  params: inProjectKey,
  body: z.object({ why: z.string() }),
  answer,
});
interface Thing {
  readonly key: string;
  readonly words: readonly string[];
  readonly owner: string;
}
/** Things to which words are said. */
const things: Keeping = {
  read,
  writes: [say, takeOff],
  keyOf: ({ key }) => String(key),
  takesBack: (_, { endpoint, input }, waiting) => {
    const of = waiting.find(({ files }) => files.length);
    return endpoint === takeOff && of ? { of, file: Number(input['file']) } : undefined;
  },
  along: ({ project }) => [{ endpoint: getProject, input: { project } }],
  files: () => [],
  make(record, { input }) {
    const thing = record as Thing;
    const word = String(input['word']);
    if (word === 'nothing') return { input, record, answer: record, refused: 'Nothing cannot be said.' };
    const same = thing.words.at(-1) === word;
    const now = same ? thing : { ...thing, words: [...thing.words, word] };
    return { input: { ...input, known: thing.words.length }, record: now, answer: now, same };
  },
  answered: (record, { endpoint }, said) => (endpoint === endpointName(takeOff) ? record : (said as Thing)),
  words: ({ input }) => String(input['word']),
  title: (record) => (record as Thing).key,
  meanwhile: (before, now) => ((before as Thing).owner === (now as Thing).owner ? [] : [`It belongs to ${(now as Thing).owner}.`]),
  over: ({ problem, input: { known: _, ...input } }) => (problem?.code === 'conflict' ? input : undefined),
  handIn: ({ project, key }, waiting, why) => ({
    endpoint: give,
    input: { project, key, why, words: waiting.map(({ input }) => input['word']) },
  }),
};

describe('A device', () => {
  let api: FakeApi;
  let device: Device;
  let server: Thing;
  const at = { project: 'demo', key: 'T-1' };
  const place = 'ada demo T-1';
  const away = (): never => {
    throw new ApiFailure({ type: '', title: 'away', status: 0, code: 'offline' });
  };
  const said = (): unknown[] => api.of(say).map(({ word }) => word);
  /** The server takes words again, each operation once. */
  const reachable = (): void => {
    const done = new Map<string | undefined, Thing>();
    api.on(say, ({ word }) => {
      const operation = api.asked.at(-1)?.sending?.operation;
      const before = done.get(operation);
      if (before) return before;
      server = { ...server, words: [...server.words, String(word)] };
      done.set(operation, server);
      return server;
    });
    api.on(read, () => server);
  };
  const cut = (): void => void api.on(say, away).on(read, away);
  const speak = (word: string): Promise<unknown> => device.call(say, { ...at, word });
  /** The window is closed and opened again: what is held is all there is. */
  const again = (): void => {
    TestBed.resetTestingModule();
    open();
  };
  const open = (): void => {
    const web = openWeb(['tester'], [], [{ provide: keeping, useValue: () => Promise.resolve(things) }]);
    api = web.api;
    api.on(getProject, () => ({ slug: 'demo', builds: [] })).on(getSession, () => ({ person: { login: 'ada' } }));
    device = TestBed.inject(Device);
  };

  beforeEach(async () => {
    await deviceStore.empty();
    spyOn(navigator.serviceWorker, 'register').and.resolveTo({} as ServiceWorkerRegistration);
    Object.defineProperty(navigator.serviceWorker, 'ready', { value: Promise.resolve(), configurable: true });
    server = { key: 'T-1', words: [], owner: 'ada' };
    open();
    reachable();
    await device.take('demo', ['T-1']);
  });
  afterEach(async () => {
    // What is under way still is that of this test.
    await device.send();
    await deviceStore.empty();
    useDevice(false);
  });

  it('reads what was taken along where the server cannot be reached, and says so; what was not taken along fails as ever', async () => {
    cut();
    expect(await device.call(read, at)).toEqual(server as never);
    expect(device.away()).toBeTrue();
    await expectAsync(device.call(read, { ...at, key: 'T-2' })).toBeRejected();
    api.on(getProject, away);
    expect(await device.call(getProject, { project: 'demo' })).toEqual(jasmine.objectContaining({ slug: 'demo' }));
    reachable();
    await device.call(read, at);
    expect(device.away()).toBeFalse();
  });

  it('asks once for what several records ask for alike, and says which one it is at', async () => {
    const before = api.of(getProject).length;
    const told: string[] = [];
    await device.take('demo', ['T-1', 'T-2'], (key, n) => told.push(`${n} ${key}`));
    expect(api.of(getProject).length - before).toBe(1);
    expect(told).toEqual(['0 T-1', '1 T-2']);
    expect(device.taken().map(({ key }) => key)).toEqual(['T-1', 'T-2']);
  });

  it('sends at once what is done where the server can be reached, and keeps nothing', async () => {
    expect(await speak('one')).toEqual(jasmine.objectContaining({ words: ['one'] }));
    expect(device.waiting()).toEqual([]);
    expect(api.asked.find(({ endpoint: e }) => e === say)?.sending?.device).toBeUndefined();
  });

  it('answers what is done without the server, and sends it in its order, with its times, when the server is back', async () => {
    cut();
    expect(await speak('one')).toEqual(jasmine.objectContaining({ words: ['one'] }));
    expect(await speak('two')).toEqual(jasmine.objectContaining({ words: ['one', 'two'] }));
    // What it says already is not sent twice.
    await speak('two');
    expect(await device.call(read, at)).toEqual(jasmine.objectContaining({ words: ['one', 'two'] }));
    await device.send();
    expect(device.waiting().map(({ input }) => input['word'])).toEqual(['one', 'two']);
    reachable();
    api.asked.length = 0;
    await device.send();
    expect(server.words).toEqual(['one', 'two']);
    expect(device.waiting()).toEqual([]);
    const sent = api.asked.filter(({ endpoint: e }) => e === say).map(({ sending }) => sending);
    expect(sent.every((s) => s?.device !== undefined && s.device.at <= s.device.sent)).toBeTrue();
    expect(new Set(sent.map((s) => s?.operation)).size).toBe(2);
  });

  it('holds it through a browser that is killed, and sends it once though the answer was lost', async () => {
    cut();
    await speak('one');
    await speak('two');
    again();
    reachable();
    const lost = api.asked;
    let answered = 0;
    const take = (word: unknown): Thing => {
      server = { ...server, words: [...server.words, String(word)] };
      return server;
    };
    const known = new Map<string, Thing>();
    api.on(say, ({ word }) => {
      const name = lost.at(-1)?.sending?.operation ?? '';
      const now = known.get(name) ?? take(word);
      known.set(name, now);
      // The first answer of each is lost on its way.
      if (answered++ % 2 === 0) away();
      return now;
    });
    for (let i = 0; i < 5; i++) await device.send();
    expect(server.words).toEqual(['one', 'two']);
    expect(device.waiting()).toEqual([]);
  });

  it('keeps what is refused, and what comes behind it, until somebody says what becomes of it', async () => {
    cut();
    await speak('one');
    await speak('two');
    api
      .refuse(say, { status: 409, code: 'conflict', title: 'Somebody else said something.' })
      .on(read, () => ({ ...server, owner: 'bea' }));
    await device.send();
    await device.send();
    expect(said().filter((word) => word === 'two')).toEqual([]);
    expect(device.waiting().map(({ problem }) => problem?.code)).toEqual(['conflict', undefined]);
    expect(device.taken()[0].meanwhile).toEqual(['It belongs to bea.']);
    reachable();
    const first = api.of(say).length;
    await device.over(place);
    expect(
      api
        .of(say)
        .slice(first)
        .map(({ word, known }) => [word, known]),
    ).toEqual([
      ['one', undefined],
      ['two', 1],
    ]);
    expect([server.words, device.waiting().length]).toEqual([['one', 'two'], 0]);
  });

  it('hands in with its files what does not fit any more, once, and forgets it only when the server has it', async () => {
    cut();
    await device.call(say, { ...at, word: 'one' }, [new File(['x'], 'x.png', { type: 'image/png' })]);
    api.refuse(say, { status: 409, code: 'signed', title: 'It is signed.' }).on(read, () => server);
    await device.send();
    api.on(addAttachments, () => ({})).on(give, away);
    await expectAsync(device.handIn(place, 'It is signed.')).toBeRejected();
    expect(device.waiting().length).toBe(1);
    api.on(give, () => server);
    await device.handIn(place, 'It is signed.');
    expect(device.waiting()).toEqual([]);
    const names = api.asked.filter(({ endpoint: e }) => e === give).map(({ sending }) => sending?.operation);
    expect(new Set(names).size).toBe(1);
    expect(api.asked.find(({ endpoint: e }) => e === addAttachments)?.files?.[0].name).toBe('x.png');
    expect(api.of(give)[0]).toEqual(jasmine.objectContaining({ why: 'It is signed.', words: ['one'] }));
  });

  it('takes a file back that was never sent, one by one, and sends what is left under another name', async () => {
    cut();
    const file = (name: string): File => new File(['x'], name, { type: 'image/png' });
    await device.call(say, { ...at, word: 'one' }, [file('a.png'), file('b.png')]);
    const { operation } = device.waiting()[0];
    expect(await device.call(takeOff, { ...at, file: 0 })).toEqual(jasmine.objectContaining({ words: ['one'] }));
    expect(device.waiting().map(({ files }) => files.map(({ name }) => name))).toEqual([['b.png']]);
    expect(device.waiting()[0].operation).not.toBe(operation);
    expect(await device.call(takeOff, { ...at, file: 0 })).toEqual(jasmine.objectContaining({ words: [] }));
    expect(device.waiting()).toEqual([]);
    // What the server has is taken off there.
    api.on(takeOff, () => server);
    reachable();
    await device.call(takeOff, { ...at, file: 0 });
    expect(api.of(takeOff).length).toBe(1);
  });

  it('knows what the server answered before it could read the record again', async () => {
    api.on(read, away);
    await speak('one');
    cut();
    expect(await speak('two')).toEqual(jasmine.objectContaining({ words: ['one', 'two'] }));
    expect(await device.call(read, at)).toEqual(jasmine.objectContaining({ words: ['one', 'two'] }));
    reachable();
    await device.send();
    expect(server.words).toEqual(['one', 'two']);
  });

  it('refuses at once what the record here does not allow, without network too, and keeps nothing of it', async () => {
    cut();
    await expectAsync(speak('nothing')).toBeRejectedWithError('Nothing cannot be said.');
    expect(device.waiting()).toEqual([]);
  });

  it('tells whoever stands before it at once why something is refused, and keeps nothing of it', async () => {
    api.refuse(say, { status: 409, code: 'signed', title: 'It is signed.' });
    await expectAsync(speak('one')).toBeRejectedWithError('It is signed.');
    expect(device.waiting()).toEqual([]);
  });

  it('waits for its person when the session ended, and sends nothing of another', async () => {
    cut();
    await speak('one');
    api.refuse(say, { status: 401, code: 'signedOut', title: 'Sign in.' });
    await device.send();
    expect([device.signedOut(), device.waiting().length, device.waiting()[0].problem]).toEqual([true, 1, undefined]);
    const { n: _, ...same } = device.waiting()[0];
    const other = await deviceStore.addWaiting({ ...same, place: 'bea demo T-1', operation: 'of-bea-123' });
    reachable();
    await device.send();
    expect([device.signedOut(), server.words, device.waiting().length]).toEqual([false, ['one'], 0]);
    expect((await deviceStore.waiting()).map(({ n }) => n)).toEqual([other.n]);
  });

  it('lets go of a record only when all of it was sent, and of all that can be read when its person signs out', async () => {
    cut();
    await speak('one');
    await device.release(place);
    expect(device.taken().length).toBe(1);
    reachable();
    await device.send();
    expect(await deviceStore.answer('* /session')).toBeDefined();
    api.on(signOut, () => ({ ok: true }));
    await (await caches.open('cord-proof-files')).put('/a-picture', new Response('x'));
    // What was not sent stays with its record.
    cut();
    await speak('two');
    await device.call(signOut, {});
    expect(await deviceStore.answer('* /session')).toBeUndefined();
    expect([device.taken().length, await caches.has('cord-proof-files')]).toEqual([1, true]);
    reachable();
    await device.send();
    await device.call(signOut, {});
    expect([device.taken().length, deviceInUse(), await caches.has('cord-proof-files')]).toEqual([0, false, false]);
  });

  it('lets other requests through, and refuses what cannot wait', async () => {
    api.on(rename, ({ name }) => ({ ...server, key: name }));
    expect(await device.call(rename, { ...at, name: 'T-9' })).toEqual(jasmine.objectContaining({ key: 'T-9' }));
    api.on(rename, away);
    await expectAsync(device.call(rename, { ...at, name: 'T-9' })).toBeRejected();
    expect(device.waiting()).toEqual([]);
    expect(endpointName(rename)).toBe('PUT /projects/:project/things/:key/name');
  });
});
