import type { GapRow, Gaps } from '@contract/specify';
import { envelope2, textHash } from '@core/base';
import {
  gapCounts,
  gapPage,
  type GapAsked,
  type GapException,
  type GapFacts,
  type GapPage,
  type GapTrace,
  type TraceRule,
} from '@core/specify';
import { and, eq, inArray, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  account,
  findRecord,
  ledgerHead,
  needRecord,
  parseHere,
  parseWork,
  profileOf,
  proveSigner,
  putSignature,
  records,
  Refusal,
  traces,
  write,
  type Actor,
  type Db,
  type Parse,
  type Tx,
} from '../base';
import { gapExceptions, requirements } from './tables';
import { traceRulesOf } from './trace-rules';

const exceptionRows = account({
  name: 'gap_exceptions',
  table: gapExceptions,
  id: gapExceptions.id,
  project: gapExceptions.projectId,
  columns: [
    ['recordId', gapExceptions.recordId],
    ['rule', gapExceptions.rule],
    ['other', gapExceptions.other],
    ['ground', gapExceptions.ground],
    ['reason', gapExceptions.reason],
    ['by', gapExceptions.by],
    ['at', gapExceptions.at],
    ['endedAt', gapExceptions.endedAt],
    ['endedReason', gapExceptions.endedReason],
  ],
});

/** In a thread: what is looked at is all of a project, what is answered is a page. */
const findGaps = parseWork(
  'gaps',
  ({ facts, exceptions, asked }: { facts: GapFacts; exceptions: readonly GapException[]; asked: GapAsked }): GapPage =>
    gapPage(facts, exceptions, asked),
);
const countGaps = parseWork('gaps, counted', (facts: GapFacts) => gapCounts(facts));

const specificationRecord = alias(records, 'specification_record');

async function factsOf(tx: Tx, projectId: number): Promise<GapFacts & { readonly rules: readonly TraceRule[] }> {
  const { levels } = await profileOf(tx, projectId);
  const rows = await tx
    .select({
      id: records.id,
      key: records.key,
      title: records.title,
      specification: specificationRecord.key,
      state: records.state,
      revision: records.revision,
      retiredAt: records.retiredAt,
      level: requirements.level,
      topLevel: requirements.topLevel,
      derived: requirements.derived,
      notInCode: requirements.notInCode,
      rationale: requirements.rationale,
      text: requirements.text,
      inCode: sql<number>`exists (select 1 from code_traces ct where ct.requirement_id = ${records.id})`.mapWith(Boolean),
    })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .innerJoin(specificationRecord, eq(specificationRecord.id, requirements.specificationId))
    .where(and(eq(requirements.projectId, projectId), eq(requirements.kind, 'requirement')));
  const cases = await tx
    .select({ id: records.id, key: records.key, title: records.title, revision: records.revision, retiredAt: records.retiredAt })
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.kind, 'case')));
  // Of 100,000 the ends are told by their ids: their keys are known already.
  const drawn = await tx
    .select({ kind: traces.kind, from: traces.fromId, to: traces.toId, fromRevision: traces.fromRevision, toRevision: traces.toRevision })
    .from(traces)
    .where(and(eq(traces.projectId, projectId), inArray(traces.kind, ['parent', 'verifies']), isNull(traces.removedAt)));
  const keys = new Map([...rows, ...cases].map(({ id, key }) => [id, key]));
  return {
    requirements: rows.map(({ id: _, retiredAt, ...r }) => ({ ...r, retired: retiredAt !== null })),
    cases: cases.map(({ id: _, retiredAt, ...c }) => ({ ...c, retired: retiredAt !== null })),
    traces: drawn.map(({ kind, from, to, fromRevision, toRevision }): GapTrace => ({
      kind: kind as GapTrace['kind'],
      from: keys.get(from) ?? '',
      to: keys.get(to) ?? '',
      fromRevision,
      toRevision,
    })),
    levels,
    rules: (await traceRulesOf(tx, projectId)).rules,
  };
}

/** The keys of a specification, or of all below a heading; undefined for the whole project. */
async function keysWithin(
  tx: Tx,
  projectId: number,
  specification: string | undefined,
  under: string | undefined,
): Promise<Set<string> | undefined> {
  if (under) {
    const top = await needRecord(tx, projectId, 'requirement', under);
    const [rows] = (await tx.execute(
      sql`with recursive b as (select id from ${requirements} where id = ${top.id} union select r.id from ${requirements} r join b on r.under_id = b.id) select ${records.key} as k from b join ${records} on ${records.id} = b.id`,
    )) as unknown as [{ k: string }[]];
    return new Set(rows.map(({ k }) => k));
  }
  if (!specification) return undefined;
  const { id } = await needRecord(tx, projectId, 'specification', specification);
  const rows = await tx
    .select({ key: records.key })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .where(eq(requirements.specificationId, id));
  return new Set(rows.map(({ key }) => key));
}

export interface GapQuestion {
  readonly specification?: string | undefined;
  readonly under?: string | undefined;
  readonly rule?: string | undefined;
  readonly excepted?: 'with' | undefined;
}

