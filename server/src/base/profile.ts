import type { StandardProfile } from '@core/prove';
import { eq } from 'drizzle-orm';
import type { Db, Tx } from './database';
import { recordId, recordsThen } from './past';
import { projects } from './tables';

/** The key under which a project itself is a record, so that its profile has revisions and is signed like anything else. */
export const projectKey = 'PROJECT';

/** A project's profile as it is, or as it was at a ledger number. */
export async function profileOf(db: Db | Tx, projectId: number, asOf?: number | null): Promise<StandardProfile> {
  const id = asOf == null ? undefined : await recordId(db, projectId, projectKey);
  const then = id === undefined || asOf == null ? undefined : (await recordsThen(db, [id], asOf)).get(id);
  const profileThen = then?.snapshot['profile'];
  if (profileThen) return profileThen as StandardProfile;
  const [{ profile }] = await db.select({ profile: projects.profile }).from(projects).where(eq(projects.id, projectId));
  return profile;
}
