import { listGroups, type GroupSummary } from '@contract/design';
import { changedColumns, recordFilterFields, type ListKind } from '../../base';

/** How groups of cases are listed. */
export const groupKind: ListKind<GroupSummary> = {
  name: 'groups',
  endpoint: listGroups,
  noun: ['group', 'groups'],
  changedBy: ['group', 'case'],
  fields: [...recordFilterFields, { name: 'cases', words: 'How many cases it has', type: 'number', counted: true }],
  views: [
    { name: 'open', words: 'In use', filter: { field: 'retired', is: [false] } },
    { name: 'all', words: 'All' },
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Name'],
    ['updatedAt', 'Changed'],
  ],
  columns: [
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (g) => g.key },
    { name: 'title', words: 'Name', width: 300, sort: 'title', usual: true, show: (g) => g.title },
    { name: 'cases', words: 'Cases', width: 70, usual: true, number: true, sort: 'cases', show: (g) => String(g.cases) },
    { name: 'minutes', words: 'Minutes', width: 84, usual: true, number: true, show: (g) => String(g.minutes) },
    { name: 'requirements', words: 'Verifies as a whole', width: 180, usual: true, show: (g) => g.requirements.join(', ') },
    ...changedColumns,
  ],
  rowHeight: 50,
  exported: 'groups',
};
