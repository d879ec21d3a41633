import { contentSchema } from '@contract/specify';
import { bulkKind, insertTraces, noSuchAct, Refusal, reviewedAct, setAct, type BulkDone, type Writing } from '../base';
import { revertRequirement } from './import-writing';
import { moveInto, placeOf } from './place';
import { addRequirementIn, approveRequirementIn, reviewedRequirement, reviseRequirement, tracedTo } from './requirements';
import { contentOf, needSpecification, requirementHash, requirementList, wholeRequirement, type StoredRequirement } from './store';

const settable = contentSchema.omit({ text: true, html: true }).partial();

/** Copies a requirement into a specification, in draft, beside it or at the end: with its parents, where they are wanted. */
async function copyRequirement(
  w: Writing,
  from: StoredRequirement,
  specification: string | undefined,
  withTraces: boolean,
): Promise<BulkDone> {
  const place = await placeOf(w, from);
  const into = specification ?? place.specification;
  const { id, key } = await addRequirementIn(
    w,
    { specification: into, under: into === place.specification ? place.under : null, parent: null, content: contentOf(from) },
    from.record.own,
  );
  if (withTraces) {
    const parents = await tracedTo(w.tx, 'parent', [from.record.id]);
    const end = { id, kind: 'requirement' as const, key, title: from.record.title, revision: 1, state: 'draft' };
    await insertTraces(
      w,
      'parent',
      parents.map((parent) => [end, parent] as const),
    );
  }
  return { words: `copied as ${key}`, undo: null };
}

bulkKind({
  kind: 'requirement',
  list: async (tx, projectId, { specification }) =>
    requirementList(projectId, specification === undefined ? undefined : (await needSpecification(tx, projectId, specification)).id),
  act: async (w, record, act, how) => {
    const requirement = await wholeRequirement(w.tx, record);
    const common = await reviewedAct(w, record, act, how, async () => reviewedRequirement(w, requirement));
    if (common) return common;
    switch (act.act) {
      case 'approve': {
        if (!how.signer) throw new Refusal('forbidden');
        await approveRequirementIn(w, how.signer, requirement, { hash: requirementHash(requirement), reason: how.reason });
        return { words: `revision ${record.revision} approved`, undo: { act: 'state', state: 'review' } };
      }
      case 'set':
        return setAct(settable, act.values, contentOf(requirement), (after) => reviseRequirement(w, requirement, after, how.reason));
      case 'move': {
        const before = await placeOf(w, requirement);
        if (before.specification === act.specification && before.under === act.under)
          throw new Refusal('stateForbids', { detail: 'It stands there already.' });
        await moveInto(w, requirement, act.specification, act.under);
        return { words: `${before.specification} → ${act.specification}`, undo: { act: 'move', ...before } };
      }
      case 'revert':
        return revertRequirement(w, requirement, act, how.reason);
      case 'copy':
        return copyRequirement(w, requirement, act.specification, act.traces);
      default:
        throw noSuchAct('requirement', act);
    }
  },
});
