import Papa from 'papaparse';
import { canonicalJson, circlesThrough, differencesBetween, isKey, plainCell, type Difference, type Finding, type Json } from '../base';
import { detailFields, readDetails } from './table-details';
import { placesByDepth, placesByNumbering, type TreePlace } from './table-tree';
import { emptyRequirement, requirementFields, verificationMethods, type RequirementContent, type VerificationMethod } from './requirement';

/** What a column of a requirements table can mean. */
export const importFields = [
  'key',
  'title',
  'text',
  'rationale',
  'level',
  'method',
  'parent',
  'under',
  'numbering',
  'depth',
  'kind',
  'topLevel',
  'derived',
  'notInCode',
  ...detailFields,
] as const;
export type ImportField = (typeof importFields)[number];
/** Which column (by its heading) holds which field; `own:` and a number means one of the project's own fields. */
export type ColumnMapping = Partial<Record<ImportField | `own:${number}`, string>>;

/** One of the project's own fields, as far as reading a table needs it. */
export interface ImportOwnField {
  readonly id: number;
  readonly name: string;
  readonly type: 'text' | 'richText' | 'number' | 'choice' | 'choices' | 'person' | 'date' | 'yesNo' | 'address';
  readonly choices: readonly string[];
}
export type ImportedValue = string | number | boolean | readonly string[] | null;

/** A requirement that is in the project already, as the table is compared with it. */
export interface ExistingRequirement {
  readonly content: RequirementContent;
  readonly parents: readonly string[];
  readonly under: string | null;
  readonly own: Readonly<Record<string, ImportedValue>>;
  readonly specification?: string;
  readonly retired?: boolean;
}

export interface ImportedRequirement {
  /** As the spreadsheet counts rows: the heading is row 1, and blank rows count. */
  readonly row: number;
  readonly key: string;
  /** Against what is in the project: new, changed in content, or the same. */
  readonly status: 'new' | 'changed' | 'same';
  readonly parents: readonly string[];
  readonly under: string | null;
  readonly content: RequirementContent;
  readonly own: Readonly<Record<string, ImportedValue>>;
}

export interface ImportPreview {
  readonly columns: readonly string[];
  readonly mapping: ColumnMapping;
  readonly rows: readonly ImportedRequirement[];
  readonly findings: readonly Finding[];
  readonly total: number;
  /** What the specification has that the table does not name; without what is out of use already. */
  readonly missing: readonly string[];
}

export interface ImportContext {
  /** Keys of all records of the project; of requirements with what they say. */
  readonly existing: ReadonlyMap<string, ExistingRequirement | null>;
  readonly levels: readonly string[];
  readonly fields?: readonly ImportOwnField[];
  /** The specification that the table is of. */
  readonly specification?: string;
  /** Where the table comes with the layout of its texts, in the column `text`: what is laid out, by key. All else is plain then. */
  readonly layouts?: ReadonlyMap<string, Pick<RequirementContent, 'text' | 'html'>>;
}

/** What a person looks at before a table is written. */
export interface ImportSummary extends Pick<ImportPreview, 'columns' | 'mapping' | 'findings' | 'total' | 'missing'> {
  /** Rows without a fault, and what they are against the project. */
  readonly good: number;
  readonly new: number;
  readonly changed: number;
  readonly same: number;
  /** The first of the good rows: those that would change something before the others. */
  readonly rows: readonly (ImportedRequirement & { readonly differences: readonly Difference[] })[];
}

const shownRows = 100;

/** A preview without the rows that nobody would read through. */
export function summariseImport(
  { columns, mapping, findings, total, rows, missing }: ImportPreview,
  existing: ImportContext['existing'],
): ImportSummary {
  const of = (status: ImportedRequirement['status']): ImportedRequirement[] => rows.filter((row) => row.status === status);
  const [fresh, changed, same] = [of('new'), of('changed'), of('same')];
  return {
    columns,
    mapping,
    findings,
    total,
    missing,
    good: rows.length,
    new: fresh.length,
    changed: changed.length,
    same: same.length,
    rows: [...changed.slice(0, shownRows / 2), ...fresh, ...changed.slice(shownRows / 2), ...same].slice(0, shownRows).map((row) => ({
      ...row,
      differences: row.status === 'changed' ? differencesBetween(...compared(existing.get(row.key), row)) : [],
    })),
  };
}

