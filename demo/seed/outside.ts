import type { Actor, Db } from '../../server/src/base';
import { addToken } from '../../server/src/base';
import { linkOutside, saveConfigurationPlan, saveTracker, sendResults } from '../../server/src/run';

/** In what the controller is verified: a rig, at a temperature; one of them has no cold chamber. */
export async function seedConfigurations(db: Db, author: Actor): Promise<void> {
  await saveConfigurationPlan(db, author, {
    dimensions: [
      { name: 'rig', values: ['rig 1', 'rig 2', 'rig 3'] },
      { name: 'temperature', values: ['room temperature', 'cold chamber'] },
    ],
    exclusions: 'rig = "rig 3" => temperature = "room temperature"',
  });
}

/** What the build server sent: one result that waits for a reviewer, and one that belongs to no case. */
export async function seedPrograms(db: Db, admin: Actor): Promise<void> {
  await addToken(db, admin, { name: 'build-server', roles: ['tester'], days: 90 });
  const junit = `<?xml version="1.0"?>
<testsuite name="controller">
  <testcase name="C-008 channel limits" time="1.8"/>
  <testcase name="wind_gust_profile" time="0.4"/>
</testsuite>
`;
  await sendResults(
    db,
    { ...admin, login: 'program:build-server' },
    { build: '2.4.0-rc2', configuration: 'rig 3 · room temperature', tool: 'gondola-unit', version: '1.4' },
    [{ name: 'controller.xml', mime: 'text/xml', bytes: Buffer.from(junit) }],
  );
}

/** The simulated tracker that stands beside the demo; a report that is made there as soon as both run. */
export async function seedTracker(db: Db, admin: Actor, reporter: Actor, report: string): Promise<void> {
  await saveTracker(db, admin, {
    name: 'Workshop',
    url: `http://127.0.0.1:${process.env['CORD_TRACKER_PORT'] ?? '4191'}`,
    states: [
      { stage: 'open', theirs: 'New' },
      { stage: 'working', theirs: 'In work' },
      { stage: 'fixed', theirs: 'Done' },
      { stage: 'closed', theirs: 'Closed' },
    ],
    paused: false,
    token: 'tracker-token-of-the-demo',
    secret: 'tracker-secret-of-the-demo',
  });
  await linkOutside(db, reporter, report, null);
}
