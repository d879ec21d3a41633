import {
  emptyRequirement,
  outlineFaults,
  placesOf,
  settled,
  type ImportedRequirement,
  type OutlineRow,
  type VerificationMethod,
} from '@core/specify';
import { freeKeys, profileOf, Refusal, write, type Actor, type Db } from '../base';
import { insertNew } from './import-writing';
import { lockSpecification, needRequirement } from './store';

export interface NewOutline {
  readonly under: string | null;
  readonly level: string;
  readonly method: VerificationMethod | '';
  readonly source: string;
  readonly rows: readonly OutlineRow[];
}

/** Writes a tree of headings, requirements and notes into a specification, all of it or nothing; keys are the next free ones, in reading order. */
export function addOutline(
  db: Db,
  actor: Actor,
  key: string,
  { under, level, method, source, rows }: NewOutline,
): Promise<{ written: number; first: string; keys: string[] }> {
  const faults = outlineFaults(rows);
  if (faults.length)
    throw new Refusal('importErrors', { findings: faults.slice(0, 500).map(({ row, text }) => ({ severity: 'error', row, text })) });
  return write(db, actor, async (w) => {
    const specification = await lockSpecification(w, key);
    const top = under === null ? null : await needRequirement(w.tx, actor.projectId, under);
    if (top && top.row.specificationId !== specification.id)
      throw new Refusal('invalid', { fields: [{ path: 'under', text: `${under} stands in another specification.` }] });
    if (level && !(await profileOf(w.tx, actor.projectId)).levels.includes(level))
      throw new Refusal('invalid', { fields: [{ path: 'level', text: `“${level}” is not a level of this project.` }] });
    const keys = await freeKeys(w, specification.prefix, rows.length);
    const places = placesOf(rows);
    const made = settled(rows).map(({ kind, title, text }, i): ImportedRequirement => {
      const place = places[i];
      const asks = kind === 'requirement';
      return {
        row: i + 1,
        key: keys[i],
        status: 'new',
        parents: [],
        under: place === null ? null : keys[place],
        content: { ...emptyRequirement, kind, title: title.trim(), text, level: asks ? level : '', method: asks ? method : '' },
        own: {},
      };
    });
    w.log({ action: 'outline written', kind: 'specification', key, after: { source, rows: rows.length } });
    await insertNew(w, specification.id, made, () => Promise.resolve({}), top?.record.id ?? null);
    return { written: rows.length, first: keys[0], keys };
  });
}