type Compared = Pick<ExistingRequirement, 'content' | 'parents' | 'under' | 'own'>;

/** What of a requirement a table can change, as it is and as the table has it; the layout of its text only where it comes with the table. */
function compared(old: Compared | null | undefined, now: Compared): readonly [Record<string, Json>, Record<string, Json>] {
  const layout = 'html' in now.content;
  const said = ({ content, parents, under, own }: Compared): Record<string, Json> =>
    ({
      ...Object.fromEntries(requirementFields.map(({ name }) => [name, content[name]])),
      ...(layout ? { layout: content.html ?? '' } : {}),
      parents: [...parents].sort(),
      under,
      own: { ...own },
    }) as unknown as Record<string, Json>;
  return [old ? said(old) : {}, said(now)];
}

export const importRowLimit = 50_000;
/** The limits that the editor has as well. */
export const titleLimit = 300;
export const textLimit = 20_000;
const findingLimit = 500;

const aliases: Record<ImportField, readonly string[]> = {
  key: ['key', 'id', 'requirement id', 'req id', 'identifier'],
  title: ['title', 'name', 'summary', 'heading text'],
  text: ['text', 'requirement', 'description', 'requirement text', 'statement'],
  rationale: ['rationale', 'reason', 'why'],
  level: ['level', 'sil', 'asil', 'dal', 'class', 'integrity level'],
  method: ['method', 'verification method', 'verification', 'verified by'],
  parent: ['parent', 'parents', 'parent key', 'derived from', 'traces to'],
  under: ['under', 'section', 'heading'],
  numbering: ['numbering', 'number', 'chapter', 'section number'],
  depth: ['depth', 'indent', 'outline level'],
  kind: ['kind', 'type'],
  topLevel: ['top level', 'toplevel'],
  derived: ['derived'],
  notInCode: ['not in code', 'why not in code'],
  criteria: ['acceptance criteria', 'criteria'],
  source: ['source', 'origin'],
  risk: ['risk'],
  priority: ['priority'],
  tags: ['tags', 'labels'],
};

/** The mapping that the headings suggest. */
export function suggestMapping(columns: readonly string[], fields: readonly ImportOwnField[] = []): ColumnMapping {
  const mapping: ColumnMapping = {};
  const free = (name: string): boolean => !Object.values(mapping).includes(name);
  for (const field of importFields) {
    const column = columns.find((name) => aliases[field].includes(name.trim().toLowerCase()) && free(name));
    if (column !== undefined) mapping[field] = column;
  }
  for (const { id, name } of fields) {
    const column = columns.find((heading) => heading.trim().toLowerCase() === name.toLowerCase() && free(heading));
    if (column !== undefined) mapping[`own:${id}`] = column;
  }
  return mapping;
}

const yes = /^(y|yes|true|1|x)$/i;
const no = /^(n|no|false|0|-|)$/i;

/** Yes or no as people write it in tables; undefined where it is neither. */
const yesOrNo = (text: string): boolean | undefined => (yes.test(text) ? true : no.test(text) ? false : undefined);

/** A table as it came: headings, and every row that is not blank with the number that a spreadsheet gives it. */
interface Table {
  readonly columns: readonly string[];
  readonly lines: readonly { readonly row: number; readonly cells: readonly string[]; readonly broken: boolean }[];
  readonly findings: readonly Finding[];
}

/** What separates cells: what stands most often in the heading row, outside quotes. Texts below it may hold any of them. */
function separatorOf(csv: string): string {
  const heading = csv.split(/\r\n|\n|\r/).find((line) => line.trim() !== '') ?? '';
  const bare = heading.replace(/"[^"]*"/g, '');
  const count = (separator: string): number => bare.split(separator).length;
  return [',', ';', '\t', '|'].reduce((best, separator) => (count(separator) > count(best) ? separator : best));
}

