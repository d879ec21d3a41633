import { listCases, type CaseSummary } from '@contract/design';
import { listRounds, type Round } from '@contract/run';
import { recordFilterFields, reviewStates, type ListKind } from '../base';

/** How rounds are listed. */
export const roundKind: ListKind<Round> = {
  name: 'rounds',
  endpoint: listRounds,
  noun: ['round', 'rounds'],
  changedBy: ['round', 'run'],
  fields: [...recordFilterFields, { name: 'configuration', words: 'Configuration', type: 'text' }],
  views: [{ name: 'all', words: 'All' }],
  sorts: [
    ['-createdAt', 'Planned'],
    ['key', 'Key'],
    ['title', 'Title'],
  ],
  rowHeight: 66,
};

/** How the cases are listed of which a round is planned: those that can be run come first. */
export const plannedKind: ListKind<CaseSummary> = {
  name: 'plannedCases',
  endpoint: listCases,
  noun: ['case', 'cases'],
  changedBy: ['case', 'requirement'],
  fields: [
    ...recordFilterFields,
    { name: 'state', words: 'State', type: 'text', values: reviewStates },
    { name: 'minutes', field: 'plannedMinutes', words: 'Planned minutes', type: 'number' },
    { name: 'runs', words: 'How many runs it has', type: 'number', counted: true },
    { name: 'suspect', words: 'One of its traces is suspect', type: 'yesNo' },
  ],
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
  sorts: [
    ['key', 'Key'],
    ['title', 'Title'],
    ['plannedMinutes', 'Planned minutes'],
    ['updatedAt', 'Changed'],
  ],
  rowHeight: 50,
  sum: ['plannedMinutes', 'min'],
  bulk: 'case',
};
