import { dependenceCircles } from '@core/design';
import { eq, inArray } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { records, recordsByKey, Refusal, type Db, type Tx, type Writing } from '../base';
import { caseDepends } from './tables';

const onRecord = alias(records, 'on_record');

/** What cases depend on, and what that depends on, by key. */
export async function dependences(db: Db | Tx, ids: readonly number[]): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  const seen = new Set(ids);
  for (let open = [...seen]; open.length;) {
    const rows = await db
      .select({ from: records.key, to: onRecord.key, toId: onRecord.id })
      .from(caseDepends)
      .innerJoin(records, eq(records.id, caseDepends.caseId))
      .innerJoin(onRecord, eq(onRecord.id, caseDepends.onId))
      .where(inArray(caseDepends.caseId, open));
    open = [];
    for (const { from, to, toId } of rows) {
      found.set(from, [...(found.get(from) ?? []), to]);
      if (!seen.has(toId)) {
        seen.add(toId);
        open.push(toId);
      }
    }
  }
  return found;
}

/** Notes on which cases one depends; refuses what is no case, and circles. */
export async function noteDepends(w: Writing, id: number, key: string, dependsOn: readonly string[]): Promise<void> {
  const refuse = (text: string): never => {
    throw new Refusal('invalid', { detail: text, fields: [{ path: 'content.dependsOn', text }] });
  };
  const known = await recordsByKey(w.tx, w.actor.projectId, dependsOn);
  const on = dependsOn.map((name) => {
    const record = known.get(name);
    return record?.kind === 'case' ? record : refuse(`There is no case ${name}.`);
  });
  await w.tx.delete(caseDepends).where(eq(caseDepends.caseId, id));
  if (!on.length) return;
  await w.tx.insert(caseDepends).values(on.map((record) => ({ caseId: id, onId: record.id })));
  const all = await dependences(w.tx, [id]);
  const [circle] = dependenceCircles([...all].map(([from, to]) => ({ key: from, dependsOn: to })));
  if (circle) refuse(`${key} would depend on itself: ${circle}.`);
}
