import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { JobRunner } from '../src/base';
import { workRoundJob } from '../src/run';
import { caseContent, content, eventually, openProject, type Project } from './support';

const places = Array.from({ length: 180 }, (_, i) => `chamber ${i + 1}`);

describe('A round of many runs', () => {
  let p: Project;
  const cases: string[] = [];
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, parent: null, content: content('Holds') });
    await p.approve('BRK-001');
    for (let i = 0; i < 6; i++) {
      const { body } = await p.call('author', design.addCase, { content: caseContent(`Case ${i}`), verifies: ['BRK-001'] });
      await p.approve(body.key);
      cases.push(body.key);
    }
  });
  afterAll(() => p.close());
  const asked = (more: object = {}) => ({
    build: '1.0',
    title: 'All chambers',
    configuration: places[0],
    configurations: places,
    tester: 'tester',
    cases,
    ...more,
  });
  /** Works off what was asked for; `at` is told how far it is. */
  const work = async (id: number, at: (part: number, words: string) => Promise<void>) => {
    const plan = (job: Parameters<typeof workRoundJob>[1], progress: Parameters<typeof workRoundJob>[2]) =>
      workRoundJob(p.database.db, job, {
        report: async (part, words) => {
          await at(part, words);
          await progress.report(part, words);
        },
      });
    const runner = new JobRunner(p.database, { plan }, () => undefined);
    runner.start();
    const job = async () => (await p.call('author', base.listJobs, {})).body.find((one) => one.id === id);
    await eventually(async () => !['queued', 'running', undefined].includes((await job())?.state));
    await runner.stop();
    return job();
  };
  const runs = async (): Promise<number | null> => (await p.call('auditor', run.listRuns, { build: '1.0' })).body.total;

  it('is planned by a job that tells how far it is; the ledger accounts for each of its rows', async () => {
    const { body: job } = await p.call('tester', run.addLargeRound, asked());
    expect([job.kind, job.build, job.state]).toEqual(['plan', '1.0', 'queued']);
    const told: [number, string][] = [];
    const done = await work(job.id, async (part, words) => void told.push([part, words]));
    expect([done?.state, done?.message]).toEqual(['done', 'R-001 is planned: 1,080 runs']);
    expect(told.map(([part]) => part)).toEqual(told.map(([part]) => part).sort((a, b) => a - b));
    expect(told.map(([, words]) => words)).toContain('The ledger accounts for them');
    expect(await runs()).toBe(1080);
    const { body: round } = await p.call('auditor', run.getRound, { key: 'R-001' });
    expect([round.runs, round.createdBy, round.items[0].configuration]).toEqual([1080, 'tester', places[0]]);
    expect(round.configuration).toBe('180 configurations, from chamber 1 to chamber 180');
    // Its first runs come with it; what is left is told of all.
    const minutes = 1080 * round.items[0].plannedMinutes;
    expect([round.items.length, round.left]).toEqual([1000, [{ tester: 'tester', runs: 1080, minutes }]]);
    // Texts that many rows share are read once to be hashed: it must come to what each row holds.
    const { body } = await p.call('auditor', base.verifyLedger, {});
    expect([body.fault, body.rowFaultCount]).toEqual([undefined, 0]);
  });

  it('that differs from what the ledger says is found, though its rows share their texts', async () => {
    const change = (from: string, to: string) =>
      p.owner.query(
        `update ${p.name}.runs r join ${p.name}.records k on k.id = r.id set r.steps = replace(r.steps, ?, ?) where k.record_key = 'RUN-700'`,
        [from, to],
      );
    await change('"observed":""', '"observed":"x"');
    const { body } = await p.call('auditor', base.verifyLedger, {});
    expect(body.rowFaults.map(({ table, fault }) => [table, fault])).toEqual([['runs', 'changed']]);
    await change('"observed":"x"', '"observed":""');
  });

  it('writes nothing where it is cancelled, and says why one cannot be planned', async () => {
    const { body: job } = await p.call('tester', run.addLargeRound, asked({ title: 'Never' }));
    const cancelled = await work(job.id, async (part) => {
      if (part >= 0.7) await p.call('tester', base.cancelJob, { id: job.id });
    });
    expect(cancelled?.state).toBe('cancelled');
    const nobody = await p.call('tester', run.addLargeRound, asked({ title: 'Whose?', tester: 'auditor' }));
    const failed = await work(nobody.body.id, async () => undefined);
    expect([failed?.state, failed?.message]).toEqual(['failed', jasmine.stringContaining('auditor is not a tester')]);
    expect(await runs()).toBe(1080);
    expect((await p.call('auditor', run.addLargeRound, asked())).problem.code).toBe('forbidden');
    expect((await p.call('tester', run.addLargeRound, asked({ build: '9.9' }))).status).toBe(404);
  });
});
