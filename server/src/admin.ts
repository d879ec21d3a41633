import { eq } from 'drizzle-orm';
import { addressFromEnvironment } from './address';
import { hashPassword, memberships, oneTimeCode, openDatabase, people, projects, secondFactors, write, type Actor } from './base';
import './rooms';

/**
 * The operator's way back in, on the machine itself: gives an account the administration of the installation, and of a project where one
 * is named, with a one-time code. Each act stands in the chains.
 */
const [login, slug] = process.argv.slice(2);
if (!login) {
  console.log('Which account? npm run admin -- <sign-in name> [project]');
  process.exit(1);
}
const database = openDatabase(addressFromEnvironment());
const { db } = database;
const actor: Actor = { login: 'operator', projectId: 0, now: () => new Date() };
const { code, until } = oneTimeCode(new Date());
const passwordHash = await hashPassword(code);
const personId = await write(db, actor, async (w) => {
  const [known] = await w.tx.select().from(people).where(eq(people.login, login)).for('update');
  const change = { installation: true, disabled: false, passwordHash, codeUntil: until };
  if (known) await w.tx.update(people).set(change).where(eq(people.id, known.id));
  const id = known
    ? known.id
    : (
        await w.tx
          .insert(people)
          .values({ login, printedName: login, ...change })
          .$returningId()
      )[0].id;
  // Whoever comes back in this way may have lost the second factor too.
  await w.tx.delete(secondFactors).where(eq(secondFactors.personId, id));
  w.log({ action: 'access restored by the operator', kind: 'person', key: login, before: known ? { disabled: known.disabled } : null });
  return id;
});
if (slug) {
  const [project] = await db.select().from(projects).where(eq(projects.slug, slug));
  if (!project) console.log(`There is no project ${slug}.`);
  else
    await write(db, { ...actor, projectId: project.id }, async (w) => {
      await w.tx.insert(memberships).ignore().values({ projectId: project.id, personId, role: 'administrator' });
      w.log({ action: 'access restored by the operator', kind: 'person', key: login, after: ['administrator'] });
    });
}
console.log(`${login} administers${slug ? ` ${slug} and` : ''} the installation. One-time code, good for seven days: ${code}`);
await database.close();
