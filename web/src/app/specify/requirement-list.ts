import { listRequirements, type Requirement } from '@contract/specify';
import { verificationMethods } from '@core/specify';
import { recordFilterFields, reviewStates, type FilterField, type ListKind } from '../base';

/** How requirements are listed over all specifications; which levels and specifications there are, the project says. */
export const requirementKind: ListKind<Requirement> = {
  name: 'requirements',
  endpoint: listRequirements,
  noun: ['requirement', 'requirements'],
  changedBy: ['requirement', 'case'],
  fields: [
    ...recordFilterFields,
    { name: 'state', words: 'State', type: 'text', values: reviewStates },
    { name: 'method', words: 'Verification method', type: 'text', values: verificationMethods },
    { name: 'kind', words: 'Requirement or heading', type: 'text', values: ['requirement', 'heading'] },
    { name: 'derived', words: 'Derived', type: 'yesNo' },
    { name: 'topLevel', words: 'Top level', type: 'yesNo' },
    { name: 'notInCode', words: 'Not in code', type: 'yesNo' },
    { name: 'parents', field: 'trace.parent', words: 'How many parents it has', type: 'number', counted: true },
    { name: 'cases', field: 'trace.cases', words: 'How many cases verify it', type: 'number', counted: true },
    { name: 'problems', field: 'trace.problems', words: 'How many problem reports stand against it', type: 'number', counted: true },
  ],
  views: [
    { name: 'all', words: 'All', filter: { field: 'kind', is: ['requirement'] } },
    {
      name: 'draft',
      words: 'Not approved',
      filter: { and: [{ field: 'kind', is: ['requirement'] }, { not: { field: 'state', is: ['approved'] } }] },
    },
    {
      name: 'uncased',
      words: 'No case',
      filter: {
        and: [
          { field: 'kind', is: ['requirement'] },
          { field: 'trace.cases', is: [0] },
        ],
      },
    },
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Title'],
    ['level', 'Level'],
    ['state', 'State'],
    ['updatedAt', 'Changed'],
  ],
  rowHeight: 50,
  exported: 'requirements',
  bulk: 'requirement',
};

/** The fields whose values only the project knows. */
export const projectFields = (levels: readonly string[], specifications: readonly string[]): FilterField[] => [
  { name: 'level', words: 'Level', type: 'text', values: levels },
  { name: 'specification', words: 'Specification', type: 'text', values: specifications },
];
