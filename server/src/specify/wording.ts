import type { Dismissal, WordingReport } from '@contract/specify';
import { groupBy } from '@core/base';
import {
  checkWording,
  isDismissed,
  usualWording,
  wordingRuleNames,
  type WordingDismissal,
  type WordingLists,
  type WordingRule,
} from '@core/specify';
import { and, asc, eq, isNull } from 'drizzle-orm';
import {
  account,
  ledgerHead,
  lockRecord,
  parseHere,
  parseWork,
  records,
  Refusal,
  write,
  type Actor,
  type Db,
  type Parse,
  type StoredRecord,
  type Tx,
  type Writing,
} from '../base';
import { requirements, wordingDismissals, wordingLists } from './tables';

const listRows = account({
  name: 'wording_lists',
  table: wordingLists,
  id: wordingLists.id,
  project: wordingLists.projectId,
  columns: [['lists', wordingLists.lists]],
});
const dismissalRows = account({
  name: 'wording_dismissals',
  table: wordingDismissals,
  id: wordingDismissals.id,
  project: wordingDismissals.projectId,
  columns: [
    ['recordId', wordingDismissals.recordId],
    ['rule', wordingDismissals.rule],
    ['words', wordingDismissals.words],
    ['reason', wordingDismissals.reason],
    ['by', wordingDismissals.by],
    ['at', wordingDismissals.at],
    ['endedAt', wordingDismissals.endedAt],
  ],
});

/** The lists of a wire answer: those of the core, which are read-only, as plain lists. */
const plainLists = ({ binding, weak, vague, escape, open, glossary }: WordingLists) => ({
  binding: [...binding],
  weak: [...weak],
  vague: [...vague],
  escape: [...escape],
  open: [...open],
  glossary: glossary.map(({ term, meaning }) => ({ term, meaning })),
});

export async function wordingOf(db: Db | Tx, projectId: number): Promise<{ lists: ReturnType<typeof plainLists>; usual: boolean }> {
  const [row] = await db.select({ lists: wordingLists.lists }).from(wordingLists).where(eq(wordingLists.projectId, projectId));
  return { lists: plainLists(row?.lists ?? usualWording), usual: !row };
}

/** Gives a project its own lists. A term that stands twice in the glossary is refused: which of both holds? */
export function saveWording(db: Db, actor: Actor, lists: WordingLists): Promise<{ lists: ReturnType<typeof plainLists>; usual: boolean }> {
  const twice = lists.glossary.find(({ term }, i) => lists.glossary.findIndex((g) => g.term.toLowerCase() === term.toLowerCase()) < i);
  if (twice) throw new Refusal('invalid', { fields: [{ path: 'glossary', text: `“${twice.term}” stands twice in the glossary.` }] });
  return write(db, actor, async (w) => {
    const { projectId } = actor;
    const before = await wordingOf(w.tx, projectId);
    await w.tx.insert(wordingLists).values({ projectId, lists }).onDuplicateKeyUpdate({ set: { lists } });
    const [{ id }] = await w.tx.select({ id: wordingLists.id }).from(wordingLists).where(eq(wordingLists.projectId, projectId));
    w.log({ action: 'wording set', kind: 'project', key: '', before: before.lists, after: lists });
    w.wrote(listRows, id);
    return { lists: plainLists(lists), usual: false };
  });
}

const shown = ({ id, rule, words, reason, by, at }: typeof wordingDismissals.$inferSelect): Dismissal => ({
  id,
  rule,
  words,
  reason,
  by,
  at,
});

/** What of a requirement's wording was let stand. */
export async function dismissalsOf(db: Db | Tx, recordId: number): Promise<Dismissal[]> {
  const rows = await db
    .select()
    .from(wordingDismissals)
    .where(and(eq(wordingDismissals.recordId, recordId), isNull(wordingDismissals.endedAt)))
    .orderBy(asc(wordingDismissals.id));
  return rows.map(shown);
}

export function dismissFinding(
  db: Db,
  actor: Actor,
  key: string,
  { rule, words, reason }: { readonly rule: string; readonly words: string; readonly reason: string },
): Promise<Dismissal> {
  return write(db, actor, async (w) => {
    const record = await lockRecord(w, 'requirement', key);
    const [{ text }] = await w.tx.select({ text: requirements.text }).from(requirements).where(eq(requirements.id, record.id));
    const { lists } = await wordingOf(w.tx, actor.projectId);
    return dismissIn(w, record, checkWording(text, lists), { rule, words, reason });
  });
}

