import { listProblems, type Problem } from '@contract/run';
import { momentWords, recordFilterFields, type ListKind } from '../base';

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
  columns: [
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (p) => p.key },
    { name: 'title', words: 'Title', width: 340, sort: 'title', usual: true, show: (p) => p.title },
    { name: 'state', words: 'State', width: 80, sort: 'state', usual: true, show: (p) => p.state },
    { name: 'blocking', words: 'Blocks', width: 76, usual: true, show: (p) => (p.blocking ? 'yes' : 'no') },
    { name: 'against', words: 'Stands against', width: 180, usual: true, show: (p) => p.requirements.join(', ') },
    { name: 'stage', words: 'Stage', width: 110, sort: 'stage', usual: true, show: (p) => p.stage },
    { name: 'severity', words: 'Severity', width: 90, sort: 'severity', usual: true, show: (p) => p.severity },
    { name: 'assigned', words: 'Assigned to', width: 120, sort: 'assigned', usual: true, show: (p) => p.assigned ?? '' },
    { name: 'due', words: 'Due', width: 96, sort: 'due', show: (p) => p.due ?? '' },
    { name: 'priority', words: 'Priority', width: 90, sort: 'priority', show: (p) => p.priority },
    { name: 'area', words: 'Area', width: 110, sort: 'area', show: (p) => p.area },
    { name: 'build', words: 'Found in', width: 100, usual: true, show: (p) => p.build },
    { name: 'fixedIn', words: 'Fixed in', width: 100, usual: true, show: (p) => p.fixedIn ?? '' },
    { name: 'run', words: 'Run', width: 96, show: (p) => p.run ?? '' },
    { name: 'raisedBy', words: 'Raised by', width: 120, show: (p) => p.raisedBy },
    { name: 'raisedAt', words: 'Raised', width: 130, sort: 'createdAt', show: (p) => momentWords(p.raisedAt) },
  ],
  rowHeight: 50,
  exported: 'problems',
  own: 'problem',
};
