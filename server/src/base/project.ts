import type { Project } from '@contract/base';
import type { Role } from '@core/base';
import { meaningFaults, profiles, type StandardProfile } from '@core/prove';
import { and, asc, desc, eq, sql } from 'drizzle-orm';
import { account } from './accounted';
import type { Db, Tx } from './database';
import { Refusal } from './errors';
import { ledgerHead } from './ledger';
import { projectKey } from './profile';
import { insertRecord, lockRecord, recordRows } from './records';
import { proveSigner, putSignature } from './signing';
import { diskLow } from './disk';
import { statement } from './statement';
import { storageOf } from './storage';
import { builds, memberships, people, projects, records, traceKinds } from './tables';
import { usualTraceKinds } from './trace-kinds';
import { write, type Actor } from './writing';
import { recordFormat, textHash, envelope2, type Json } from '@core/base';

export const projectRows = account({
  name: 'projects',
  table: projects,
  id: projects.id,
  project: projects.id,
  columns: [
    ['slug', projects.slug],
    ['name', projects.name],
    ['level', projects.level],
    ['profile', projects.profile],
  ],
});

export const buildRows = account({
  name: 'builds',
  table: builds,
  id: builds.id,
  project: builds.projectId,
  columns: [
    ['description', builds.description],
    ['closedSeq', builds.closedSeq],
    ['closedAt', builds.closedAt],
  ],
});

/** The text that a signature under a profile is bound to. */
export const profileText = (revision: number, profile: StandardProfile): string =>
  envelope2('project', projectKey, revision, JSON.parse(JSON.stringify(profile)) as Json);

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
    await w.tx.insert(traceKinds).values(usualTraceKinds.map((kind) => ({ projectId: made.id, ...kind })));
    w.log({ action: 'project begun', kind: 'project', key: slug, after: { slug, name, level, standard: profile.standard } });
    return made.id;
  });
  await write(db, { ...actor, projectId: id }, async (w) => {
    const recordId = await insertRecord(w, { kind: 'project', key: projectKey, title: name, words: profile.standard, state: 'open' });
    w.log({ action: 'project begun', kind: 'project', key: slug, after: { slug, name, level, profile } });
    w.snapshot({ recordId, revision: 1, state: 'open', snapshot: { name, level, profile }, hash: textHash(profileText(1, profile)) });
    w.wrote(recordRows, recordId);
    w.wrote(projectRows, id);
  });
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
    .select({ name: records.key, description: builds.description, createdAt: records.createdAt, closedAt: builds.closedAt })
    .from(builds)
    .innerJoin(records, eq(records.id, builds.id))
    .where(eq(builds.projectId, projectId))
    .orderBy(asc(builds.id));
  const [record] = await db
    .select({ revision: records.revision })
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.key, projectKey)));
  const { slug, name, level, profile } = project;
  return {
    slug,
    name,
    level,
    revision: record?.revision ?? 1,
    profile: profile as Project['profile'],
    builds: built,
    members: [...members.values()],
    storage: { ...(await storageOf(db, projectId)), diskLow: await diskLow() },
    seq: await ledgerHead(db, projectId),
  };
}

/** Gives roles. The administrators of a project are counted under their lock: the last one cannot go. */
export async function setMember(db: Db, actor: Actor, login: string, roles: readonly Role[]): Promise<Project> {
  await write(db, actor, async (w) => {
    const [person] = await w.tx.select().from(people).where(eq(people.login, login));
    if (!person) throw new Refusal('notFound', { detail: `There is no account ${login}.` });
    const all = await w.tx
      .select({ personId: memberships.personId, role: memberships.role })
      .from(memberships)
      .where(eq(memberships.projectId, actor.projectId))
      .for('update');
    const before = all.filter((row) => row.personId === person.id).map((row) => row.role);
    if (login === actor.login && !roles.includes('administrator'))
      throw new Refusal('stateForbids', { detail: 'An administrator cannot take that role from themselves: another one must.' });
    const others = all.some((row) => row.role === 'administrator' && row.personId !== person.id);
    if (!others && !roles.includes('administrator'))
      throw new Refusal('stateForbids', { detail: 'This is the last administrator of the project.' });
    await w.tx.delete(memberships).where(and(eq(memberships.projectId, actor.projectId), eq(memberships.personId, person.id)));
    for (const role of new Set(roles)) await w.tx.insert(memberships).values({ projectId: actor.projectId, personId: person.id, role });
    w.log({ action: 'roles set', kind: 'person', key: login, before, after: [...new Set(roles)] });
  });
  return getProject(db, actor.projectId);
}

