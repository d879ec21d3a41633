import { listReviews, type Review } from '@contract/specify';
import { momentWords, recordFilterFields, type ListKind } from '../../base';

/** How reviews are listed. */
export const reviewKind: ListKind<Review> = {
  name: 'reviews',
  endpoint: listReviews,
  noun: ['review', 'reviews'],
  changedBy: ['review'],
  fields: [
    ...recordFilterFields,
    { name: 'state', words: 'State', type: 'text', values: ['open', 'closed'] },
    { name: 'due', words: 'By when', type: 'text' },
  ],
  views: [
    { name: 'open', words: 'Open', filter: { field: 'state', is: ['open'] } },
    { name: 'closed', words: 'Closed', filter: { field: 'state', is: ['closed'] } },
    { name: 'all', words: 'All' },
  ],
  sorts: [
    ['-createdAt', 'Begun'],
    ['due', 'By when'],
    ['key', 'Key'],
    ['title', 'Title'],
  ],
  columns: [
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (r) => r.key },
    { name: 'title', words: 'Title', width: 300, sort: 'title', usual: true, show: (r) => r.title },
    { name: 'state', words: 'State', width: 80, sort: 'state', usual: true, show: (r) => r.state },
    { name: 'due', words: 'By when', width: 100, sort: 'due', usual: true, show: (r) => r.due },
    { name: 'people', words: 'Asked', width: 200, usual: true, show: (r) => r.people.join(', ') },
    { name: 'items', words: 'Requirements', width: 100, usual: true, number: true, show: (r) => String(r.items) },
    { name: 'createdBy', words: 'Begun by', width: 120, show: (r) => r.createdBy },
    { name: 'createdAt', words: 'Begun', width: 130, sort: 'createdAt', show: (r) => momentWords(r.createdAt) },
  ],
  rowHeight: 50,
};
