import type { Project } from '@contract/base';
import type { Role } from '@core/base';
import { profiles, type StandardProfile } from '@core/prove';
import { and, asc, desc, eq, inArray, max } from 'drizzle-orm';
import { write, type Actor, type Db } from './database';
import { Refusal } from './errors';
import { ledgerHead } from './ledger';
import { builds, memberships, people, projects } from './tables';

/** Begins a project; whoever does it becomes its administrator. */
export async function addProject(
  db: Db,
  actor: Actor,
  personId: number,
  project: { slug: string; name: string; standard: string; level: string },
): Promise<{ slug: string; id: number }> {
  const profile = profiles.find((p) => p.standard === project.standard);
  if (!profile?.levels.includes(project.level))
    throw new Refusal('invalid', { fields: [{ path: 'level', text: 'Choose a standard and one of its levels.' }] });
  const { slug, name, level } = project;
  const id = await write(db, actor, async (w) => {
    const [made] = await w.tx.insert(projects).values({ slug, name, level, profile }).$returningId();
    await w.tx.insert(memberships).values({ projectId: made.id, personId, role: 'administrator' });
    await w.log('project begun', 'project', slug, null, { slug, name, level, standard: profile.standard });
    return made.id;
  });
  await write(db, { ...actor, projectId: id }, (w) => w.log('project begun', 'project', slug, null, { slug, name, level, profile }));
  return { slug, id };
}

export async function getProject(db: Db, projectId: number): Promise<Project> {
  const [project] = await db.select().from(projects).where(eq(projects.id, projectId));
  const rows = await db
    .select({ login: people.login, printedName: people.printedName, role: memberships.role })
    .from(memberships)
    .innerJoin(people, eq(people.id, memberships.personId))
    .where(eq(memberships.projectId, projectId))
    .orderBy(asc(people.login));
  const members = new Map<string, { login: string; printedName: string; roles: Role[] }>();
  for (const { login, printedName, role } of rows) {
    const known = members.get(login);
    if (known) known.roles.push(role);
    else members.set(login, { login, printedName, roles: [role] });
  }
  const built = await db
    .select({ name: builds.name, description: builds.description, createdAt: builds.createdAt })
    .from(builds)
    .where(eq(builds.projectId, projectId))
    .orderBy(asc(builds.id));
  const { slug, name, level, profile } = project;
  return {
    slug,
    name,
    level,
    profile: profile as Project['profile'],
    builds: built,
    members: [...members.values()],
    seq: await ledgerHead(db, projectId),
  };
}

export async function setMember(db: Db, actor: Actor, login: string, roles: readonly Role[]): Promise<Project> {
  await write(db, actor, async (w) => {
    const [person] = await w.tx.select().from(people).where(eq(people.login, login));
    if (!person) throw new Refusal('notFound', { detail: `There is no account ${login}.` });
    const mine = and(eq(memberships.projectId, actor.projectId), eq(memberships.personId, person.id));
    const before = (await w.tx.select({ role: memberships.role }).from(memberships).where(mine)).map((row) => row.role);
    if (login === actor.login && !roles.includes('administrator'))
      throw new Refusal('stateForbids', { detail: 'An administrator cannot take that role from themselves: another one must.' });
    await w.tx.delete(memberships).where(mine);
    for (const role of new Set(roles)) await w.tx.insert(memberships).values({ projectId: actor.projectId, personId: person.id, role });
    await w.log('roles set', 'person', login, before, [...new Set(roles)]);
  });
  return getProject(db, actor.projectId);
}

export async function setProfile(db: Db, actor: Actor, profile: StandardProfile): Promise<Project> {
  await write(db, actor, async (w) => {
    const [before] = await w.tx.select({ profile: projects.profile }).from(projects).where(eq(projects.id, actor.projectId));
    await w.tx.update(projects).set({ profile }).where(eq(projects.id, actor.projectId));
    await w.log('profile corrected', 'project', profile.standard, before.profile, profile);
  });
  return getProject(db, actor.projectId);
}

/** The build of that name; refuses with `notFound`. */
export async function needBuild(db: Pick<Db, 'select'>, projectId: number, name: string): Promise<void> {
  const [build] = await db
    .select({ id: builds.id })
    .from(builds)
    .where(and(eq(builds.projectId, projectId), eq(builds.name, name)));
  if (!build) throw new Refusal('notFound', { detail: `There is no build ${name}.` });
}

/** The newest build of each project, the latest made first: what people will ask for when they come in. */
export async function newestBuilds(db: Db, limit: number): Promise<{ projectId: number; build: string }[]> {
  const newest = (
    await db
      .select({ id: max(builds.id) })
      .from(builds)
      .groupBy(builds.projectId)
  ).flatMap(({ id }) => id ?? []);
  if (!newest.length) return [];
  return db
    .select({ projectId: builds.projectId, build: builds.name })
    .from(builds)
    .where(inArray(builds.id, newest))
    .orderBy(desc(builds.id))
    .limit(limit);
}
