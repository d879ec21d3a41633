import { laidOutTexts, type CaseContent } from '@core/design';
import { copyFilesOf, copyTarget, freeKeys, listFields, ownRules, ownValuesInto, recordsByKey, write, type Actor, type Db } from '../base';
import { tracedTo } from '../specify';
import { addCaseIn } from './cases';
import { listCaseKinds } from './kinds';
import { caseContent, needCases } from './store';

export interface CopyCases {
  readonly keys: readonly string[];
  readonly into: { readonly project: string; readonly folder: string | null };
  /** Traces to requirements that have the same key and title there. */
  readonly traces: boolean;
}

/** What a copy says in the other project: calls and dependences among what is copied follow, the rest stays as words or is said to be left. */
function translated(
  content: CaseContent,
  {
    keyOf,
    kinds,
    verified,
    say,
  }: { keyOf: ReadonlyMap<string, string>; kinds: readonly string[]; verified: readonly string[]; say: (words: string) => void },
): CaseContent {
  const steps = content.steps.map(({ call, verifies, ...step }) => {
    const mine = verifies?.filter((key) => verified.includes(key));
    const rest = { ...step, ...(mine?.length ? { verifies: mine } : {}) };
    if (!call) return rest;
    const called = keyOf.get(call.key);
    // A copy begins at revision 1.
    if (called) return { ...rest, call: { ...call, key: called, revision: 1 } };
    say(`the call of ${call.key}: its steps are named in words.`);
    return { ...rest, action: `Do all steps of ${call.key} revision ${call.revision}`, expected: 'All of them pass' };
  });
  const { kind, dependsOn = [], ...rest } = content;
  const outside = dependsOn.filter((key) => !keyOf.has(key));
  if (outside.length) say(`that it comes after ${outside.join(', ')}.`);
  if (kind && !kinds.includes(kind)) say(`its kind: the project has no ${kind}.`);
  const after = dependsOn.flatMap((key) => keyOf.get(key) ?? []);
  return {
    ...rest,
    steps,
    ...(kind && kinds.includes(kind) ? { kind } : {}),
    ...(after.length ? { dependsOn: after } : {}),
  };
}

/** Cases in an order in which each comes behind those that it calls or depends on, as far as they are copied too. */
function calledFirst<T extends { readonly key: string; readonly content: CaseContent }>(chosen: readonly T[]): T[] {
  const byKey = new Map(chosen.map((c) => [c.key, c]));
  const done = new Set<string>();
  const sorted: T[] = [];
  const visit = (c: T): void => {
    if (done.has(c.key)) return;
    done.add(c.key);
    for (const key of [...c.content.steps.flatMap(({ call }) => call?.key ?? []), ...(c.content.dependsOn ?? [])]) {
      const other = byKey.get(key);
      if (other) visit(other);
    }
    sorted.push(c);
  };
  chosen.forEach(visit);
  return sorted;
}

/** Copies cases into another project, in draft, all or none; each thing that could not come along is said. */
export async function copyCases(
  db: Db,
  actor: Actor,
  personId: number,
  { keys, into, traces }: CopyCases,
): Promise<{ copies: { from: string; to: string }[]; left: string[] }> {
  const target = await copyTarget(db, actor, personId, into.project);
  const { chosen, fields } = await db.transaction(async (tx) => {
    const stored = await needCases(tx, actor.projectId, keys);
    const verified = await tracedTo(
      tx,
      'verifies',
      stored.map(({ record }) => record.id),
    );
    return {
      chosen: stored.map((c) => ({
        key: c.record.key,
        own: c.record.own,
        content: caseContent(c),
        verifies: verified.filter(({ from }) => from === c.record.id).map(({ key, title }) => ({ key, title })),
      })),
      fields: await listFields(tx, actor.projectId),
    };
  });
  const left: string[] = [];
  const copies = await write(db, target, async (w) => {
    const kinds = (await listCaseKinds(w.tx, target.projectId)).filter(({ retired }) => !retired).map(({ name }) => name);
    const theirs = await recordsByKey(w.tx, target.projectId, [...new Set(chosen.flatMap((c) => c.verifies.map(({ key }) => key)))]);
    const ownOf = await ownValuesInto(w, 'case', { fields, project: into.project, rules: await ownRules(w, 'case') });
    const ordered = calledFirst(chosen);
    const made = await freeKeys(w, 'C', ordered.length);
    const keyOf = new Map(ordered.map(({ key }, i) => [key, made[i]]));
    for (const { key, content, own: before, verifies } of ordered) {
      const say = (words: string): void => void left.push(`${key}: ${words}`);
      const same = traces ? verifies.filter((r) => theirs.get(r.key)?.kind === 'requirement' && theirs.get(r.key)?.title === r.title) : [];
      const away = verifies.filter((r) => !same.includes(r));
      if (away.length) say(`the ${away.length === 1 ? 'trace' : 'traces'} to ${away.map((r) => r.key).join(', ')}.`);
      const { own, missing } = await ownOf(before);
      missing.forEach(say);
      const verified = same.map((r) => r.key);
      await addCaseIn(
        w,
        { key: keyOf.get(key), content: translated(content, { keyOf, kinds, verified, say }), verifies: verified, folder: into.folder },
        own,
      );
    }
    await copyFilesOf(
      w,
      actor.projectId,
      ordered.map(({ key, content }) => ({
        key: keyOf.get(key) ?? '',
        html: [
          ...laidOutTexts.map((name) => content.layout?.[name] ?? ''),
          ...content.steps.flatMap(({ layout }) => [layout?.action ?? '', layout?.expected ?? '']),
        ].join(''),
      })),
    );
    return chosen.map(({ key }) => ({ from: key, to: keyOf.get(key) ?? '' }));
  });
  return { copies, left };
}
