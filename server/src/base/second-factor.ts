import type { Factor } from '@contract/base';
import {
  generateAuthenticationOptions,
  generateRegistrationOptions,
  verifyAuthenticationResponse,
  verifyRegistrationResponse,
  type AuthenticationResponseJSON,
  type AuthenticatorTransport,
  type PublicKeyCredentialCreationOptionsJSON,
  type PublicKeyCredentialRequestOptionsJSON,
  type RegistrationResponseJSON,
} from '@simplewebauthn/server';
import { and, eq, isNull, lt, or } from 'drizzle-orm';
import { generateSecret, generateURI, verify } from 'otplib';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { devicesOf, factorsOf, type StoredFactor } from './factors';
import { seal, unseal } from './key-secret';
import { clearCount, countOne } from './limits';
import type { SignedIn } from './passwords';
import { logEverywhere } from './people';
import { takeRecoveryCode } from './recovery-codes';
import { secondFactors, sessions, settings } from './tables';
import { installation, write } from './writing';

/** Codes of an authenticator application: RFC 6238, six digits, a new one each 30 seconds; one before and one behind are good too. */
const period = 30;
const purpose = 'second factor';
const unopened = 'The second factor cannot be used';
const triesInWindow = 5;
const windowSeconds = 600;
const mostFactors = 10;

/** Where the browser stands: a passkey is bound to the host's name. */
export interface Site {
  readonly host: string;
  readonly origin: string;
}

export async function listFactors(db: Db, personId: number): Promise<Factor[]> {
  return (await factorsOf(db, personId)).map(({ id, kind, name, counter, confirmedAt, usedAt }) => ({
    id,
    kind,
    name,
    left: kind === 'recovery' ? counter : null,
    addedAt: confirmedAt ?? '',
    usedAt,
  }));
}

async function refuseTooManyFactors(db: Db, personId: number): Promise<void> {
  if ((await devicesOf(db, personId)).length >= mostFactors)
    throw new Refusal('stateForbids', { detail: `One person has ${mostFactors} second factors at most: remove one first.` });
}

/** Begins with an authenticator application: its secret is shown once, and counts when a code of it was given. */
export async function beginTotp(db: Db, person: SignedIn, now: () => Date): Promise<{ id: number; secret: string; uri: string }> {
  await refuseTooManyFactors(db, person.id);
  const secret = generateSecret();
  const at = now().toISOString();
  await db.delete(secondFactors).where(and(eq(secondFactors.personId, person.id), isNull(secondFactors.confirmedAt)));
  const [{ id }] = await db
    .insert(secondFactors)
    .values({ personId: person.id, kind: 'totp', name: '', sealed: seal(purpose, secret, unopened), createdAt: at })
    .$returningId();
  return { id, secret, uri: generateURI({ issuer: 'Cord Proof', label: person.login, secret, period }) };
}

/** The time step that a code is of, where it is good and was not used before. */
async function stepOf(factor: StoredFactor, code: string, now: Date): Promise<number | undefined> {
  if (!/^\d{6}$/.test(code)) return undefined;
  const found = await verify({
    secret: unseal(purpose, factor.sealed, unopened),
    token: code,
    epoch: Math.floor(now.getTime() / 1000),
    epochTolerance: period,
    period,
    afterTimeStep: factor.lastStep ?? undefined,
  });
  return found.valid && 'timeStep' in found ? found.timeStep : undefined;
}

/** Takes a code of an application once: of two requests with the same code one is refused. */
async function takeCode(db: Db, factor: StoredFactor, code: string, now: Date): Promise<boolean> {
  const step = await stepOf(factor, code, now);
  if (step === undefined) return false;
  const [done] = await db
    .update(secondFactors)
    .set({ lastStep: step, usedAt: now.toISOString() })
    .where(and(eq(secondFactors.id, factor.id), or(isNull(secondFactors.lastStep), lt(secondFactors.lastStep, step))));
  return done.affectedRows === 1;
}

const wrongCode = (path = 'code'): Refusal =>
  new Refusal('invalid', {
    fields: [{ path, text: 'This code is not good now. Codes of an application change every half minute; each code is taken once.' }],
  });

/** From now on codes of the application are asked for. The session that confirmed it counts as opened with it. */
export async function confirmTotp(
  db: Db,
  person: SignedIn,
  { id, code, name }: { id: number; code: string; name: string },
  session: string,
  now: () => Date,
): Promise<void> {
  await countTry(db, person, now());
  const [factor] = await db
    .select()
    .from(secondFactors)
    .where(and(eq(secondFactors.id, id), eq(secondFactors.personId, person.id), eq(secondFactors.kind, 'totp')));
  if (!factor || factor.confirmedAt !== null) throw new Refusal('notFound');
  if (!(await takeCode(db, factor, code, now()))) throw wrongCode();
  await addFactor(db, person, session, now, async (at, tx) => {
    await tx.update(secondFactors).set({ confirmedAt: at, name }).where(eq(secondFactors.id, id));
    return { kind: 'totp', name };
  });
}

