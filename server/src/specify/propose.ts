import type { Proposal } from '@contract/specify';
import type { VersionedKind } from '@core/base';
import { proposePairs, type ProposedPair, type Worded } from '@core/specify';
import { and, eq, isNull, ne, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import { findRecord, parseHere, parseWork, records, Refusal, traces, type Db, type Parse, type Tx } from '../base';
import { requirements } from './tables';
import { wordingOf } from './wording';

export interface ProposalQuestion {
  readonly kind: 'verifies' | 'parent';
  readonly of?: string | undefined;
  readonly specification?: string | undefined;
  readonly into?: string | undefined;
  readonly lacking: 'yes' | 'no';
  /** In percent. */
  readonly least: number;
}

const mostProposals = 500;
const forEach = 4;
const mostTexts = 20_000;

interface Task {
  readonly froms: readonly Worded[];
  readonly tos: readonly Worded[];
  readonly traced: readonly string[];
  readonly least: number;
  readonly glossary: readonly string[];
}

const propose = parseWork('proposals', ({ froms, tos, traced, least, glossary }: Task): ProposedPair[] =>
  proposePairs(froms, tos, new Set(traced), { least: least / 100, most: forEach }, glossary),
);

interface Text extends Worded {
  readonly id: number;
  readonly kind: VersionedKind;
  readonly title: string;
  readonly body: string;
  readonly specification: string;
}

const specificationRecord = alias(records, 'specification_record');

async function requirementTexts(tx: Tx, projectId: number): Promise<Text[]> {
  const rows = await tx
    .select({ id: records.id, key: records.key, title: records.title, body: requirements.text, specification: specificationRecord.key })
    .from(requirements)
    .innerJoin(records, eq(records.id, requirements.id))
    .innerJoin(specificationRecord, eq(specificationRecord.id, requirements.specificationId))
    .where(and(eq(requirements.projectId, projectId), eq(requirements.kind, 'requirement'), isNull(records.retiredAt)))
    .limit(mostTexts);
  return rows.map((row) => ({ ...row, kind: 'requirement', text: `${row.title}. ${row.body}` }));
}

async function caseTexts(tx: Tx, projectId: number): Promise<Text[]> {
  const rows = await tx
    .select({ id: records.id, key: records.key, title: records.title, body: records.words })
    .from(records)
    .where(and(eq(records.projectId, projectId), eq(records.kind, 'case'), isNull(records.retiredAt), ne(records.words, '')))
    .limit(mostTexts);
  return rows.map((row) => {
    // What is searched begins with key and title.
    const body = row.body.replace(`${row.key} ${row.title}`, '').trim();
    return { ...row, body, kind: 'case', specification: '', text: `${row.title}. ${body}` };
  });
}

/** Traces that are likely by shared words; of one record, of a specification, or of all requirements that have none. */
export async function proposals(
  db: Db,
  projectId: number,
  question: ProposalQuestion,
  parse: Parse = parseHere,
): Promise<{ proposals: Proposal[]; looked: { from: number; to: number }; more: boolean }> {
  const { kind, of, specification, into, lacking, least } = question;
  const { froms, tos, traced, glossary } = await db.transaction(async (tx) => {
    const asked = of === undefined ? undefined : await findRecord(tx, projectId, of);
    if (of !== undefined && !asked) throw new Refusal('notFound', { detail: `There is no ${of}.` });
    const drawn = await tx
      .select({ from: traces.fromId, to: traces.toId })
      .from(traces)
      .where(and(eq(traces.projectId, projectId), eq(traces.kind, kind), isNull(traces.removedAt)));
    const all = await requirementTexts(tx, projectId);
    const has = new Set(drawn.map(({ from, to }) => (kind === 'parent' ? from : to)));
    // Whoever has none, where that is asked; the ends of what is asked about always.
    const wants = (text: Text): boolean =>
      (specification === undefined || text.specification === specification) &&
      (lacking === 'no' || asked !== undefined || !has.has(text.id));
    const topLevel =
      kind === 'parent' && lacking === 'yes' && !asked
        ? new Set(
            (
              await tx
                .select({ id: requirements.id })
                .from(requirements)
                .where(and(eq(requirements.projectId, projectId), sql`(${requirements.topLevel} or ${requirements.derived})`))
            ).map(({ id }) => id),
          )
        : new Set<number>();
    let left: Text[] = kind === 'parent' ? all.filter((t) => wants(t) && !topLevel.has(t.id)) : await caseTexts(tx, projectId);
    let right: Text[] = kind === 'parent' ? all.filter((t) => into === undefined || t.specification === into) : all.filter(wants);
    if (asked?.kind === 'case' || kind === 'parent') left = asked ? left.filter((t) => t.id === asked.id) : left;
    else if (asked) right = right.filter((t) => t.id === asked.id);
    // A parent stands in another specification: what is derived belongs a level below.
    if (kind === 'parent' && asked) right = right.filter((t) => t.specification !== left.at(0)?.specification);
    const keyOf = new Map([...left, ...right].map(({ id, key }) => [id, key]));
    return {
      froms: left,
      tos: right,
      traced: drawn.flatMap(({ from, to }) => (keyOf.has(from) && keyOf.has(to) ? [`${keyOf.get(from)} ${keyOf.get(to)}`] : [])),
      glossary: (await wordingOf(tx, projectId)).lists.glossary.map(({ term }) => term),
    };
  });
  const worded = (list: readonly Text[]): Worded[] => list.map(({ key, text }) => ({ key, text }));
  const pairs = await propose(parse, { froms: worded(froms), tos: worded(tos), traced, least, glossary });
  const byKey = new Map([...froms, ...tos].map((text) => [text.key, text]));
  const apart = pairs.filter(({ from, to }) => kind !== 'parent' || byKey.get(from)?.specification !== byKey.get(to)?.specification);
  const end = (key: string): Proposal['from'] => {
    const { kind: of, title = '', body = '' } = byKey.get(key) ?? { kind: 'requirement' as const };
    return { kind: of, key, title, text: body.slice(0, 600) };
  };
  return {
    proposals: apart
      .slice(0, mostProposals)
      .map(({ from, to, score, words }) => ({ from: end(from), to: end(to), likely: Math.round(100 * score), words: [...words] })),
    looked: { from: froms.length, to: tos.length },
    more: apart.length > mostProposals,
  };
}
