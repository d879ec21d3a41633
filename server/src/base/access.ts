import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import type { MySession, Session } from '@contract/base';
import { groupBy, sha256Hex, type Role } from '@core/base';
import { and, asc, desc, eq, gt, inArray, lt, ne, sql } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { gathered } from './gathered';
import { factorKinds } from './factors';
import type { SignedIn } from './passwords';
import { statement } from './statement';
import { ledger, memberships, people, projects, sessions, settings, tokens } from './tables';
import { installation, write } from './writing';

/** A session ends so long after it was opened, and so long after it was last used. */
const sessionHours = 12;
const idleHours = 4;
/** Use is noted no oftener than this. */
const notedEvery = 5 * 60_000;

const hoursBefore = (now: Date, hours: number): string => new Date(now.getTime() - hours * 3600_000).toISOString();

/** Opens a session; the cookie holds the id, the database only its hash. */
export async function openSession(
  db: Db,
  person: SignedIn,
  now: () => Date,
  device: string,
  factor: 'none' | 'pending' | 'shown' = 'none',
): Promise<string> {
  const id = randomBytes(32).toString('base64url');
  const at = now();
  await write(db, installation(person.login, now), async (w) => {
    await w.tx.delete(sessions).where(lt(sessions.expiresAt, at.toISOString()));
    await w.tx.insert(sessions).values({
      idHash: sha256Hex(id),
      personId: person.id,
      createdAt: at.toISOString(),
      expiresAt: new Date(at.getTime() + sessionHours * 3600_000).toISOString(),
      seenAt: at.toISOString(),
      device: device.slice(0, 200),
      factorPending: factor === 'pending',
      factorAt: factor === 'shown' ? at.toISOString() : null,
    });
    if (factor !== 'pending')
      w.log({ action: 'signed in', kind: 'person', key: person.login, ...(factor === 'shown' ? { after: { secondFactor: true } } : {}) });
  });
  return id;
}

/** Ends a session that another one takes the place of. */
export const dropSession = async (db: Db, id: string): Promise<void> => {
  await db.delete(sessions).where(eq(sessions.idHash, sha256Hex(id)));
};

export async function closeSession(db: Db, id: string, person: SignedIn, now: () => Date): Promise<void> {
  await write(db, installation(person.login, now), async (w) => {
    await w.tx.delete(sessions).where(eq(sessions.idHash, sha256Hex(id)));
    w.log({ action: 'signed out', kind: 'person', key: person.login });
  });
}

/** What ends later than `now` and was used later than `used` is open. */
const openSince = (now: Date) => ({ now: now.toISOString(), used: hoursBefore(now, idleHours) });
function open(at: Date) {
  const { now, used } = openSince(at);
  return and(gt(sessions.expiresAt, now), gt(sessions.seenAt, used));
}
const living = (id: string, now: Date) => and(eq(sessions.idHash, sha256Hex(id)), open(now), eq(people.disabled, false));
const personColumns = {
  id: people.id,
  login: people.login,
  printedName: people.printedName,
  installation: people.installation,
  codeUntil: people.codeUntil,
  factorPending: sessions.factorPending,
  factorAt: sessions.factorAt,
};

export async function findSession(db: Db, id: string, now: () => Date): Promise<SignedIn | undefined> {
  const [row] = await db
    .select({ ...personColumns, seenAt: sessions.seenAt })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .where(living(id, now()));
  if (!row) return undefined;
  const { seenAt, ...person } = row;
  await noteUse(db, id, seenAt, now());
  return person;
}

async function noteUse(db: Db, id: string, seenAt: string, now: Date): Promise<void> {
  if (now.getTime() - Date.parse(seenAt) < notedEvery) return;
  await db
    .update(sessions)
    .set({ seenAt: now.toISOString() })
    .where(eq(sessions.idHash, sha256Hex(id)));
}

/** One's own sessions, the newest first. Their ids are told as hashes only. */
export async function listSessions(db: Db, personId: number, here: string, now: Date): Promise<MySession[]> {
  const rows = await db
    .select()
    .from(sessions)
    .where(and(eq(sessions.personId, personId), eq(sessions.factorPending, false), open(now)))
    .orderBy(desc(sessions.createdAt))
    .limit(100);
  return rows.map(({ idHash, device, createdAt, seenAt }) => ({
    id: idHash,
    device,
    createdAt,
    seenAt,
    here: idHash === sha256Hex(here),
  }));
}

export async function endSession(db: Db, person: SignedIn, idHash: string, now: () => Date): Promise<void> {
  await write(db, installation(person.login, now), async (w) => {
    await w.tx.delete(sessions).where(and(eq(sessions.idHash, idHash), eq(sessions.personId, person.id)));
    w.log({ action: 'session ended', kind: 'person', key: person.login });
  });
}

