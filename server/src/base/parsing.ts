import { Refusal } from './errors';

/** Parses somewhere: in a thread of its own with limits of time and memory, or here in tests and commands. */
export type Parse = <R>(name: string, input: unknown) => Promise<R>;

const works = new Map<string, (input: never) => unknown>();

/** Says how something from outside is parsed; rooms do so beside their services. */
export function parseWork<I, R>(name: string, work: (input: I) => R | Promise<R>): (parse: Parse, input: I) => Promise<R> {
  works.set(name, work as (input: never) => unknown);
  return (parse, input) => parse<R>(name, input);
}

/** A refusal as it crosses from a thread: errors lose their class on the way. */
export interface Carried {
  readonly value?: unknown;
  readonly refusal?: { readonly code: Refusal['code']; readonly more: Refusal['more'] };
}

export async function doParse(name: string, input: unknown): Promise<Carried> {
  const work = works.get(name);
  if (!work) throw new Error(`nothing parses ${name}`);
  try {
    return { value: await work(input as never) };
  } catch (error) {
    if (error instanceof Refusal) return { refusal: { code: error.code, more: error.more } };
    throw error;
  }
}

export function received<R>({ value, refusal }: Carried): R {
  if (refusal) throw new Refusal(refusal.code, refusal.more);
  return value as R;
}

/** Parses in this thread. */
export const parseHere: Parse = async (name, input) => received(await doParse(name, input));
