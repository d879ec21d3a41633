import { randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import { passwordFault } from '@contract/base';
import common from '@zxcvbn-ts/language-common';
import { eq } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import { clearCount, countOne } from './limits';
import { people } from './tables';
import { Turnstile } from './turnstile';
import { installation, write } from './writing';

/** argon2id with 19 MiB, 2 passes, 1 lane: the least that OWASP's password storage cheat sheet recommends (recalled). */
const argon = { memoryCost: 19456, timeCost: 2, parallelism: 1 };
export const hashPassword = (password: string): Promise<string> => hash(password, argon);

/** Verifying costs on purpose: few at once on a node, one at once for an account, and no endless queue. */
const verifying = new Turnstile(2, 60);
const triesInWindow = 5;
const windowSeconds = 600;

const commonest = new Set(common.dictionary.passwords);

/** Refuses a password that is too short, too common, or the person's own name. */
export function needGoodPassword(password: string, person: { login: string; printedName: string }): void {
  const text = passwordFault(password, person, (word) => commonest.has(word));
  if (text) throw new Refusal('invalid', { fields: [{ path: 'password', text }] });
}

/** How long a one-time code is good. */
const codeDays = 7;
export const oneTimeCode = (now: Date): { code: string; until: string } => ({
  code: randomBytes(12).toString('base64url'),
  until: new Date(now.getTime() + codeDays * 24 * 3600_000).toISOString(),
});

export interface SignedIn {
  readonly id: number;
  readonly login: string;
  readonly printedName: string;
  readonly installation: boolean;
  /** Signed in with a one-time code: nothing is allowed but setting a password. */
  readonly codeUntil?: string | null;
  /** In this session the second factor is still to be shown; and when it was. */
  readonly factorPending?: boolean;
  readonly factorAt?: string | null;
}

/**
 * Where a password is tried from. Tries are counted apart, so that a stranger who guesses does not lock out the person: a device that the
 * account has signed in from before, and a session that signs, have counts of their own.
 */
export type TriedFrom = { readonly device: string } | 'stranger' | 'session';

export const accountOf = (login: string): string => login.trim().toLowerCase().slice(0, 60);

/**
 * Checks a password. The try is counted before it is verified, so that of many at once no more than five are; after five that were
 * wrong nothing is verified from there for ten minutes. Known, unknown and locked accounts answer alike.
 */
export async function checkPassword(
  db: Db,
  login: string,
  password: string,
  now: () => Date,
  from: TriedFrom = 'stranger',
): Promise<SignedIn> {
  const account = accountOf(login);
  const name = `password:${typeof from === 'string' ? from : `device:${from.device}`}:${account}`;
  const tries = await countOne(db, { name, seconds: windowSeconds }, now());
  if (tries > triesInWindow) throw new Refusal('locked');
  const [person] = await db.select().from(people).where(eq(people.login, account));
  const right = await verifying.enter(account, () =>
    person ? verify(person.passwordHash, password).catch(() => false) : hashPassword(password).then(() => false),
  );
  if (right === undefined) throw new Refusal('tooMany');
  const codeOver = person?.codeUntil != null && person.codeUntil < now().toISOString();
  if (!person || !right || person.disabled || codeOver) {
    const locked = tries === triesInWindow;
    await write(db, installation(account, now), async (w) => {
      w.log({ action: locked ? 'locked out' : 'wrong password', kind: 'person', key: account, after: { from: name.split(':')[1] } });
    });
    throw new Refusal(locked ? 'locked' : 'wrongPassword');
  }
  await clearCount(db, name);
  return person;
}
