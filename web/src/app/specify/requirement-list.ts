import { listBranches, listRequirements, type BranchRow, type Requirement } from '@contract/specify';
import { verificationMethods } from '@core/specify';
import {
  changedColumns,
  recordFilterFields,
  reviewStates,
  setCell,
  reviewWords,
  type FilterField,
  type ListColumn,
  type ListKind,
  type ListView,
  type TreeKind,
} from '../base';

/** What is usually said of risk and priority; a project may say otherwise. */
const grades = ['low', 'medium', 'high'];

/** How many traces of each kind a requirement has, as filters ask it. */
export const tracedFields: readonly FilterField[] = [
  { name: 'parents', field: 'trace.parent', words: 'How many parents it has', type: 'number', counted: true },
  { name: 'cases', field: 'trace.cases', words: 'How many cases verify it', type: 'number', counted: true },
  { name: 'problems', field: 'trace.problems', words: 'How many problem reports stand against it', type: 'number', counted: true },
  { name: 'boundaries', words: 'How many boundary values it names', type: 'number', counted: true },
  { name: 'openBoundaries', words: 'How many boundary values no case stands at', type: 'number', counted: true },
];
/** Requirements without headings and notes; and those that nothing verifies. */
export const allView: ListView = { name: 'all', words: 'All', filter: { field: 'kind', is: ['requirement'] } };
export const uncasedView: ListView = {
  name: 'uncased',
  words: 'No case',
  filter: {
    and: [
      { field: 'kind', is: ['requirement'] },
      { field: 'trace.cases', is: [0] },
    ],
  },
};

/** Requirements of which some boundary value is tried by no case. */
export const boundaryView: ListView = {
  name: 'boundaries',
  words: 'Boundaries open',
  filter: {
    and: [
      { field: 'kind', is: ['requirement'] },
      { field: 'openBoundaries', from: 1 },
    ],
  },
};

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
    { name: 'kind', words: 'Requirement or heading', type: 'text', values: ['requirement', 'heading', 'note'] },
    { name: 'derived', words: 'Derived', type: 'yesNo' },
    { name: 'topLevel', words: 'Top level', type: 'yesNo' },
    { name: 'notInCode', words: 'Not in code', type: 'yesNo' },
    { name: 'source', words: 'Source', type: 'text', grouped: true },
    { name: 'risk', words: 'Risk', type: 'text', grouped: true },
    { name: 'priority', words: 'Priority', type: 'text', grouped: true },
    { name: 'tags', words: 'Tags', type: 'text' },
    ...tracedFields,
  ],
  views: [
    allView,
    {
      name: 'draft',
      words: 'Not approved',
      filter: { and: [{ field: 'kind', is: ['requirement'] }, { not: { field: 'state', is: ['approved'] } }] },
    },
    uncasedView,
    boundaryView,
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Title'],
    ['level', 'Level'],
    ['state', 'State'],
    ['updatedAt', 'Changed'],
  ],
  columns: [
    { name: 'key', words: 'Key', width: 92, sort: 'key', usual: true, show: (r) => r.key },
    { name: 'title', words: 'Title', width: 340, sort: 'title', usual: true, show: (r) => r.title, edit: setCell('title') },
    { name: 'text', words: 'Text', width: 360, show: (r) => r.text },
    { name: 'level', words: 'Level', width: 84, sort: 'level', usual: true, show: (r) => r.level },
    {
      name: 'method',
      words: 'Method',
      width: 118,
      sort: 'method',
      usual: true,
      show: (r) => r.method,
      edit: setCell('method', verificationMethods),
    },
    { name: 'state', words: 'State', width: 96, sort: 'state', usual: true, show: (r) => reviewWords(r.state) },
    { name: 'specification', words: 'Specification', width: 110, sort: 'specification', show: (r) => r.specification },
    { name: 'derivedFrom', words: 'Comes from', width: 150, usual: true, show: (r) => r.derivedFrom.join(', ') },
    { name: 'source', words: 'Source', width: 160, sort: 'source', show: (r) => r.source ?? '' },
    { name: 'risk', words: 'Risk', width: 84, sort: 'risk', show: (r) => r.risk ?? '', edit: setCell('risk', grades) },
    { name: 'priority', words: 'Priority', width: 84, sort: 'priority', show: (r) => r.priority ?? '', edit: setCell('priority', grades) },
    { name: 'tags', words: 'Tags', width: 150, show: (r) => r.tags?.join(', ') ?? '' },
    { name: 'criteria', words: 'Accepted when', width: 260, show: (r) => r.criteria?.join('; ') ?? '' },
    { name: 'revision', words: 'Revision', width: 84, sort: 'revision', number: true, show: (r) => String(r.revision) },
    ...changedColumns,
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

/** The columns whose values only the project knows, in place of those that cannot be written. */
export const projectColumns = (levels: readonly string[]): ListColumn<Requirement>[] => [
  { name: 'level', words: 'Level', width: 84, sort: 'level', usual: true, show: (r) => r.level, edit: setCell('level', levels) },
];

/** A specification as a tree of headings and requirements. */
export const specificationTree: TreeKind<BranchRow> = {
  name: 'specification',
  branches: listBranches,
  list: requirementKind,
  noun: ['row', 'rows'],
  changedBy: ['requirement'],
  rowHeight: 40,
  holds: (row) => row.kind === 'heading',
};
