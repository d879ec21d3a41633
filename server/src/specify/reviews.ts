import type { ReviewDetail, ReviewItemRow } from '@contract/specify';
import { groupBy, textHash } from '@core/base';
import { closingFaults, progressOf, reviewedText2, reviewText2, standingOf, type RequirementContent, type ReviewItem } from '@core/specify';
import { and, asc, desc, eq, inArray, isNotNull, lt, or, type SQL } from 'drizzle-orm';
import {
  changeRecord,
  findRecord,
  followers,
  freeKey,
  insertRecord,
  lockRecord,
  memberships,
  needRecord,
  people,
  proveSigner,
  putSignature,
  recordRows,
  records,
  Refusal,
  revisions,
  shownSignature,
  signaturesOf,
  write,
  type Actor,
  type Db,
  type StoredRecord,
  type Tx,
} from '../base';
import { answerRows, itemRows, peopleRows, reviewRows, reviewsById } from './review-rows';
import { requirements, reviewAnswers, reviewItems, reviewPeople, reviews } from './tables';

const mostItems = 2000;

/** What the keys that somebody gave stand for: requirements, all below a heading, all of a specification. Retired ones and headings are left out. */
async function reviewed(tx: Tx, projectId: number, keys: readonly string[]): Promise<StoredRecord[]> {
  const found = new Map<number, StoredRecord>();
  const below = async (where: SQL): Promise<{ record: StoredRecord; kind: string }[]> =>
    tx
      .select({ record: records, kind: requirements.kind })
      .from(requirements)
      .innerJoin(records, eq(records.id, requirements.id))
      .where(and(eq(requirements.projectId, projectId), where))
      .orderBy(asc(requirements.position), asc(requirements.id));
  const take = async (rows: readonly { record: StoredRecord; kind: string }[], depth = 0): Promise<void> => {
    for (const { record, kind } of rows) {
      if (kind === 'requirement' && record.retiredAt === null) found.set(record.id, record);
      if (kind === 'heading' && depth < 40) await take(await below(eq(requirements.underId, record.id)), depth + 1);
    }
  };
  for (const key of new Set(keys)) {
    const record = await findRecord(tx, projectId, key);
    if (record?.kind === 'specification')
      await take((await below(eq(requirements.specificationId, record.id))).filter((r) => r.kind === 'requirement'));
    else if (record?.kind === 'requirement') await take(await below(eq(requirements.id, record.id)));
    else throw new Refusal('notFound', { detail: `There is no requirement ${key}.` });
  }
  return [...found.values()];
}

export interface NewReview {
  readonly title: string;
  readonly question: string;
  readonly due: string;
  readonly people: readonly string[];
  readonly keys: readonly string[];
}

export async function addReview(db: Db, actor: Actor, input: NewReview): Promise<ReviewDetail> {
  const { projectId } = actor;
  const key = await write(db, actor, async (w) => {
    const logins = [...new Set(input.people)];
    const members = await w.tx
      .select({ login: people.login, id: people.id, role: memberships.role })
      .from(memberships)
      .innerJoin(people, eq(people.id, memberships.personId))
      .where(and(eq(memberships.projectId, projectId), inArray(people.login, logins)));
    const may = members.filter(({ role }) => role !== 'auditor');
    const strange = logins.find((login) => !may.some((m) => m.login === login));
    if (strange !== undefined)
      throw new Refusal('invalid', {
        fields: [{ path: 'people', text: `${strange} has no part in this project in which they could answer.` }],
      });
    const items = await reviewed(w.tx, projectId, input.keys);
    if (!items.length)
      throw new Refusal('invalid', { fields: [{ path: 'keys', text: 'Nothing of this can be reviewed: there is no requirement in it.' }] });
    if (items.length > mostItems)
      throw new Refusal('invalid', {
        fields: [{ path: 'keys', text: `One review holds at most ${mostItems} requirements: these are ${items.length}.` }],
      });
    const made = await freeKey(w, 'RV');
    const { title, question, due } = input;
    const id = await insertRecord(w, { kind: 'review', key: made, title, words: question, state: 'open' });
    await w.tx.insert(reviews).values({ id, projectId, due, question, summary: '' });
    await w.tx.insert(reviewPeople).values(logins.map((login) => ({ projectId, reviewId: id, login })));
    for (let at = 0; at < items.length; at += 500)
      await w.tx
        .insert(reviewItems)
        .values(items.slice(at, at + 500).map((r) => ({ projectId, reviewId: id, recordId: r.id, revision: r.revision })));
    for (const personId of new Set(may.map((m) => m.id))) await w.tx.insert(followers).ignore().values({ recordId: id, personId });
    w.log({
      action: 'review begun',
      kind: 'review',
      key: made,
      after: { title, question, due, people: logins, requirements: items.map((r) => r.key) },
    });
    w.snapshot({
      recordId: id,
      revision: 1,
      state: 'open',
      snapshot: { title, question, due, people: logins, requirements: items.map((r) => r.key) },
    });
    w.wrote(recordRows, id);
    w.wrote(reviewRows, id);
    w.wrote(peopleRows, ...(await idsOf(w.tx, reviewPeople, id)));
    w.wrote(itemRows, ...(await idsOf(w.tx, reviewItems, id)));
    return made;
  });
  return reviewDetail(db, projectId, key, actor.login);
}