async function addFactor(
  db: Db,
  person: SignedIn,
  session: string,
  now: () => Date,
  store: (at: string, tx: Tx) => Promise<{ kind: Factor['kind']; name: string }>,
): Promise<void> {
  await write(db, installation(person.login, now), async (w) => {
    const after = await store(w.at, w.tx);
    await w.tx.update(sessions).set({ factorAt: w.at, challenge: '' }).where(eq(sessions.idHash, session));
    await logEverywhere(w, person.id, { action: 'second factor added', kind: 'person', key: person.login, after });
  });
  await clearCount(db, countName(person));
}

/** Removes one of one's own. */
export async function removeFactor(db: Db, person: SignedIn, id: number, now: () => Date): Promise<void> {
  await write(db, installation(person.login, now), async (w) => {
    const [factor] = await w.tx
      .select()
      .from(secondFactors)
      .where(and(eq(secondFactors.id, id), eq(secondFactors.personId, person.id)))
      .for('update');
    if (!factor) throw new Refusal('notFound');
    await w.tx.delete(secondFactors).where(eq(secondFactors.id, id));
    // Codes that stand in for a second factor end with the last of them.
    if (!(await devicesOf(w.tx, person.id)).length) await w.tx.delete(secondFactors).where(eq(secondFactors.personId, person.id));
    const { kind, name } = factor;
    await logEverywhere(w, person.id, { action: 'second factor removed', kind: 'person', key: person.login, before: { kind, name } });
  });
}

const countName = ({ login }: Pick<SignedIn, 'login'>): string => `factor:${login}`;

/** Tries are counted before they are looked at, over all nodes. */
async function countTry(db: Db, person: SignedIn, now: Date): Promise<void> {
  if ((await countOne(db, { name: countName(person), seconds: windowSeconds }, now)) > triesInWindow) throw new Refusal('locked');
}

const transportsOf = (text: string): AuthenticatorTransport[] => text.split(' ').filter(Boolean) as AuthenticatorTransport[];
const passkeys = async (db: Db, personId: number): Promise<StoredFactor[]> =>
  (await factorsOf(db, personId)).filter(({ kind }) => kind === 'passkey');

const needName = ({ host }: Site): void => {
  if (/^[\d.]+$|:/.test(host))
    throw new Refusal('stateForbids', {
      detail:
        'A passkey is bound to the name of its site, and this page was opened by a number. Open it by its name (localhost on this machine).',
    });
};

const noteChallenge = (db: Db, session: string, challenge: string): Promise<unknown> =>
  db.update(sessions).set({ challenge }).where(eq(sessions.idHash, session));

/** Takes the challenge of a session: it is good for one answer. */
async function takeChallenge(db: Db, session: string): Promise<string> {
  const [row] = await db.select({ challenge: sessions.challenge }).from(sessions).where(eq(sessions.idHash, session));
  const [done] = await db
    .update(sessions)
    .set({ challenge: '' })
    .where(and(eq(sessions.idHash, session), eq(sessions.challenge, row?.challenge ?? '')));
  if (!row?.challenge || done.affectedRows !== 1)
    throw new Refusal('stateForbids', { detail: 'Begin again: the passkey was asked for too long ago.' });
  return row.challenge;
}

/** What the browser needs to make a passkey. */
export async function beginPasskey(db: Db, person: SignedIn, session: string, site: Site): Promise<PublicKeyCredentialCreationOptionsJSON> {
  needName(site);
  await refuseTooManyFactors(db, person.id);
  const options = await generateRegistrationOptions({
    rpName: 'Cord Proof',
    rpID: site.host,
    userName: person.login,
    userDisplayName: person.printedName,
    attestationType: 'none',
    excludeCredentials: (await passkeys(db, person.id)).map(({ credential, transports }) => ({
      id: credential,
      transports: transportsOf(transports),
    })),
    authenticatorSelection: { residentKey: 'discouraged', userVerification: 'preferred' },
  });
  await noteChallenge(db, session, options.challenge);
  return options;
}

