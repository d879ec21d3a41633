import { listProblems, type Problem } from '@contract/run';
import { recordFilterFields, type ListKind } from '../base';

/** How problem reports are listed. */
export const problemKind: ListKind<Problem> = {
  name: 'problems',
  endpoint: listProblems,
  noun: ['report', 'reports'],
  changedBy: ['problem'],
  fields: [
    ...recordFilterFields,
    { name: 'state', words: 'State', type: 'text', values: ['open', 'closed'] },
    { name: 'blocking', words: 'Blocks the proof of what it stands against', type: 'yesNo' },
  ],
  views: [
    { name: 'open', words: 'Open', filter: { field: 'state', is: ['open'] } },
    { name: 'closed', words: 'Closed', filter: { field: 'state', is: ['closed'] } },
    { name: 'all', words: 'All' },
  ],
  sorts: [
    ['-createdAt', 'Raised'],
    ['key', 'Key'],
    ['title', 'Title'],
    ['updatedAt', 'Changed'],
  ],
  rowHeight: 50,
  exported: 'problems',
};
