import Papa from 'papaparse';
import { isKey, type Finding } from '../base';
import { emptyRequirement, verificationMethods, type RequirementContent, type VerificationMethod } from './requirement';

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
  'kind',
  'topLevel',
  'derived',
  'notInCode',
] as const;
export type ImportField = (typeof importFields)[number];
/** Which column (by its heading) holds which field. */
export type ColumnMapping = Partial<Record<ImportField, string>>;

export interface ImportedRequirement {
  readonly row: number;
  readonly key: string;
  readonly parent: string | null;
  readonly under: string | null;
  readonly content: RequirementContent;
}

export interface ImportPreview {
  readonly columns: readonly string[];
  readonly mapping: ColumnMapping;
  readonly rows: readonly ImportedRequirement[];
  readonly findings: readonly Finding[];
  readonly total: number;
}

export interface ImportContext {
  readonly existing: ReadonlySet<string>;
  readonly levels: readonly string[];
}

export const importRowLimit = 50_000;
const findingLimit = 500;

const aliases: Record<ImportField, readonly string[]> = {
  key: ['key', 'id', 'requirement id', 'req id', 'identifier'],
  title: ['title', 'name', 'summary', 'heading text'],
  text: ['text', 'requirement', 'description', 'requirement text', 'statement'],
  rationale: ['rationale', 'reason', 'why'],
  level: ['level', 'sil', 'asil', 'dal', 'class', 'integrity level'],
  method: ['method', 'verification method', 'verification', 'verified by'],
  parent: ['parent', 'parent key', 'derived from', 'source', 'traces to'],
  under: ['under', 'section', 'heading'],
  kind: ['kind', 'type'],
  topLevel: ['top level', 'toplevel'],
  derived: ['derived'],
  notInCode: ['not in code', 'why not in code'],
};

/**
 * Text from bytes whose encoding nobody has said: a byte order mark decides, else valid UTF-8, else Windows-1252.
 * Bytes with NUL and no byte order mark are not text: `undefined`.
 */
export function decodeText(bytes: Uint8Array): { readonly text: string; readonly encoding: string } | undefined {
  const mark = (...want: number[]): boolean => want.every((byte, i) => bytes[i] === byte);
  const decode = (encoding: string): { text: string; encoding: string } => ({ text: new TextDecoder(encoding).decode(bytes), encoding });
  if (mark(0xff, 0xfe)) return decode('utf-16le');
  if (mark(0xfe, 0xff)) return decode('utf-16be');
  if (bytes.subarray(0, 65536).includes(0)) return undefined;
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: 'utf-8' };
  } catch {
    return decode('windows-1252');
  }
}

/** The mapping that the headings suggest. */
export function suggestMapping(columns: readonly string[]): ColumnMapping {
  const mapping: ColumnMapping = {};
  for (const field of importFields) {
    const column = columns.find((name) => aliases[field].includes(name.trim().toLowerCase()) && !Object.values(mapping).includes(name));
    if (column !== undefined) mapping[field] = column;
  }
  return mapping;
}

/**
 * Reads a requirements table (CSV with a heading row, separator found out) and says, by row and cell, what is wrong.
 * Rows with an error are not among `rows`; the caller writes all or nothing.
 */
