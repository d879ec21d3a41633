import type { DraftPlan } from '@contract/design';
import { canonicalJson, groupBy, sha256Hex, type Json } from '@core/base';
import { planCases, type ExistingCase, type Grain, type TreePlan, type TreeRequirement } from '@core/design';
import { inReadingOrder } from '@core/specify';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import { alias } from 'drizzle-orm/mysql-core';
import {
  insertTraces,
  needRecord,
  parseHere,
  parseWork,
  records,
  recordsByKey,
  Refusal,
  traces,
  write,
  type Actor,
  type Db,
  type Parse,
  type StoredRecord,
  type Tx,
} from '../base';
import { contentOf, lockSpecification, needSpecification, wholeRequirements } from '../specify';
import { addCaseIn } from './cases';
import { noteOrigin } from './made';
import { needCase } from './store';
import { caseOrigins } from './tables';

export interface DraftScope {
  readonly specification: string;
  readonly under: string | null;
  readonly choices: readonly { readonly key: string; readonly grain: Grain }[];
}

interface Scope {
  readonly requirements: readonly TreeRequirement[];
  readonly records: ReadonlyMap<string, StoredRecord>;
  readonly existing: readonly ExistingCase[];
}

const caseRecord = alias(records, 'case_record');

/** The part of the tree that is meant, with the cases that verify any of it. */
async function scopeOf(tx: Tx, projectId: number, { specification, under }: DraftScope): Promise<Scope> {
  const { id } = await needSpecification(tx, projectId, specification);
  const all = (await wholeRequirements(tx, projectId, id)).filter(({ record }) => record.retiredAt === null);
  const ordered = inReadingOrder(all.map((r) => ({ ...r, key: r.record.key })));
  let part = ordered;
  if (under !== null) {
    await needRecord(tx, projectId, 'requirement', under);
    const within = new Set([under]);
    part = ordered.filter((r) => r.key === under || (r.under !== null && within.has(r.under) && within.add(r.key)));
  }
  const ids = part.map(({ record }) => record.id);
  const verifying = ids.length
    ? await tx
        .select({ id: caseRecord.id, key: caseRecord.key, requirement: records.key })
        .from(traces)
        .innerJoin(caseRecord, eq(caseRecord.id, traces.fromId))
        .innerJoin(records, eq(records.id, traces.toId))
        .where(and(eq(traces.projectId, projectId), eq(traces.kind, 'verifies'), isNull(traces.removedAt), isNull(caseRecord.retiredAt)))
    : [];
  const origins = ids.length
    ? await tx
        .select({ id: caseOrigins.id, identity: caseOrigins.identity, fingerprint: caseOrigins.fingerprint, key: caseRecord.key })
        .from(caseOrigins)
        .innerJoin(caseRecord, eq(caseRecord.id, caseOrigins.id))
        .where(and(inArray(caseOrigins.sourceId, ids), isNull(caseRecord.retiredAt)))
    : [];
  const verifies = groupBy(
    verifying,
    (t) => t.key,
    (t) => t.requirement,
  );
  const madeFrom = new Map(origins.map((o) => [o.key, { draft: o.identity, fingerprint: o.fingerprint }]));
  const inPart = new Set(part.map((r) => r.key));
  const keys = new Set([...madeFrom.keys(), ...verifying.filter((t) => inPart.has(t.requirement)).map((t) => t.key)]);
  return {
    requirements: part.map(({ key, record, row, details, under: above }) => {
      const { title, text, method, criteria = [] } = contentOf({ record, row, details });
      return {
        key,
        parent: above !== null && inPart.has(above) ? above : null,
        kind: row.kind,
        title,
        // What must be seen for it to be accepted is part of what is to be shown.
        text: [text, ...criteria].join('\n'),
        method,
      };
    }),
    records: new Map(part.map(({ key, record }) => [key, record])),
    existing: [...keys].map((key) => {
      const from = madeFrom.get(key);
      return { key, verifies: verifies.get(key) ?? [], ...(from ? { madeFrom: from } : {}) };
    }),
  };
}