function readTable(csv: string): Table {
  const text = csv.replace(/^\ufeff/, '');
  const parsed = Papa.parse<string[]>(text, { skipEmptyLines: false, delimiter: separatorOf(text) });
  const broken = new Set<number>();
  const findings: Finding[] = [];
  for (const error of parsed.errors) {
    if (error.code === 'UndetectableDelimiter') continue;
    const row = (error.row ?? 0) + 1;
    broken.add(row);
    findings.push({ severity: 'error', row, text: error.code === 'MissingQuotes' ? 'A quoted cell is never closed.' : error.message });
  }
  const filled = parsed.data
    .map((cells, i) => ({ row: i + 1, cells: cells.map(plainCell), broken: broken.has(i + 1) }))
    .filter(({ cells }) => cells.some((cell) => cell.trim() !== ''));
  const [heading, ...lines] = filled;
  return { columns: heading ? heading.cells.map((cell) => cell.trim()) : [], lines, findings };
}

/** The headings of a table. */
export const tableColumns = (csv: string): readonly string[] => {
  // The heading row is enough, however long the table is; it may hold line breaks in quotes.
  const [heading] = Papa.parse<string[]>(csv.replace(/^\ufeff/, ''), {
    preview: 1,
    skipEmptyLines: 'greedy',
    delimiter: separatorOf(csv),
  }).data;
  return (heading ?? []).map((cell) => plainCell(cell).trim());
};

/** What is wrong with the headings and with what is chosen of them. */
function faultsOfMapping({ columns, lines }: Table, chosen: ColumnMapping, fields: readonly ImportOwnField[]): Finding[] {
  const faults: Finding[] = [];
  const fault = (cell: string, text: string): void => void faults.push({ severity: 'error', row: 1, cell, text });
  if (!columns.length) faults.push({ severity: 'error', text: 'The file has no heading row.' });
  const doubled = columns.find((name, i) => name !== '' && columns.indexOf(name) !== i);
  if (doubled !== undefined) fault(doubled, `Two columns are called “${doubled}”.`);
  for (const field of ['key', 'title', 'text'] as const) if (chosen[field] === undefined) fault(field, `No column is chosen for ${field}.`);
  for (const [field, column = ''] of Object.entries(chosen)) {
    const own = /^own:(\d+)$/.exec(field);
    if (own ? !fields.some((f) => f.id === Number(own[1])) : !(importFields as readonly string[]).includes(field))
      fault(field, `There is no field “${field}”.`);
    else if (!columns.includes(column)) fault(column, `The file has no column “${column}”.`);
  }
  if (lines.length > importRowLimit)
    faults.push({ severity: 'error', text: `The file has ${lines.length} rows; at most ${importRowLimit} are taken at a time.` });
  return faults;
}

function ownValue(field: ImportOwnField, text: string): { readonly value: ImportedValue } | { readonly fault: string } {
  const cell = text.trim();
  if (cell === '') return { value: null };
  switch (field.type) {
    case 'number': {
      const value = Number(cell);
      return Number.isFinite(value) ? { value } : { fault: `“${cell}” is not a number.` };
    }
    case 'yesNo': {
      const value = yesOrNo(cell);
      return value === undefined ? { fault: `“${cell}” is neither yes nor no.` } : { value };
    }
    case 'choice':
      return field.choices.includes(cell) ? { value: cell } : { fault: `“${cell}” is not one of ${field.choices.join(', ')}.` };
    case 'choices': {
      const values = cell
        .split(';')
        .map((part) => part.trim())
        .filter(Boolean);
      const strange = values.find((value) => !field.choices.includes(value));
      return strange === undefined ? { value: values } : { fault: `“${strange}” is not one of ${field.choices.join(', ')}.` };
    }
    default:
      return { value: field.type === 'text' || field.type === 'richText' ? text : cell };
  }
}

/**
 * Reads a requirements table (CSV with a heading row, separator found out) and says, by row and cell, what is wrong. A requirement that
 * the project has already is the same or changed; rows with an error are not among `rows`, and the caller writes all or nothing.
 */
