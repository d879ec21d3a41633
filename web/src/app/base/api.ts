import { inject, Injectable } from '@angular/core';
import { beginIncoming, getIncoming, type AnswerOf, type CallOf, type Endpoint, type Incoming, type ProblemDetails } from '@contract/base';
import { deviceInUse, standby } from './device/in-use';

/** An answer that is not the one asked for. */
export class ApiFailure extends Error {
  constructor(readonly problem: ProblemDetails) {
    super(problem.detail ?? problem.title);
  }
}

const away: ProblemDetails = {
  type: 'about:blank',
  status: 0,
  code: 'offline',
  title: 'The server cannot be reached. What you typed is kept here; it is tried again.',
};

/** What went wrong, in words: as particular as the server says it. */
export const problemWords = ({ detail, fields, title }: ProblemDetails): string =>
  detail || fields?.map(({ text }) => text).join(' ') || title;

/** Why a call failed, in words; what is no answer of the server is thrown on. */
export function failureWords(error: unknown): string {
  if (!(error instanceof ApiFailure)) throw error;
  return problemWords(error.problem);
}

/** How a request is sent that may have waited on a device. */
export interface Sending {
  /** Names the request: the same name again is not done again. */
  readonly operation?: string;
  /** When it was done and when it is sent, by the device's clock. */
  readonly device?: { readonly at: string; readonly sent: string } | undefined;
  /** Gives a reading request up. */
  readonly signal?: AbortSignal;
}

/** The typed client of the contract: the only place that speaks HTTP. */
@Injectable({ providedIn: 'root' })
export class Api {
  /** The last ledger number that a request of this window wrote, by project: lists of what is judged are asked to be no older. */
  private readonly wrote = new Map<string, number>();

  private readonly standby = inject(standby, { optional: true });

  /** Asks the server; where this device holds records that were taken along, it answers for a server that cannot be reached. */
  async call<E extends Endpoint>(endpoint: E, input: CallOf<E>, files?: readonly File[], sending: Sending = {}): Promise<AnswerOf<E>> {
    if (!deviceInUse() || !this.standby) return this.request(endpoint, input, files, sending);
    const device = await this.standby();
    return device.call(endpoint, input as Record<string, unknown>, files) as Promise<AnswerOf<E>>;
  }

  /** The address of a reading request. */
  address(endpoint: Endpoint, input: Readonly<Record<string, unknown>>): string {
    const { path, rest } = addressOf(endpoint, input);
    const query = queryOf(Object.entries(rest).filter(([name]) => name !== 'atLeast'));
    return `${path}${query}`;
  }

  /** Asks the server itself. */
  async request<E extends Endpoint>(
    endpoint: E,
    input: CallOf<E>,
    files?: readonly File[],
    { operation, device, signal }: Sending = {},
  ): Promise<AnswerOf<E>> {
    const project = String((input as Record<string, unknown>)['project'] ?? '');
    const { path, rest } = addressOf(endpoint, input as Record<string, unknown>);
    if (names(endpoint.query, 'atLeast')) rest['atLeast'] ??= this.wrote.get(project);
    const hasBody = endpoint.method === 'POST' || endpoint.method === 'PUT';
    // Beside files, what the contract wants in the query goes there and the rest before the files; else it is one or the other.
    const given = Object.entries(rest).filter(([, value]) => value !== undefined);
    const inQuery = given.filter(([name]) => (files ? names(endpoint.query, name) : !hasBody));
    // Named, so that a repeat is recognised and not done twice.
    const headers: Record<string, string> = {};
    if (operation ?? endpoint.method === 'POST') headers['idempotency-key'] = operation ?? crypto.randomUUID();
    if (device) Object.assign(headers, { 'device-at': device.at, 'device-sent': device.sent });
    const init: RequestInit = { method: endpoint.method, credentials: 'same-origin', headers, ...(signal ? { signal } : {}) };
    if (files) {
      const form = new FormData();
      for (const [name, value] of given) if (!names(endpoint.query, name)) form.append(name, String(value));
      for (const file of files) form.append('file', file, file.name);
      init.body = form;
    } else if (hasBody) {
      headers['content-type'] = 'application/json';
      init.body = JSON.stringify(rest);
    }
    const response = await send(`/api${path}${queryOf(inQuery)}`, init, endpoint.method === 'POST' && !operation);
    const seq = Number(response.headers.get('ledger-seq') ?? 0);
    if (seq) this.wrote.set(project, Math.max(seq, this.wrote.get(project) ?? 0));
    return answerOf<AnswerOf<E>>(response);
  }

  /**
   * Sends what is large part by part; where a line breaks, it goes on from where the server has come to. Answers the name under which the server
   * has it. `reached` is told what part has arrived, from 0 to 1.
   */
  async sendInParts(project: string, file: File, reached: (part: number) => void, signal: AbortSignal): Promise<string> {
    let { id, received } = await this.request(beginIncoming, { project, name: file.name, bytes: file.size });
    for (let lost = 0; received < file.size;) {
      const part: RequestInit = {
        method: 'PUT',
        credentials: 'same-origin',
        headers: { 'content-type': 'application/octet-stream' },
        body: file.slice(received, received + partBytes),
        signal,
      };
      try {
        const address = `/api/projects/${encodeURIComponent(project)}/incoming/${id}?from=${received}`;
        ({ received } = await answerOf<Incoming>(await send(address, part, false)));
        lost = 0;
      } catch (error) {
        if (signal.aborted || !(error instanceof ApiFailure) || error.problem.status !== 0 || ++lost > 5) throw error;
        await new Promise((resolve) => setTimeout(resolve, 1000 * lost));
        ({ id, received } = await this.request(getIncoming, { project, id }));
      }
      reached(received / file.size);
    }
    return id;
  }
}

const partBytes = 4 << 20;

/** What a response holds; a problem is thrown. */
async function answerOf<A>(response: Response): Promise<A> {
  const text = await response.text();
  if (response.ok) return JSON.parse(text) as A;
  throw new ApiFailure(problemOf(text, response.status));
}

/** Where a call goes, and what of it does not stand there. */
function addressOf(endpoint: Endpoint, input: Readonly<Record<string, unknown>>): { path: string; rest: Record<string, unknown> } {
  const rest = { ...input };
  const path = endpoint.path.replace(/:(\w+)/g, (_, name: string) => {
    const value = String(rest[name]);
    delete rest[name];
    return encodeURIComponent(value);
  });
  return { path, rest };
}
function queryOf(given: readonly (readonly [string, unknown])[]): string {
  const query = new URLSearchParams(given.flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)]]))).toString();
  return query ? `?${query}` : '';
}
const names = (query: Endpoint['query'], name: string): boolean => 'shape' in query && name in (query.shape as object);

/** Sends a request; one that has a name is sent once more where the connection was lost or the server is away for a moment. */
async function send(url: string, init: RequestInit, again: boolean): Promise<Response> {
  try {
    const response = await fetch(url, init);
    if (response.status !== 503 || !again) return response;
  } catch {
    if (!again) throw new ApiFailure(away);
  }
  await new Promise((resolve) => setTimeout(resolve, 1000));
  return send(url, init, false);
}

function problemOf(text: string, status: number): ProblemDetails {
  try {
    const problem = JSON.parse(text) as ProblemDetails;
    if (typeof problem.code === 'string') return problem;
  } catch {
    // Not ours: a proxy's page, or nothing at all.
  }
  return { ...away, status, title: `The server answered ${status} and nothing that can be read.` };
}
