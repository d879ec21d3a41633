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
  async call<E extends Endpoint>(endpoint: E, input: CallOf<E>, files?: readonly File[]): Promise<AnswerOf<E>> {
    const values = { ...(input as Record<string, unknown>) };
    const path = endpoint.path.replace(/:(\w+)/g, (_, name: string) => {
      const value = String(values[name]);
      delete values[name];
      return encodeURIComponent(value);
    });
    const hasBody = endpoint.method === 'POST' || endpoint.method === 'PUT';
    const query = hasBody
      ? ''
      : new URLSearchParams(
          Object.entries(values).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)]])),
        ).toString();
    const init: RequestInit = { method: endpoint.method, credentials: 'same-origin' };
    if (files) {
      const form = new FormData();
      for (const file of files) form.append('file', file, file.name);
      init.body = form;
    } else if (hasBody) {
      init.headers = { 'content-type': 'application/json' };
      init.body = JSON.stringify(values);
    }
    let response: Response;
    try {
      response = await fetch(`/api${path}${query ? `?${query}` : ''}`, init);
    } catch {
      throw new ApiFailure(away);
    }
    const text = await response.text();
    if (response.ok) return JSON.parse(text) as AnswerOf<E>;
    throw new ApiFailure(problemOf(text, response.status));
  }
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