const idsOf = async (tx: Tx, table: typeof reviewPeople | typeof reviewItems, reviewId: number): Promise<number[]> =>
  (await tx.select({ id: table.id }).from(table).where(eq(table.reviewId, reviewId))).map(({ id }) => id);

interface WholeReview {
  readonly people: readonly string[];
  readonly items: readonly (ReviewItem & { readonly id: number; readonly record: StoredRecord })[];
}

async function wholeReview(tx: Db | Tx, reviewId: number): Promise<WholeReview> {
  const asked = await tx
    .select({ login: reviewPeople.login })
    .from(reviewPeople)
    .where(eq(reviewPeople.reviewId, reviewId))
    .orderBy(asc(reviewPeople.id));
  const rows = await tx
    .select({ revision: reviewItems.revision, record: records })
    .from(reviewItems)
    .innerJoin(records, eq(records.id, reviewItems.recordId))
    .where(eq(reviewItems.reviewId, reviewId))
    .orderBy(asc(reviewItems.id));
  const answers = groupBy(
    await tx.select().from(reviewAnswers).where(eq(reviewAnswers.reviewId, reviewId)).orderBy(asc(reviewAnswers.id)),
    (a) => a.recordId,
  );
  return {
    people: asked.map(({ login }) => login),
    items: rows.map(({ revision, record }) => ({
      id: record.id,
      record,
      key: record.key,
      revision,
      now: record.revision,
      retired: record.retiredAt !== null,
      answers: (answers.get(record.id) ?? []).map((a) => ({
        login: a.login,
        revision: a.revision,
        answer: a.answer,
        note: a.note,
        at: a.at,
      })),
    })),
  };
}

/** Who signed just what they answered last. */
async function signedBy(tx: Db | Tx, record: StoredRecord, { people: asked, items }: WholeReview): Promise<Set<string>> {
  const signed = await signaturesOf(tx, [record.id]);
  return new Set(
    asked.filter((login) => {
      const hash = textHash(reviewedText2(record.key, login, items));
      return signed.some((s) => s.login === login && s.meaning === 'reviewed' && s.hash === hash);
    }),
  );
}

/** What each requirement is compared with for somebody: the revision that they answered, else the one that was approved before the present. */
async function basesOf(tx: Db, items: WholeReview['items'], login: string): Promise<Map<number, ReviewItemRow['base']>> {
  const bases = new Map<number, ReviewItemRow['base']>();
  const answered = new Map(items.map((item) => [item.id, item.answers.filter((a) => a.login === login).at(-1)?.revision]));
  const wanted = items.flatMap((item) => {
    const last = item.answers.filter((a) => a.login === login).at(-1);
    return last && last.revision < item.now ? [and(eq(revisions.recordId, item.id), eq(revisions.revision, last.revision))] : [];
  });
  const ids = items.map(({ id }) => id);
  for (let at = 0; at < ids.length; at += 300) {
    const part = items.slice(at, at + 300);
    const rows = await tx
      .select({ recordId: revisions.recordId, revision: revisions.revision, snapshot: revisions.snapshot })
      .from(revisions)
      .innerJoin(records, eq(records.id, revisions.recordId))
      .where(
        and(
          inArray(
            revisions.recordId,
            part.map(({ id }) => id),
          ),
          lt(revisions.revision, records.revision),
          or(isNotNull(revisions.hash), ...wanted.slice(0, 300)),
        ),
      )
      .orderBy(asc(revisions.seq));
    for (const { recordId, revision, snapshot } of rows) {
      const { title, text } = snapshot as unknown as RequirementContent;
      const asked = answered.get(recordId);
      // What somebody answered is what they know; a later approval is not.
      if (bases.get(recordId)?.revision !== asked || asked === undefined) bases.set(recordId, { revision, title, text });
    }
  }
  return bases;
}

