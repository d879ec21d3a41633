import { tracePattern, traceRuleFaults, usualTraceRules, type TraceRule } from '@core/specify';
import { eq } from 'drizzle-orm';
import { profileOf, Refusal, write, type Actor, type Db, type Tx } from '../base';
import { traceRules } from './tables';

export interface TraceRulesKept {
  readonly rules: TraceRule[];
  readonly usual: boolean;
  readonly pattern: TraceRule[];
}

/** The rules of trace that a project goes by, and the pattern of its standard. */
export async function traceRulesOf(db: Db | Tx, projectId: number): Promise<TraceRulesKept> {
  const [row] = await db.select({ rules: traceRules.rules }).from(traceRules).where(eq(traceRules.projectId, projectId));
  const { standard, levels } = await profileOf(db, projectId);
  return { rules: [...(row?.rules ?? usualTraceRules)], usual: !row, pattern: [...tracePattern(standard, levels)] };
}

/** Gives a project its own rules of trace. */
export function saveTraceRules(db: Db, actor: Actor, rules: readonly TraceRule[]): Promise<void> {
  const faults = traceRuleFaults(rules);
  if (faults.length)
    throw new Refusal('invalid', { fields: faults.map(({ at, field, text }) => ({ path: `rules.${at}.${field}`, text })) });
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const before = await traceRulesOf(w.tx, projectId);
    await w.tx.insert(traceRules).values({ projectId, rules }).onDuplicateKeyUpdate({ set: { rules } });
    w.log({ action: 'rules of trace set', kind: 'project', key: 'trace rules', before: { rules: before.rules }, after: { rules } });
  });
}