export function previewRequirements(csv: string, mapping: ColumnMapping | undefined, context: ImportContext): ImportPreview {
  const table = readTable(csv);
  const { columns, lines } = table;
  const fields = context.fields ?? [];
  const chosen = mapping ?? suggestMapping(columns, fields);
  const findings: Finding[] = [];
  // Every fault counts, also where no more of them are told.
  let faults = 0;
  const report = (finding: Finding): void => {
    faults++;
    if (findings.length < findingLimit) findings.push(finding);
  };
  table.findings.forEach(report);
  const fatal = faultsOfMapping(table, chosen, fields);
  fatal.forEach(report);
  if (fatal.length) return { columns, mapping: chosen, rows: [], findings, total: lines.length, missing: [] };

  const index = new Map(Object.entries(chosen).map(([field, column = '']) => [field, columns.indexOf(column)]));
  const raw = (cells: readonly string[], field: string): string => cells[index.get(field) ?? -1] ?? '';
  const cell = (cells: readonly string[], field: ImportField): string => raw(cells, field).trim();
  const firstRow = new Map<string, number>();
  for (const { row, cells } of lines) {
    const key = cell(cells, 'key');
    if (key && !firstRow.has(key)) firstRow.set(key, row);
  }
  const places = placesIn(chosen, lines, cell, raw);
  const known = (key: string): boolean => firstRow.has(key) || Boolean(context.existing.get(key));
  const rows: ImportedRequirement[] = [];
  for (const { row, cells, broken } of lines) {
    const before = faults;
    const fault = (field: ImportField | `own:${number}`, text: string): void =>
      report({ severity: 'error', row, cell: chosen[field] ?? field, text });
    const has = (field: ImportField): boolean => index.has(field);
    const key = cell(cells, 'key');
    const there = context.existing.get(key);
    const old = there?.content;
    const word = (field: 'topLevel' | 'derived'): boolean => {
      if (!has(field)) return old?.[field] ?? false;
      const value = yesOrNo(cell(cells, field));
      if (value === undefined) fault(field, `“${cell(cells, field)}” is neither yes nor no.`);
      return value ?? false;
    };
    const kindWord = cell(cells, 'kind').toLowerCase();
    const named = (['heading', 'requirement', 'note'] as const).find((k) => k === kindWord);
    if (kindWord && !named) fault('kind', `“${cell(cells, 'kind')}” is neither heading, requirement nor note.`);
    const kind = has('kind') ? (named ?? 'requirement') : (old?.kind ?? 'requirement');
    const level = has('level') ? cell(cells, 'level') : (old?.level ?? '');
    const method = has('method') ? cell(cells, 'method').toLowerCase() : (old?.method ?? '');
    const title = cell(cells, 'title');
    const laidOut = chosen.text === 'text' ? context.layouts?.get(key) : undefined;
    const text = laidOut?.text ?? raw(cells, 'text');
    const rationale = has('rationale') ? raw(cells, 'rationale') : (old?.rationale ?? '');
    const parents = has('parent')
      ? [
          ...new Set(
            cell(cells, 'parent')
              .split(/[;,\s]+/)
              .filter(Boolean),
          ),
        ]
      : (there?.parents ?? []);
    const place = places?.get(row);
    if (place && 'fault' in place) fault(has('numbering') ? 'numbering' : 'depth', place.fault);
    const above = place && 'under' in place ? place.under : (there?.under ?? null);
    const under = places || !has('under') ? above : cell(cells, 'under') || null;
    const why = cell(cells, 'notInCode');
    const notInCode = has('notInCode') ? !no.test(why) : (old?.notInCode ?? false);
    const notInCodeRationale = has('notInCode') ? (notInCode && !yes.test(why) ? why : '') : (old?.notInCodeRationale ?? '');

    if (cells.length > columns.length && cells.slice(columns.length).some((extra) => extra !== ''))
      report({ severity: 'error', row, text: `The row has ${cells.length} cells, the heading ${columns.length}.` });
    if (!key) fault('key', 'The key is empty.');
    else if (!isKey(key)) fault('key', `“${key}” is not a key: capitals, a hyphen and a number of at most nine digits, as in BRK-007.`);
    else if (there === null) fault('key', `${key} is the key of another record of this project.`);
    else if (firstRow.get(key) !== row) fault('key', `${key} stands already in row ${firstRow.get(key)}.`);
    if (!title) fault('title', 'The title is empty.');
    if (title.length > titleLimit) fault('title', `The title has ${title.length} characters; at most ${titleLimit} are taken.`);
    if (kind === 'requirement' && !text.trim()) fault('text', 'The text is empty.');
    for (const [field, value] of [
      ['text', text],
      ['rationale', rationale],
      ['notInCode', notInCodeRationale],
    ] as const)
      if (value.length > textLimit) fault(field, `It has ${value.length} characters; at most ${textLimit} are taken.`);
    if (level && !context.levels.includes(level))
      fault('level', `“${level}” is not a level of this project (${context.levels.join(', ')}).`);
    if (method && !verificationMethods.includes(method as VerificationMethod))
      fault('method', `“${method}” is not one of ${verificationMethods.join(', ')}.`);
    for (const parent of parents) {
      if (parent === key) fault('parent', 'A requirement cannot be its own parent.');
      else if (!known(parent)) fault('parent', `The parent ${parent} is neither in the project nor in this file.`);
    }
    if (under && !known(under)) fault('under', `The heading ${under} is neither in the project nor in this file.`);
    const own: Record<string, ImportedValue> = { ...there?.own };
    for (const field of fields) {
      if (!index.has(`own:${field.id}`)) continue;
      const read = ownValue(field, raw(cells, `own:${field.id}`));
      if ('fault' in read) fault(`own:${field.id}`, read.fault);
      else if (read.value === null) delete own[String(field.id)];
      else own[String(field.id)] = read.value;
    }
    if (faults > before || broken) continue;
    const content: RequirementContent = {
      ...emptyRequirement,
      kind,
      title,
      text,
      rationale,
      level,
      method: method as VerificationMethod | '',
      topLevel: word('topLevel'),
      derived: word('derived'),
      notInCode,
      notInCodeRationale,
      ...readDetails(has, (field) => raw(cells, field), old, fault),
      // Said also where there is none: the text is plain then, whatever it was.
      ...(context.layouts ? ({ html: laidOut?.html } as Pick<RequirementContent, 'html'>) : {}),
    };
    if (faults > before) continue;
    rows.push({ row, key, parents, under, content, own, status: statusOf(there, { content, parents, under, own }) });
  }
  reportCircles(rows, context, (row, field, text) => report({ severity: 'error', row, cell: chosen[field] ?? field, text }));
  const missing = [...context.existing].flatMap(([key, one]) =>
    one && !one.retired && context.specification !== undefined && one.specification === context.specification && !firstRow.has(key)
      ? [key]
      : [],
  );
  return { columns, mapping: chosen, rows, findings, total: lines.length, missing };
}

