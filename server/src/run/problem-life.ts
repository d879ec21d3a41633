import type { Problem, ProblemFigures, ProblemLife } from '@contract/run';
import { envelope2, recordFormat, textHash, type Role } from '@core/base';
import { foundAgainstClosed, lifeFindings, missingAt, moveRefusal, usualSeverities, usualStages, type DayShift } from '@core/run';
import { and, eq, isNull, sql } from 'drizzle-orm';
import {
  changeRecord,
  lockRecord,
  memberships,
  needBuild,
  needRecord,
  people,
  projectKey,
  proveSigner,
  putSignature,
  recordRows,
  records,
  Refusal,
  refuseStale,
  revisions,
  write,
  type Actor,
  type Db,
  type Tx,
} from '../base';
import { tracedTo } from '../specify';
import { problemNow, problemRows } from './problems';
import { problemDetailRows, problemLifeRows } from './rows';
import { problemDetails, problemLives, problems, runs } from './tables';

/** The life of problem reports, as the project has it. */
export async function problemLife(db: Db | Tx, projectId: number): Promise<ProblemLife> {
  const [row] = await db.select().from(problemLives).where(eq(problemLives.projectId, projectId));
  return row
    ? ({ stages: row.stages, severities: row.severities, areas: row.areas } as ProblemLife)
    : ({ stages: usualStages, severities: usualSeverities, areas: [] } as ProblemLife);
}

export async function saveProblemLife(db: Db, actor: Actor, life: ProblemLife): Promise<ProblemLife> {
  const faults = lifeFindings(life.stages);
  if (faults.length)
    throw new Refusal('invalid', {
      detail: faults.map(({ at, text }) => `Stage ${at + 1}: ${text}`).join(' '),
      fields: faults.map(({ at, text }) => ({ path: `stages.${at}`, text })),
    });
  await write(db, actor, async (w) => {
    const before = await problemLife(w.tx, actor.projectId);
    const { stages, severities, areas } = life;
    // A stage at which reports stand does not go away under them.
    const held = await w.tx
      .selectDistinct({ stage: problemDetails.stage })
      .from(problemDetails)
      .where(eq(problemDetails.projectId, actor.projectId));
    const lost = held.filter(({ stage }) => !stages.some(({ name }) => name === stage));
    if (lost.length)
      throw new Refusal('stateForbids', { detail: `Reports stand at ${lost.map(({ stage }) => stage).join(', ')}: move them first.` });
    await w.tx
      .insert(problemLives)
      .values({ projectId: actor.projectId, stages, severities, areas })
      .onDuplicateKeyUpdate({ set: { stages, severities, areas } });
    w.log({ action: 'life of problem reports set', kind: 'project', key: projectKey, before, after: { stages, severities, areas } });
    w.wrote(problemLifeRows, actor.projectId);
  });
  return life;
}

export interface ProblemChange {
  readonly basedOn: number;
  readonly title: string;
  readonly description: string;
  readonly blocking: boolean;
  readonly stage: string;
  readonly severity: string;
  readonly priority: string;
  readonly area: string;
  readonly assigned: string | null;
  readonly due: string | null;
  readonly fixedIn: string | null;
  readonly closedReason: string;
  readonly password: string;
}

/** The run that showed a report, where it still stands as failed. */
async function stillFailing(db: Db, id: number): Promise<string | undefined> {
  const [failing] = await db
    .select({ key: records.key })
    .from(problems)
    .innerJoin(runs, eq(runs.id, problems.runId))
    .innerJoin(records, eq(records.id, runs.id))
    .where(and(eq(problems.id, id), eq(runs.verdict, 'failed'), isNull(runs.supersededById), isNull(runs.withdrawnAt)));
  return failing?.key;
}

