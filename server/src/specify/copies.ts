import { inReadingOrder, type ImportedRequirement } from '@core/specify';
import {
  copyFilesOf,
  copyTarget,
  freeKeys,
  listFields,
  ownRules,
  ownValuesInto,
  profileOf,
  Refusal,
  write,
  type Actor,
  type Db,
  type Tx,
} from '../base';
import { wholeRequirements } from './exports';
import { insertNew } from './import-writing';
import { contentOf, lockSpecification, needRequirement } from './store';

export interface CopyOut {
  readonly keys: readonly string[];
  readonly into: { readonly project: string; readonly specification: string; readonly under: string | null };
  readonly traces: boolean;
}

type Whole = Awaited<ReturnType<typeof wholeRequirements>>[number];

/** What is chosen with all that stands below it, in reading order. */
async function chosenBranches(tx: Tx, projectId: number, keys: readonly string[]): Promise<Whole[]> {
  const all = inReadingOrder((await wholeRequirements(tx, projectId, undefined)).map((row) => ({ ...row, key: row.record.key })));
  const wanted = new Set(keys);
  const strange = keys.filter((key) => !all.some((row) => row.key === key));
  if (strange.length) throw new Refusal('notFound', { detail: `There is no requirement ${strange.slice(0, 10).join(', ')}.` });
  return all.filter((row) => wanted.has(row.key) || (row.under !== null && wanted.has(row.under) && wanted.add(row.key)));
}

/** Copies requirements into a specification of another project, in draft, all or none: as the tree that they are, with their pictures. */
export async function copyOut(
  db: Db,
  actor: Actor,
  personId: number,
  { keys, into, traces }: CopyOut,
): Promise<{ copies: { from: string; to: string }[]; left: string[] }> {
  const target = await copyTarget(db, actor, personId, into.project);
  const { rows, fields } = await db.transaction(async (tx) => ({
    rows: await chosenBranches(tx, actor.projectId, keys),
    fields: await listFields(tx, actor.projectId),
  }));
  const left: string[] = [];
  const copies = await write(db, target, async (w) => {
    const specification = await lockSpecification(w, into.specification);
    const top = into.under === null ? null : await needRequirement(w.tx, target.projectId, into.under);
    if (top && top.row.specificationId !== specification.id)
      throw new Refusal('invalid', { fields: [{ path: 'into.under', text: `${into.under} stands in another specification.` }] });
    const { levels } = await profileOf(w.tx, target.projectId);
    const made = await freeKeys(w, specification.prefix, rows.length);
    const keyOf = new Map(rows.map(({ record }, i) => [record.key, made[i]]));
    const rules = await ownRules(w, 'requirement');
    const ownOf = await ownValuesInto(w, 'requirement', { fields, project: into.project, rules });
    const copied: ImportedRequirement[] = [];
    for (const [i, { record, row, details, under, parents }] of rows.entries()) {
      const content = contentOf({ record, row, details });
      if (content.level && !levels.includes(content.level)) left.push(`${record.key}: ${into.project} has no level ${content.level}.`);
      const { own, missing } = await ownOf(record.own);
      left.push(...missing.map((words) => `${record.key}: ${words}`));
      const outside = traces ? parents.filter((parent) => !keyOf.has(parent)) : parents;
      if (outside.length) left.push(`${record.key}: the trace to ${outside.join(', ')}.`);
      copied.push({
        row: i + 1,
        key: made[i],
        status: 'new',
        parents: traces ? parents.flatMap((parent) => keyOf.get(parent) ?? []) : [],
        under: under === null ? null : (keyOf.get(under) ?? null),
        content: levels.includes(content.level) ? content : { ...content, level: '' },
        own,
      });
    }
    w.log({ action: 'requirements copied here', kind: 'specification', key: into.specification, after: { rows: rows.length } });
    await insertNew(w, specification.id, copied, rules, top?.record.id ?? null);
    await copyFilesOf(
      w,
      actor.projectId,
      copied.map(({ key, content }) => ({ key, html: content.html ?? '' })),
    );
    return rows.map(({ record }, i) => ({ from: record.key, to: made[i] }));
  });
  return { copies, left };
}