export function previewRequirements(csv: string, mapping: ColumnMapping | undefined, context: ImportContext): ImportPreview {
  const parsed = Papa.parse<string[]>(csv.replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
  const [columns = [], ...lines] = parsed.data;
  const chosen = mapping ?? suggestMapping(columns);
  const findings: Finding[] = [];
  const report = (finding: Finding): void => void (findings.length < findingLimit && findings.push(finding));
  const broken = new Set<number>();
  for (const error of parsed.errors) {
    if (error.code === 'UndetectableDelimiter') continue;
    if (error.row !== undefined) broken.add(error.row + 1);
    report({
      severity: 'error',
      row: (error.row ?? 0) + 1,
      text: error.code === 'MissingQuotes' ? 'A quoted cell is never closed.' : error.message,
    });
  }
  if (!columns.length) report({ severity: 'error', text: 'The file has no heading row.' });
  const doubled = columns.find((name, i) => columns.indexOf(name) !== i);
  if (doubled !== undefined) report({ severity: 'error', row: 1, cell: doubled, text: `Two columns are called “${doubled}”.` });
  for (const field of ['key', 'title', 'text'] as const)
    if (chosen[field] === undefined || !columns.includes(chosen[field]))
      report({ severity: 'error', row: 1, cell: field, text: `No column is chosen for ${field}.` });
  if (lines.length > importRowLimit)
    report({ severity: 'error', text: `The file has ${lines.length} rows; at most ${importRowLimit} are taken at a time.` });
  const fatal = findings.some((finding) => finding.row === undefined || finding.row === 1);
  if (fatal) return { columns, mapping: chosen, rows: [], findings, total: lines.length };

  const index = new Map(importFields.map((field) => [field, chosen[field] === undefined ? -1 : columns.indexOf(chosen[field])]));
  const cell = (line: readonly string[], field: ImportField): string => (line[index.get(field) ?? -1] ?? '').trim();
  const firstRow = new Map<string, number>();
  lines.forEach((line, i) => {
    const key = cell(line, 'key');
    if (key && !firstRow.has(key)) firstRow.set(key, i + 2);
  });
  const rows: ImportedRequirement[] = [];
  lines.forEach((line, i) => {
    const row = i + 2;
    const before = findings.length;
    const fault = (field: ImportField, text: string): void => report({ severity: 'error', row, cell: chosen[field] ?? field, text });
    const key = cell(line, 'key');
    const kind = /^heading$/i.test(cell(line, 'kind')) ? 'heading' : 'requirement';
    const level = cell(line, 'level');
    const method = cell(line, 'method').toLowerCase();
    const parent = cell(line, 'parent') || null;
    const under = cell(line, 'under') || null;
    if (line.length > columns.length)
      report({ severity: 'error', row, text: `The row has ${line.length} cells, the heading ${columns.length}.` });
    if (!key) fault('key', 'The key is empty.');
    else if (!isKey(key)) fault('key', `“${key}” is not a key: capitals, a hyphen and a number, as in BRK-007.`);
    else if (context.existing.has(key)) fault('key', `${key} exists already in this project.`);
    else if (firstRow.get(key) !== row) fault('key', `${key} stands already in row ${firstRow.get(key)}.`);
    if (!cell(line, 'title')) fault('title', 'The title is empty.');
    if (kind === 'requirement' && !cell(line, 'text')) fault('text', 'The text is empty.');
    if (level && !context.levels.includes(level))
      fault('level', `“${level}” is not a level of this project (${context.levels.join(', ')}).`);
    if (method && !verificationMethods.includes(method as VerificationMethod))
      fault('method', `“${method}” is not one of ${verificationMethods.join(', ')}.`);
    if (parent && !context.existing.has(parent) && !firstRow.has(parent))
      fault('parent', `The parent ${parent} is neither in the project nor in this file.`);
    if (under && !context.existing.has(under) && !firstRow.has(under))
      fault('under', `The heading ${under} is neither in the project nor in this file.`);
    if (parent === key && key) fault('parent', 'A requirement cannot be its own parent.');
    if (findings.length > before || broken.has(row)) return;
    rows.push({
      row,
      key,
      parent,
      under,
      content: {
        ...emptyRequirement,
        kind,
        title: cell(line, 'title'),
        text: cell(line, 'text'),
        rationale: cell(line, 'rationale'),
        level,
        method: method as VerificationMethod | '',
        topLevel: isYes(cell(line, 'topLevel')),
        derived: isYes(cell(line, 'derived')),
        notInCode: cell(line, 'notInCode') !== '',
        notInCodeRationale: cell(line, 'notInCode'),
      },
    });
  });
  return { columns, mapping: chosen, rows, findings, total: lines.length };
}

const isYes = (text: string): boolean => /^(y|yes|true|1|x)$/i.test(text);