export async function reviewDetail(db: Db, projectId: number, key: string, login: string): Promise<ReviewDetail> {
  const record = await needRecord(db, projectId, 'review', key);
  const [{ id, ...shown }] = await reviewsById(db, [record.id]);
  const [{ summary }] = await db.select({ summary: reviews.summary }).from(reviews).where(eq(reviews.id, id));
  const whole = await wholeReview(db, id);
  const signed = await signedBy(db, record, whole);
  const bases = await basesOf(db, whole.items, login);
  const texts = new Map(
    (
      await db
        .select({ id: requirements.id, text: requirements.text, html: requirements.html, level: requirements.level })
        .from(requirements)
        .where(
          inArray(
            requirements.id,
            whole.items.map((item) => item.id),
          ),
        )
    ).map((row) => [row.id, row]),
  );
  const names = new Map(
    (
      await db
        .select({ login: people.login, name: people.printedName })
        .from(people)
        .where(inArray(people.login, [...whole.people]))
    ).map((p) => [p.login, p.name]),
  );
  return {
    ...shown,
    revision: record.revision,
    summary,
    rows: whole.items.map((item) => ({
      key: item.key,
      title: item.record.title,
      text: texts.get(item.id)?.text ?? '',
      html: texts.get(item.id)?.html ?? '',
      level: texts.get(item.id)?.level ?? '',
      state: item.record.state,
      revision: item.revision,
      now: item.now,
      retired: item.retired,
      answers: item.answers.map((a) => ({ ...a })),
      mine: standingOf(item, login),
      base: bases.get(item.id) ?? null,
    })),
    progress: whole.people.map((asked) => ({
      ...progressOf(whole.items, asked),
      printedName: names.get(asked) ?? asked,
      signed: signed.has(asked),
    })),
    faults: shown.state === 'closed' ? [] : closingFaults(whole.people, whole.items, signed),
    signatures: (await signaturesOf(db, [id])).map(shownSignature),
  };
}

async function lockOpen(w: Parameters<typeof lockRecord>[0], key: string): Promise<StoredRecord> {
  const record = await lockRecord(w, 'review', key);
  if (record.state !== 'open') throw new Refusal('stateForbids', { detail: `${key} is closed: what was answered in it stays.` });
  return record;
}

const needAsked = (whole: WholeReview, login: string): void => {
  if (!whole.people.includes(login)) throw new Refusal('forbidden', { detail: 'You are not asked in this review.' });
};

export async function answerReview(
  db: Db,
  actor: Actor,
  key: string,
  { requirement, revision, answer, note }: { requirement: string; revision: number; answer: 'agree' | 'change'; note: string },
): Promise<ReviewDetail> {
  await write(db, actor, async (w) => {
    const record = await lockOpen(w, key);
    const whole = await wholeReview(w.tx, record.id);
    needAsked(whole, actor.login);
    const item = whole.items.find((i) => i.key === requirement);
    if (!item) throw new Refusal('notFound', { detail: `${requirement} is not part of ${key}.` });
    // Only what was read is agreed with.
    if (item.now !== revision)
      throw new Refusal('recordChanged', { detail: `${requirement} is at revision ${item.now} now: read it again before you answer.` });
    const { login, projectId } = actor;
    const [made] = await w.tx
      .insert(reviewAnswers)
      .values({ projectId, reviewId: record.id, recordId: item.id, revision, login, answer, note, at: w.at })
      .$returningId();
    w.log({
      action: answer === 'agree' ? 'agreed in review' : 'change asked for in review',
      kind: 'requirement',
      key: requirement,
      after: { review: key, revision, note },
    });
    w.wrote(answerRows, made.id);
  });
  return reviewDetail(db, actor.projectId, key, actor.login);
}

