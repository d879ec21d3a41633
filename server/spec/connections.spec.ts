import * as base from '@contract/base';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { openLies, type Lies } from './lies';

describe('What is connected with a record', () => {
  let l: Lies;
  beforeAll(async () => void (l = await openLies()));
  afterAll(() => l.p.close());
  const connections = async (key: string, more: { build?: string; far?: number } = {}) =>
    (await l.p.call('auditor', prove.listConnections, { key, ...more })).body.connections.map(
      ({ key: other, from, via, distance }) => `${distance} ${from} ${via} ${other}`,
    );

  it('is found near and far, from a requirement to the problem of a run, and the way back', async () => {
    const { r, c, key } = await l.proved();
    const { body: report } = await l.p.call('tester', run.addProblem, {
      title: 'It hums',
      description: 'At night.',
      blocking: false,
      build: '1.0',
      run: key,
      step: 1,
      requirements: [],
    });
    const near = await connections(r, { far: 1 });
    expect(near).toContain(`1 ${r} is verified by ${c}`);
    expect(near.some((line) => line.startsWith('2'))).toBeFalse();
    const far = await connections(r);
    expect(far).toContain(`2 ${c} was run as ${key}`);
    expect(far.some((line) => line.endsWith(` ${report.key}`))).toBeTrue();
    const back = await connections(report.key);
    expect(back).toContain(`1 ${report.key} was raised from ${key}`);
    expect(back.some((line) => line.endsWith(` ${r}`))).toBeTrue();
  });
  it('is of the build that is named', async () => {
    const { r, c } = await l.proved();
    await l.p.call('author', run.addBuild, { name: '8.0', description: '' });
    const other = await l.planned(c, { build: '8.0' });
    expect((await connections(r, { build: '1.0' })).join()).not.toContain(other);
    expect((await connections(r, { build: '8.0' })).join()).toContain(other);
  });
  it('leaves out what was taken back and withdrawn, and says nothing to strangers', async () => {
    const [one, two] = [await l.requirement(), await l.requirement()];
    await l.p.call('author', base.addTrace, { kind: 'relates', from: one, to: two });
    expect((await connections(one)).join()).toContain(two);
    const { body } = await l.p.call('auditor', specify.getRequirement, { key: one });
    const { id } = body.traces.find(({ kind }) => kind === 'relates') ?? { id: 0 };
    await l.p.call('author', base.removeTrace, { id, reason: 'It was wrong.' });
    expect((await connections(one)).join()).not.toContain(two);
    expect((await l.p.call('auditor', prove.listConnections, { key: 'NO-999' })).status).toBe(404);
  });
});
