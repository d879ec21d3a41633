import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import * as prove from '@contract/prove';
import { JobRunner } from '../src/base';
import { makeProofPack } from '../src/prove';
import { eventually, type Project } from './support';

/** What makes the packs that are asked for, in this process. */
export const packRunner = (p: Project): JobRunner =>
  new JobRunner(p.database, { pack: (job, progress) => makeProofPack(p.database.db, job, progress) }, () => undefined);

/** Makes the pack of a build as a person would, and unpacks it: its folder. */
export async function unpacked(p: Project, build: string, into: string): Promise<string> {
  const { body: job } = await p.call('author', prove.makePack, { build });
  const worker = packRunner(p);
  worker.start();
  let state: string | undefined;
  await eventually(async () => {
    state = (await p.call('auditor', prove.listPacks, { build })).body.find(({ id }) => id === job.id)?.state;
    return state === 'done' || state === 'failed';
  });
  await worker.stop();
  if (state !== 'done') throw new Error(`the pack is ${state}`);
  const answer = await p.app.inject({ url: `/api/projects/spec/packs/${job.id}/file`, headers: { cookie: await p.cookie('auditor') } });
  const name = `pack-${job.id}`;
  writeFileSync(join(into, `${name}.zip`), answer.rawPayload);
  execFileSync('unzip', ['-qo', `${name}.zip`, '-d', name], { cwd: into });
  return join(into, name);
}
