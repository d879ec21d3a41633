import type { MadePlanned, ModelDetail } from '@contract/design';
import { textHash } from '@core/base';
import { casesOfModel, planMade, type CaseOfModel, type MadeBefore, type MadePlan, type ModelChoice } from '@core/design';
import { eq } from 'drizzle-orm';
import { lockRecord, Refusal, refuseRetired, retireIn, write, type Actor, type Db, type Tx, type Writing } from '../base';
import { tracedTo } from '../specify';
import { addCaseIn, lockCase, reviseCase } from './cases';
import { lockModel } from './models';
import { madeOf, modelContent, modelDetail, needModel, originRows, type StoredModel } from './model-store';
import { caseContent, needCase, wholeCase } from './store';
import { caseOrigins } from './tables';

export interface MadeInput {
  readonly basedOn: number;
  readonly choice: ModelChoice;
}

interface Planned {
  readonly plan: MadePlan;
  readonly titles: ReadonlyMap<string, string>;
  readonly asked: number;
}

const askedOf = (choice: ModelChoice): number =>
  choice.of === 'paths'
    ? choice.paths.length
    : choice.of === 'walks'
      ? choice.walks.length + choice.refused.length
      : choice.of === 'rules' && choice.as === 'cases'
        ? choice.rules.length
        : 1;

async function planned(tx: Db | Tx, stored: StoredModel, choice: ModelChoice): Promise<Planned> {
  const content = modelContent(stored);
  const before = await madeOf(tx, [stored.record.id]);
  const known = before.map(({ origin, record }): MadeBefore => ({
    identity: origin.identity,
    fingerprint: origin.fingerprint,
    key: record.key,
    edited: record.revision > origin.caseRevision,
    retired: record.retiredAt !== null,
  }));
  return {
    plan: planMade(known, casesOfModel(content, choice)),
    titles: new Map(before.map(({ record }) => [record.key, record.title])),
    asked: askedOf(choice),
  };
}

/** What making cases of a choice would do; nothing is written. */
export function planCasesOf(db: Db, projectId: number, key: string, { basedOn, choice }: MadeInput): Promise<MadePlanned> {
  return db.transaction(async (tx) => {
    const stored = await needModel(tx, projectId, key);
    if (stored.record.revision !== basedOn)
      throw new Refusal('conflict', {
        detail: `${key} is at revision ${stored.record.revision} now.`,
        current: await modelDetail(tx, projectId, key),
      });
    const {
      plan: { fresh, changed, same, gone },
      titles,
      asked,
    } = await planned(tx, stored, choice);
    const named = (m: MadeBefore) => ({ identity: m.identity, key: m.key, title: titles.get(m.key) ?? '' });
    return {
      fresh: fresh.map(({ identity, content }) => ({ identity, content })),
      changed: changed.map(({ now, before }) => ({ ...named(before), content: now.content, edited: before.edited })),
      same: same.map(named),
      gone: gone.map(named),
      leftOut: asked - fresh.length - changed.length - same.length,
    };
  });
}

export interface MakeInput extends MadeInput {
  readonly take: readonly string[];
  readonly retire: readonly string[];
  readonly into?: string | undefined;
  readonly reason: string;
}

/** Writes down of what a case was made, or of what it is made anew. Belongs to the entry logged before. */
export async function noteOrigin(
  w: Writing,
  caseId: number,
  source: { readonly id: number; readonly revision: number },
  { identity, fingerprint }: Pick<CaseOfModel, 'identity' | 'fingerprint'>,
  caseRevision: number,
): Promise<void> {
  const values = {
    sourceId: source.id,
    sourceRevision: source.revision,
    identity,
    identityHash: textHash(identity),
    fingerprint,
    caseRevision,
  };
  const [known] = await w.tx.select({ id: caseOrigins.id }).from(caseOrigins).where(eq(caseOrigins.id, caseId));
  if (known) await w.tx.update(caseOrigins).set(values).where(eq(caseOrigins.id, caseId));
  else await w.tx.insert(caseOrigins).values({ id: caseId, projectId: w.actor.projectId, ...values });
  w.wrote(originRows, caseId);
}