/** Stores the passkey that the browser made. */
export async function addPasskey(
  db: Db,
  person: SignedIn,
  { response, name }: { response: unknown; name: string },
  session: string,
  site: Site,
  now: () => Date,
): Promise<void> {
  const expectedChallenge = await takeChallenge(db, session);
  const verified = await verifyRegistrationResponse({
    response: response as RegistrationResponseJSON,
    expectedChallenge,
    expectedOrigin: site.origin,
    expectedRPID: site.host,
    requireUserVerification: false,
  }).catch(() => undefined);
  if (!verified?.verified) throw new Refusal('invalid', { fields: [{ path: 'response', text: 'The passkey could not be verified.' }] });
  const { credential } = verified.registrationInfo;
  await addFactor(db, person, session, now, async (at, tx) => {
    await tx.insert(secondFactors).values({
      personId: person.id,
      kind: 'passkey',
      name,
      sealed: Buffer.from(credential.publicKey).toString('base64'),
      credential: credential.id,
      counter: credential.counter,
      transports: (credential.transports ?? []).join(' '),
      createdAt: at,
      confirmedAt: at,
    });
    return { kind: 'passkey', name };
  });
}

/** What the browser needs to show a passkey. */
export async function askPasskey(db: Db, person: SignedIn, session: string, site: Site): Promise<PublicKeyCredentialRequestOptionsJSON> {
  needName(site);
  const options = await generateAuthenticationOptions({
    rpID: site.host,
    userVerification: 'preferred',
    allowCredentials: (await passkeys(db, person.id)).map(({ credential, transports }) => ({
      id: credential,
      transports: transportsOf(transports),
    })),
  });
  await noteChallenge(db, session, options.challenge);
  return options;
}

async function passkeyShown(db: Db, person: SignedIn, response: unknown, session: string, site: Site, now: Date): Promise<boolean> {
  const given = response as AuthenticationResponseJSON;
  const factor = (await passkeys(db, person.id)).find(({ credential }) => credential === given.id);
  const expectedChallenge = await takeChallenge(db, session);
  if (!factor) return false;
  const verified = await verifyAuthenticationResponse({
    response: given,
    expectedChallenge,
    expectedOrigin: site.origin,
    expectedRPID: site.host,
    requireUserVerification: false,
    credential: {
      id: factor.credential,
      publicKey: new Uint8Array(Buffer.from(factor.sealed, 'base64')),
      counter: factor.counter,
      transports: transportsOf(factor.transports),
    },
  }).catch(() => undefined);
  if (!verified?.verified) return false;
  await db
    .update(secondFactors)
    .set({ counter: verified.authenticationInfo.newCounter, usedAt: now.toISOString() })
    .where(eq(secondFactors.id, factor.id));
  return true;
}

/**
 * Checks the second factor of somebody whose password was right. A try is counted before it is looked at; after five that were wrong
 * nothing is looked at for ten minutes.
 */
export async function checkFactor(
  db: Db,
  person: SignedIn,
  given: { code?: string | undefined; passkey?: unknown },
  session: string,
  site: Site,
  now: () => Date,
): Promise<void> {
  await countTry(db, person, now());
  if (await shownFactor(db, person, given, session, site, now())) return clearCount(db, countName(person));
  await write(db, installation(person.login, now), async (w) => {
    w.log({ action: 'wrong second factor', kind: 'person', key: person.login });
  });
  throw given.code === undefined
    ? new Refusal('invalid', { fields: [{ path: 'passkey', text: 'This passkey is not one of yours.' }] })
    : wrongCode();
}

async function shownFactor(
  db: Db,
  person: SignedIn,
  { code, passkey }: { code?: string | undefined; passkey?: unknown },
  session: string,
  site: Site,
  now: Date,
): Promise<boolean> {
  if (code === undefined) return passkey !== undefined && passkeyShown(db, person, passkey, session, site, now);
  for (const factor of await factorsOf(db, person.id)) {
    if (factor.kind === 'totp' && (await takeCode(db, factor, code, now))) return true;
    if (factor.kind === 'recovery' && (await takeRecoveryCode(db, person, factor, code, now))) return true;
  }
  return false;
}

const policyName = 'administratorsNeedFactor';

/** Must whoever administers have signed in with a second factor? */
export async function administratorsNeedFactor(db: Db): Promise<boolean> {
  const [row] = await db.select().from(settings).where(eq(settings.name, policyName));
  return row?.value === 'yes';
}

/** Sets whether administrators need a second factor; whoever asks for it must have one, so that nobody locks themselves out. */
export async function setAdministratorsNeedFactor(db: Db, person: SignedIn, needed: boolean, now: () => Date): Promise<void> {
  if (needed && !person.factorAt)
    throw new Refusal('stateForbids', {
      detail: 'Sign in with a second factor of your own first: you could not take this back without one.',
    });
  await write(db, installation(person.login, now), async (w) => {
    const before = await administratorsNeedFactor(db);
    const value = needed ? 'yes' : 'no';
    await w.tx.insert(settings).values({ name: policyName, value }).onDuplicateKeyUpdate({ set: { value } });
    w.log({
      action: 'policy of the installation changed',
      kind: 'installation',
      key: policyName,
      before: { administratorsNeedFactor: before },
      after: { administratorsNeedFactor: needed },
    });
  });
}
