import type { CaseSummary } from '@contract/design';
import { listRounds, type Round } from '@contract/run';
import { momentWords, recordFilterFields, type ListKind } from '../base';
import { caseKind } from '../design';

/** How rounds are listed. */
export const roundKind: ListKind<Round> = {
  name: 'rounds',
  endpoint: listRounds,
  noun: ['round', 'rounds'],
  changedBy: ['round', 'run'],
  fields: [
    ...recordFilterFields,
    { name: 'configuration', words: 'Configuration', type: 'text', grouped: true },
    { name: 'folder', words: 'Release or phase', type: 'text', grouped: true },
    { name: 'pattern', words: 'Kept as a pattern', type: 'yesNo' },
    { name: 'state', words: 'State', type: 'text', values: ['open', 'closed', 'withdrawn'] },
  ],
  views: [
    { name: 'all', words: 'All' },
    { name: 'patterns', words: 'Patterns', filter: { field: 'pattern', is: [true] } },
  ],
  sorts: [
    ['-createdAt', 'Planned'],
    ['key', 'Key'],
    ['title', 'Title'],
  ],
  columns: [
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (r) => r.key },
    { name: 'title', words: 'Title', width: 300, sort: 'title', usual: true, show: (r) => r.title },
    {
      name: 'state',
      words: 'State',
      width: 100,
      show: (r) => (r.state === 'open' && r.runs <= r.recorded ? 'recorded' : r.state),
    },
    { name: 'folder', words: 'Release or phase', width: 150, show: (r) => r.folder },
    { name: 'due', words: 'Wanted by', width: 100, show: (r) => r.due ?? '' },
    { name: 'configuration', words: 'Configuration', width: 180, usual: true, show: (r) => r.configuration },
    { name: 'runs', words: 'Runs', width: 70, usual: true, number: true, show: (r) => String(r.runs) },
    { name: 'recorded', words: 'Recorded', width: 90, usual: true, number: true, show: (r) => String(r.recorded) },
    { name: 'failed', words: 'Failed', width: 76, usual: true, number: true, show: (r) => String(r.failed) },
    { name: 'reviewed', words: 'Reviewed', width: 90, usual: true, number: true, show: (r) => String(r.reviewed) },
    { name: 'createdBy', words: 'Planned by', width: 120, show: (r) => r.createdBy },
    { name: 'createdAt', words: 'Planned', width: 130, sort: 'createdAt', show: (r) => momentWords(r.createdAt) },
  ],
  rowHeight: 66,
};

const { exported: _, ...listed } = caseKind;

/** How the cases are listed of which a round is planned: as everywhere, but those that can be run come first. */
export const plannedKind: ListKind<CaseSummary> = {
  ...listed,
  name: 'plannedCases',
  views: [
    {
      name: 'approved',
      words: 'Approved',
      filter: {
        and: [
          { field: 'state', is: ['approved'] },
          { field: 'retired', is: [false] },
        ],
      },
    },
    {
      name: 'never',
      words: 'Never run',
      filter: {
        and: [
          { field: 'state', is: ['approved'] },
          { field: 'retired', is: [false] },
          { field: 'runs', is: [0] },
        ],
      },
    },
    { name: 'all', words: 'All' },
  ],
};