/** Why a change must be signed; undefined where it need not be. */
async function whySigned(db: Db, id: number, before: Problem, input: ProblemChange, closes: boolean): Promise<string | undefined> {
  const passed = before.shownBy.some(({ verdict }) => verdict === 'passed' || verdict === 'deviation') && before.fixedIn === input.fixedIn;
  const unblocks = before.blocking && before.state === 'open' && !input.blocking;
  if (!closes && !unblocks) return undefined;
  if (closes && passed) return undefined;
  const failing = await stillFailing(db, id);
  if (failing) return `${failing}, which showed it, still fails: closing it, or taking away that it blocks, is signed.`;
  return closes ? 'No run on the build with the fix has passed: closing it is signed, with a reason.' : undefined;
}

/**
 * Changes a report, and moves it along its life: the only way in which one is closed or opened again. It is closed where a run on the build with the fix
 * passed; without one, and where a run that showed it still fails, with a signed reason.
 */
export async function saveProblem(db: Db, actor: Actor, roles: readonly Role[], key: string, input: ProblemChange): Promise<Problem> {
  const { id } = await needRecord(db, actor.projectId, 'problem', key);
  const { stages } = await problemLife(db, actor.projectId);
  const before = await problemNow(db, id);
  const refused = moveRefusal(stages, before.stage, input.stage, roles);
  if (refused) throw new Refusal('stateForbids', { detail: refused });
  const stage = stages.find(({ name }) => name === input.stage);
  if (!stage) throw new Refusal('invalid', { fields: [{ path: 'stage', text: `There is no stage ${input.stage}.` }] });
  const missing = before.stage === input.stage ? [] : missingAt(stage, input);
  if (missing.length) throw new Refusal('invalid', { fields: missing.map((path) => ({ path, text: `“${stage.title}” asks for it.` })) });
  const closes = stage.means === 'closed' && before.state !== 'closed';
  const fixedIn = input.fixedIn ? await needBuild(db, actor.projectId, input.fixedIn) : undefined;
  if (closes && input.closedReason.trim().length < 3)
    throw new Refusal('invalid', { fields: [{ path: 'closedReason', text: 'Say why it can be closed.' }] });
  const why = await whySigned(db, id, before, input, closes);
  if (why && !input.password)
    throw new Refusal('invalid', { detail: why, fields: [{ path: 'password', text: `${why} Sign with your password.` }] });
  const signer = why ? await proveSigner(db, actor, input.password) : undefined;
  if (signer && input.closedReason.trim().length < 3)
    throw new Refusal('invalid', { fields: [{ path: 'closedReason', text: 'Say why: it is signed.' }] });
  await write(db, actor, async (w) => {
    const record = await lockRecord(w, 'problem', key);
    await refuseStale(record, input.basedOn, () => problemNow(w.tx, id));
    if (input.assigned !== null) {
      const [member] = await w.tx
        .select({ id: people.id })
        .from(people)
        .innerJoin(memberships, and(eq(memberships.personId, people.id), eq(memberships.projectId, actor.projectId)))
        .where(eq(people.login, input.assigned))
        .limit(1);
      if (!member) throw new Refusal('invalid', { fields: [{ path: 'assigned', text: `${input.assigned} is not in this project.` }] });
    }
    const state = stage.means === 'closed' ? 'closed' : 'open';
    const revision = record.revision + 1;
    const closedReason = state === 'closed' ? input.closedReason.trim() || before.closedReason : '';
    const { title, description, blocking } = input;
    await changeRecord(w, record, { title, words: description, state, revision });
    await w.tx
      .update(problems)
      .set({ description, blocking, closedReason, fixedInId: state === 'closed' ? (fixedIn?.id ?? null) : null })
      .where(eq(problems.id, id));
    const { severity, priority, area, assigned, due } = input;
    const values = { severity, priority, area, assigned, due, stage: stage.name, claimedInId: fixedIn?.id ?? null };
    await w.tx
      .insert(problemDetails)
      .values({ id, projectId: actor.projectId, ...values })
      .onDuplicateKeyUpdate({ set: values });
    const content = {
      title,
      description,
      blocking,
      state,
      closedReason,
      fixedIn: input.fixedIn,
      severity,
      priority,
      area,
      assigned,
      due,
      stage: stage.name,
    };
    const hash = textHash(envelope2('problem', record.key, revision, content));
    const against = await tracedTo(w.tx, 'foundAgainst', [id]);
    const [{ caseId }] = await w.tx.select({ caseId: problems.caseId }).from(problems).where(eq(problems.id, id));
    w.log({
      action: record.state === state ? 'problem changed' : state === 'closed' ? 'problem closed' : 'problem reopened',
      kind: 'problem',
      key: record.key,
      before: {
        title: before.title,
        description: before.description,
        blocking: before.blocking,
        state: before.state,
        stage: before.stage,
        severity: before.severity,
        priority: before.priority,
        area: before.area,
        assigned: before.assigned,
        due: before.due,
      },
      after: { ...content, ...(signer ? { printedName: signer.printedName, hash } : {}) },
      touches: { requirements: against.map((r) => r.id), results: caseId === null ? [] : [caseId] },
    });
    w.snapshot({ recordId: id, revision, state, snapshot: content, hash });
    w.wrote(recordRows, id);
    w.wrote(problemRows, id);
    w.wrote(problemDetailRows, id);
    if (signer)
      await putSignature(w, signer, {
        recordId: id,
        revision,
        meaning: 'closed',
        format: recordFormat,
        hash,
        reason: input.closedReason.trim(),
      });
  });
  return problemNow(db, id);
}

