import { compareKeys, groupBy } from '../base';
import type { BaselineContent, BaselineRequirement } from './baseline';
import type { DocumentRow } from './document';
import { emptyRequirement } from './requirement';
import { requirementCells, requirementColumns } from './table-details';

/** What of a baseline says all of some words, in its order; all of it where there are none. */
export function withWords(requirements: readonly BaselineRequirement[], words: string): readonly BaselineRequirement[] {
  const asked = words.toLowerCase().split(/\s+/).filter(Boolean);
  if (!asked.length) return requirements;
  return requirements.filter(({ key, content }) => {
    const said = `${key} ${content.title} ${content.text} ${content.rationale}`.toLowerCase();
    return asked.every((word) => said.includes(word));
  });
}

/**
 * A baseline as rows of a document, with the traces of then. Of several specifications each stands below a heading of its own; what words find
 * stands each for itself.
 */
export function baselineRows({ specifications, requirements, traces }: BaselineContent, words: string): DocumentRow[] {
  const from = groupBy(traces, (t) => `${t.kind} ${t.from}`);
  const to = groupBy(traces, (t) => `${t.kind} ${t.to}`);
  const parts = specifications.length > 1 && !words.trim();
  const rows = withWords(requirements, words).map(({ specification, ...r }): DocumentRow => ({
    ...r,
    under: words.trim() ? null : (r.under ?? (parts ? specification : null)),
    parents: (from.get(`parent ${r.key}`) ?? []).map((t) => t.to).sort(compareKeys),
    children: (to.get(`parent ${r.key}`) ?? []).map((t) => t.from).sort(compareKeys),
    cases: (to.get(`verifies ${r.key}`) ?? []).map((t) => t.from).sort(compareKeys),
    history: [],
  }));
  if (!parts) return rows;
  const of = new Map(requirements.map(({ key, specification }) => [key, specification]));
  return specifications.flatMap(({ key, title }): DocumentRow[] => [
    {
      key,
      under: null,
      content: { ...emptyRequirement, kind: 'heading', title },
      state: '',
      revision: 1,
      own: {},
      parents: [],
      children: [],
      cases: [],
      history: [],
    },
    ...rows.filter((row) => of.get(row.key) === key),
  ]);
}

/** A baseline as a table: its headings, and a line for each row. */
export function baselineTable(rows: readonly DocumentRow[]): {
  readonly columns: readonly string[];
  readonly lines: readonly (string | number | null)[][];
} {
  const own = [...new Set(rows.flatMap((row) => Object.keys(row.own)))];
  return {
    columns: [...requirementColumns, 'verified by', ...own],
    lines: rows.map((row) => [...requirementCells(row), row.cases.join('; '), ...own.map((name) => row.own[name] ?? '')]),
  };
}