/** Where rows stand by their numbers or depth, if a column says so. */
function placesIn(
  chosen: ColumnMapping,
  lines: Table['lines'],
  cell: (cells: readonly string[], field: ImportField) => string,
  raw: (cells: readonly string[], field: string) => string,
): Map<number, TreePlace> | undefined {
  if (chosen.numbering === undefined && chosen.depth === undefined) return undefined;
  const tree = lines.map(({ row, cells }) => ({
    row,
    key: cell(cells, 'key'),
    numbering: cell(cells, 'numbering'),
    depth: raw(cells, 'depth'),
  }));
  return chosen.numbering === undefined ? placesByDepth(tree) : placesByNumbering(tree);
}

function statusOf(old: ExistingRequirement | null | undefined, now: ExistingRequirement): ImportedRequirement['status'] {
  if (!old) return 'new';
  const [before, after] = compared(old, now);
  return canonicalJson(before) === canonicalJson(after) ? 'same' : 'changed';
}

/** Names each circle that the file closes, among its rows or with those of the project, at one of its rows: of parents, and of places. */
function reportCircles(
  rows: readonly ImportedRequirement[],
  { existing }: ImportContext,
  found: (row: number, field: 'parent' | 'under', circle: string) => void,
): void {
  const inFile = new Map(rows.map((row) => [row.key, row]));
  const keys = [...inFile.keys()];
  const at = (key: string): number => inFile.get(key)?.row ?? 1;
  circlesThrough(
    keys,
    (key) => inFile.get(key)?.parents ?? existing.get(key)?.parents ?? [],
    (key, circle) => found(at(key), 'parent', `The parents form a circle: ${circle}.`),
  );
  circlesThrough(
    keys,
    (key) => [(inFile.has(key) ? inFile.get(key)?.under : existing.get(key)?.under) ?? []].flat(),
    (key, circle) => found(at(key), 'under', `It would stand below itself: ${circle}.`),
  );
}
