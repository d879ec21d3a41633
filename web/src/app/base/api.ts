import { Injectable } from '@angular/core';
import type { AnswerOf, CallOf, Endpoint, ProblemDetails } from '@contract/base';

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

/** The typed client of the contract: the only place that speaks HTTP. */
@Injectable({ providedIn: 'root' })
export class Api {
  /** The last ledger number that a request of this window wrote, by project: lists of what is judged are asked to be no older. */
  private readonly wrote = new Map<string, number>();

  async call<E extends Endpoint>(endpoint: E, input: CallOf<E>, files?: readonly File[]): Promise<AnswerOf<E>> {
    const values = { ...(input as Record<string, unknown>) };
    const project = String(values['project'] ?? '');
    if (names(endpoint.query, 'atLeast')) values['atLeast'] ??= this.wrote.get(project);
    const path = endpoint.path.replace(/:(\w+)/g, (_, name: string) => {
      const value = String(values[name]);
      delete values[name];
      return encodeURIComponent(value);
    });
    const hasBody = endpoint.method === 'POST' || endpoint.method === 'PUT';
    // Beside files, what the contract wants in the query goes there and the rest before the files; else it is one or the other.
    const given = Object.entries(values).filter(([, value]) => value !== undefined);
    const inQuery = given.filter(([name]) => (files ? names(endpoint.query, name) : !hasBody));
    const query = new URLSearchParams(inQuery.map(([name, value]) => [name, String(value)])).toString();
    // Named, so that a repeat is recognised and not done twice.
    const headers: Record<string, string> = endpoint.method === 'POST' ? { 'idempotency-key': crypto.randomUUID() } : {};
    const init: RequestInit = { method: endpoint.method, credentials: 'same-origin', headers };
    if (files) {
      const form = new FormData();
      for (const [name, value] of given) if (!names(endpoint.query, name)) form.append(name, String(value));
      for (const file of files) form.append('file', file, file.name);
      init.body = form;
    } else if (hasBody) {
      headers['content-type'] = 'application/json';
      init.body = JSON.stringify(values);
    }
    const response = await send(`/api${path}${query ? `?${query}` : ''}`, init, endpoint.method === 'POST');
    const seq = Number(response.headers.get('ledger-seq') ?? 0);
    if (seq) this.wrote.set(project, Math.max(seq, this.wrote.get(project) ?? 0));
    const text = await response.text();
    if (response.ok) return JSON.parse(text) as AnswerOf<E>;
    throw new ApiFailure(problemOf(text, response.status));
  }
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
