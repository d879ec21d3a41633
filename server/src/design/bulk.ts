import { caseContentSchema } from '@contract/design';
import { replaceInCase, type CaseContent } from '@core/design';
import { and, eq } from 'drizzle-orm';
import { bulkKind, noSuchAct, Refusal, reviewedAct, revisions, setAct, type BulkDone, type Writing } from '../base';
import { tracedTo } from '../specify';
import { addCaseIn, approveCaseIn, reviewedCase, reviseCase } from './cases';
import { putInFolder } from './folders';
import { caseContent, caseHash, caseList, placesOf, wholeCase } from './store';

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

bulkKind({
  kind: 'case',
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
        return { words: `${replaced.count} ${replaced.count === 1 ? 'place' : 'places'}: “${act.find}” → “${act.replace}”`, undo: back };
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