/** Somebody signs what they answered: all of it, as it stands. */
export async function signReview(db: Db, actor: Actor, key: string, password: string): Promise<ReviewDetail> {
  const signer = await proveSigner(db, actor, password);
  await write(db, actor, async (w) => {
    const record = await lockOpen(w, key);
    const whole = await wholeReview(w.tx, record.id);
    needAsked(whole, actor.login);
    const { open, again } = progressOf(whole.items, actor.login);
    if (open + again) throw new Refusal('stateForbids', { detail: `${open + again} of its requirements are still to be answered by you.` });
    if ((await signedBy(w.tx, record, whole)).has(actor.login)) throw new Refusal('alreadySigned');
    const hash = textHash(reviewedText2(record.key, actor.login, whole.items));
    w.log({ action: 'review signed', kind: 'review', key, after: { printedName: signer.printedName, hash } });
    await putSignature(w, signer, { recordId: record.id, revision: record.revision, meaning: 'reviewed', format: 2, hash, reason: '' });
  });
  return reviewDetail(db, actor.projectId, key, actor.login);
}

/** Closes a review: everything that was answered, and the summary, under a signature. */
export async function closeReview(db: Db, actor: Actor, key: string, input: { summary: string; password: string }): Promise<ReviewDetail> {
  const signer = await proveSigner(db, actor, input.password);
  await write(db, actor, async (w) => {
    const record = await lockOpen(w, key);
    const whole = await wholeReview(w.tx, record.id);
    const faults = closingFaults(whole.people, whole.items, await signedBy(w.tx, record, whole));
    if (faults.length) throw new Refusal('stateForbids', { detail: faults.join(' ') });
    const [{ question }] = await w.tx.select({ question: reviews.question }).from(reviews).where(eq(reviews.id, record.id));
    const { summary } = input;
    const hash = textHash(reviewText2(record.key, { title: record.title, question, people: whole.people, items: whole.items, summary }));
    const revision = record.revision + 1;
    await changeRecord(w, record, { state: 'closed', revision });
    await w.tx.update(reviews).set({ summary }).where(eq(reviews.id, record.id));
    w.log({
      action: 'review closed',
      kind: 'review',
      key,
      before: { state: 'open' },
      after: { state: 'closed', summary, printedName: signer.printedName, hash },
    });
    w.snapshot({ recordId: record.id, revision, state: 'closed', snapshot: { title: record.title, question, summary }, hash });
    w.wrote(recordRows, record.id);
    w.wrote(reviewRows, record.id);
    await putSignature(w, signer, {
      recordId: record.id,
      revision,
      meaning: 'review closed',
      format: 2,
      hash,
      reason: summary.slice(0, 2000),
    });
  });
  return reviewDetail(db, actor.projectId, key, actor.login);
}

/** Reviews that wait for somebody: with how many requirements are still to be answered; none where only the signature lacks. */
export async function reviewsWaiting(
  db: Db,
  projectId: number,
  login: string,
): Promise<{ id: number; key: string; title: string; due: string; since: string; open: number }[]> {
  const rows = await db
    .select({ record: records, due: reviews.due })
    .from(reviewPeople)
    .innerJoin(reviews, eq(reviews.id, reviewPeople.reviewId))
    .innerJoin(records, eq(records.id, reviews.id))
    .where(and(eq(reviewPeople.projectId, projectId), eq(reviewPeople.login, login), eq(records.state, 'open')))
    .orderBy(desc(records.id))
    .limit(50);
  const found = [];
  for (const { record, due } of rows) {
    const whole = await wholeReview(db, record.id);
    const { open, again } = progressOf(whole.items, login);
    if (open + again || !(await signedBy(db, record, whole)).has(login))
      found.push({ id: record.id, key: record.key, title: record.title, due, since: record.createdAt, open: open + again });
  }
  return found;
}