const everything = { skip: 0, limit: Number.MAX_SAFE_INTEGER };

/** What lacks and what contradicts, rule by rule; of a part of the project, where one is named. */
export async function listGaps(
  db: Db,
  projectId: number,
  { specification, under, ...asked }: GapQuestion & { readonly skip: number; readonly limit: number },
  parse: Parse = parseHere,
): Promise<Gaps> {
  const { seq, within, ...looked } = await db.transaction(async (tx) => ({
    facts: await factsOf(tx, projectId),
    within: await keysWithin(tx, projectId, specification, under),
    seq: await ledgerHead(tx, projectId),
    exceptions: await tx
      .select({
        id: gapExceptions.id,
        rule: gapExceptions.rule,
        key: records.key,
        other: gapExceptions.other,
        ground: gapExceptions.ground,
        reason: gapExceptions.reason,
        by: gapExceptions.by,
        at: gapExceptions.at,
      })
      .from(gapExceptions)
      .innerJoin(records, eq(records.id, gapExceptions.recordId))
      .where(and(eq(gapExceptions.projectId, projectId), isNull(gapExceptions.endedAt))),
  }));
  const { rules, rows, ...page } = await findGaps(parse, { ...looked, asked: { ...asked, within } });
  return { ...page, rules: [...rules], rows: [...rows], seq };
}

/** The same, all of it: what an export writes. */
export async function allGaps(
  db: Db,
  projectId: number,
  query: GapQuestion,
  parse: Parse,
): Promise<(GapRow & { readonly name: string })[]> {
  const { rows, rules } = await listGaps(db, projectId, { ...query, ...everything }, parse);
  const names = new Map(rules.map(({ rule, name }) => [rule, name]));
  return rows.map((row) => ({ ...row, name: names.get(row.rule) ?? row.rule }));
}

/** How many gaps some rules of trace would find, by their ids. */
export async function tryTraceRules(
  db: Db,
  projectId: number,
  rules: readonly TraceRule[],
  parse: Parse = parseHere,
): Promise<Record<string, number>> {
  const facts = await db.transaction((tx) => factsOf(tx, projectId));
  return { ...(await countGaps(parse, { ...facts, rules })) };
}

export interface NewException {
  readonly rule: string;
  readonly key: string;
  readonly other: string;
  readonly ground: string;
  readonly reason: string;
  readonly password: string;
}

/** Grants an exception from a rule: for just what was looked at, under a signature. */
export async function grantException(db: Db, actor: Actor, input: NewException, parse: Parse = parseHere): Promise<void> {
  const { projectId } = actor;
  const { rule, key, other, ground, reason } = input;
  const signer = await proveSigner(db, actor, input.password);
  const { rows } = await listGaps(db, projectId, { rule, excepted: 'with', ...everything }, parse);
  const gap = rows.find((row) => row.key === key && row.other === other);
  if (!gap) throw new Refusal('notFound', { detail: 'There is no such gap any more.' });
  if (gap.ground !== ground)
    throw new Refusal('recordChanged', { detail: 'What it rests on was revised: look at it again before you sign.' });
  if (gap.exception) throw new Refusal('alreadySigned', { detail: 'An exception from it stands already.' });
  await write(db, actor, async (w) => {
    const record = await findRecord(w.tx, projectId, key);
    if (!record) throw new Refusal('notFound');
    const hash = textHash(envelope2('exception', key, record.revision, { rule, other, ground, reason }));
    const [made] = await w.tx
      .insert(gapExceptions)
      .values({ projectId, recordId: record.id, rule, other, ground, reason, by: actor.login, at: w.at, endedAt: null, endedReason: '' })
      .$returningId();
    w.log({ action: 'exception granted', kind: record.kind, key, after: { rule, other, reason, printedName: signer.printedName, hash } });
    w.wrote(exceptionRows, made.id);
    await putSignature(w, signer, {
      recordId: record.id,
      revision: record.revision,
      meaning: 'exception granted',
      format: 2,
      hash,
      reason,
    });
  });
}

export function endException(db: Db, actor: Actor, id: number, reason: string): Promise<void> {
  return write(db, actor, async (w) => {
    const [row] = await w.tx
      .select({ exception: gapExceptions, key: records.key, kind: records.kind })
      .from(gapExceptions)
      .innerJoin(records, eq(records.id, gapExceptions.recordId))
      .where(and(eq(gapExceptions.projectId, actor.projectId), eq(gapExceptions.id, id), isNull(gapExceptions.endedAt)));
    if (!row) throw new Refusal('notFound', { detail: 'There is no such exception, or it ended already.' });
    await w.tx.update(gapExceptions).set({ endedAt: w.at, endedReason: reason }).where(eq(gapExceptions.id, id));
    w.log({
      action: 'exception ended',
      kind: row.kind,
      key: row.key,
      before: { rule: row.exception.rule, reason: row.exception.reason },
      after: { reason },
    });
    w.wrote(exceptionRows, id);
  });
}
