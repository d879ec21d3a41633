import { caseContentSchema } from '@contract/design';
import { eq } from 'drizzle-orm';
import { bulkKind, noSuchAct, Refusal, reviewedAct, setAct } from '../base';
import { tracedTo } from '../specify';
import { addCaseIn, approveCaseIn, reviewedCase, reviseCase } from './cases';
import { caseContent, caseHash, caseList } from './store';
import { cases } from './tables';

const settable = caseContentSchema.pick({ title: true, objective: true, preconditions: true, plannedMinutes: true }).partial();

bulkKind({
  kind: 'case',
  list: (_, projectId) => caseList(projectId),
  act: async (w, record, act, how) => {
    const [row] = await w.tx.select().from(cases).where(eq(cases.id, record.id));
    const stored = { record, row };
    const common = await reviewedAct(w, record, act, how, async () => reviewedCase(w, stored));
    if (common) return common;
    switch (act.act) {
      case 'approve': {
        if (!how.signer) throw new Refusal('forbidden');
        await approveCaseIn(w, how.signer, stored, { hash: caseHash(stored), reason: how.reason });
        return { words: `revision ${record.revision} approved`, undo: { act: 'state', state: 'review' } };
      }
      case 'set':
        return setAct(settable, act.values, caseContent(stored), (after) => reviseCase(w, stored, after, how.reason));
      case 'copy': {
        const verified = act.traces ? await tracedTo(w.tx, 'verifies', [record.id]) : [];
        const key = await addCaseIn(w, { content: caseContent(stored), verifies: verified.map((r) => r.key) }, record.own);
        return { words: `copied as ${key}`, undo: null };
      }
      default:
        throw noSuchAct('case', act);
    }
  },
});
