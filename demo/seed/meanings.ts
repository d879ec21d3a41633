import { policiesOf, type OwnMeaning, type StandardProfile } from '../../core/src/prove';
import { getProject, getRecord, setProfile, signRecord, type Actor, type Db } from '../../server/src/base';

/** What signatures mean in this project beside what the rules ask for, and that results may be carried from build to build. */
export async function seedMeanings(db: Db, admin: Actor, password: string): Promise<void> {
  const { profile, revision } = await getProject(db, admin.projectId);
  const meanings: readonly OwnMeaning[] = [
    {
      name: 'witnessed',
      says: 'I stood beside the rig and saw this run done as it is recorded.',
      roles: ['tester', 'reviewer'],
      kinds: ['run'],
    },
    {
      name: 'released',
      says: 'I release this text for the winter season.',
      roles: ['reviewer', 'administrator'],
      kinds: ['requirement', 'case'],
    },
  ];
  const known = profile as StandardProfile;
  await setProfile(db, admin, {
    basedOn: revision,
    profile: { ...known, policies: { ...policiesOf(known), meanings, carryResultsAt: known.levels } },
    reason: 'What we sign beside the rules, and that results may be carried, as in the plan of the season.',
    password,
  });
}

/** Signs a text as released. */
export async function release(db: Db, actor: Actor, key: string, password: string): Promise<void> {
  const { hash } = await getRecord(db, actor.projectId, 0, key, undefined);
  await signRecord(db, actor, ['reviewer'], key, { meaning: 'released', hash: hash ?? '', password, reason: '' });
}
