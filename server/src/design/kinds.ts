import { caseFaults, partOf, usualCaseKinds, type CaseKind } from '@core/design';
import { and, asc, eq } from 'drizzle-orm';
import { account, listFields, Refusal, write, type Actor, type Db, type Tx } from '../base';
import { caseContent, type StoredCase } from './store';
import { caseKinds } from './tables';

const kindRows = account({
  name: 'case_kinds',
  table: caseKinds,
  id: caseKinds.id,
  project: caseKinds.projectId,
  columns: [
    ['name', caseKinds.name],
    ['title', caseKinds.title],
    ['description', caseKinds.description],
    ['part', caseKinds.part],
    ['evidence', caseKinds.evidence],
    ['fields', caseKinds.fields],
    ['retired', caseKinds.retired],
  ],
});

/** The kinds of case of a project: its own, and of the usual ones those that it has not changed. */
export async function listCaseKinds(db: Db | Tx, projectId: number): Promise<CaseKind[]> {
  const rows = await db.select().from(caseKinds).where(eq(caseKinds.projectId, projectId)).orderBy(asc(caseKinds.id));
  const own = new Map(rows.map(({ id: _, projectId: __, ...kind }): [string, CaseKind] => [kind.name, kind]));
  const usual = usualCaseKinds.map((kind) => own.get(kind.name) ?? kind);
  return [...usual, ...[...own.values()].filter(({ name }) => !usualCaseKinds.some((kind) => kind.name === name))];
}

/** Of what a case of this kind is made; refused where the project has no such kind. */
export async function partOfKind(db: Db | Tx, projectId: number, kind: string | undefined) {
  if (!kind) return 'steps';
  const kinds = await listCaseKinds(db, projectId);
  if (!kinds.some(({ name }) => name === kind))
    throw new Refusal('invalid', { fields: [{ path: 'content.kind', text: `The project has no kind of case “${kind}”.` }] });
  return partOf(kind, kinds);
}

/** Names a kind of case, or changes what it has. */
export function saveCaseKind(db: Db, actor: Actor, kind: CaseKind): Promise<CaseKind[]> {
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const before = (await listCaseKinds(w.tx, projectId)).find(({ name }) => name === kind.name);
    const known = new Set((await listFields(w.tx, projectId)).filter((field) => field.kind === 'case').map(({ id }) => id));
    if (kind.fields.some((id) => !known.has(id)))
      throw new Refusal('invalid', { fields: [{ path: 'fields', text: 'One of these is no field of cases in this project.' }] });
    const { name, ...rest } = kind;
    await w.tx
      .insert(caseKinds)
      .values({ projectId, name, ...rest })
      .onDuplicateKeyUpdate({ set: rest });
    const [{ id }] = await w.tx
      .select({ id: caseKinds.id })
      .from(caseKinds)
      .where(and(eq(caseKinds.projectId, projectId), eq(caseKinds.name, name)));
    w.log({ action: 'kind of case set', kind: 'project', key: name, before: before ?? null, after: kind });
    w.wrote(kindRows, id);
    return listCaseKinds(w.tx, projectId);
  });
}

/** Why a case cannot be run as it is; undefined where it can. */
export function whyNotRun(c: StoredCase, kinds: readonly CaseKind[]): string | undefined {
  const content = caseContent(c);
  const [fault] = caseFaults(content, partOf(content.kind, kinds));
  if (fault) return `${c.record.key} cannot be run. ${fault}`;
  if (c.record.retiredAt !== null) return `${c.record.key} is retired: it is not run any more.`;
  return c.record.state === 'approved' ? undefined : `${c.record.key} is not approved: only approved cases are run.`;
}

/** The same, for one case. */
export const runnable = async (tx: Db | Tx, projectId: number, c: StoredCase): Promise<string | undefined> =>
  whyNotRun(c, await listCaseKinds(tx, projectId));
