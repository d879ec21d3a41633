import * as z from 'zod';

const itemSchema = z.object({
  id: z.string().min(1).max(100),
  title: z.string().max(1000),
  state: z.string().max(60),
  version: z.number().int(),
  url: z.string().max(500).default(''),
});
const eventSchema = z.object({
  sequence: z.number().int(),
  kind: z.enum(['item', 'comment']),
  item: itemSchema,
  comment: z.object({ id: z.string().max(200), by: z.string().max(200), text: z.string().max(100_000) }).optional(),
  /** The name of the request that made it happen, where it came from here. */
  operation: z.string().optional(),
});
export type TheirItem = z.output<typeof itemSchema>;
export type TheirEvent = z.output<typeof eventSchema>;

/** What a tracker outside has to be able to do. Whatever has a name of an operation is done once, however often it is asked. */
export interface TrackerAdapter {
  create(item: { readonly title: string; readonly text: string; readonly state?: string }, operation: string): Promise<TheirItem>;
  /** Undefined where there is no such item. */
  read(id: string): Promise<TheirItem | undefined>;
  /** Refused where the item has another version than it rests on: the answer is the item as it is. */
  change(
    id: string,
    change: { readonly basedOn: number; readonly title?: string; readonly state?: string },
    operation: string,
  ): Promise<{ readonly item: TheirItem; readonly refused: boolean }>;
  comment(id: string, comment: { readonly by: string; readonly text: string }, operation: string): Promise<void>;
  /** What happened after an event, oldest first; not all of it where that is much. */
  events(after: number): Promise<readonly TheirEvent[]>;
}

/** It could not be asked, or answered with something that is none: it is asked again later. */
export class Unreachable extends Error {}
/** It understood and said no, for good: asking again changes nothing. */
export class Declined extends Error {}

const patience = 5000;
const mostBytes = 2 << 20;

/** A tracker that speaks plain JSON over HTTP: `/api/items`, `/api/items/:id`, `/api/items/:id/comments`, `/api/events?after=`. */
export function httpTracker({ url, token }: { readonly url: string; readonly token: string }): TrackerAdapter {
  const ask = async (method: string, path: string, body?: object, operation?: string): Promise<{ status: number; value: unknown }> => {
    try {
      const answer = await fetch(`${url.endsWith('/') ? url.slice(0, -1) : url}${path}`, {
        method,
        redirect: 'error',
        signal: AbortSignal.timeout(patience),
        headers: {
          authorization: `Bearer ${token}`,
          ...(body ? { 'content-type': 'application/json' } : {}),
          ...(operation ? { 'idempotency-key': operation } : {}),
        },
        ...(body ? { body: JSON.stringify(body) } : {}),
      });
      const parts: Uint8Array[] = [];
      let size = 0;
      const reader = answer.body?.getReader();
      for (let part = await reader?.read(); part?.value; part = await reader?.read()) {
        parts.push(part.value);
        size += part.value.length;
        if (size > mostBytes) throw new Unreachable('its answer is larger than 2 MB');
      }
      const value: unknown = JSON.parse(Buffer.concat(parts).toString('utf8'));
      if (answer.status === 401 || answer.status === 403) throw new Unreachable('it does not know the token');
      if (answer.status >= 500 || answer.status === 429) throw new Unreachable(`it answered ${answer.status}`);
      return { status: answer.status, value };
    } catch (error) {
      if (error instanceof Unreachable) throw error;
      const cause = error instanceof Error && error.cause instanceof Error ? error.cause.message : String((error as Error).message);
      throw new Unreachable(cause.slice(0, 300));
    }
  };
  const told = <T>(schema: z.ZodType<T>, value: unknown): T => {
    const parsed = schema.safeParse(value);
    if (!parsed.success) throw new Unreachable('its answer is not understood');
    return parsed.data;
  };
  const oneItem = z.object({ item: itemSchema });
  const need = ({ status, value }: { status: number; value: unknown }): unknown => {
    if (status >= 400) {
      const { text = `it answered ${status}` } = (value ?? {}) as { text?: string };
      throw new Declined(String(text).slice(0, 300));
    }
    return value;
  };
  const at = (id: string): string => `/api/items/${encodeURIComponent(id)}`;
  return {
    create: async (item, operation) => told(oneItem, need(await ask('POST', '/api/items', item, operation))).item,
    read: async (id) => {
      const answer = await ask('GET', at(id));
      return answer.status === 404 ? undefined : told(oneItem, need(answer)).item;
    },
    change: async (id, change, operation) => {
      const answer = await ask('PUT', at(id), change, operation);
      const refused = answer.status === 409;
      return { item: told(oneItem, refused ? answer.value : need(answer)).item, refused };
    },
    comment: async (id, comment, operation) => void need(await ask('POST', `${at(id)}/comments`, comment, operation)),
    events: async (after) =>
      told(z.object({ events: z.array(eventSchema).max(1000) }), need(await ask('GET', `/api/events?after=${after}`))).events,
  };
}
