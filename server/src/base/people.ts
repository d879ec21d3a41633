import type { Person } from '@contract/base';
import { and, asc, eq } from 'drizzle-orm';
import { endOtherSessions } from './access';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { hashPassword, needGoodPassword, oneTimeCode, type SignedIn } from './passwords';
import { memberships, people, secondFactors, sessions } from './tables';
import { write, type Actor, type EntryInput, type Writing } from './writing';

const shown = { login: people.login, printedName: people.printedName, installation: people.installation, disabled: people.disabled };

export function listPeople(db: Db): Promise<Person[]> {
  return db.select(shown).from(people).orderBy(asc(people.login));
}

/** Makes an account with a password of its own: for set-up and the demo. People's accounts begin with a one-time code. */
export async function addPerson(
  db: Db,
  actor: Actor,
  person: { login: string; printedName: string; password: string; installation: boolean },
): Promise<Person> {
  needGoodPassword(person.password, person);
  return insertPerson(db, actor, person, await hashPassword(person.password), null);
}

/** Makes an account and answers the one-time code with which its person signs in and sets a password. */
export async function invitePerson(
  db: Db,
  actor: Actor,
  person: { login: string; printedName: string; installation: boolean },
): Promise<{ person: Person; code: string }> {
  const { code, until } = oneTimeCode(actor.now());
  return { person: await insertPerson(db, actor, person, await hashPassword(code), until), code };
}

function insertPerson(
  db: Db,
  actor: Actor,
  { login, printedName, installation }: { login: string; printedName: string; installation: boolean },
  passwordHash: string,
  codeUntil: string | null,
): Promise<Person> {
  return write(db, actor, async (w) => {
    await w.tx.insert(people).values({ login, printedName, installation, passwordHash, codeUntil });
    const after = { login, printedName, installation, disabled: false };
    w.log({ action: 'account made', kind: 'person', key: login, after });
    return after;
  });
}

/** The projects that a person has a part in: what happens to the account stands in their ledgers too, beside the signatures that follow. */
export async function logEverywhere(w: Writing, personId: number, entry: EntryInput): Promise<void> {
  w.log(entry);
  const rows = await w.tx
    .selectDistinct({ projectId: memberships.projectId })
    .from(memberships)
    .where(eq(memberships.personId, personId))
    .orderBy(asc(memberships.projectId));
  for (const { projectId } of rows) w.logIn(projectId, entry);
}

async function lockPerson(w: Writing, login: string): Promise<typeof people.$inferSelect> {
  const [row] = await w.tx.select().from(people).where(eq(people.login, login)).for('update');
  if (!row) throw new Refusal('notFound');
  return row;
}

/** Refuses what would leave the installation without an administrator. */
async function refuseLastInstaller(tx: Tx, login: string): Promise<void> {
  const left = await tx
    .select({ login: people.login })
    .from(people)
    .where(and(eq(people.installation, true), eq(people.disabled, false)))
    .for('update');
  if (left.every((p) => p.login === login)) throw new Refusal('lastAdministrator');
}

/**
 * Disables or enables an account, renames its person, resets the password to a one-time code, or removes its second factors; all but a new
 * name ends its sessions.
 */
export async function changePerson(
  db: Db,
  actor: Actor,
  login: string,
  change: { disabled?: boolean | undefined; printedName?: string | undefined; reset?: true | undefined; dropFactors?: true | undefined },
): Promise<{ person: Person; code: string | null }> {
  const made = change.reset ? oneTimeCode(actor.now()) : undefined;
  const passwordHash = made && (await hashPassword(made.code));
  return write(db, actor, async (w) => {
    const before = await lockPerson(w, login);
    const disabled = change.disabled ?? before.disabled;
    const printedName = change.printedName ?? before.printedName;
    if (disabled && !before.disabled) {
      if (login === actor.login) throw new Refusal('stateForbids', { detail: 'Nobody can disable the account they are signed in with.' });
      if (before.installation) await refuseLastInstaller(w.tx, login);
    }
    if (made && login === actor.login)
      throw new Refusal('stateForbids', { detail: 'Change your own password with the one that you have.' });
    const person = { login, printedName, installation: before.installation, disabled };
    const factors = change.dropFactors
      ? await w.tx
          .select({ kind: secondFactors.kind, name: secondFactors.name })
          .from(secondFactors)
          .where(eq(secondFactors.personId, before.id))
      : [];
    if (disabled === before.disabled && printedName === before.printedName && !made && !factors.length) return { person, code: null };
    if (factors.length) await w.tx.delete(secondFactors).where(eq(secondFactors.personId, before.id));
    await w.tx
      .update(people)
      .set({ disabled, printedName, ...(made && passwordHash ? { passwordHash, codeUntil: made.until } : {}) })
      .where(eq(people.id, before.id));
    if (login !== actor.login && (made || factors.length || disabled !== before.disabled))
      await w.tx.delete(sessions).where(eq(sessions.personId, before.id));
    const entry = (action: string): EntryInput => ({
      action,
      kind: 'person',
      key: login,
      before: { printedName: before.printedName, disabled: before.disabled },
      after: { printedName, disabled },
    });
    if (made) await logEverywhere(w, before.id, entry('password reset'));
    if (factors.length)
      await logEverywhere(w, before.id, { action: 'second factors removed', kind: 'person', key: login, before: { factors } });
    if (disabled !== before.disabled) await logEverywhere(w, before.id, entry(disabled ? 'account disabled' : 'account enabled'));
    if (printedName !== before.printedName) await logEverywhere(w, before.id, entry('person renamed'));
    return { person, code: made?.code ?? null };
  });
}

/** Sets one's own password; every other session of the person ends. */
export async function setOwnPassword(db: Db, actor: Actor, person: SignedIn, password: string, session: string): Promise<void> {
  needGoodPassword(password, person);
  const passwordHash = await hashPassword(password);
  await write(db, { ...actor, projectId: 0 }, async (w) => {
    await lockPerson(w, person.login);
    await w.tx.update(people).set({ passwordHash, codeUntil: null }).where(eq(people.id, person.id));
    await logEverywhere(w, person.id, { action: 'password changed', kind: 'person', key: person.login });
  });
  await endOtherSessions(db, person.id, session);
}
