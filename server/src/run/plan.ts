import type { Build } from '@contract/base';
import type { RoundDetail } from '@contract/run';
import { keyNumber, nextKey } from '@core/base';
import { caseFaults } from '@core/design';
import { and, desc, eq } from 'drizzle-orm';
import { builds, memberships, needBuild, people, Refusal, write, type Actor, type Db, type Tx, type Writing } from '../base';
import { caseContent, needCase, type StoredCase } from '../design';
import { roundDetail } from './store';
import { rounds, runs } from './tables';

export function addBuild(db: Db, actor: Actor, told: { name: string; description: string }): Promise<Build> {
  return write(db, actor, async (w) => {
    await w.tx.insert(builds).values({ projectId: actor.projectId, ...told, createdAt: w.at });
    await w.log('build named', 'build', told.name, null, told);
    return { ...told, createdAt: w.at };
  });
}

/** The next key of a numbered kind; the chain's lock keeps two from taking the same. */
export async function freeNumber(tx: Tx, table: typeof runs | typeof rounds, projectId: number, prefix: string): Promise<string> {
  const [last] = await tx.select({ key: table.key }).from(table).where(eq(table.projectId, projectId)).orderBy(desc(table.id)).limit(1);
  return nextKey(prefix, last ? keyNumber(last.key) : 0);
}

export interface NewRound {
  readonly build: string;
  readonly title: string;
  readonly configuration: string;
  readonly unit: string;
  readonly tools: string;
  readonly tester: string;
  readonly cases: readonly string[];
}

type RunPlace = Pick<typeof runs.$inferInsert, 'round' | 'build' | 'configuration' | 'unit' | 'tools' | 'tester'>;

/** Plans one run of a case as it stands now: the frozen copy is taken here. */
export async function planRun(w: Writing, key: string, c: StoredCase, place: RunPlace, supersedes: string | null): Promise<void> {
  const frozen = caseContent(c);
  await w.tx.insert(runs).values({
    projectId: w.actor.projectId,
    key,
    ...place,
    caseKey: c.key,
    caseRevision: c.revision,
    frozen,
    row: null,
    steps: frozen.steps.map(() => ({ verdict: null, observed: '', at: null })),
    seconds: 0,
    deviationAccepted: false,
    supersedes,
    revision: 1,
  });
}

/** Plans a round. Cases that nobody can run (no steps, not approved) are refused, all named at once. */
export function addRound(db: Db, actor: Actor, told: NewRound): Promise<RoundDetail> {
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    await needBuild(w.tx, projectId, told.build);
    const [tester] = await w.tx
      .select({ login: people.login })
      .from(people)
      .innerJoin(
        memberships,
        and(eq(memberships.personId, people.id), eq(memberships.projectId, projectId), eq(memberships.role, 'tester')),
      )
      .where(eq(people.login, told.tester));
    if (!tester)
      throw new Refusal('invalid', { fields: [{ path: 'tester', text: `${told.tester || 'Nobody'} is not a tester in this project.` }] });
    const chosen: StoredCase[] = [];
    const faults: { path: string; text: string }[] = [];
    for (const key of new Set(told.cases)) {
      const c = await needCase(w.tx, projectId, key);
      const [fault] = caseFaults(caseContent(c));
      if (fault) faults.push({ path: 'cases', text: `${key} cannot be run. ${fault}` });
      else if (c.state !== 'approved') faults.push({ path: 'cases', text: `${key} is not approved: only approved cases are run.` });
      chosen.push(c);
    }
    if (faults.length) throw new Refusal('invalid', { detail: faults.map((f) => f.text).join(' '), fields: faults });
    const key = await freeNumber(w.tx, rounds, projectId, 'R');
    const { build, title, configuration, unit, tools } = told;
    await w.tx.insert(rounds).values({ projectId, key, build, title, configuration, unit, tools, createdBy: actor.login, createdAt: w.at });
    let number = keyNumber(await freeNumber(w.tx, runs, projectId, 'RUN')) - 1;
    for (const c of chosen)
      await planRun(w, nextKey('RUN', number++), c, { round: key, build, configuration, unit, tools, tester: told.tester }, null);
    await w.log('round planned', 'round', key, null, {
      build,
      title,
      configuration,
      unit,
      tools,
      tester: told.tester,
      cases: chosen.map((c) => `${c.key} revision ${c.revision}`),
    });
    return roundDetail(w.tx, projectId, key);
  });
}
