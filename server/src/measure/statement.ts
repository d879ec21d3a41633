import { recordFormat, textHash, type VersionedKind } from '@core/base';
import type { SignatureMeaning } from '@core/run';
import { and, eq, sql, type SQL } from 'drizzle-orm';
import type { MySqlColumn, MySqlTable } from 'drizzle-orm/mysql-core';
import {
  buildById,
  changeRecord,
  lockRecord,
  proveSigner,
  putSignature,
  recordFields,
  recordRows,
  records,
  Refusal,
  write,
  type Accounted,
  type Actor,
  type Db,
  type ListSource,
  type SignedIn,
  type Touches,
  type Writing,
} from '../base';

/** A revision of a record that somebody signs as it is made. */
export interface Statement {
  readonly recordId: number;
  readonly kind: VersionedKind;
  readonly key: string;
  readonly revision: number;
  readonly state: string;
  /** What it says, and that as the text that the hash is of. */
  readonly content: object;
  readonly text: string;
  readonly meaning: SignatureMeaning;
  readonly reason: string;
  /** The entry of the ledger; `after` stands in it beside the hash and the name. */
  readonly action: string;
  readonly before?: object;
  readonly after: object;
  readonly touches: Touches;
}

/** Writes down a revision, its entry of the ledger and its signature; the caller says which rows of its own it wrote. */
export async function signStatement(w: Writing, signer: SignedIn, statement: Statement): Promise<void> {
  const { recordId, kind, key, revision, state, content, text, meaning, reason, action, before, after, touches } = statement;
  const hash = textHash(text);
  w.log({
    action,
    kind,
    key,
    ...(before ? { before } : {}),
    after: { ...after, hash, printedName: signer.printedName },
    touches,
  });
  w.snapshot({ recordId, revision, state, snapshot: content, hash, reason });
  w.wrote(recordRows, recordId);
  await putSignature(w, signer, { recordId, revision, meaning, format: recordFormat, hash, reason });
}

/** What a statement of one kind is, for taking it back. */
export interface Withdrawn<C extends object> {
  readonly buildId: number;
  readonly withdrawnAt: string | null;
  /** What it says from now on, and that as text. */
  readonly content: (build: string) => C;
  readonly text: (key: string, revision: number, content: C) => string;
  readonly action: string;
  readonly touches: Touches;
  /** Writes it down in the table of its kind, whose rows are accounted for so. */
  readonly change: () => Promise<unknown>;
  readonly rows: Accounted;
}

/** Takes back what somebody signed, signed: what rested on it waits again, and it stays readable. Its number. */
export async function withdrawStatement<C extends object>(
  db: Db,
  actor: Actor,
  kind: VersionedKind,
  key: string,
  { reason, password }: { readonly reason: string; readonly password: string },
  find: (w: Writing, id: number) => Promise<Withdrawn<C>>,
): Promise<number> {
  const signer = await proveSigner(db, actor, password);
  return write(db, actor, async (w) => {
    const record = await lockRecord(w, kind, key);
    const found = await find(w, record.id);
    const { name, closedSeq } = await buildById(w.tx, found.buildId);
    if (closedSeq !== null) throw new Refusal('closed', { detail: `${name} is closed: nothing is withdrawn from it any more.` });
    if (found.withdrawnAt !== null) throw new Refusal('stateForbids', { detail: `${record.key} is withdrawn already.` });
    const revision = record.revision + 1;
    const content = found.content(name);
    await changeRecord(w, record, { revision, state: 'withdrawn' });
    await found.change();
    await signStatement(w, signer, {
      recordId: record.id,
      kind,
      key: record.key,
      revision,
      state: 'withdrawn',
      content,
      text: found.text(record.key, revision, content),
      meaning: 'withdrawn',
      reason,
      action: found.action,
      before: { state: 'stands' },
      after: { state: 'withdrawn', reason },
      touches: found.touches,
    });
    w.wrote(found.rows, record.id);
    return record.id;
  });
}

/** How signed statements of one kind about a build are asked for in lists; `fields` are what that kind has beside its record. */
export function statementList(
  kind: VersionedKind,
  { table, id, build }: { readonly table: MySqlTable; readonly id: MySqlColumn; readonly build: MySqlColumn },
  projectId: number,
  buildId: number,
  fields: ListSource['fields'] = {},
): ListSource {
  return {
    from: sql`from ${records} left join ${table} on ${id} = ${records.id}`,
    fields: { ...recordFields, ...fields },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, kind), eq(build, buildId)) as SQL,
    sort: 'key',
  };
}