/** Lets one of the findings of a record that is locked stand; refused where there is no such finding. */
export async function dismissIn(
  w: Writing,
  record: StoredRecord,
  findings: readonly WordingDismissal[],
  { rule, words, reason }: { readonly rule: string; readonly words: string; readonly reason: string },
): Promise<Dismissal> {
  if (!findings.some((f) => isDismissed(f, [{ rule, words }])))
    throw new Refusal('recordChanged', { detail: 'There is no such finding in its text any more: read it again.' });
  const standing = await dismissalsOf(w.tx, record.id);
  const known = standing.find((d) => isDismissed({ rule, words }, [d]));
  if (known) return known;
  const row = { projectId: w.actor.projectId, recordId: record.id, rule, words, reason, by: w.actor.login, at: w.at, endedAt: null };
  const [made] = await w.tx.insert(wordingDismissals).values(row).$returningId();
  w.log({ action: 'wording let stand', kind: record.kind, key: record.key, after: { rule, words, reason } });
  w.wrote(dismissalRows, made.id);
  return shown({ id: made.id, ...row });
}

export function endDismissal(db: Db, actor: Actor, key: string, id: number): Promise<void> {
  return write(db, actor, async (w) => endDismissalIn(w, await lockRecord(w, 'requirement', key), id));
}

/** Looks anew at a finding of a record that is locked. */
export async function endDismissalIn(w: Writing, record: StoredRecord, id: number): Promise<void> {
  const known = (await dismissalsOf(w.tx, record.id)).find((d) => d.id === id);
  if (!known) throw new Refusal('notFound', { detail: 'There is no such finding here.' });
  await w.tx.update(wordingDismissals).set({ endedAt: w.at }).where(eq(wordingDismissals.id, id));
  w.log({ action: 'wording looked at anew', kind: record.kind, key: record.key, before: { rule: known.rule, words: known.words } });
  w.wrote(dismissalRows, id);
}

interface Checked {
  readonly key: string;
  readonly title: string;
  readonly text: string;
  readonly dismissals: readonly Dismissal[];
}
interface Asked {
  readonly texts: readonly Checked[];
  readonly lists: WordingLists;
  readonly rule: string | undefined;
  readonly dismissed: boolean;
  readonly skip: number;
  readonly limit: number;
}

/** Thousands of texts are checked beside the thread that answers. */
const checkAll = parseWork('wording', ({ texts, lists, rule, dismissed, skip, limit }: Asked): Omit<WordingReport, 'seq'> => {
  const counts = new Map(
    wordingRuleNames.map((name): [WordingRule, { open: number; dismissed: number }] => [name, { open: 0, dismissed: 0 }]),
  );
  const rows: WordingReport['rows'] = [];
  let open = 0;
  for (const { key, title, text, dismissals } of texts) {
    const findings = checkWording(text, lists).map((finding) => ({
      ...finding,
      dismissed: dismissals.find((d) => isDismissed(finding, [d]))?.reason ?? null,
    }));
    for (const finding of findings) {
      const count = counts.get(finding.rule);
      if (count) count[finding.dismissed === null ? 'open' : 'dismissed']++;
    }
    if (findings.some((f) => f.dismissed === null)) open++;
    const asked = findings.filter((f) => (rule === undefined || f.rule === rule) && (dismissed || f.dismissed === null));
    if (asked.length) rows.push({ key, title, text, findings: asked });
  }
  return {
    checked: texts.length,
    open,
    rules: [...counts].map(([name, count]) => ({ rule: name, ...count })),
    rows: rows.slice(skip, skip + limit),
    total: rows.length,
  };
});

/** What the texts of a specification lack; headings and retired requirements are not checked. */
export async function reportWording(
  db: Db,
  projectId: number,
  specificationId: number,
  { rule, dismissed, skip, limit }: { rule?: string | undefined; dismissed?: 'with' | undefined; skip: number; limit: number },
  parse: Parse = parseHere,
): Promise<WordingReport> {
  const { texts, lists, seq } = await db.transaction(async (tx) => {
    const rows = await tx
      .select({ id: records.id, key: records.key, title: records.title, text: requirements.text })
      .from(requirements)
      .innerJoin(records, eq(records.id, requirements.id))
      .where(and(eq(requirements.specificationId, specificationId), eq(requirements.kind, 'requirement'), isNull(records.retiredAt)))
      .orderBy(asc(records.keyPrefix), asc(records.keyNumber));
    const dismissals = groupBy(
      await tx
        .select()
        .from(wordingDismissals)
        .where(and(eq(wordingDismissals.projectId, projectId), isNull(wordingDismissals.endedAt))),
      (d) => d.recordId,
    );
    return {
      texts: rows.map(({ id, ...row }) => ({ ...row, dismissals: (dismissals.get(id) ?? []).map(shown) })),
      lists: (await wordingOf(tx, projectId)).lists,
      seq: await ledgerHead(tx, projectId),
    };
  });
  return { ...(await checkAll(parse, { texts, lists, rule, dismissed: dismissed === 'with', skip, limit })), seq };
}
