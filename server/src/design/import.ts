import type { CaseImport } from '@contract/design';
import { canonicalJson, readTable, sha256Hex, type Finding, type Json } from '@core/base';
import { casesFromSheet, readCaseFile, saidCase, sheetColumns, type CaseContent, type SheetColumn } from '@core/design';
import { parseHere, parseWork, recordsByKey, Refusal, write, type Actor, type Db, type Parse, type Tx } from '../base';
import { keepMapping, knownMapping } from '../specify';
import { addCaseIn, readCase } from './cases';
import { folderOfPath } from './folders';
import { listCaseKinds } from './kinds';

interface ReadCase {
  readonly row: number;
  readonly content: CaseContent;
  readonly verifies: readonly string[];
  readonly folder: string;
}
interface ReadTable {
  readonly headings: readonly string[];
  readonly columns: Readonly<Partial<Record<SheetColumn, number>>>;
  readonly cases: readonly ReadCase[];
  readonly findings: readonly Finding[];
}

/** Words by which people head each column. */
const guesses: Readonly<Record<SheetColumn, RegExp>> = {
  title: /^(?:title|name|test case|case|summary)$/i,
  objective: /^(?:objective|purpose|goal|description)$/i,
  preconditions: /^(?:preconditions?|prerequisites?|set-?up|given)$/i,
  postconditions: /^(?:postconditions?|after)$/i,
  action: /^(?:action|step|steps|test step|do|procedure|step action)$/i,
  expected: /^(?:expected|expected results?|result|then|see)$/i,
  minutes: /^(?:minutes|planned minutes|duration|estimate)$/i,
  verifies: /^(?:verifies|requirements?|covers|traces?)$/i,
  tags: /^(?:tags?|labels?)$/i,
  priority: /^(?:priority|importance)$/i,
  kind: /^(?:kind|type)$/i,
  folder: /^(?:folder|section|suite|path)$/i,
};

const guessed = (headings: readonly string[]): Partial<Record<SheetColumn, number>> =>
  Object.fromEntries(
    sheetColumns.flatMap((column) => {
      const at = headings.findIndex((heading) => guesses[column].test(heading.trim()));
      return at < 0 ? [] : [[column, at]];
    }),
  );

const mostCases = 5000;

