import { and, eq } from 'drizzle-orm';
import { generateSecret } from 'otplib';
import type { Db } from './database';
import { sha256Of } from './digest';
import { Refusal } from './errors';
import { devicesOf, type StoredFactor } from './factors';
import { seal, unseal } from './key-secret';
import type { SignedIn } from './passwords';
import { logEverywhere } from './people';
import { secondFactors } from './tables';
import { installation, write } from './writing';

const purpose = 'recovery codes';
const unopened = 'The recovery codes cannot be used';
/** As it is compared: people leave out the hyphen, and write large letters. */
const recoveryHash = (code: string): string => sha256Of(code.toLowerCase().replace(/[^a-z2-7]/g, ''));

/** Makes ten recovery codes of 50 random bits in place of those that a person had; answers them this once. */
export async function makeRecoveryCodes(db: Db, person: SignedIn, now: () => Date): Promise<string[]> {
  const codes = Array.from({ length: 10 }, () => generateSecret({ length: 20 }).toLowerCase().slice(0, 10));
  await write(db, installation(person.login, now), async (w) => {
    if (!(await devicesOf(w.tx, person.id)).length)
      throw new Refusal('stateForbids', { detail: 'Add an authenticator application or a passkey first: recovery codes stand in for it.' });
    await w.tx.delete(secondFactors).where(and(eq(secondFactors.personId, person.id), eq(secondFactors.kind, 'recovery')));
    await w.tx.insert(secondFactors).values({
      personId: person.id,
      kind: 'recovery',
      name: 'Recovery codes',
      sealed: seal(purpose, codes.map(recoveryHash).join(' '), unopened),
      counter: codes.length,
      createdAt: w.at,
      confirmedAt: w.at,
    });
    const after = { kind: 'recovery', name: 'Recovery codes' };
    await logEverywhere(w, person.id, { action: 'second factor added', kind: 'person', key: person.login, after });
  });
  return codes.map((code) => `${code.slice(0, 5)}-${code.slice(5)}`);
}

/** Takes a recovery code once: of two requests with the same code one is refused. */
export async function takeRecoveryCode(db: Db, person: SignedIn, factor: StoredFactor, code: string, now: Date): Promise<boolean> {
  const hashes = unseal(purpose, factor.sealed, unopened).split(' ');
  const left = hashes.filter((hash) => hash !== recoveryHash(code));
  if (left.length === hashes.length) return false;
  return write(
    db,
    installation(person.login, () => now),
    async (w) => {
      const [done] = await w.tx
        .update(secondFactors)
        .set({ sealed: seal(purpose, left.join(' '), unopened), counter: left.length, usedAt: w.at })
        .where(and(eq(secondFactors.id, factor.id), eq(secondFactors.sealed, factor.sealed)));
      if (done.affectedRows !== 1) return false;
      await logEverywhere(w, person.id, { action: 'recovery code used', kind: 'person', key: person.login, after: { left: left.length } });
      return true;
    },
  );
}
