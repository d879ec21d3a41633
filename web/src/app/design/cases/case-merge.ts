import type { CaseDetail } from '@contract/design';
import { canonicalJson, sentencesOf, type Json } from '@core/base';
import {
  caseDetailNames,
  rowWords as wordsOfRow,
  saidCase,
  stepWords as wordsOfStep,
  type CaseContent,
  type CaseDetails as CaseDetailsOf,
  type CaseRow,
  type CaseStep,
} from '@core/design';
import { wordsOf, type MergeField } from '../../base';

/** A case's content, apart from what its record says. */
export const contentOf = (c: CaseDetail): CaseContent => {
  const { title, objective, preconditions, steps, plannedMinutes, rows } = c;
  const details = Object.fromEntries(caseDetailNames.map((name) => [name, c[name]]));
  return saidCase({ title, objective, preconditions, steps, plannedMinutes, ...(rows?.length ? { rows } : {}), ...details });
};
/** What a content says, whichever order its members are in and whether what is empty is named. */
export const said = (content: CaseContent | null): string => (content ? canonicalJson(saidCase(content) as unknown as Json) : '');
/** A step, and a data row, in one line, as they are compared. */
const stepWords = (text: string): string => wordsOfStep(JSON.parse(text) as CaseStep);
const rowWords = (text: string): string => wordsOfRow(JSON.parse(text) as CaseRow);
const plainWords = (text: string): string => String(JSON.parse(text));

const detailWords: Readonly<Record<keyof CaseDetailsOf, string>> = {
  postconditions: 'Postconditions',
  kind: 'Kind',
  priority: 'Priority',
  tags: 'Tags',
  addresses: 'Addresses',
  dependsOn: 'Depends on',
  script: 'Script',
  arguments: 'Arguments',
  samples: 'Samples',
  layout: 'Layout',
};

/** How the members of a case are compared: texts sentence by sentence, steps and rows one by one, the rest as a whole. */
const members: readonly { name: keyof CaseContent; label: string; show?: (passage: string) => string }[] = [
  { name: 'title', label: 'Title', show: plainWords },
  { name: 'objective', label: 'Objective' },
  { name: 'preconditions', label: 'Preconditions' },
  { name: 'steps', label: 'Steps', show: stepWords },
  { name: 'rows', label: 'Data rows', show: rowWords },
  { name: 'plannedMinutes', label: 'Planned minutes', show: plainWords },
  { name: 'postconditions', label: 'Postconditions' },
  ...caseDetailNames
    .filter((name) => name !== 'postconditions')
    .map((name) => ({
      name,
      label: detailWords[name],
      show: (text: string) => (JSON.parse(text) === null ? '–' : text.replace(/^"|"$/g, '')),
    })),
];
function passages(name: keyof CaseContent, content: CaseContent | undefined): string[] {
  if (!content) return [];
  if (name === 'objective' || name === 'preconditions' || name === 'postconditions') return sentencesOf(content[name] ?? '');
  if (name === 'steps' || name === 'rows') return (content[name] ?? []).map((item) => canonicalJson(item as unknown as Json));
  return [JSON.stringify(name === 'plannedMinutes' ? Number(content[name]) || 0 : (content[name] ?? null))];
}
/** The content that was chosen passage by passage; a layout stays where it says the words that were chosen. */
export function fromPassages(mine: CaseContent, chosen: Readonly<Record<string, readonly string[]>>): CaseContent {
  const items = (name: string): unknown[] => (chosen[name] ?? []).map((item) => JSON.parse(item) as unknown);
  const { rows: _, ...rest } = mine;
  const rows = items('rows') as CaseRow[];
  const merged = {
    ...rest,
    title: (items('title')[0] ?? mine.title) as string,
    objective: (chosen['objective'] ?? []).join(''),
    preconditions: (chosen['preconditions'] ?? []).join(''),
    plannedMinutes: (items('plannedMinutes')[0] ?? mine.plannedMinutes) as number,
    steps: items('steps') as CaseStep[],
    ...(rows.length ? { rows } : {}),
    postconditions: (chosen['postconditions'] ?? []).join(''),
    ...Object.fromEntries(
      caseDetailNames.flatMap((detail) =>
        detail === 'postconditions' || !chosen[detail] ? [] : [[detail, items(detail)[0] ?? undefined]],
      ),
    ),
  } as CaseContent;
  const layout = Object.fromEntries(
    Object.entries(merged.layout ?? {}).filter(([name, html]) => wordsOf(html) === (merged[name as 'objective'] ?? '').trim()),
  );
  return { ...merged, layout };
}

/** What was stored meanwhile beside what was typed on the version before, member by member. */
export const conflictFields = (base: CaseContent, mine: CaseContent, theirs: CaseContent): MergeField[] =>
  members.map(({ name, label, show }) => ({
    name,
    label,
    base: passages(name, base),
    mine: passages(name, saidCase(mine)),
    theirs: passages(name, theirs),
    ...(show ? { show } : {}),
  }));
