import type { Problem } from '@contract/run';
import { keyNumber, nextKey } from '@core/base';
import { and, desc, eq } from 'drizzle-orm';
import { needBuild, Refusal, write, type Actor, type Db, type Tx } from '../base';
import { runDetail } from './store';
import { problems } from './tables';

const asProblem = (row: typeof problems.$inferSelect): Problem => {
  const { key, title, description, blocking, state, run, step, caseKey, build, requirements, revision, raisedBy, raisedAt, closedReason } =
    row;
  return {
    key,
    title,
    description,
    blocking,
    state,
    run,
    step,
    caseKey,
    build,
    requirements: [...requirements],
    revision,
    raisedBy,
    raisedAt,
    closedReason,
  };
};

export async function listProblems(db: Db | Tx, projectId: number): Promise<Problem[]> {
  return (await db.select().from(problems).where(eq(problems.projectId, projectId)).orderBy(desc(problems.id))).map(asProblem);
}

export interface NewProblem {
  readonly title: string;
  readonly description: string;
  readonly blocking: boolean;
  readonly run: string | null;
  readonly step: number | null;
  readonly build: string;
  readonly requirements: readonly string[];
}

/** Raises a problem report. One that comes from a run is linked to its case, build and the requirements that the case verifies. */
export function addProblem(db: Db, actor: Actor, told: NewProblem): Promise<Problem> {
  return write(db, actor, async (w) => {
    await needBuild(w.tx, actor.projectId, told.build);
    const run = told.run === null ? undefined : await runDetail(w.tx, actor.projectId, told.run);
    const [last] = await w.tx
      .select({ key: problems.key })
      .from(problems)
      .where(eq(problems.projectId, actor.projectId))
      .orderBy(desc(problems.id))
      .limit(1);
    const row = {
      projectId: actor.projectId,
      key: nextKey('PR', last ? keyNumber(last.key) : 0),
      title: told.title,
      description: told.description,
      blocking: told.blocking,
      state: 'open' as const,
      run: run?.key ?? null,
      step: told.step,
      caseKey: run?.caseKey ?? null,
      build: run?.build ?? told.build,
      requirements: [...new Set([...told.requirements, ...(run?.verifies.map((r) => r.key) ?? [])])].sort(),
      revision: 1,
      raisedBy: actor.login,
      raisedAt: w.at,
      closedReason: '',
    };
    const [made] = await w.tx.insert(problems).values(row).$returningId();
    const problem = asProblem({ ...row, id: made.id });
    await w.log('problem raised', 'problem', row.key, null, problem);
    return problem;
  });
}

export function saveProblem(
  db: Db,
  actor: Actor,
  key: string,
  told: { basedOn: number; title: string; description: string; blocking: boolean; state: 'open' | 'closed'; closedReason: string },
): Promise<Problem> {
  return write(db, actor, async (w) => {
    const [row] = await w.tx
      .select()
      .from(problems)
      .where(and(eq(problems.projectId, actor.projectId), eq(problems.key, key)));
    if (!row) throw new Refusal('notFound', { detail: `There is no problem report ${key}.` });
    if (row.revision !== told.basedOn) throw new Refusal('conflict', { current: asProblem(row) });
    if (told.state === 'closed' && told.closedReason.trim().length < 3)
      throw new Refusal('invalid', { fields: [{ path: 'closedReason', text: 'Say why it can be closed.' }] });
    const { title, description, blocking, state, closedReason } = told;
    const after = {
      ...row,
      title,
      description,
      blocking,
      state,
      closedReason: state === 'closed' ? closedReason : '',
      revision: row.revision + 1,
    };
    await w.tx
      .update(problems)
      .set({ title, description, blocking, state, closedReason: after.closedReason, revision: after.revision })
      .where(eq(problems.id, row.id));
    await w.log(
      row.state === state ? 'problem changed' : state === 'closed' ? 'problem closed' : 'problem reopened',
      'problem',
      key,
      asProblem(row),
      asProblem(after),
    );
    return asProblem(after);
  });
}
