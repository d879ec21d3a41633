import { computed, DestroyRef, effect, inject, Injectable, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import type { Endpoint, ProblemDetails, Session } from '@contract/base';
import * as contract from '@contract/base';
import { Api, ApiFailure } from '../api';
import { baseActions, baseFeature } from '../state';
import { deviceStore } from './device-store';
import { useDevice } from './in-use';
import {
  endpointName,
  endpointNamed,
  keeping,
  loginOf,
  withWaiting,
  type DeviceCall,
  type Keeping,
  type Taken,
  type Waiting,
} from './keeping';

/** The server is away for a while: a request that is named may be sent again. */
const isAway = ({ status }: ProblemDetails): boolean => [0, 429, 502, 503, 504].includes(status);
const sendAgainAfter = 10_000;
const patience = 8000;
const sessionName = `* ${contract.getSession.path}`;

/**
 * Records that a person takes along: they are read from here and written to here where the server cannot be reached, and what was done goes to
 * it in its order as soon as it can, once, however often it is tried.
 */
@Injectable({ providedIn: 'root' })
export class Device {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly askKeeping = inject(keeping);
  private readonly all = signal<readonly Taken[]>([]);
  private readonly held = signal<readonly Waiting[]>([]);
  private readonly session = this.store.selectSignal(baseFeature.selectSession);
  private readonly mine = computed(() => this.session()?.person.login ?? '');
  /** The last request that was sent did not reach the server. */
  readonly away = signal(false);
  /** The session ended meanwhile: what waits is sent once this person has signed in again. */
  readonly signedOut = signal(false);
  /** What of it is this person's. */
  readonly taken = computed(() => this.all().filter(({ login }) => login === this.mine()));
  readonly waiting = computed(() => this.held().filter(({ place }) => place.startsWith(`${this.mine()} `)));
  private readonly ready: Promise<void>;
  private sending: Promise<void> | undefined;

  constructor() {
    this.ready = this.open();
    const sendWhatWaits = (): void => {
      if (this.held().length && document.visibilityState === 'visible') void this.send();
    };
    addEventListener('online', sendWhatWaits);
    document.addEventListener('visibilitychange', sendWhatWaits);
    const timer = setInterval(sendWhatWaits, sendAgainAfter);
    inject(DestroyRef).onDestroy(() => {
      clearInterval(timer);
      removeEventListener('online', sendWhatWaits);
      document.removeEventListener('visibilitychange', sendWhatWaits);
    });
    // Whoever signs in, or comes back, has it sent at once.
    effect(() => {
      if (this.session()) untracked(() => void this.send());
    });
  }

  private async open(): Promise<void> {
    // Together: what waits is not said to be sent for a moment.
    const [taken, waiting] = [await deviceStore.taken(), await deviceStore.waiting()];
    this.all.set(taken);
    this.held.set(waiting);
    this.noteUse();
  }

  private noteUse(): void {
    useDevice(this.all().length + this.held().length > 0);
  }

  /** Asks the server, and this device where it cannot be reached. */
  async call(endpoint: Endpoint, input: Readonly<Record<string, unknown>>, files?: readonly File[]): Promise<unknown> {
    await this.ready;
    const kept = await this.askKeeping();
    const call = { endpoint, input, files };
    if (endpoint.method === 'GET') return this.ask(kept, call);
    const place = await this.placeOf(kept, input);
    const taken = kept.writes.includes(endpoint) ? await deviceStore.takenAt(place) : undefined;
    if (!taken) {
      const login = endpoint === contract.signOut ? await this.login() : '';
      const answer = await this.api.request(endpoint, input, files);
      if (endpoint === contract.signOut) await this.leave(login);
      return answer;
    }
    return this.write(kept, taken, call);
  }

  /** Whoever signs out leaves nothing to be read; what was not sent stays here with its record, and is theirs when they come back. */
  private async leave(login: string): Promise<void> {
    await deviceStore.dropAnswers();
    for (const taken of await deviceStore.taken()) if (taken.login === login) await this.release(taken.place);
    if ('caches' in window && !(await deviceStore.taken()).length) await caches.delete(filesHere);
  }

  private async login(): Promise<string> {
    if (this.mine()) return this.mine();
    return ((await deviceStore.answer(sessionName))?.value as Session | undefined)?.person.login ?? '';
  }
  private async placeOf(kept: Keeping, input: Readonly<Record<string, unknown>>): Promise<string> {
    return `${await this.login()} ${String(input['project'])} ${kept.keyOf(input)}`;
  }
  private async nameOf(call: DeviceCall): Promise<string> {
    return call.endpoint === contract.getSession ? sessionName : `${await this.login()} ${this.api.address(call.endpoint, call.input)}`;
  }

  private async ask(kept: Keeping, call: DeviceCall): Promise<unknown> {
    const name = await this.nameOf(call);
    let answer: unknown;
    try {
      answer = await this.api.request(call.endpoint, call.input);
      this.away.set(false);
      const known = await deviceStore.answer(name);
      if (known) await deviceStore.putAnswer({ ...known, value: answer });
    } catch (error) {
      if (!(error instanceof ApiFailure) || !isAway(error.problem)) throw error;
      this.away.set(true);
      const known = await deviceStore.answer(name);
      if (!known) throw error;
      answer = known.value;
    }
    if (call.endpoint !== kept.read) return answer;
    const taken = await deviceStore.takenAt(await this.placeOf(kept, call.input));
    return taken ? withWaiting(kept, answer as object, await deviceStore.waitingAt(taken.place)) : answer;
  }

  private async write(kept: Keeping, taken: Taken, call: DeviceCall): Promise<unknown> {
    const before = await deviceStore.waitingAt(taken.place);
    if (kept.takesBack(taken.record, call, before)) return this.takeBack(kept, taken, call);
    const at = new Date().toISOString();
    const made = kept.make(withWaiting(kept, taken.record, before), { ...call, by: loginOf(taken.place) }, at);
    if (made.refused) throw new ApiFailure({ type: 'about:blank', status: 409, code: 'stateForbids', title: made.refused });
    // What waits already says it.
    if (made.same && before.length) return made.answer;
    const waiting = await deviceStore.addWaiting({
      place: taken.place,
      operation: crypto.randomUUID(),
      endpoint: endpointName(call.endpoint),
      input: made.input,
      about: made.about,
      files: call.files ?? [],
      at,
      away: before.length > 0,
    });
    this.held.update((held) => [...held, waiting]);
    if (before.length) {
      void this.send();
      return made.answer;
    }
    const outcome = await this.sendFirst(waiting);
    if (outcome === 'away') return made.answer;
    if ('answer' in outcome) return outcome.answer;
    // Somebody stands before the screen and reads why: nothing is put off.
    await this.forget(waiting);
    throw new ApiFailure(outcome.problem);
  }

  /** Takes a file back that was never sent. Nothing is sent meanwhile; one that has just gone is on the server, and is taken off there. */
  private async takeBack(kept: Keeping, taken: Taken, call: DeviceCall): Promise<unknown> {
    await navigator.locks.request('cord-proof.device', async () => {
      const back = kept.takesBack(taken.record, call, await deviceStore.waitingAt(taken.place));
      if (!back)
        throw new ApiFailure({ type: 'about:blank', status: 409, code: 'conflict', title: 'It has just been sent: take it off again.' });
      const files = back.of.files.filter((_, i) => i !== back.file);
      if (files.length) await this.change({ ...back.of, files, operation: crypto.randomUUID() });
      else await this.forget(back.of);
    });
    return withWaiting(kept, taken.record, await deviceStore.waitingAt(taken.place));
  }

  /** What became of what was just done, for whoever waits for it. */
  private readonly outcomes = new Map<string, { readonly answer: unknown } | { readonly problem: ProblemDetails }>();

  /** Sends what was just done, and waits a while for its answer. */
  private async sendFirst(waiting: Waiting): Promise<{ readonly answer: unknown } | { readonly problem: ProblemDetails } | 'away'> {
    await Promise.race([this.send(), new Promise((resolve) => setTimeout(resolve, patience))]);
    const outcome = this.outcomes.get(waiting.operation);
    this.outcomes.delete(waiting.operation);
    if (outcome) return outcome;
    await this.change({ ...waiting, away: true });
    return 'away';
  }

  /** Sends what waits, in its order; whoever asks meanwhile waits for what is under way and for what came in since. */
  async send(): Promise<void> {
    const before = this.sending;
    const mine = (async (): Promise<void> => {
      await before;
      await this.ready;
      // One window at a time.
      await navigator.locks.request('cord-proof.device', () => this.sendAll());
    })().catch(() => undefined);
    this.sending = mine;
    await mine;
    if (this.sending === mine) this.sending = undefined;
  }

  private async sendAll(): Promise<void> {
    const login = await this.login();
    const kept = await this.askKeeping();
    const waiting = (await deviceStore.waiting()).filter(({ place }) => place.startsWith(`${login} `));
    const refused = new Set(waiting.filter(({ problem }) => problem).map(({ place }) => place));
    // A window that was closed before it could read what was decided leaves that to the next one.
    const sent = new Set([...refused].filter((place) => !this.read.has(place)));
    for (const item of waiting) {
      if (refused.has(item.place)) continue;
      try {
        const device = item.away ? { at: item.at, sent: new Date().toISOString() } : undefined;
        const answer = await this.api.request(endpointNamed(kept, item.endpoint), item.input, item.files.length ? item.files : undefined, {
          operation: item.operation,
          device,
        });
        this.away.set(false);
        this.signedOut.set(false);
        if (!item.away) this.outcomes.set(item.operation, { answer });
        await this.answered(kept, item, answer);
        await this.forget(item);
        sent.add(item.place);
      } catch (error) {
        if (!(error instanceof ApiFailure)) throw error;
        const { problem } = error;
        if (isAway(problem)) this.away.set(true);
        if (problem.status === 401) this.signedOut.set(true);
        if (isAway(problem) || problem.status === 401) break;
        if (problem.code === 'repeated') {
          await this.forget(item);
          sent.add(item.place);
          continue;
        }
        if (!item.away) this.outcomes.set(item.operation, { problem });
        refused.add(item.place);
        sent.add(item.place);
        await this.change({ ...item, problem });
      }
    }
    for (const place of sent) await this.refresh(kept, place);
  }

  private async forget({ n }: Waiting): Promise<void> {
    await deviceStore.dropWaiting(n ?? 0);
    this.held.update((held) => held.filter((other) => other.n !== n));
    this.noteUse();
  }
  private async change(waiting: Waiting): Promise<void> {
    if (!(await deviceStore.waitingAt(waiting.place)).some(({ n }) => n === waiting.n)) return;
    await deviceStore.putWaiting(waiting);
    this.held.update((held) => held.map((other) => (other.n === waiting.n ? waiting : other)));
  }
  private async putTaken(taken: Taken): Promise<void> {
    await deviceStore.putTaken(taken);
    this.all.update((all) => [...all.filter(({ place }) => place !== taken.place), taken]);
    useDevice(true);
  }

  /** The places whose records this window has read since something of them was sent or refused. */
  private readonly read = new Set<string>();

  /** What the server answered is what this device knows from now on, before it could read the whole again. */
  private async answered(kept: Keeping, item: Waiting, answer: unknown): Promise<void> {
    const taken = await deviceStore.takenAt(item.place);
    if (!taken) return;
    await this.know(kept, taken, kept.answered(taken.record, item, answer));
  }

  /** A record as the server has it now: what is asked for away from it, and what is worked on, with what others decided meanwhile. */
  private async know(kept: Keeping, taken: Taken, record: object): Promise<void> {
    const { project, key, place, meanwhile } = taken;
    await deviceStore.putAnswer({ name: await this.nameOf({ endpoint: kept.read, input: { project, key } }), place, value: record });
    const said = kept.meanwhile(taken.record, record).filter((words) => !meanwhile.includes(words));
    await this.putTaken({ ...taken, record, meanwhile: [...meanwhile, ...said] });
  }

  /** Reads a record anew after something of it was sent, and says what others decided about it. */
  private async refresh(kept: Keeping, place: string): Promise<void> {
    const taken = await deviceStore.takenAt(place);
    if (!taken) return;
    try {
      const record = (await this.api.request(kept.read, { project: taken.project, key: taken.key })) as object;
      await this.know(kept, { ...taken, readAt: new Date().toISOString() }, record);
      this.read.add(place);
    } catch (error) {
      if (!(error instanceof ApiFailure)) throw error;
    }
    this.store.dispatch(baseActions.deviceSent({ key: taken.key }));
  }

  /** Takes records along: everything that working on them asks for, what several ask for alike once, and the application itself. `told`: which one it is at. */
  async take(project: string, keys: readonly string[], told: (key: string, at: number) => void = () => undefined): Promise<void> {
    await this.ready;
    const kept = await this.askKeeping();
    useDevice(true);
    const login = await this.login();
    await this.keepAnswer({ endpoint: contract.getSession, input: {} }, '');
    await keepApplication();
    const asked = new Set<string>();
    for (const [at, key] of keys.entries()) {
      told(key, at);
      const place = `${login} ${project} ${key}`;
      const record = (await this.keepAnswer({ endpoint: kept.read, input: { project, key } }, place)) as object;
      for (const call of kept.along({ project, record })) {
        const name = await this.nameOf(call);
        if (!asked.has(name)) await this.keepAnswer(call, '');
        asked.add(name);
      }
      await keepFiles(kept.files({ project, record }));
      const known = await deviceStore.takenAt(place);
      const readAt = new Date().toISOString();
      await this.putTaken({ ...(known ?? { place, login, project, key, meanwhile: [] }), record, readAt });
    }
    await navigator.storage?.persist?.();
  }

  private async keepAnswer(call: DeviceCall, place: string): Promise<unknown> {
    const value = await this.api.request(call.endpoint, call.input);
    await deviceStore.putAnswer({ name: await this.nameOf(call), place, value });
    return value;
  }

  /** Leaves a record here no longer; one of which something was not sent stays. */
  async release(place: string): Promise<void> {
    if ((await deviceStore.waitingAt(place)).length) return;
    await deviceStore.dropTaken(place);
    this.all.update((all) => all.filter((taken) => taken.place !== place));
    this.noteUse();
  }

  /** Sends again what was refused. */
  async again(place: string): Promise<void> {
    for (const { problem: _, ...waiting } of await deviceStore.waitingAt(place)) await this.change(waiting);
    await this.send();
  }

  /** Records what was done here over what stands, where that is why it was refused. */
  async over(place: string): Promise<void> {
    const kept = await this.askKeeping();
    for (const item of await deviceStore.waitingAt(place)) {
      const { problem: _, ...waiting } = item;
      const input = kept.over(item);
      // Another request than the one that was refused: it has a name of its own.
      await this.change(input ? { ...waiting, input, operation: crypto.randomUUID() } : waiting);
    }
    await this.send();
  }

  /** Hands in what does not fit any more: it is kept with the record, beside what stands; then it leaves this device. */
  async handIn(place: string, why: string): Promise<void> {
    const kept = await this.askKeeping();
    const taken = await deviceStore.takenAt(place);
    const waiting = await deviceStore.waitingAt(place);
    if (!taken || !waiting.length) return;
    const files = waiting.flatMap((item) => item.files);
    const { project, key } = taken;
    const named = (part: string): { operation: string } => ({ operation: `${waiting[0].operation}-${part}` });
    if (files.length) await this.api.request(contract.addAttachments, { project, key }, files, named('files'));
    const call = kept.handIn(taken, waiting, why);
    await this.api.request(call.endpoint, call.input, undefined, {
      ...named('in'),
      device: { at: waiting[0].at, sent: new Date().toISOString() },
    });
    for (const item of waiting) await this.forget(item);
    await this.refresh(kept, place);
  }
}

/** Has the browser hold the application's own pages, so that they open without network. */
async function keepApplication(): Promise<void> {
  if (!('serviceWorker' in navigator)) return;
  await navigator.serviceWorker.register('/device-worker.js');
  await navigator.serviceWorker.ready;
}

/** The same of pictures and files that a record shows; one that cannot be read is missed there, not here. */
/** The cache of files that were taken along; the service worker answers from it. */
const filesHere = 'cord-proof-files';

async function keepFiles(files: readonly string[]): Promise<void> {
  if (!('caches' in window)) return;
  const held = await caches.open(filesHere);
  for (const address of files) if (!(await held.match(address))) await held.add(address).catch(() => undefined);
}
