import { listBaselines, type Baseline } from '@contract/specify';
import { momentWords, recordFilterFields, type ListKind } from '../../base';

/** How baselines are listed. */
export const baselineKind: ListKind<Baseline> = {
  name: 'baselines',
  endpoint: listBaselines,
  noun: ['baseline', 'baselines'],
  changedBy: ['baseline'],
  fields: recordFilterFields,
  views: [{ name: 'all', words: 'All' }],
  sorts: [
    ['-createdAt', 'Made'],
    ['key', 'Key'],
    ['title', 'Name'],
  ],
  columns: [
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (b) => b.key },
    { name: 'title', words: 'Name', width: 300, sort: 'title', usual: true, show: (b) => b.title },
    { name: 'specifications', words: 'Specifications', width: 160, usual: true, show: (b) => b.specifications.join(', ') },
    {
      name: 'requirements',
      words: 'Requirements',
      width: 110,
      sort: 'requirements',
      usual: true,
      number: true,
      show: (b) => String(b.requirements),
    },
    { name: 'traces', words: 'Traces', width: 84, usual: true, number: true, show: (b) => String(b.traces) },
    { name: 'createdBy', words: 'Signed by', width: 120, usual: true, show: (b) => b.createdBy },
    { name: 'createdAt', words: 'Made', width: 130, sort: 'createdAt', usual: true, show: (b) => momentWords(b.createdAt) },
  ],
  rowHeight: 50,
};
