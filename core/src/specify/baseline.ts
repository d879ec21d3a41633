import { diffArrays } from 'diff';
import { compareKeys, differencesBetween, envelope2, groupBy, type Difference, type Json } from '../base';
import { requirementFields, type RequirementContent } from './requirement';

/** A requirement or heading as it stood when a baseline was made. */
export interface BaselineRequirement {
  readonly key: string;
  readonly specification: string;
  readonly revision: number;
  readonly state: string;
  /** What it stood under; null at the top of its specification. */
  readonly under: string | null;
  readonly content: RequirementContent;
  /** The project's own fields by the names that they had then, as people read them. */
  readonly own: Readonly<Record<string, string>>;
}

export interface BaselineTrace {
  readonly kind: string;
  readonly from: string;
  readonly to: string;
  readonly fromRevision: number;
  readonly toRevision: number;
  readonly confirmed: boolean;
}

/** Some specifications whole, as they stood at a ledger number. Requirements stand in reading order: each below what it stands under. */
export interface BaselineContent {
  readonly seq: number;
  readonly specifications: readonly { readonly key: string; readonly title: string }[];
  readonly requirements: readonly BaselineRequirement[];
  readonly traces: readonly BaselineTrace[];
}

/** Frozen, format 2: the text of a baseline, which its signature is bound to. */
export function baselineText2(key: string, { seq, specifications, requirements, traces }: BaselineContent): string {
  return envelope2('baseline', key, 1, {
    seq,
    specifications: specifications.map(({ key: of, title }) => ({ key: of, title })),
    requirements: requirements.map(({ key: of, specification, revision, state, under, content, own }) => ({
      key: of,
      specification,
      revision,
      state,
      under,
      content: { ...content } as Json,
      own: { ...own },
    })),
    traces: traces.map(({ kind, from, to, fromRevision, toRevision, confirmed }) => ({
      kind,
      from,
      to,
      fromRevision,
      toRevision,
      confirmed,
    })),
  });
}

/** What a baseline's text holds, read back from its file. */
export const baselineContent = (text: string): BaselineContent => (JSON.parse(text) as { content: BaselineContent }).content;

export const baselineChanges = ['added', 'removed', 'changed', 'moved', 'traceAdded', 'traceRemoved'] as const;
export type BaselineChangeKind = (typeof baselineChanges)[number];

/** One thing that is different in another baseline. */
export interface BaselineChange {
  readonly what: BaselineChangeKind;
  /** The requirement; of a trace the end that it comes from. */
  readonly key: string;
  readonly title: string;
  readonly revisions: readonly [before: number | null, after: number | null];
  /** Member by member what reads otherwise; of what was moved, from where to where; of a trace, its kind and other end. */
  readonly differences: readonly Difference[];
}

/** What is compared of a requirement, in the order in which people read it. */
const membersOf = ({ content, own, state }: BaselineRequirement): Record<string, unknown> => ({
  ...Object.fromEntries(requirementFields.map(({ name }) => [name, content[name]])),
  ...(content.html ? { html: content.html } : {}),
  ...own,
  state,
});

const placeWords = ({ specification, under }: BaselineRequirement): string =>
  under === null ? specification : `${specification}, under ${under}`;

/** The requirements that stand in another order among those that stand with them in both. */
function reordered(before: readonly BaselineRequirement[], after: readonly BaselineRequirement[]): Set<string> {
  const moved = new Set<string>();
  const placeOf = (r: BaselineRequirement): string => `${r.specification}\n${r.under ?? ''}`;
  const old = groupBy(before, placeOf, ({ key }) => key);
  for (const [place, keys] of groupBy(after, placeOf, ({ key }) => key)) {
    const then = old.get(place) ?? [];
    const both = new Set(then.filter((key) => keys.includes(key)));
    for (const { added, value } of diffArrays(
      then.filter((key) => both.has(key)),
      keys.filter((key) => both.has(key)),
    ))
      if (added) for (const key of value) moved.add(key);
  }
  return moved;
}

const traceName = ({ kind, from, to }: BaselineTrace): string => `${kind}\n${from}\n${to}`;

/** What is otherwise in `after` than in `before`: requirement by requirement in the reading order of `after`, then what is gone, then traces. */
export function compareBaselines(before: BaselineContent, after: BaselineContent): BaselineChange[] {
  const changes: BaselineChange[] = [];
  const old = new Map(before.requirements.map((r) => [r.key, r]));
  const now = new Map(after.requirements.map((r) => [r.key, r]));
  const order = reordered(before.requirements, after.requirements);
  for (const r of after.requirements) {
    const was = old.get(r.key);
    if (!was) {
      changes.push({
        what: 'added',
        key: r.key,
        title: r.content.title,
        revisions: [null, r.revision],
        differences: differencesBetween({}, { text: r.content.text }),
      });
      continue;
    }
    const revisions = [was.revision, r.revision] as const;
    const differences = differencesBetween(membersOf(was), membersOf(r));
    if (differences.length) changes.push({ what: 'changed', key: r.key, title: r.content.title, revisions, differences });
    const elsewhere = was.under !== r.under || was.specification !== r.specification;
    if (elsewhere || order.has(r.key))
      changes.push({
        what: 'moved',
        key: r.key,
        title: r.content.title,
        revisions,
        differences: [{ name: 'Place', before: placeWords(was), after: elsewhere ? placeWords(r) : `${placeWords(r)}, in another order` }],
      });
  }
  for (const r of before.requirements)
    if (!now.has(r.key))
      changes.push({
        what: 'removed',
        key: r.key,
        title: r.content.title,
        revisions: [r.revision, null],
        differences: differencesBetween({ text: r.content.text }, {}),
      });
  const told = (what: 'traceAdded' | 'traceRemoved', traces: readonly BaselineTrace[], other: readonly BaselineTrace[]): void => {
    const there = new Set(other.map(traceName));
    for (const trace of [...traces].sort((a, b) => compareKeys(a.from, b.from) || compareKeys(a.to, b.to)))
      if (!there.has(traceName(trace))) {
        const { from, to, kind, fromRevision } = trace;
        const words = `${kind} ${to}`;
        const title = (now.get(from) ?? old.get(from))?.content.title ?? '';
        const [was, is] = what === 'traceAdded' ? ['', words] : [words, ''];
        changes.push({
          what,
          key: from,
          title,
          revisions: what === 'traceAdded' ? [null, fromRevision] : [fromRevision, null],
          differences: [{ name: 'Trace', before: was, after: is }],
        });
      }
  };
  told('traceAdded', after.traces, before.traces);
  told('traceRemoved', before.traces, after.traces);
  return changes;
}

/** The same requirements in reading order: of each specification its tree, top down. `siblings` come in their order. */
export function inReadingOrder<R extends { readonly key: string; readonly under: string | null }>(rows: readonly R[]): R[] {
  const below = groupBy(rows, ({ under }) => under ?? '');
  const known = new Set(rows.map(({ key }) => key));
  const out: R[] = [];
  const seen = new Set<string>();
  const walk = (under: string): void => {
    for (const row of below.get(under) ?? []) {
      if (seen.has(row.key)) continue;
      seen.add(row.key);
      out.push(row);
      walk(row.key);
    }
  };
  walk('');
  // What stands under something that is not among them comes where it can be found.
  for (const row of rows) if (row.under !== null && !known.has(row.under) && !seen.has(row.key)) walk(row.under);
  return out;
}
