import { listCases, type CaseSummary } from '@contract/design';
import { changedColumns, recordFilterFields, reviewStates, setCell, setNumberCell, reviewWords, type ListKind } from '../base';

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
  columns: [
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (c) => c.key },
    { name: 'title', words: 'Title', width: 360, sort: 'title', usual: true, show: (c) => c.title, edit: setCell('title') },
    { name: 'verifies', words: 'Verifies', width: 180, usual: true, show: (c) => c.verifies.join(', ') },
    { name: 'state', words: 'State', width: 96, sort: 'state', usual: true, show: (c) => reviewWords(c.state) },
    { name: 'steps', words: 'Steps', width: 70, usual: true, number: true, show: (c) => String(c.steps) },
    { name: 'rows', words: 'Data rows', width: 90, number: true, show: (c) => String(c.rows) },
    {
      name: 'minutes',
      words: 'Minutes',
      width: 84,
      sort: 'plannedMinutes',
      usual: true,
      number: true,
      show: (c) => String(c.plannedMinutes),
      edit: setNumberCell('plannedMinutes'),
    },
    { name: 'suspect', words: 'Suspect', width: 84, show: (c) => (c.suspect ? 'yes' : '') },
    { name: 'revision', words: 'Revision', width: 84, sort: 'revision', number: true, show: (c) => String(c.revision) },
    ...changedColumns,
  ],
  rowHeight: 50,
  sum: ['plannedMinutes', 'min'],
  exported: 'cases',
  bulk: 'case',
};
