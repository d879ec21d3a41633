import { listCases, type CaseSummary } from '@contract/design';
import { recordFilterFields, reviewStates, type ListKind } from '../base';

/** How verification cases are listed. */
export const caseKind: ListKind<CaseSummary> = {
  name: 'cases',
  endpoint: listCases,
  noun: ['case', 'cases'],
  changedBy: ['case', 'requirement'],
  fields: [
    ...recordFilterFields,
    { name: 'state', words: 'State', type: 'text', values: reviewStates },
    { name: 'minutes', field: 'plannedMinutes', words: 'Planned minutes', type: 'number' },
    { name: 'verifies', words: 'How many requirements it verifies', type: 'number', counted: true },
    { name: 'runs', words: 'How many runs it has', type: 'number', counted: true },
    { name: 'suspect', words: 'One of its traces is suspect', type: 'yesNo' },
    { name: 'approvedOnce', words: 'Was approved at least once', type: 'yesNo' },
  ],
  views: [
    { name: 'all', words: 'All' },
    { name: 'draft', words: 'Not approved', filter: { not: { field: 'state', is: ['approved'] } } },
    { name: 'suspect', words: 'Suspect', filter: { field: 'suspect', is: [true] } },
    { name: 'untraced', words: 'Verify nothing', filter: { field: 'verifies', is: [0] } },
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Title'],
    ['state', 'State'],
    ['updatedAt', 'Changed'],
    ['plannedMinutes', 'Planned minutes'],
  ],
  rowHeight: 50,
  sum: ['plannedMinutes', 'min'],
  exported: 'cases',
  bulk: 'case',
};