/** Ends all sessions of a person but one. */
export async function endOtherSessions(db: Db, personId: number, here: string): Promise<void> {
  await db.delete(sessions).where(and(eq(sessions.personId, personId), ne(sessions.idHash, sha256Hex(here))));
}

export interface Membership {
  readonly projectId: number;
  readonly slug: string;
  readonly roles: readonly Role[];
}

const memberRows = statement((db) =>
  db
    .select({
      ...personColumns,
      idHash: sessions.idHash,
      slug: projects.slug,
      seenAt: sessions.seenAt,
      projectId: projects.id,
      role: memberships.role,
    })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .leftJoin(projects, sql`${projects.slug} in (${sql.placeholder('slugs')})`)
    .leftJoin(memberships, and(eq(memberships.projectId, projects.id), eq(memberships.personId, people.id)))
    .where(
      and(
        sql`${sessions.idHash} in (${sql.placeholder('idHashes')})`,
        gt(sessions.expiresAt, sql.placeholder('now')),
        gt(sessions.seenAt, sql.placeholder('used')),
        eq(people.disabled, false),
      ),
    ),
);

interface SessionAsked {
  readonly idHash: string;
  readonly slug: string;
  readonly at: Date;
}
interface SessionFound {
  readonly person: SignedIn;
  readonly seenAt: string;
  readonly membership?: Membership;
}

/** Whose sessions they are and what each is in the project beside it. */
async function membersIn(db: Db | Tx, asked: readonly SessionAsked[]): Promise<(SessionFound | undefined)[]> {
  const rows = await memberRows(db, {
    idHashes: [...new Set(asked.map(({ idHash }) => idHash))],
    slugs: [...new Set(asked.map(({ slug }) => slug))],
    ...openSince(asked[0].at),
  });
  const byHash = groupBy(rows, (row) => row.idHash);
  return asked.map(({ idHash, slug }) => {
    const mine = byHash.get(idHash) ?? [];
    if (!mine.length) return undefined;
    const { id, login, printedName, installation, codeUntil, factorPending, factorAt, seenAt } = mine[0];
    const here = mine.filter((row) => row.slug === slug);
    const roles = here.flatMap((row) => row.role ?? []);
    const found = { person: { id, login, printedName, installation, codeUntil, factorPending, factorAt }, seenAt };
    const projectId = here.at(0)?.projectId ?? null;
    return projectId !== null && roles.length ? { ...found, membership: { projectId, slug, roles } } : found;
  });
}
const membersOf = gathered(membersIn);

/**
 * Whose session it is and what they are in a project, in one reading: undefined where nobody is signed in, with no
 * membership where they are nothing there. It is asked in a reading or a transaction that is on its way, where there is one.
 */
export async function findMember(
  db: Db,
  id: string,
  { slug, now, tx }: { readonly slug: string; readonly now: () => Date; readonly tx?: Tx | undefined },
): Promise<{ person: SignedIn; membership?: Membership } | undefined> {
  const at = now();
  const idHash = sha256Hex(id);
  const asked = { idHash, slug, at };
  const found = tx ? (await membersIn(tx, [asked]))[0] : await membersOf(db, asked);
  remember(db, `${idHash} ${slug}`, found);
  if (!found) return undefined;
  const { seenAt, ...rest } = found;
  await noteUse(db, id, seenAt, at);
  return rest;
}

/** So many sessions are remembered on a node. */
const mostRemembered = 5000;
const rememberedOf = new WeakMap<Db, Map<string, { readonly person: SignedIn; readonly membership: Membership }>>();

function remember(db: Db, name: string, found: SessionFound | undefined): void {
  const known = rememberedOf.get(db) ?? new Map();
  rememberedOf.set(db, known);
  known.delete(name);
  if (!found?.membership) return;
  known.set(name, { person: found.person, membership: found.membership });
  if (known.size > mostRemembered) known.delete(known.keys().next().value ?? '');
}

/** Whose session it was when it was asked for last, on this node: no answer to whether it still is. */
export const rememberedMember = (db: Db, id: string, slug: string): { person: SignedIn; membership: Membership } | undefined =>
  rememberedOf.get(db)?.get(`${sha256Hex(id)} ${slug}`);

/** Those of some sessions that still live, and whose person still is a member of the project beside it: in one reading for all. */
export async function membersAmong<S extends { readonly session: string; readonly slug: string }>(
  db: Db,
  asked: readonly S[],
  now: () => Date,
): Promise<Set<S>> {
  const hashes = new Map(asked.map((one) => [one, sha256Hex(one.session)]));
  const rows = await db
    .selectDistinct({ idHash: sessions.idHash, slug: projects.slug })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .innerJoin(memberships, eq(memberships.personId, people.id))
    .innerJoin(projects, eq(projects.id, memberships.projectId))
    .where(and(inArray(sessions.idHash, [...new Set(hashes.values())]), open(now()), eq(people.disabled, false)));
  const living = new Set(rows.map(({ idHash, slug }) => `${idHash} ${slug}`));
  return new Set(asked.filter((one) => living.has(`${hashes.get(one)} ${one.slug}`)));
}

