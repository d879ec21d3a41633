import * as z from 'zod';
import type { Role } from '@core/base';

/**
 * Who may call: anybody, whoever is signed in (even with a one-time code: `settingPassword`; even
 * while the second factor is still to be shown: `halfSignedIn`), whoever administers the installation, any
 * member of the project, or members with one of the roles named.
 */
export type May = 'anyone' | 'halfSignedIn' | 'settingPassword' | 'signedIn' | 'installation' | 'member' | readonly Role[];

/** One route, told once: the server registers it, OpenAPI describes it, the client calls it. */
export interface Endpoint<
  P extends z.ZodType = z.ZodType,
  Q extends z.ZodType = z.ZodType,
  B extends z.ZodType = z.ZodType,
  A extends z.ZodType = z.ZodType,
> {
  readonly method: 'GET' | 'POST' | 'PUT' | 'DELETE';
  /** Below /api, with `:name` for parameters. */
  readonly path: string;
  readonly summary: string;
  readonly may: May;
  readonly params: P;
  readonly query: Q;
  readonly body: B;
  readonly answer: A;
  /** Greatest request body in bytes where it is not the usual 1 MiB. */
  readonly bodyLimit?: number;
  /** The body is multipart/form-data and is read as a stream. */
  readonly multipart?: true;
}

const nothing = z.object({});
type Nothing = typeof nothing;

interface Description<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, A extends z.ZodType> {
  readonly summary: string;
  readonly may: May;
  readonly params?: P;
  readonly query?: Q;
  readonly body?: B;
  readonly answer: A;
  readonly bodyLimit?: number;
  readonly multipart?: true;
}

/** Describes a route; what is left out is empty. */
export function endpoint<A extends z.ZodType, P extends z.ZodType = Nothing, Q extends z.ZodType = Nothing, B extends z.ZodType = Nothing>(
  method: Endpoint['method'],
  path: string,
  description: Description<P, Q, B, A>,
): Endpoint<P, Q, B, A> {
  return { method, path, params: nothing as unknown as P, query: nothing as unknown as Q, body: nothing as unknown as B, ...description };
}

export type ParamsOf<E extends Endpoint> = z.output<E['params']>;
export type QueryOf<E extends Endpoint> = z.output<E['query']>;
export type BodyOf<E extends Endpoint> = z.output<E['body']>;
export type AnswerOf<E extends Endpoint> = z.output<E['answer']>;

/** An empty part adds nothing to what is handed over. */
type Given<T> = T extends Record<string, never> ? unknown : T;

/** What a caller hands over: parameters, query and body in one. */
export type CallOf<E extends Endpoint> = Given<z.input<E['params']>> & Given<z.input<E['query']>> & Given<z.input<E['body']>>;

export const inProject = z.object({ project: z.string().max(60) });
export const inProjectKey = inProject.extend({ key: z.string().max(60) });
export const done = z.object({ ok: z.literal(true) });
export const shortText = z.string().max(300);
export const longText = z.string().max(20_000);
/** A text that is laid out, in HTML: its words are as long as a long text's. */
export const richText = z.string().max(100_000);
/** A day, as ISO 8601 writes it. */
export const day = z.string().regex(/^\d{4}-\d{2}-\d{2}$/, 'A day, as in 2026-03-31.');
export const reasonText = z.string().trim().min(3, 'Give a reason of at least three letters.').max(2000);
/** Why something changes: asked for where its revision before is approved, and there alone. */
export const reasonOfChange = z.string().trim().max(2000).default('');
/** The review of a record is asked for, or it goes back to draft. */
export const reviewStateBody = z.object({ basedOn: z.number().int(), state: z.enum(['draft', 'review']) });
export const key = z.string().max(60);