export interface ProfileChange {
  readonly basedOn: number;
  readonly profile: StandardProfile;
  readonly reason: string;
  readonly password: string;
}

/** Changes what the standard and the project's own policies ask for: with a reason, signed, a revision of the project's record. */
export async function setProfile(db: Db, actor: Actor, { basedOn, profile, reason, password }: ProfileChange): Promise<Project> {
  const faults = meaningFaults(profile.policies?.meanings ?? []);
  if (faults.length)
    throw new Refusal('invalid', { fields: faults.map(({ at, text }) => ({ path: `profile.policies.meanings.${at}`, text })) });
  const signer = await proveSigner(db, actor, password);
  await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'project', projectKey);
    const [before] = await w.tx.select().from(projects).where(eq(projects.id, actor.projectId));
    if (record.revision !== basedOn)
      throw new Refusal('conflict', { detail: `${record.updatedBy} changed the profile in between.`, current: before.profile });
    const revision = record.revision + 1;
    const hash = textHash(profileText(revision, profile));
    await w.tx.update(projects).set({ profile }).where(eq(projects.id, actor.projectId));
    await w.tx.update(records).set({ revision, updatedBy: actor.login, updatedAt: w.at }).where(eq(records.id, record.id));
    w.log({
      action: 'profile corrected',
      kind: 'project',
      key: profile.standard,
      before: before.profile,
      after: { profile, reason, printedName: signer.printedName, hash },
      touches: { all: true },
    });
    w.snapshot({
      recordId: record.id,
      revision,
      state: record.state,
      snapshot: { name: before.name, level: before.level, profile },
      hash,
      reason,
    });
    w.wrote(projectRows, actor.projectId);
    w.wrote(recordRows, record.id);
    await putSignature(w, signer, { recordId: record.id, revision, meaning: 'policy', format: recordFormat, hash, reason });
  });
  return getProject(db, actor.projectId);
}

export type StoredBuild = typeof builds.$inferSelect & { readonly name: string };

const buildNamed = statement((db) =>
  db
    .select({ build: builds, name: records.key })
    .from(records)
    .innerJoin(builds, eq(builds.id, records.id))
    .where(and(eq(records.projectId, sql.placeholder('projectId')), eq(records.key, sql.placeholder('name')))),
);

/** The build of that name; refuses with `notFound`. */
export async function needBuild(db: Db | Tx, projectId: number, name: string): Promise<StoredBuild> {
  const [row] = await buildNamed(db, { projectId, name: name.trim() });
  if (!row) throw new Refusal('notFound', { detail: `There is no build ${name}.` });
  return { ...row.build, name: row.name };
}

/** The same, refused where the build is closed: what was recorded on it does not change any more. */
export async function needOpenBuild(db: Db | Tx, projectId: number, name: string): Promise<StoredBuild> {
  return refuseClosed(await needBuild(db, projectId, name));
}

/** Refuses a build that is closed. */
function refuseClosed(build: StoredBuild): StoredBuild {
  if (build.closedSeq !== null) throw new Refusal('closed', { detail: `${build.name} is closed: nothing is recorded on it any more.` });
  return build;
}

/** A build by its id, as other rows name it. */
export async function buildById(db: Db | Tx, id: number): Promise<StoredBuild> {
  const [{ build, name }] = await db
    .select({ build: builds, name: records.key })
    .from(builds)
    .innerJoin(records, eq(records.id, builds.id))
    .where(eq(builds.id, id));
  return { ...build, name };
}

/** The same, refused where it is closed. */
export const openBuildById = async (db: Db | Tx, id: number): Promise<StoredBuild> => refuseClosed(await buildById(db, id));

/** The newest build of each project, the latest made first: what people will ask for when they come in. */
export async function newestBuilds(db: Db, limit: number): Promise<{ projectId: number; buildId: number }[]> {
  const newest = await db
    .select({ projectId: builds.projectId, buildId: sql<number>`max(${builds.id})`.mapWith(Number).as('newest') })
    .from(builds)
    .groupBy(builds.projectId)
    .orderBy(desc(sql`newest`))
    .limit(limit);
  return newest;
}
