import type { CaseSummary } from '@contract/design';
import { listRounds, type Round } from '@contract/run';
import { recordFilterFields, type ListKind } from '../base';
import { caseKind } from '../design';

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
