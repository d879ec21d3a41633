import * as design from '@contract/design';
import * as run from '@contract/run';
import { openLies, type Lies } from './lies';

describe('The runs that stand for a requirement', () => {
  let l: Lies;
  beforeAll(async () => void (l = await openLies()));
  afterAll(() => l.p.close());
  const asked = (key: string, build = '1.0', who = 'auditor') => l.p.call(who, run.requirementRuns, { key, build });

  it('are those of its cases on the build, with what each run says of itself', async () => {
    const { r, c, key } = await l.proved();
    const failed = await l.planned(c, { configuration: 'other rig' });
    await l.record(failed, 'fail');
    const said = { description: 'At night.', blocking: false, build: '1.0', step: 1, requirements: [] };
    const { body: report } = await l.p.call('tester', run.addProblem, { title: 'It hums', run: failed, ...said });
    const later = await l.planned(c, { configuration: 'a third' });
    // Of one combination the newer stands; what is on another build is not of this one.
    const superseded = await l.planned(c, { configuration: 'old rig' });
    await l.record(superseded, 'fail');
    const newer = await l.planned(c, { configuration: 'old rig', reason: 'again' });
    await l.record(newer);
    await l.p.call('author', run.addBuild, { name: '9.0', description: '' });
    const elsewhere = await l.planned(c, { build: '9.0' });
    const other = await l.proved();
    const { body } = await asked(r);
    expect(body.more).toBe(0);
    expect(body.runs.map((one) => one.key)).toEqual([newer, later, failed, key]);
    expect((await asked(r, '9.0')).body.runs.map((one) => one.key)).toEqual([elsewhere]);
    expect((await asked(other.r)).body.runs.map((one) => one.key)).toEqual([other.key]);
    for (const one of body.runs) {
      const whole = (await l.p.call('auditor', run.getRun, { key: one.key })).body;
      const { signatures, problems, ...plain } = one;
      expect(whole).toEqual(jasmine.objectContaining(plain));
      expect(signatures).toEqual(whole.signatures);
      expect(problems).toEqual(whole.problems.map(({ step: _, ...shown }) => shown));
    }
    expect(body.runs[3].signatures.map(({ meaning, matches }) => [meaning, matches])).toEqual([
      ['performed', true],
      ['reviewed', true],
    ]);
    expect(body.runs[2].problems.map((problem) => problem.key)).toEqual([report.key]);
  });

  it('are signed no more where a row was changed behind the ledger', async () => {
    const { r, key } = await l.proved();
    await l.p.owner.query(
      `update ${l.p.name}.runs u join ${l.p.name}.records r on r.id = u.id set u.steps = replace(u.steps, 'seen', 'unseen') where r.record_key = '${key}'`,
    );
    expect((await asked(r)).body.runs.map(({ signatures }) => signatures.map(({ matches }) => matches))).toEqual([[false, false]]);
  });

  it('are found however many came on other builds since', async () => {
    const r = await l.requirement();
    const c = await l.aCase([r]);
    const key = await l.planned(c);
    await l.p.call('author', run.addBuild, { name: '9.1', description: '' });
    const body = { build: '9.1', title: 'Many', tester: 'tester', cases: [c], reason: 'again' };
    for (let i = 0; i < 201; i++) await l.p.call('author', run.addRound, { ...body, configuration: `rig ${i}` });
    // What a case shows of its runs are the newest two hundred of all builds.
    expect((await l.p.call('auditor', design.getCase, { key: c })).body.runs.some((one) => one.key === key)).toBeFalse();
    expect((await asked(r)).body.runs.map((one) => one.key)).toEqual([key]);
    expect((await asked(r, '9.1')).body.runs.length).toBe(201);
  });

  it('are none where nothing is planned; what there is not is said', async () => {
    expect((await asked(await l.requirement())).body).toEqual({ runs: [], more: 0 });
    expect((await asked('BRK-999')).status).toBe(404);
    expect((await asked(await l.requirement(), 'no such')).status).toBe(404);
  });
});
