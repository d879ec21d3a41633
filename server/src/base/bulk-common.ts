import type { BulkAct } from '@contract/base';
import type { ZodSafeParseResult } from 'zod';
import type { BulkDone, BulkHow } from './bulk';
import { retireIn, setOwnIn } from './collaboration';
import { Refusal } from './errors';
import { changeReviewState, needReasonOfChange, type Reviewed } from './review';
import type { StoredRecord } from './records';
import type { Writing } from './writing';

/** A member that the content of a kind does not have, or a value that it cannot have, is refused by name; what is the same already too. */
export async function setAct<C extends object>(
  settable: { safeParse(values: unknown): ZodSafeParseResult<Partial<C>> },
  given: object,
  before: C,
  revise: (after: C) => Promise<void>,
): Promise<BulkDone> {
  const values = settable.safeParse(given);
  if (!values.success)
    throw new Refusal('invalid', {
      fields: values.error.issues.map((issue) => ({ path: `act.values.${issue.path.join('.')}`, text: issue.message })),
    });
  const after = { ...before, ...values.data };
  if (JSON.stringify(before) === JSON.stringify(after)) throw new Refusal('stateForbids', { detail: 'It says this already.' });
  await revise(after);
  const names = Object.keys(values.data) as (keyof C & string)[];
  return {
    words: names.map((name) => `${name}: ${String(before[name]) || '–'} → ${String(after[name]) || '–'}`).join('; '),
    undo: { act: 'set', values: Object.fromEntries(names.map((name) => [name, before[name]])) as never },
  };
}

/** What is done alike to every kind that is reviewed: asked for review or taken back, retired and brought back, own fields set. */
export async function reviewedAct(
  w: Writing,
  record: StoredRecord,
  act: BulkAct,
  { reason, takesBack }: BulkHow,
  reviewed: () => Promise<Reviewed>,
): Promise<BulkDone | undefined> {
  switch (act.act) {
    case 'state': {
      if (record.state === act.state) throw new Refusal('stateForbids', { detail: `It is in ${act.state} already.` });
      if (record.state === 'approved' && !takesBack)
        throw new Refusal('stateForbids', { detail: 'It is approved: a new revision is reviewed.' });
      await changeReviewState(w, await reviewed(), act.state);
      const back = record.state === 'draft' || record.state === 'review' ? record.state : null;
      return { words: `${record.state} → ${act.state}`, undo: back && { act: 'state', state: back } };
    }
    case 'retire':
    case 'restore': {
      const retired = act.act === 'retire';
      if ((record.retiredAt !== null) === retired)
        throw new Refusal('stateForbids', { detail: retired ? 'It is retired already.' : 'It is not retired.' });
      const after = await retireIn(w, record, retired, reason);
      return { words: `${record.state} → ${after.state}`, undo: { act: retired ? 'restore' : 'retire' } };
    }
    case 'own': {
      const before = Object.fromEntries(Object.keys(act.own).map((id) => [id, record.own[id] ?? null]));
      if (JSON.stringify(before) === JSON.stringify(act.own)) throw new Refusal('stateForbids', { detail: 'It says this already.' });
      await needReasonOfChange(w, record, reason);
      await setOwnIn(w, record, act.own, reason);
      return { words: `revision ${record.revision} → ${record.revision + 1}`, undo: { act: 'own', own: before as never } };
    }
    default:
      return undefined;
  }
}