const readText = parseWork('cases', ({ text, columns }: { text: string; columns: ReadTable['columns'] | undefined }): ReadTable => {
  if (/^\s*\{/.test(text)) {
    const { cases, findings } = readCaseFile(text);
    return {
      headings: [],
      columns: {},
      cases: cases.map((c, i) => ({ row: i + 1, content: c.content, verifies: c.verifies, folder: c.folder })),
      findings,
    };
  }
  const [headings = [], ...rows] = readTable(text);
  const chosen = columns ?? guessed(headings);
  const { cases, findings } = casesFromSheet(rows, chosen);
  return { headings, columns: chosen, cases: cases.map((c) => ({ ...c, content: saidCase(c.content) })), findings };
});

/** What the project says of a table: requirements that are none, kinds that it has not. */
async function against(tx: Db | Tx, projectId: number, read: ReadTable): Promise<Finding[]> {
  const found: Finding[] = [];
  const keys = [
    ...new Set(
      read.cases.flatMap((c) => [...c.verifies, ...(c.content.dependsOn ?? []), ...c.content.steps.flatMap((s) => s.call?.key ?? [])]),
    ),
  ];
  const known = await recordsByKey(tx, projectId, keys);
  const kinds = new Set((await listCaseKinds(tx, projectId)).map(({ name }) => name));
  for (const { row, verifies, content } of read.cases) {
    for (const key of verifies)
      if (known.get(key)?.kind !== 'requirement')
        found.push({ severity: 'error', row, cell: 'verifies', text: `There is no requirement ${key}.` });
    for (const step of content.steps)
      if (step.call && known.get(step.call.key)?.kind !== 'case')
        found.push({ severity: 'error', row, cell: 'action', text: `There is no case ${step.call.key} to be called.` });
    if (content.kind && !kinds.has(content.kind))
      found.push({ severity: 'error', row, cell: 'kind', text: `The project has no kind of case “${content.kind}”.` });
  }
  if (read.cases.length > mostCases)
    found.push({ severity: 'error', text: `At most ${mostCases} cases at once: these are ${read.cases.length}.` });
  return found;
}

const digestOf = (read: ReadTable): string => sha256Hex(canonicalJson(read.cases as unknown as Json));
const plainColumns = (mapping: Readonly<Record<string, string>> | undefined, headings: readonly string[]) =>
  mapping &&
  Object.fromEntries(
    Object.entries(mapping).flatMap(([column, heading]) => (headings.includes(heading) ? [[column, headings.indexOf(heading)]] : [])),
  );

export interface CaseTable {
  readonly text: string;
  readonly columns?: Readonly<Partial<Record<SheetColumn, number>>> | undefined;
}

/** Headings as they are remembered: apart from those of tables of requirements. */
const headed = (headings: readonly string[]): string[] => ['cases', ...headings];

/** What a table, a file of cases or pasted rows would become; nothing is written. */
export async function previewCases(db: Db, projectId: number, { text, columns }: CaseTable, parse: Parse = parseHere): Promise<CaseImport> {
  const first = await readText(parse, { text, columns });
  const known =
    columns || !first.headings.length ? undefined : plainColumns(await knownMapping(db, projectId, headed(first.headings)), first.headings);
  const read = known ? await readText(parse, { text, columns: known }) : first;
  const findings = [...read.findings, ...(await against(db, projectId, read))];
  return {
    headings: [...read.headings],
    columns: { ...read.columns },
    remembered: known !== undefined,
    cases: read.cases.slice(0, 500).map(({ row, content, verifies, folder }) => ({
      row,
      title: content.title,
      steps: content.steps.length,
      verifies: [...verifies],
      folder,
    })),
    total: read.cases.length,
    findings: findings.slice(0, 500).map((finding) => ({ ...finding })),
    digest: digestOf(read),
  };
}

/** Writes what the preview showed, all or nothing. */
export async function importCases(
  db: Db,
  actor: Actor,
  { text, columns, digest, fileName }: CaseTable & { readonly digest: string; readonly fileName: string },
  parse: Parse = parseHere,
): Promise<{ written: string[] }> {
  const { projectId } = actor;
  const read = await readText(parse, { text, columns });
  if (digestOf(read) !== digest) throw new Refusal('recordChanged', { detail: 'This is not what the preview showed: look at it again.' });
  const contents: CaseContent[] = [];
  for (const { content } of read.cases) contents.push(await readCase(actor, content));
  const written = await write(db, actor, async (w) => {
    const errors = [...read.findings, ...(await against(w.tx, projectId, read))].filter(({ severity }) => severity === 'error');
    if (errors.length) throw new Refusal('importErrors', { findings: errors.slice(0, 500) });
    if (!read.cases.length) throw new Refusal('importErrors', { detail: 'There is no case in it.' });
    w.log({
      action: 'cases imported',
      kind: 'project',
      key: '',
      after: { file: fileName, sha256: sha256Hex(text), cases: read.cases.length },
    });
    if (read.headings.length)
      await keepMapping(
        w,
        headed(read.headings),
        Object.fromEntries(Object.entries(read.columns).map(([column, at]) => [column, read.headings[at ?? 0]])),
      );
    const keys: string[] = [];
    const folders = new Map<string, string | null>();
    for (const [i, { verifies, folder }] of read.cases.entries()) {
      if (!folders.has(folder)) folders.set(folder, await folderOfPath(w, folder));
      keys.push(await addCaseIn(w, { content: contents[i], verifies, folder: folders.get(folder) ?? null }));
    }
    return keys;
  });
  return { written };
}
