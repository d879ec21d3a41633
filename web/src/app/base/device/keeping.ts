import { InjectionToken } from '@angular/core';
import type { Endpoint, ProblemDetails } from '@contract/base';

/** A call of the server as it is made. */
export interface DeviceCall {
  readonly endpoint: Endpoint;
  readonly input: Readonly<Record<string, unknown>>;
  readonly files?: readonly File[] | undefined;
  /** The login of whoever makes it, where it is made on this device. */
  readonly by?: string;
}

/** A record that was taken along. */
export interface Taken {
  /** Whose it is here, in which project, and its key: `login project key`. */
  readonly place: string;
  readonly login: string;
  readonly project: string;
  readonly key: string;
  /** As the server said last. */
  readonly record: object;
  readonly readAt: string;
  /** What others decided about it while this device was away with it. */
  readonly meanwhile: readonly string[];
}

/** Something that was done here and that the server does not have yet. */
export interface Waiting {
  /** The order in which it was done. */
  readonly n?: number;
  readonly place: string;
  /** Names the request: however often it is sent, it is done once. */
  readonly operation: string;
  /** `PUT /projects/:project/…`: the endpoint, as text. */
  readonly endpoint: string;
  readonly input: Readonly<Record<string, unknown>>;
  /** What is said of it here and need not be sent. */
  readonly about?: Readonly<Record<string, unknown>> | undefined;
  readonly files: readonly File[];
  /** When it was done, by this device's clock. */
  readonly at: string;
  /** The server could not be reached when it was done. */
  readonly away: boolean;
  /** Why the server did not take it; whoever did it decides what becomes of it. */
  readonly problem?: ProblemDetails;
}

export interface MadeHere {
  /** What is sent: as asked, and what of the record it rests on. */
  readonly input: Readonly<Record<string, unknown>>;
  readonly about?: Waiting['about'];
  /** What is answered until the server has it. */
  readonly answer: unknown;
  /** The record with it. */
  readonly record: object;
  /** The record says so already: there is nothing to send. */
  readonly same?: boolean;
  /** Why it cannot be done; the record is as it was. */
  readonly refused?: string;
}

/** How a kind of record is worked on while the server is away. */
export interface Keeping {
  /** Reads one whole. */
  readonly read: Endpoint;
  /** What else the screen on which it is worked on asks for. */
  along(taken: { readonly project: string; readonly record: object }): readonly DeviceCall[];
  /** Addresses of pictures and files that it shows. */
  files(taken: { readonly project: string; readonly record: object }): readonly string[];
  /** The requests that may wait. */
  readonly writes: readonly Endpoint[];
  /** The key of the record that a request is about. */
  keyOf(input: Readonly<Record<string, unknown>>): string;
  /** The file of something that waits which this request takes back, since it never was sent: which one waits, and the file's place in it. */
  takesBack(record: object, call: DeviceCall, waiting: readonly Waiting[]): { readonly of: Waiting; readonly file: number } | undefined;
  /** What such a request makes of a record. */
  make(record: object, call: DeviceCall, at: string): MadeHere;
  /** The record with what the server answered to one of them, so that what is done next rests on that also where the network goes at once. */
  answered(record: object, waiting: Pick<Waiting, 'endpoint' | 'input'>, answer: unknown): object;
  /** One of them in words. */
  words(waiting: Pick<Waiting, 'endpoint' | 'input' | 'about' | 'files'>): string;
  /** A record in words. */
  title(record: object): string;
  /** What others decided between two looks. */
  meanwhile(before: object, now: object): readonly string[];
  /** Rests a refused request no longer on what it knew; undefined where that is not why it was refused. */
  over(waiting: Waiting): Readonly<Record<string, unknown>> | undefined;
  /** Keeps with the record what does not fit any more. */
  handIn(taken: Taken, waiting: readonly Waiting[], why: string): DeviceCall;
}

/** The kinds of record that can be taken along; read when one is. */
export const keeping = new InjectionToken<() => Promise<Keeping>>('keeping');

/** An endpoint as text. */
export const endpointName = ({ method, path }: Pick<Endpoint, 'method' | 'path'>): string => `${method} ${path}`;

export function endpointNamed(kept: Keeping, name: string): Endpoint {
  const endpoint = kept.writes.find((other) => endpointName(other) === name);
  if (!endpoint) throw new Error(`${name} cannot wait.`);
  return endpoint;
}

/** Whose a record is here. */
export const loginOf = (place: string): string => place.split(' ')[0];

/** A record with what was done here since the server said how it is. */
export const withWaiting = (kept: Keeping, record: object, waiting: readonly Waiting[]): object =>
  waiting.reduce(
    (so, { endpoint, input, files, at, place }) =>
      kept.make(so, { endpoint: endpointNamed(kept, endpoint), input, files, by: loginOf(place) }, at).record,
    record,
  );
