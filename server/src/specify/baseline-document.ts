import { baselineContent, baselineRows, baselineTable, type DocumentRow } from '@core/specify';
import { counted } from '@core/base';
import { parseWork, type Db, type Parse } from '../base';
import { baselineDetail, baselineFile } from './baselines';
import { refuseLong, writeDocument, type DocumentHow, type WrittenDocument } from './document';

const parseRows = parseWork('rows of a baseline', ({ text, words }: { text: string; words: string }): DocumentRow[] =>
  baselineRows(baselineContent(text), words),
);
const parseTable = parseWork('table of a baseline', ({ text, words }: { text: string; words: string }) =>
  baselineTable(baselineRows(baselineContent(text), words)),
);

/** What stood in a baseline as a document, which names it, says how far it is true and whether it is still the newest; of what words find, only that. */
export async function baselineDocument(
  db: Db,
  projectId: number,
  key: string,
  words: string,
  how: DocumentHow,
  parse: Parse,
): Promise<WrittenDocument> {
  const { title, asOf, sha256, signatures, newer, specifications } = await baselineDetail(db, projectId, key);
  const rows = await parseRows(parse, { text: (await baselineFile(db, projectId, key)).toString(), words });
  refuseLong(rows);
  const signed = signatures.map(({ printedName, at }) => `signed by ${printedName} on ${at.slice(0, 10)}`);
  const note = [
    [`Baseline ${key} of ${specifications.join(', ')}`, ...signed, `as at ledger number ${asOf}, SHA-256 ${sha256}`].join(', '),
    newer
      ? `It was no longer the newest when this was written: ${newer} holds the same specifications later`
      : `It was the newest when this was written, ${how.at.toISOString().slice(0, 10)}`,
    ...(words.trim() ? [`Only what says “${words.trim()}”: ${counted(rows.length, 'row')}`] : []),
  ];
  return writeDocument(db, projectId, { title: `${key} ${title}`, note: `${note.join('. ')}.`, rows }, how, key);
}

/** The same as a table: its headings, and a line for each row. */
export async function baselineLines(db: Db, projectId: number, key: string, words: string, parse: Parse) {
  return parseTable(parse, { text: (await baselineFile(db, projectId, key)).toString(), words });
}
