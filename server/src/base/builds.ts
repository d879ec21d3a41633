import { envelope2, recordFormat, textHash, type Json } from '@core/base';
import { eq } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import type { AppContext } from './http';
import { buildRows, needBuild } from './project';
import { changeRecord, insertRecord, lockRecord, recordRows } from './records';
import { proveSigner, putSignature } from './signing';
import { builds } from './tables';
import { write, type Actor } from './writing';
import type { Build } from '@contract/base';

const buildText = (name: string, revision: number, content: { description: string; closed: boolean }): string =>
  envelope2('build', name, revision, content as unknown as Json);

/** Names a build of the product. */
export function addBuild(db: Db, actor: Actor, input: { name: string; description: string }): Promise<Build> {
  return write(db, actor, async (w) => {
    const { name, description } = input;
    const id = await insertRecord(w, { kind: 'build', key: name, title: name, words: description, state: 'open' });
    await w.tx.insert(builds).values({ id, projectId: actor.projectId, description });
    w.log({ action: 'build named', kind: 'build', key: name, after: input });
    w.snapshot({
      recordId: id,
      revision: 1,
      state: 'open',
      snapshot: { description },
      hash: textHash(buildText(name, 1, { description, closed: false })),
    });
    w.wrote(recordRows, id);
    w.wrote(buildRows, id);
    return { name, description, createdAt: w.at, closedAt: null };
  });
}

/** Closes a build with a signature: it stays judged as it is now, and nothing more is recorded on it. */
export async function closeBuild(
  { database: { db }, projections }: Pick<AppContext, 'database' | 'projections'>,
  actor: Actor,
  name: string,
  input: { password: string; reason: string },
): Promise<{ key: string; closedAt: string; seq: number }> {
  const signer = await proveSigner(db, actor, input.password);
  return write(db, actor, async (w) => {
    const record = await lockRecord(w, 'build', name);
    const build = await needBuild(w.tx, actor.projectId, name);
    if (build.closedSeq !== null) throw new Refusal('closed', { detail: `${name} is closed already.` });
    const revision = record.revision + 1;
    const hash = textHash(buildText(record.key, revision, { description: build.description, closed: true }));
    await changeRecord(w, record, { revision, state: 'closed' });
    w.log({
      action: 'build closed',
      kind: 'build',
      key: record.key,
      after: { reason: input.reason, printedName: signer.printedName, hash },
    });
    const answer = { key: record.key, closedAt: w.at, seq: 0 };
    w.withSeq(async (seq) => {
      await projections.freeze(w.tx, actor.projectId, build.id, seq);
      await w.tx.update(builds).set({ closedSeq: seq, closedAt: w.at }).where(eq(builds.id, build.id));
      answer.seq = seq;
    });
    w.snapshot({
      recordId: record.id,
      revision,
      state: 'closed',
      snapshot: { description: build.description },
      hash,
      reason: input.reason,
    });
    w.wrote(recordRows, record.id);
    w.wrote(buildRows, build.id);
    await putSignature(w, signer, { recordId: record.id, revision, meaning: 'closed', format: recordFormat, hash, reason: input.reason });
    return answer;
  });
}