const plan = parseWork(
  'case drafts',
  ({ requirements, existing, choices }: Pick<Scope, 'requirements' | 'existing'> & Pick<DraftScope, 'choices'>): TreePlan =>
    planCases(requirements, existing, new Map(choices.map(({ key, grain }) => [key, grain]))),
);

/** Names a plan: of another text, or beside other cases, it is another one. */
const digestOf = ({ make, link }: TreePlan): string =>
  sha256Hex(canonicalJson({ make: make.map(({ draft, fingerprint }) => [draft, fingerprint]), link: link as unknown as Json }));

const shownMost = 2000;

export async function planDrafts(db: Db, projectId: number, scope: DraftScope, parse: Parse = parseHere): Promise<DraftPlan> {
  const found = await db.transaction((tx) => scopeOf(tx, projectId, scope));
  const planned = await plan(parse, { requirements: found.requirements, existing: found.existing, choices: scope.choices });
  const byKey = new Map(found.requirements.map((r) => [r.key, r]));
  return {
    grains: planned.grains.map(({ key, grain, why, chosen }) => {
      const r = byKey.get(key);
      return { key, under: r?.parent ?? null, title: r?.title ?? '', kind: r?.kind ?? '', grain, why, chosen };
    }),
    make: planned.make.slice(0, shownMost).map(({ draft, verifies, content }) => ({ draft, verifies: [...verifies], content })),
    link: planned.link.map((l) => ({ ...l })),
    skipped: planned.skipped.map((s) => ({ ...s })),
    outdated: planned.outdated.map(({ case: key, draft, now }) => ({ case: key, draft, now })),
    digest: digestOf(planned),
  };
}

/** Writes what the plan showed, in one transaction. What became otherwise in between is refused. */
export function makeDrafts(
  db: Db,
  actor: Actor,
  scope: DraftScope & { readonly digest: string; readonly folder: string | null },
  parse: Parse = parseHere,
): Promise<{ written: string[]; linked: number }> {
  const { projectId } = actor;
  return write(db, actor, async (w) => {
    await lockSpecification(w, scope.specification);
    const found = await scopeOf(w.tx, projectId, scope);
    const planned = await plan(parse, { requirements: found.requirements, existing: found.existing, choices: scope.choices });
    if (digestOf(planned) !== scope.digest)
      throw new Refusal('recordChanged', { detail: 'Requirements or cases changed since the plan was shown: look at it again.' });
    if (!planned.make.length && !planned.link.length)
      throw new Refusal('stateForbids', { detail: 'There is nothing to write: all of it was made before.' });
    w.log({
      action: 'cases drafted',
      kind: 'specification',
      key: scope.specification,
      after: { cases: planned.make.length, traces: planned.link.length, ...(scope.under ? { under: scope.under } : {}) },
    });
    const written: string[] = [];
    for (const draft of planned.make) {
      const key = await addCaseIn(w, { content: draft.content, verifies: draft.verifies, folder: scope.folder });
      const { record } = await needCase(w.tx, projectId, key);
      const source = found.records.get(draft.verifies[0]);
      if (source) await noteOrigin(w, record.id, source, { identity: draft.draft, fingerprint: draft.fingerprint }, 1);
      written.push(key);
    }
    if (planned.link.length) {
      const ends = await recordsByKey(w.tx, projectId, [...new Set(planned.link.flatMap((l) => [l.case, l.requirement]))]);
      await insertTraces(
        w,
        'verifies',
        planned.link.flatMap((l) => {
          const [from, to] = [ends.get(l.case), ends.get(l.requirement)];
          return from && to ? [[from, to] as const] : [];
        }),
      );
    }
    return { written, linked: planned.link.length };
  });
}
