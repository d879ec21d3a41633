import { readFileSync } from 'node:fs';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { randomFrom } from '@core/design';
import { usualPolicies } from '@core/prove';
import { and, asc, eq } from 'drizzle-orm';
import { unzipSync, zipSync } from 'fflate';
import { builds, ledgerHead, records, verifyLedger } from '../src/base';
import { sourceCredits } from '../src/measure';
import { cords, projections, Projector } from '../src/prove';
import { caseContent, content, demo, openProject, password, type Project } from './support';

const keyOf = (prefix: string, n: number): string => `${prefix}-${String(n).padStart(3, '0')}`;
/** Case keys that the demo's coverage belongs to, so that uploads find them. */
const caseKeys = ['C-004', 'C-006', 'C-010', 'C-011', 'C-018', 'C-021'];
const requirementKeys = Array.from({ length: 14 }, (_, i) => keyOf('BRK', i + 1));

/** What happens more often than the rest, so that cords come to be proved and not only to break. */
const often = ['approve', 'record', 'sign', 'plan', 'load'].flatMap((name) => Array.from({ length: 9 }, () => name));

const both = [
  ['1.0', '1.1'],
  ['1.1', '1.0'],
] as const;

/**
 * People at work on one project, each act chosen by chance, many of them refused. What is brought along entry by entry must be what is
 * made afresh, and the ledger must account for every row.
 */
class Work {
  private readonly random: () => number;
  readonly done = new Map<string, number>();
  /** The newest five that succeeded. */
  last: string[] = [];
  constructor(
    private readonly p: Project,
    seed: number,
  ) {
    this.random = randomFrom(seed);
  }

  private pick<T>(of: readonly T[]): T {
    return of[this.random() % of.length];
  }
  private chance(oneIn: number): boolean {
    return this.random() % oneIn === 0;
  }

  async begin(): Promise<void> {
    const { p } = this;
    await p.call('author', run.addBuild, { name: '1.1', description: '' });
    for (const [i, key] of requirementKeys.slice(0, 9).entries())
      await this.addRequirement(key, i && this.chance(3) ? this.pick(requirementKeys.slice(0, i)) : null);
    for (const key of caseKeys) {
      const verifies = [this.pick(requirementKeys.slice(0, 9)), this.pick(requirementKeys.slice(0, 9))];
      await p.call('author', design.addCase, { key, content: caseContent(key), verifies: [...new Set(verifies)] });
      await p.approve(key);
    }
    for (const key of requirementKeys.slice(0, 7)) await p.approve(key);
    for (const build of ['1.0', '1.1'])
      await p.upload('author', `/builds/${build}/sources`, [{ name: 'src.zip', bytes: readFileSync(demo('coverage', 'sources.zip')) }]);
  }

  private async addRequirement(key: string, parent = this.chance(3) ? this.pick(requirementKeys) : null): Promise<number> {
    const { status } = await this.p.call('author', specify.addRequirement, {
      specification: 'BRK',
      key,
      parent,
      content: content(key, { level: this.pick(['SIL 1', 'SIL 2', 'SIL 3']), topLevel: !this.chance(4), notInCode: this.chance(5) }),
    });
    return status;
  }

  private async aRun(): Promise<string> {
    const { p } = this;
    const rows = await p.database.db
      .select({ key: records.key })
      .from(records)
      .where(and(eq(records.projectId, p.projectId), eq(records.kind, 'run')));
    return rows.length ? this.pick(rows).key : 'RUN-1';
  }

