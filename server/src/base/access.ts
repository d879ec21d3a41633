import { randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import type { Session } from '@contract/base';
import { sha256Hex, type Role } from '@core/base';
import { and, asc, eq, gt, lt } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import { write, type Actor } from './writing';
import { ledgerHeads, memberships, people, projects, sessions, settings } from './tables';

/** argon2id with 19 MiB, 2 passes, 1 lane: the least that OWASP's password storage cheat sheet recommends (recalled). */
const argon = { memoryCost: 19456, timeCost: 2, parallelism: 1 };
export const hashPassword = (password: string): Promise<string> => hash(password, argon);

const failureLimit = 5;
const lockMinutes = 10;
const sessionHours = 12;

export interface SignedIn {
  readonly id: number;
  readonly login: string;
  readonly printedName: string;
  readonly installation: boolean;
}

const installation = (login: string, now: () => Date): Actor => ({ login, projectId: 0, now });

/**
 * Checks a password and counts failures: after five in a row the account is locked for ten minutes.
 * An unknown name costs the same time as a wrong password.
 */
export async function checkPassword(db: Db, login: string, password: string, now: () => Date): Promise<SignedIn> {
  const [person] = await db.select().from(people).where(eq(people.login, login.trim().toLowerCase()));
  if (!person) {
    await hashPassword(password);
    throw new Refusal('wrongPassword');
  }
  if (person.lockedUntil && person.lockedUntil > now().toISOString()) throw new Refusal('locked');
  const right = await verify(person.passwordHash, password).catch(() => false);
  if (!right || person.disabled) {
    const failures = person.failures + 1;
    const lockedUntil = failures >= failureLimit ? new Date(now().getTime() + lockMinutes * 60_000).toISOString() : null;
    await write(db, installation(person.login, now), async (w) => {
      await w.tx
        .update(people)
        .set({ failures: lockedUntil ? 0 : failures, lockedUntil })
        .where(eq(people.id, person.id));
      w.log({ action: lockedUntil ? 'locked out' : 'wrong password', kind: 'person', key: person.login });
    });
    throw new Refusal(lockedUntil ? 'locked' : 'wrongPassword');
  }
  if (person.failures || person.lockedUntil)
    await db.update(people).set({ failures: 0, lockedUntil: null }).where(eq(people.id, person.id));
  return person;
}

/** Opens a session; the cookie holds the id, the database only its hash. */
export async function openSession(db: Db, person: SignedIn, now: () => Date): Promise<string> {
  const id = randomBytes(32).toString('base64url');
  const at = now();
  await write(db, installation(person.login, now), async (w) => {
    await w.tx.delete(sessions).where(lt(sessions.expiresAt, at.toISOString()));
    await w.tx.insert(sessions).values({
      idHash: sha256Hex(id),
      personId: person.id,
      createdAt: at.toISOString(),
      expiresAt: new Date(at.getTime() + sessionHours * 3600_000).toISOString(),
    });
    w.log({ action: 'signed in', kind: 'person', key: person.login });
  });
  return id;
}

export async function closeSession(db: Db, id: string, person: SignedIn, now: () => Date): Promise<void> {
  await write(db, installation(person.login, now), async (w) => {
    await w.tx.delete(sessions).where(eq(sessions.idHash, sha256Hex(id)));
    w.log({ action: 'signed out', kind: 'person', key: person.login });
  });
}

export async function findSession(db: Db, id: string, now: () => Date): Promise<SignedIn | undefined> {
  const [row] = await db
    .select({ id: people.id, login: people.login, printedName: people.printedName, installation: people.installation })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .where(and(eq(sessions.idHash, sha256Hex(id)), gt(sessions.expiresAt, now().toISOString()), eq(people.disabled, false)));
  return row;
}

export interface Membership {
  readonly projectId: number;
  readonly slug: string;
  readonly roles: readonly Role[];
  /** The project's last ledger number when the request came: read along, since nearly every answer asks for it. */
  readonly head: number;
}

/**
 * Whose session it is and what they are in a project, in one reading: undefined where nobody is signed in, with no
 * membership where they are nothing there.
 */
export async function findMember(
  db: Db,
  id: string,
  slug: string,
  now: () => Date,
): Promise<{ person: SignedIn; membership?: Membership } | undefined> {
  const rows = await db
    .select({
      id: people.id,
      login: people.login,
      printedName: people.printedName,
      installation: people.installation,
      projectId: projects.id,
      role: memberships.role,
      head: ledgerHeads.seq,
    })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .leftJoin(projects, eq(projects.slug, slug))
    .leftJoin(memberships, and(eq(memberships.projectId, projects.id), eq(memberships.personId, people.id)))
    .leftJoin(ledgerHeads, eq(ledgerHeads.projectId, projects.id))
    .where(and(eq(sessions.idHash, sha256Hex(id)), gt(sessions.expiresAt, now().toISOString()), eq(people.disabled, false)));
  if (!rows.length) return undefined;
  const [{ projectId, role: _role, head, ...person }] = rows;
  const roles = rows.flatMap((row) => row.role ?? []);
  return projectId !== null && roles.length ? { person, membership: { projectId, slug, roles, head: head ?? 0 } } : { person };
}

export async function describeSession(db: Db, person: SignedIn): Promise<Session> {
  const rows = await db
    .select({ slug: projects.slug, name: projects.name, role: memberships.role })
    .from(memberships)
    .innerJoin(projects, eq(projects.id, memberships.projectId))
    .where(eq(memberships.personId, person.id))
    .orderBy(asc(projects.id));
  const bySlug = new Map<string, { slug: string; name: string; roles: Role[] }>();
  for (const { slug, name, role } of rows) {
    const known = bySlug.get(slug);
    if (known) known.roles.push(role);
    else bySlug.set(slug, { slug, name, roles: [role] });
  }
  return {
    person: { login: person.login, printedName: person.printedName, installation: person.installation, disabled: false },
    projects: [...bySlug.values()],
  };
}

/** The one-time code for the first administrator; kept hashed until somebody used it. Undefined when there is an account already. */
export async function offerSetup(db: Db): Promise<string | undefined> {
  const [anybody] = await db.select({ id: people.id }).from(people).limit(1);
  if (anybody) return undefined;
  const code = randomBytes(9).toString('base64url');
  await db
    .insert(settings)
    .values({ name: 'setup', value: sha256Hex(code) })
    .onDuplicateKeyUpdate({ set: { value: sha256Hex(code) } });
  return code;
}

export async function setupNeeded(db: Db): Promise<boolean> {
  return !(await db.select({ id: people.id }).from(people).limit(1)).length;
}

export async function useSetupCode(db: Db, code: string): Promise<void> {
  const [row] = await db.select().from(settings).where(eq(settings.name, 'setup'));
  if (!row || row.value !== sha256Hex(code.trim()) || !(await setupNeeded(db)))
    throw new Refusal('wrongPassword', { detail: 'The code is not the one printed at the last start, or it was used already.' });
}