/** Makes cases of a model: new, changed and retired ones in one transaction. Two who do so at once come one after the other, and make nothing twice. */
export async function makeCasesOf(
  db: Db,
  actor: Actor,
  key: string,
  input: MakeInput,
): Promise<{ written: string[]; changed: string[]; retired: string[]; model: ModelDetail }> {
  const { projectId } = actor;
  const done = await write(db, actor, async (w) => {
    const stored = await lockModel(w, key, input.basedOn);
    refuseRetired(stored.record);
    const { plan } = await planned(w.tx, stored, input.choice);
    const verifies = (await tracedTo(w.tx, 'models', [stored.record.id])).map((r) => r.key);
    const taken = new Set(input.take);
    const result = { written: [] as string[], changed: [] as string[], retired: [] as string[] };
    const fresh = plan.fresh.filter((m) => taken.has(m.identity));
    const changed = plan.changed.filter(({ now }) => taken.has(now.identity));
    for (const identity of taken)
      if (![...fresh, ...changed.map((c) => c.now)].some((m) => m.identity === identity))
        throw new Refusal('recordChanged', { detail: 'What was planned is not what would be made now: look at the plan again.' });
    if (input.into !== undefined) {
      const [one] = [...fresh, ...changed.map((c) => c.now)];
      if (!one) throw new Refusal('stateForbids', { detail: 'There is nothing to put into the case.' });
      await rowsInto(w, stored, input.into, one, input.reason);
      return { ...result, changed: [input.into] };
    }
    for (const one of fresh) {
      const made = await addCaseIn(w, { content: one.content, verifies });
      const { record } = await needCase(w.tx, projectId, made);
      await noteOrigin(w, record.id, stored.record, one, 1);
      result.written.push(made);
    }
    for (const { now, before } of changed) {
      let record = await lockRecord(w, 'case', before.key);
      if (record.retiredAt !== null) {
        await retireIn(w, record, false, input.reason || `${key} has it again.`);
        record = await lockRecord(w, 'case', before.key);
      }
      const whole = await wholeCase(w.tx, record);
      // What its author decided beside the steps stays theirs.
      const { title, objective, steps, preconditions, rows } = now.content;
      const { rows: _, ...rest } = caseContent(whole);
      await reviseCase(w, whole, { ...rest, title, objective, steps, preconditions, ...(rows ? { rows } : {}) }, input.reason);
      const { record: after } = await needCase(w.tx, projectId, before.key);
      if (after.revision === record.revision) w.log({ action: 'case made anew', kind: 'case', key: before.key, after: { of: key } });
      await noteOrigin(w, record.id, stored.record, now, after.revision);
      result.changed.push(before.key);
    }
    for (const gone of input.retire) {
      if (!plan.gone.some((m) => m.key === gone))
        throw new Refusal('stateForbids', { detail: `${gone} was not made of ${key}, or is chosen.` });
      await retireIn(w, await lockRecord(w, 'case', gone), true, input.reason || `${key} has it no longer.`);
      result.retired.push(gone);
    }
    return result;
  });
  return { ...done, model: await modelDetail(db, projectId, key) };
}

/** Gives the rows of what is made to a case that is there: its steps stay, columns that they do not name are told there. */
async function rowsInto(w: Writing, stored: StoredModel, into: string, one: CaseOfModel, reason: string): Promise<void> {
  const { record } = await needCase(w.tx, w.actor.projectId, into);
  const target = await lockCase(w, into, record.revision);
  const [other] = await w.tx.select().from(caseOrigins).where(eq(caseOrigins.id, record.id));
  if (other && other.sourceId !== stored.record.id)
    throw new Refusal('stateForbids', { detail: `${into} was made of something else already: its rows are not overwritten from here.` });
  await reviseCase(w, target, { ...caseContent(target), ...(one.content.rows ? { rows: one.content.rows } : {}) }, reason);
  const { record: after } = await needCase(w.tx, w.actor.projectId, into);
  if (after.revision === record.revision) w.log({ action: 'case made anew', kind: 'case', key: into, after: { of: stored.record.key } });
  await noteOrigin(w, record.id, stored.record, one, after.revision);
}