  private readonly acts: Readonly<Record<string, () => Promise<number>>> = {
    addRequirement: () => this.addRequirement(this.pick(requirementKeys)),
    saveRequirement: async () => {
      const key = this.pick(requirementKeys);
      const { body, status } = await this.p.call('author', specify.getRequirement, { key });
      if (status !== 200) return status;
      const change = content(key, {
        text: `Text ${this.random()}`,
        level: this.pick(['SIL 1', 'SIL 1', 'SIL 2', 'SIL 3', '']),
        method: this.pick(['test', 'test', 'inspection', '']),
        notInCode: this.chance(4),
        topLevel: this.chance(2),
        derived: this.chance(5),
      });
      return (
        await this.p.call('author', specify.saveRequirement, { key, reason: 'It was not clear.', basedOn: body.revision, content: change })
      ).status;
    },
    approve: () =>
      this.p.approve(this.chance(2) ? this.pick(requirementKeys) : this.pick(caseKeys), this.pick(['reviewer', 'both'])).then(
        () => 200,
        () => 400,
      ),
    saveCase: async () => {
      const key = this.pick(caseKeys);
      const { body } = await this.p.call('author', design.getCase, { key });
      const rows = this.chance(2) ? ['1', '2', '3'].slice(this.random() % 3).map((name) => ({ name, values: { t: name } })) : undefined;
      const steps = rows ? [{ action: 'Wait {{t}}', expected: 'See' }] : caseContent(key).steps;
      const change = { ...caseContent(`${key} ${this.random()}`), steps, ...(rows ? { rows } : {}) };
      return (await this.p.call('author', design.saveCase, { key, reason: 'It was not clear.', basedOn: body.revision, content: change }))
        .status;
    },
    addTrace: async () => {
      const kind = this.pick(['verifies', 'parent']);
      const from = kind === 'verifies' ? this.pick(caseKeys) : this.pick(requirementKeys);
      return (await this.p.call(this.pick(['author', 'reviewer']), base.addTrace, { kind, from, to: this.pick(requirementKeys) })).status;
    },
    confirmTrace: async () => {
      const { body, status } = await this.p.call('reviewer', base.getRecord, { key: this.pick([...requirementKeys, ...caseKeys]) });
      if (status !== 200 || !body.traces.length) return 404;
      const { id, fromNow, toNow } = this.pick(body.traces);
      const seen = { id, reason: 'Still so.', fromRevision: fromNow, toRevision: toNow };
      return (await this.p.call(this.pick(['author', 'reviewer', 'both']), base.confirmTrace, seen)).status;
    },
    removeTrace: async () => {
      const { body, status } = await this.p.call('author', base.getRecord, { key: this.pick(caseKeys) });
      if (status !== 200 || !body.traces.length) return 404;
      return (await this.p.call('author', base.removeTrace, { id: this.pick(body.traces).id, reason: 'Not so.' })).status;
    },
    plan: async () => {
      const cases = this.chance(3) ? caseKeys : [this.pick(caseKeys), this.pick(caseKeys)];
      const round = { build: this.pick(['1.0', '1.0', '1.1']), title: 'R', configuration: this.pick(['rig', 'cold']) };
      return (await this.p.call('author', run.addRound, { ...round, tester: 'tester', cases: [...new Set(cases)] })).status;
    },
    record: async () => {
      const key = await this.aRun();
      const { body, status } = await this.p.call('tester', run.getRun, { key });
      if (status !== 200) return status;
      for (let step = 1; step <= body.case.steps.length; step++) {
        const verdict = this.chance(20) ? this.pick(['fail', 'deviation', 'blocked'] as const) : 'pass';
        await this.p.call('tester', run.recordStep, { key, step, observed: 'seen', verdict, seconds: 1, reason: 'Again.' });
      }
      return (await this.p.call('tester', run.finishRun, { key, seconds: 9 })).status;
    },
    sign: async () => {
      const key = await this.aRun();
      let last = 404;
      for (const [who, meaning] of [
        ['tester', 'performed'],
        ['reviewer', 'reviewed'],
      ] as const) {
        const { body, status } = await this.p.call(who, run.getRun, { key });
        if (status !== 200) return status;
        last = (await this.p.call(who, run.signRun, { key, meaning, password, hash: body.hash })).status;
      }
      return last;
    },
    decide: async () => {
      const choice = this.pick(['carryOver', 'rerun', 'return', 'acceptDeviation', 'setAside', 'withdraw', 'bringBack'] as const);
      const ask = { key: await this.aRun(), choice, reason: 'Because.', password };
      return (await this.p.call(this.pick(['tester', 'reviewer', 'author', 'admin']), run.decideRun, ask)).status;
    },
    addProblem: async () =>
      (
        await this.p.call('tester', run.addProblem, {
          title: 'Odd',
          description: '',
          build: this.pick(['1.0', '1.1']),
          run: this.chance(2) ? await this.aRun() : null,
          requirements: [this.pick(requirementKeys)],
        })
      ).status,
    closeProblem: async () => {
      const { body } = await this.p.call('reviewer', run.listProblems, {});
      if (!body.rows.length) return 404;
      const { key, revision, title, description } = this.pick(body.rows);
      const change = { key, basedOn: revision, title, description, blocking: true };
      const state = this.pick(['open', 'closed'] as const);
      const fixedIn = state === 'closed' ? this.pick(['1.0', '1.1']) : null;
      return (await this.p.call('reviewer', run.saveProblem, { ...change, stage: state, closedReason: 'Seen.', fixedIn, password })).status;
    },
    load: async () => {
      const key = this.pick(caseKeys);
      const bytes = readFileSync(demo('coverage', 'lcov', `${key}.info`));
      return (await this.p.upload('tester', '/builds/1.0/coverage', [{ name: `${key}.info`, bytes }])).status;
    },
    loadSources: async () => {
      if (!this.chance(4)) return 404;
      // As they are, or each with lines before it: its functions are the same, elsewhere.
      const files = unzipSync(readFileSync(demo('coverage', 'sources.zip')));
      const before = Buffer.from('/* Moved. */\n'.repeat(this.random() % 3));
      const bytes = Buffer.from(
        zipSync(Object.fromEntries(Object.entries(files).map(([path, own]) => [path, Buffer.concat([before, own])]))),
      );
      const signed = { reason: 'Newer.', password };
      return (await this.p.upload('author', `/builds/${this.pick(['1.0', '1.1'])}/sources`, [{ name: 'src.zip', bytes }], signed)).status;
    },
    carry: async () => {
      const { body } = await this.p.call('reviewer', measure.offerCarries, { build: '1.0' });
      const units = body.rows.filter(({ state }) => state === 'same').filter(() => this.chance(2));
      if (!units.length) return 404;
      const ask = { build: '1.0', units: units.map(({ path, unit }) => ({ path, unit })), argument: 'The same.', password };
      return (await this.p.call('reviewer', measure.carryMeasured, ask)).status;
    },
    withdrawCarry: async () => {
      const { body } = await this.p.call('reviewer', measure.listCarries, { build: '1.0' });
      if (!body.rows.length) return 404;
      return (await this.p.call('reviewer', measure.withdrawCarry, { key: this.pick(body.rows).key, reason: 'Wrong.', password })).status;
    },
    carryResults: async () => {
      // The other way round where nothing is offered one way, and some of what is: else it would be left to luck whether any is ever carried.
      for (const [from, to] of this.chance(2) ? both : [...both].reverse()) {
        const { body } = await this.p.call('both', run.offerResults, { from, to });
        const offered = body.rows.filter(({ why }) => !why.length);
        if (!offered.length) continue;
        const runs = offered.filter((row, i) => i === 0 || this.chance(2)).map((row) => row.run);
        return (await this.p.call('both', run.carryResults, { from, to, runs, argument: 'Not reached.', password })).status;
      }
      return 404;
    },
    withdrawResults: async () => {
      const { body } = await this.p.call('reviewer', run.listCarriedResults, { build: this.pick(['1.0', '1.1']) });
      if (!body.rows.length) return 404;
      const ask = { key: this.pick(body.rows).key, reason: 'Wrong.', password };
      return (await this.p.call('reviewer', run.withdrawCarriedResults, ask)).status;
    },
    withdrawUpload: async () => {
      const { body } = await this.p.call('tester', measure.listUploads, { build: '1.0' });
      if (!body.rows.length) return 404;
      const change = { key: this.pick(body.rows).key, withdrawn: !this.chance(3), reason: 'Wrong.', password };
      return (await this.p.call(this.pick(['tester', 'reviewer']), measure.withdrawUpload, change)).status;
    },
    traceCode: async () => {
      const [path, unit] = this.pick([
        ['src/speed.c', 'speed_ramp'],
        ['src/sensors.c', 'sensor_update'],
      ]);
      const change = { build: '1.0', path, unit, requirement: this.pick(requirementKeys), traced: !this.chance(3), reason: 'Seen.' };
      return (await this.p.call('author', measure.traceCode, change)).status;
    },
    setProfile: async () => {
      if (!this.chance(3)) return 404;
      const { profile, revision } = (await this.p.call('admin', base.getProject, {})).body;
      const policies = {
        ...usualPolicies(profile.reviewAt),
        ownApprovalAt: this.chance(2) ? ['SIL 2'] : [],
        observationAt: [],
        creditNeedsSignature: this.chance(2),
        carryResultsAt: this.chance(4) ? [] : ['SIL 1', 'SIL 2', 'SIL 3'],
      };
      const change = { basedOn: revision, profile: { ...profile, policies }, reason: 'New rules.', password };
      return (await this.p.call('admin', base.setProfile, change)).status;
    },
    retire: async () => {
      const key = this.pick(requirementKeys.slice(7));
      return (await this.p.call('author', base.retireRecord, { key, retired: this.chance(2), reason: 'No longer.' })).status;
    },
  };