/** Reports counted, for the charts that lead to their lists. */
export async function problemFigures(db: Db, projectId: number): Promise<ProblemFigures> {
  const rowsOf = async <T>(query: ReturnType<typeof sql>): Promise<T[]> => ((await db.execute(query)) as unknown as [T[]])[0];
  const byRequirement = await rowsOf<{ k: string; open: number; closed: number }>(
    sql`select q.record_key as k, sum(r.state <> 'closed') as open, sum(r.state = 'closed') as closed
        from ${records} r join traces t on t.from_id = r.id and t.kind = 'foundAgainst' and t.removed_at is null join ${records} q on q.id = t.to_id
        where r.project_id = ${projectId} and r.kind = 'problem' group by q.record_key order by open desc, q.record_key limit 200`,
  );
  const bySeverity = await rowsOf<{ month: string; severity: string; n: number }>(
    sql`select left(r.created_at, 7) as month, ifnull(d.severity, '') as severity, count(*) as n
        from ${records} r left join problem_details d on d.id = r.id
        where r.project_id = ${projectId} and r.kind = 'problem' group by month, severity order by month, severity limit 1200`,
  );
  const found = await rowsOf<DayShift>(
    sql`select left(created_at, 10) as day, count(*) as count from ${records} where project_id = ${projectId} and kind = 'problem' group by day`,
  );
  // When a report was closed, and opened again, its revisions tell: what was changed of it later is no matter.
  const closed = await rowsOf<DayShift>(
    sql`select day, sum(shift) as count from (
          select left(v.at, 10) as day, (v.state = 'closed') - ifnull(lag(v.state = 'closed') over (partition by v.record_id order by v.seq), 0) as shift
          from ${records} r join ${revisions} v on v.record_id = r.id where r.project_id = ${projectId} and r.kind = 'problem') moves
        where shift <> 0 group by day`,
  );
  const byStage = await rowsOf<{ stage: string; n: number }>(
    sql`select ifnull(d.stage, if(r.state = 'closed', 'closed', 'open')) as stage, count(*) as n
        from ${records} r left join problem_details d on d.id = r.id where r.project_id = ${projectId} and r.kind = 'problem' group by stage`,
  );
  const numbers = (rows: readonly DayShift[]): DayShift[] => rows.map(({ day, count }) => ({ day, count: Number(count) }));
  return {
    byRequirement: byRequirement.map(({ k, open, closed: shut }) => ({ key: k, open: Number(open), closed: Number(shut) })),
    bySeverity: bySeverity.map(({ month, severity, n }) => ({ month, severity, count: Number(n) })),
    days: foundAgainstClosed(numbers(found), numbers(closed)),
    byStage: byStage.map(({ stage, n }) => ({ stage, count: Number(n) })),
  };
}
