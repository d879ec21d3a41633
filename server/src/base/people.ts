import type { Person } from '@contract/base';
import { asc, eq } from 'drizzle-orm';
import { hashPassword } from './access';
import type { Db } from './database';
import { Refusal } from './errors';
import { people, sessions } from './tables';
import { write, type Actor } from './writing';

const shown = { login: people.login, printedName: people.printedName, installation: people.installation, disabled: people.disabled };

export function listPeople(db: Db): Promise<Person[]> {
  return db.select(shown).from(people).orderBy(asc(people.login));
}

export async function addPerson(
  db: Db,
  actor: Actor,
  person: { login: string; printedName: string; password: string; installation: boolean },
): Promise<Person> {
  const passwordHash = await hashPassword(person.password);
  const { login, printedName, installation } = person;
  return write(db, actor, async (w) => {
    await w.tx.insert(people).values({ login, printedName, installation, passwordHash });
    const after = { login, printedName, installation, disabled: false };
    w.log({ action: 'account made', kind: 'person', key: login, after });
    return after;
  });
}

/** Disables or enables an account, or gives it a new password; either ends its sessions. */
export async function changePerson(
  db: Db,
  actor: Actor,
  login: string,
  change: { disabled?: boolean; password?: string },
): Promise<Person> {
  const passwordHash = change.password === undefined ? undefined : await hashPassword(change.password);
  return write(db, actor, async (w) => {
    const [before] = await w.tx.select().from(people).where(eq(people.login, login));
    if (!before) throw new Refusal('notFound');
    if (change.disabled && login === actor.login)
      throw new Refusal('stateForbids', { detail: 'Nobody can disable the account they are signed in with.' });
    const disabled = change.disabled ?? before.disabled;
    await w.tx
      .update(people)
      .set({ disabled, failures: 0, lockedUntil: null, ...(passwordHash ? { passwordHash } : {}) })
      .where(eq(people.id, before.id));
    if (login !== actor.login) await w.tx.delete(sessions).where(eq(sessions.personId, before.id));
    w.log({
      action: passwordHash ? 'password changed' : disabled ? 'account disabled' : 'account enabled',
      kind: 'person',
      key: login,
      before: { disabled: before.disabled },
      after: { disabled },
    });
    return { login, printedName: before.printedName, installation: before.installation, disabled };
  });
}