  async act(): Promise<void> {
    const name = this.pick([...this.names, ...this.names, ...often]);
    const status = await this.acts[name]();
    if (status === 500) throw new Error(`${name} failed`);
    if (status >= 300) return;
    this.done.set(name, (this.done.get(name) ?? 0) + 1);
    this.last = [...this.last, name].slice(-5);
  }

  get names(): readonly string[] {
    return Object.keys(this.acts);
  }
}

describe('what is stored of the cords', () => {
  let p: Project;
  let buildIds: number[];
  let projector: Projector;
  /** How often a build had nothing to be judged again. */
  let left = 0;
  const ever = new Set<string>();
  const shapes = new Set<string>();
  let names: readonly string[] = [];
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());

  const stored = async (buildId: number) => {
    const { db } = p.database;
    const [{ totals }] = await db.select().from(projections).where(eq(projections.buildId, buildId));
    return {
      totals,
      cords: await db.select().from(cords).where(eq(cords.buildId, buildId)).orderBy(asc(cords.requirementId)),
      sources: await db.select().from(sourceCredits).where(eq(sourceCredits.buildId, buildId)).orderBy(asc(sourceCredits.sourceId)),
    };
  };

  const seqs = async (): Promise<number[]> => {
    const rows = await p.database.db
      .select({ id: projections.buildId, seq: projections.seq })
      .from(projections)
      .orderBy(asc(projections.buildId));
    return rows.filter(({ id }) => buildIds.includes(id)).map(({ seq }) => seq);
  };

  /** As the thread that judges does: what nothing touched is only said to be true for the present end. */
  const bringAlong = async (): Promise<void> => {
    const behind = (await projector.behind()).filter(({ projectId }) => projectId === p.projectId);
    for (const { buildId } of behind) await projector.bring(p.projectId, buildId);
    const head = await ledgerHead(p.database.db, p.projectId);
    expect(await seqs()).toEqual(buildIds.map(() => head));
    left += buildIds.length - behind.length;
  };

  for (const seed of [3, 8, 21])
    it(`is the same brought along entry by entry as made afresh (${seed})`, async () => {
      const work = new Work(p, seed);
      if (seed === 3) await work.begin();
      projector = new Projector(p.database.db, () => new Date());
      buildIds = (await p.database.db.select({ id: builds.id }).from(builds).where(eq(builds.projectId, p.projectId))).map(({ id }) => id);
      for (const id of buildIds) {
        await projector.want(p.projectId, id);
        await projector.bring(p.projectId, id);
      }
      const seen = new Set<string>();
      for (let round = 0; round < 30; round++) {
        for (let i = 0; i < 5; i++) {
          await work.act();
          if (round % 3 === 0) await bringAlong();
        }
        await bringAlong();
        for (const id of buildIds) {
          const alongside = await stored(id);
          for (const cord of alongside.cords) seen.add(cord.states);
          await p.database.db.delete(cords).where(eq(cords.buildId, id));
          await p.database.db.delete(sourceCredits).where(eq(sourceCredits.buildId, id));
          await projector.forget(id);
          await projector.bring(p.projectId, id);
          expect(alongside)
            .withContext(`build ${id}, after ${[...work.done.keys()].join(', ')}`)
            .toEqual(await stored(id));
        }
      }
      for (const name of work.done.keys()) ever.add(name);
      for (const states of seen) shapes.add(states);
      names = work.names;
    });

  it('was worked at: most acts succeeded at least once, and the cords took many shapes', () => {
    expect(ever.size).toBeGreaterThan(names.length - 4);
    expect(ever).toContain('carry');
    expect(ever).toContain('carryResults');
    expect(ever).toContain('withdrawCarry');
    expect(shapes.size).toBeGreaterThan(15);
    expect(left).toBeGreaterThan(30);
  });

  it('rests on rows of which the ledger accounts for every one', async () => {
    const verified = await verifyLedger(p.database.db, p.projectId);
    expect(verified.fault).toBeUndefined();
    expect(verified.rowFaults).toEqual([]);
    expect(verified.rows).toBeGreaterThan(200);
  });
});