/** The program whose secret this is, as what it is in the project; undefined where it ended, or belongs elsewhere. */
export async function findProgram(
  db: Db,
  secret: string,
  slug: string,
  now: () => Date,
): Promise<{ person: SignedIn; membership: Membership; tokenId: number } | undefined> {
  const [row] = await db
    .select({ token: tokens, slug: projects.slug })
    .from(tokens)
    .innerJoin(projects, eq(projects.id, tokens.projectId))
    .where(and(eq(tokens.secretHash, sha256Hex(secret)), eq(projects.slug, slug)));
  if (!row || row.token.endedAt !== null || row.token.expiresAt < now().toISOString()) return undefined;
  const { id, projectId, name, roles } = row.token;
  const login = `program:${name}`;
  return {
    tokenId: id,
    person: { id: 0, login, printedName: `Program ${name}`, installation: false },
    membership: { projectId, slug, roles },
  };
}

/** The key under which devices are known again; made when it is first needed. */
async function deviceKey(db: Db): Promise<string> {
  const find = async () => (await db.select().from(settings).where(eq(settings.name, 'deviceKey')))[0]?.value;
  const known = await find();
  if (known) return known;
  await db
    .insert(settings)
    .ignore()
    .values({ name: 'deviceKey', value: randomBytes(32).toString('base64url') });
  return (await find()) ?? '';
}

const deviceMark = (key: string, id: string, login: string): string =>
  createHmac('sha256', key).update(`${id}\n${login}`).digest('base64url');

/** What a device keeps of an account that signed in from it. */
export async function deviceCookie(db: Db, login: string): Promise<string> {
  const id = randomBytes(16).toString('base64url');
  return `${id}.${deviceMark(await deviceKey(db), id, login)}`;
}

/** The device's id, where this account signed in from it before. */
export async function knownDevice(db: Db, login: string, cookie: string | undefined): Promise<string | undefined> {
  const [id, mark] = (cookie ?? '').split('.');
  if (!id || !mark) return undefined;
  const expected = Buffer.from(deviceMark(await deviceKey(db), id, login));
  const given = Buffer.from(mark);
  return given.length === expected.length && timingSafeEqual(given, expected) ? id : undefined;
}

/** Wrong passwords for an account within the last day. */
async function triedFor(db: Db, login: string, now: Date): Promise<number> {
  const [{ n }] = await db
    .select({ n: sql<number>`count(*)`.mapWith(Number) })
    .from(ledger)
    .where(
      and(
        eq(ledger.projectId, 0),
        eq(ledger.key, login),
        inArray(ledger.action, ['wrong password', 'locked out']),
        gt(ledger.at, hoursBefore(now, 24)),
      ),
    );
  return n;
}

/** Whose password was right and whose second factor is still to be shown is told nothing but that. */
const half = async (db: Db, { id, login }: SignedIn): Promise<Session> => ({
  person: { login, printedName: '', installation: false, disabled: false },
  projects: [],
  setPassword: false,
  factor: await factorKinds(db, id),
  factorShown: false,
  tried: 0,
});

export async function describeSession(db: Db, person: SignedIn, now: Date): Promise<Session> {
  if (person.factorPending) return half(db, person);
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
    setPassword: person.codeUntil != null,
    factor: null,
    factorShown: person.factorAt != null,
    tried: await triedFor(db, person.login, now),
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

/** Makes the first administrator with the one-time code: of two at once, one finds the code used. */
export async function useSetupCode(
  db: Db,
  given: string,
  person: { login: string; printedName: string; passwordHash: string },
  now: () => Date,
): Promise<void> {
  await write(db, installation(person.login, now), async (w) => {
    const [row] = await w.tx.select().from(settings).where(eq(settings.name, 'setup')).for('update');
    const [anybody] = await w.tx.select({ id: people.id }).from(people).limit(1).for('update');
    if (!row || row.value !== sha256Hex(given.trim()) || anybody)
      throw new Refusal('wrongPassword', { detail: 'The code is not the one printed at the last start, or it was used already.' });
    await w.tx.update(settings).set({ value: '' }).where(eq(settings.name, 'setup'));
    await w.tx.insert(people).values({ ...person, installation: true });
    w.log({ action: 'account made', kind: 'person', key: person.login, after: { login: person.login, installation: true } });
  });
}
