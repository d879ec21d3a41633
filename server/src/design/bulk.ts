import { caseContentSchema } from '@contract/design';
import { replaceInCase, type CaseContent } from '@core/design';
import type { BulkAct } from '@contract/base';
import { and, asc, eq, gt, isNull, or, sql, type SQL } from 'drizzle-orm';
import {
  bulkKind,
  noSuchAct,
  Refusal,
  records,
  reviewedAct,
  revisions,
  setAct,
  type BulkDone,
  type Db,
  type Tx,
  type Writing,
} from '../base';
import { tracedTo } from '../specify';
import { addCaseIn, approveCaseIn, reviewedCase, reviseCase } from './cases';
import { putInFolder } from './folders';
import { caseContent, caseHash, caseList, placesOf, wholeCase } from './store';
import { caseDetails, cases } from './tables';

const settable = caseContentSchema
  .pick({ title: true, objective: true, preconditions: true, plannedMinutes: true, kind: true, priority: true })
  .partial();

/** What a revision of a case said. */
async function saidAt(w: Writing, id: number, revision: number): Promise<CaseContent> {
  const [row] = await w.tx
    .select({ snapshot: revisions.snapshot })
    .from(revisions)
    .where(and(eq(revisions.recordId, id), eq(revisions.revision, revision)))
    .limit(1);
  if (!row) throw new Refusal('notFound', { detail: `There is no revision ${revision}.` });
  const { own: _, ...content } = row.snapshot;
  return content as unknown as CaseContent;
}

/** So many cases are read at once where all of a project are gone through: nobody else waits long while they are. */
const atOnce = 500;

const replacedWords = (count: number, { find, replace }: { find: string; replace: string }): string =>
  `${count} ${count === 1 ? 'place' : 'places'}: “${find}” → “${replace}”`;

/** What a replacement would do to every case of a project: those in which the text stands at all are read, and no others. */
async function foreseeReplacement(db: Db | Tx, projectId: number, act: Extract<BulkAct, { act: 'replace' }>): Promise<Map<number, string>> {
  const words = new Map<number, string>();
  // In stored JSON quotes and line ends are written otherwise.
  const sought = `%${JSON.stringify(act.find)
    .slice(1, -1)
    .toLowerCase()
    .replace(/[\\%_]/g, '\\$&')}%`;
  const said = (text: SQL): SQL => sql`${text} collate utf8mb4_general_ci like ${sought}`;
  // Most words of a case are its steps: where the text stands there, the rest is not read.
  const stands = or(
    said(sql`${cases.steps}`),
    said(
      sql`concat_ws('\n', ${records.title}, ${cases.objective}, ${cases.preconditions}, ${cases.rows}, ${caseDetails.postconditions}, ${caseDetails.script}, ${caseDetails.arguments})`,
    ),
  );
  const read = (after: number) =>
    db
      .select({ record: { id: records.id, title: records.title }, row: cases, details: caseDetails })
      .from(cases)
      .innerJoin(records, eq(records.id, cases.id))
      .leftJoin(caseDetails, eq(caseDetails.id, cases.id))
      .where(and(eq(cases.projectId, projectId), gt(cases.id, after), isNull(records.retiredAt), stands))
      .orderBy(asc(cases.id))
      .limit(atOnce)
      .execute();
  for (let coming = read(0); ;) {
    const part = await coming;
    const last = part.at(-1);
    // The database looks for the next ones while these are gone through.
    if (part.length === atOnce && last) coming = read(last.record.id);
    for (const stored of part) {
      const replaced = replaceInCase(caseContent(stored), act);
      if (replaced) words.set(stored.record.id, replacedWords(replaced.count, act));
    }
    if (part.length < atOnce) return words;
  }
}

bulkKind({
  kind: 'case',
  foresee: async (tx, projectId, act) =>
    act.act === 'replace'
      ? { words: await foreseeReplacement(tx, projectId, act), else: `“${act.find}” does not stand in it.` }
      : undefined,
  list: (_, projectId) => caseList(projectId),
  act: async (w, record, act, how) => {
    const stored = await wholeCase(w.tx, record);
    const common = await reviewedAct(w, record, act, how, async () => reviewedCase(w, stored));
    if (common) return common;
    const content = caseContent(stored);
    const back: BulkDone['undo'] = { act: 'revert', revision: record.revision, under: null, parents: [] };
    switch (act.act) {
      case 'approve': {
        if (!how.signer) throw new Refusal('forbidden');
        await approveCaseIn(w, how.signer, stored, { hash: caseHash(stored), reason: how.reason });
        return { words: `revision ${record.revision} approved`, undo: { act: 'state', state: 'review' } };
      }
      case 'set':
        return setAct(settable, act.values, content, (after) => reviseCase(w, stored, after, how.reason));
      case 'replace': {
        const replaced = replaceInCase(content, act);
        if (!replaced) throw new Refusal('stateForbids', { detail: `“${act.find}” does not stand in it.` });
        await reviseCase(w, stored, replaced.content, how.reason);
        return { words: replacedWords(replaced.count, act), undo: back };
      }
      case 'revert': {
        const before = await saidAt(w, record.id, act.revision);
        await reviseCase(w, stored, before, how.reason || `Back to revision ${act.revision}.`);
        return { words: `as revision ${act.revision} said`, undo: back };
      }
      case 'file': {
        const before = (await placesOf(w.tx, [record.id])).get(record.id)?.key ?? null;
        if (before === act.folder) throw new Refusal('stateForbids', { detail: 'It stands there already.' });
        await putInFolder(w, [record], act.folder);
        return { words: `${before ?? 'no folder'} → ${act.folder ?? 'no folder'}`, undo: { act: 'file', folder: before } };
      }
      case 'copy': {
        const verified = act.traces ? await tracedTo(w.tx, 'verifies', [record.id]) : [];
        const folder = (await placesOf(w.tx, [record.id])).get(record.id)?.key ?? null;
        const key = await addCaseIn(w, { content, verifies: verified.map((r) => r.key), folder }, record.own);
        return { words: `copied as ${key}`, undo: null };
      }
      default:
        throw noSuchAct('case', act);
    }
  },
});
