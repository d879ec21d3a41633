import type { Review } from '@contract/specify';
import { groupBy } from '@core/base';
import { and, asc, eq, sql, type SQL } from 'drizzle-orm';
import { among, type Ids, account, recordFields, records, type Db, type ListSource, type Tx } from '../base';
import { reviewAnswers, reviewItems, reviewPeople, reviews } from './tables';

export const reviewRows = account({
  name: 'reviews',
  table: reviews,
  id: reviews.id,
  project: reviews.projectId,
  columns: [
    ['due', reviews.due],
    ['question', reviews.question],
    ['summary', reviews.summary],
  ],
});
export const peopleRows = account({
  name: 'review_people',
  table: reviewPeople,
  id: reviewPeople.id,
  project: reviewPeople.projectId,
  columns: [
    ['reviewId', reviewPeople.reviewId],
    ['login', reviewPeople.login],
  ],
});
export const itemRows = account({
  name: 'review_items',
  table: reviewItems,
  id: reviewItems.id,
  project: reviewItems.projectId,
  columns: [
    ['reviewId', reviewItems.reviewId],
    ['recordId', reviewItems.recordId],
    ['revision', reviewItems.revision],
  ],
});
export const answerRows = account({
  name: 'review_answers',
  table: reviewAnswers,
  id: reviewAnswers.id,
  project: reviewAnswers.projectId,
  columns: [
    ['reviewId', reviewAnswers.reviewId],
    ['recordId', reviewAnswers.recordId],
    ['revision', reviewAnswers.revision],
    ['login', reviewAnswers.login],
    ['answer', reviewAnswers.answer],
    ['note', reviewAnswers.note],
    ['at', reviewAnswers.at],
  ],
});

export async function reviewsById(db: Db | Tx, ids: Ids): Promise<(Review & { id: number })[]> {
  const rows = await db
    .select({ record: records, row: reviews })
    .from(reviews)
    .innerJoin(records, eq(records.id, reviews.id))
    .where(among(reviews.id, ids));
  const asked = groupBy(
    await db.select().from(reviewPeople).where(among(reviewPeople.reviewId, ids)).orderBy(asc(reviewPeople.id)),
    (p) => p.reviewId,
    (p) => p.login,
  );
  const counts = await db
    .select({ id: reviewItems.reviewId, n: sql<number>`count(*)`.mapWith(Number) })
    .from(reviewItems)
    .where(among(reviewItems.reviewId, ids))
    .groupBy(reviewItems.reviewId);
  return rows.map(({ record, row: { id, due, question } }) => ({
    id,
    key: record.key,
    title: record.title,
    question,
    due,
    state: record.state as Review['state'],
    people: [...(asked.get(id) ?? [])],
    items: counts.find((c) => c.id === id)?.n ?? 0,
    createdBy: record.createdBy,
    createdAt: record.createdAt,
  }));
}

export function reviewList(projectId: number): ListSource {
  return {
    from: sql`from ${records} left join ${reviews} on ${reviews.id} = ${records.id}`,
    fields: { ...recordFields, due: { value: reviews.due, type: 'text' } },
    projectId,
    words: records.words,
    where: and(eq(records.projectId, projectId), eq(records.kind, 'review')) as SQL,
    sort: '-createdAt',
  };
}
