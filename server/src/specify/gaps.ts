import type { GapRow, Gaps } from '@contract/specify';
import { envelope2, textHash } from '@core/base';
import { gapsOf, rulesLookedAt, type Gap, type GapFacts, type GapTrace, type TraceRule } from '@core/specify';
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

const findGaps = parseWork('gaps', (facts: GapFacts): Gap[] => gapsOf(facts));

const specificationRecord = alias(records, 'specification_record');
const fromRecord = alias(records, 'from_record');
const toRecord = alias(records, 'to_record');

async function factsOf(tx: Tx, projectId: number): Promise<GapFacts & { readonly rules: readonly TraceRule[] }> {
  const { levels } = await profileOf(tx, projectId);
  const rows = await tx
    .select({
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
    .select({ key: records.key, title: records.title, revision: records.revision, retiredAt: records.retiredAt })
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.kind, 'case')));
  const drawn = await tx
    .select({ kind: traces.kind, from: fromRecord.key, to: toRecord.key, fromRevision: traces.fromRevision, toRevision: traces.toRevision })
    .from(traces)
    .innerJoin(fromRecord, eq(fromRecord.id, traces.fromId))
    .innerJoin(toRecord, eq(toRecord.id, traces.toId))
    .where(and(eq(traces.projectId, projectId), inArray(traces.kind, ['parent', 'verifies']), isNull(traces.removedAt)));
  return {
    requirements: rows.map(({ retiredAt, ...r }) => ({ ...r, retired: retiredAt !== null })),
    cases: cases.map(({ retiredAt, ...c }) => ({ ...c, retired: retiredAt !== null })),
    traces: drawn as GapTrace[],
    levels,
    rules: (await traceRulesOf(tx, projectId)).rules,
  };
}

/** The keys of a specification, or of all below a heading; undefined for the whole project. */
async function within(
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

/** All that lacks or contradicts, with the exceptions that stand; of a part of the project, where one is named. */
async function found(db: Db, projectId: number, { specification, under }: GapQuestion, parse: Parse) {
  const { facts, exceptions, keys, seq } = await db.transaction(async (tx) => ({
    facts: await factsOf(tx, projectId),
    keys: await within(tx, projectId, specification, under),
    seq: await ledgerHead(tx, projectId),
    exceptions: await tx
      .select({ exception: gapExceptions, key: records.key })
      .from(gapExceptions)
      .innerJoin(records, eq(records.id, gapExceptions.recordId))
      .where(and(eq(gapExceptions.projectId, projectId), isNull(gapExceptions.endedAt))),
  }));
  const cases = new Set(facts.cases.map(({ key }) => key));
  const kindOf = (key: string): 'requirement' | 'case' => (cases.has(key) ? 'case' : 'requirement');
  const all = (await findGaps(parse, facts)).filter((gap) => !keys || keys.has(gap.key) || keys.has(gap.other));
  const rows = all.map((gap): GapRow => {
    const granted = exceptions.find(
      ({ key, exception: e }) => key === gap.key && e.rule === gap.rule && e.other === gap.other && e.ground === gap.ground,
    )?.exception;
    return {
      ...gap,
      kind: kindOf(gap.key),
      otherKind: gap.other ? kindOf(gap.other) : null,
      exception: granted ? { id: granted.id, reason: granted.reason, by: granted.by, at: granted.at } : null,
    };
  });
  const standing = new Set(rows.flatMap((row) => row.exception?.id ?? []));
  return {
    rows,
    rules: facts.rules,
    checked: facts.requirements.filter((r) => !r.retired && (!keys || keys.has(r.key))).length,
    ended: keys ? 0 : exceptions.filter(({ exception }) => !standing.has(exception.id)).length,
    seq,
  };
}

const asked = (rows: readonly GapRow[], { rule, excepted }: GapQuestion): GapRow[] =>
  rows.filter((row) => (rule === undefined || row.rule === rule) && (excepted === 'with' || row.exception === null));

export async function listGaps(
  db: Db,
  projectId: number,
  query: GapQuestion & { readonly skip: number; readonly limit: number },
  parse: Parse = parseHere,
): Promise<Gaps> {
  const { rows, rules, ...rest } = await found(db, projectId, query, parse);
  const chosen = asked(rows, query);
  return {
    ...rest,
    rules: rulesLookedAt(rules).map(({ rule, ...words }) => {
      const of = rows.filter((row) => row.rule === rule);
      return { rule, ...words, open: of.filter((row) => !row.exception).length, excepted: of.filter((row) => row.exception).length };
    }),
    rows: chosen.slice(query.skip, query.skip + query.limit),
    total: chosen.length,
  };
}

/** The same, all of it: what an export writes. */
export async function allGaps(
  db: Db,
  projectId: number,
  query: GapQuestion,
  parse: Parse,
): Promise<(GapRow & { readonly name: string })[]> {
  const { rows, rules } = await found(db, projectId, query, parse);
  const names = new Map(rulesLookedAt(rules).map(({ rule, name }) => [rule, name]));
  return asked(rows, query).map((row) => ({ ...row, name: names.get(row.rule) ?? row.rule }));
}

/** How many gaps some rules of trace would find, by their ids. */
export async function tryTraceRules(
  db: Db,
  projectId: number,
  rules: readonly TraceRule[],
  parse: Parse = parseHere,
): Promise<Record<string, number>> {
  const facts = await db.transaction((tx) => factsOf(tx, projectId));
  const gaps = await findGaps(parse, { ...facts, rules });
  return Object.fromEntries(rules.map(({ id }) => [id, gaps.filter((gap) => gap.rule === id).length]));
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
  const gap = (await found(db, projectId, {}, parse)).rows.find((row) => row.rule === rule && row.key === key && row.other === other);
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
