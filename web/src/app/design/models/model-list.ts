import { listModels, type ModelSummary } from '@contract/design';
import type { ModelKind } from '@core/design';
import { changedColumns, recordFilterFields, reviewStates, reviewWords, type ListKind } from '../../base';

/** What each kind of model is called, and what it is for. */
export const modelWords: Readonly<Record<ModelKind, { readonly name: string; readonly of: string }>> = {
  flow: { name: 'Flow', of: 'What happens one after the other, and where it parts: paths become cases.' },
  parameters: { name: 'Parameters', of: 'Values that are put in, by classes and limits: combinations become rows of data.' },
  decisionTable: { name: 'Decision table', of: 'What is done under which conditions: rules become cases or rows.' },
  stateTable: { name: 'State table', of: 'States, and what happens to each on which event: walks become cases.' },
};

/** How models are listed. */
export const modelKind: ListKind<ModelSummary> = {
  name: 'models',
  endpoint: listModels,
  noun: ['model', 'models'],
  changedBy: ['flow', 'parameters', 'decisionTable', 'stateTable', 'requirement'],
  fields: [
    ...recordFilterFields,
    { name: 'kind', words: 'Kind', type: 'text', values: Object.keys(modelWords) },
    { name: 'state', words: 'State', type: 'text', values: reviewStates },
    { name: 'requirements', words: 'How many requirements it models', type: 'number', counted: true },
    { name: 'cases', words: 'How many cases were made of it', type: 'number', counted: true },
    { name: 'suspect', words: 'One of its traces is suspect', type: 'yesNo' },
  ],
  views: [
    { name: 'all', words: 'All' },
    ...(Object.keys(modelWords) as ModelKind[]).map((kind) => ({
      name: kind,
      words: `${modelWords[kind].name}${kind === 'parameters' ? '' : 's'}`,
      filter: { field: 'kind', is: [kind] },
    })),
    { name: 'suspect', words: 'Suspect', filter: { field: 'suspect', is: [true] } },
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Title'],
    ['updatedAt', 'Changed'],
    ['cases', 'Cases made of it'],
  ],
  columns: [
    { name: 'key', words: 'Key', width: 84, sort: 'key', usual: true, show: (m) => m.key },
    { name: 'kind', words: 'Kind', width: 120, sort: 'kind', usual: true, show: (m) => modelWords[m.kind].name },
    { name: 'title', words: 'Title', width: 320, sort: 'title', usual: true, show: (m) => m.title },
    { name: 'size', words: 'Holds', width: 180, usual: true, show: (m) => m.size },
    { name: 'requirements', words: 'Models', width: 180, usual: true, show: (m) => m.requirements.join(', ') },
    { name: 'cases', words: 'Cases', width: 70, sort: 'cases', usual: true, number: true, show: (m) => String(m.cases) },
    { name: 'state', words: 'State', width: 96, sort: 'state', usual: true, show: (m) => reviewWords(m.state) },
    ...changedColumns,
  ],
  rowHeight: 50,
  exported: 'models',
};
