import { checkCaseWording } from '@core/design';
import { lockRecord, write, type Actor, type Db } from '../base';
import { dismissIn, endDismissalIn, requirementsById, tracedTo, wordingOf } from '../specify';
import { caseContent, wholeCase } from './store';

/** Lets a finding of a case's wording stand, for a reason. */
export function dismissCaseFinding(
  db: Db,
  actor: Actor,
  key: string,
  input: { readonly rule: string; readonly words: string; readonly reason: string },
): Promise<void> {
  return write(db, actor, async (w) => {
    const record = await lockRecord(w, 'case', key);
    const verified = await tracedTo(w.tx, 'verifies', [record.id]);
    const texts = await requirementsById(
      w.tx,
      verified.map(({ id }) => id),
    );
    const { lists } = await wordingOf(w.tx, actor.projectId);
    const findings = checkCaseWording(
      caseContent(await wholeCase(w.tx, record)),
      texts.map(({ text }) => text),
      lists,
    );
    await dismissIn(w, record, findings, input);
  });
}

export function endCaseDismissal(db: Db, actor: Actor, key: string, id: number): Promise<void> {
  return write(db, actor, async (w) => endDismissalIn(w, await lockRecord(w, 'case', key), id));
}
