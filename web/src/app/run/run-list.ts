import type { Filter } from '@contract/base';
import { listRuns, type RunSummary } from '@contract/run';
import { setCell, type ListKind } from '../base';
import { runStateWords } from './words';

/** Is a day over? */
export const dayOver = (day: string): boolean => day < new Date().toISOString().slice(0, 10);

/** How a run stands, in its colour. */
export const runTone = (run: RunSummary): 'broken' | 'sound' | 'waiting' | '' =>
  run.verdict === 'failed' ? 'broken' : run.state === 'reviewed' ? 'sound' : run.state === 'superseded' ? '' : 'waiting';

/** The question for the runs that somebody still has to record; of one round or case, where it is named. */
export const openRunsOf = (tester: string, of: { readonly round?: string; readonly case?: string } = {}): string =>
  JSON.stringify({
    and: [
      ...Object.entries(of).map(([field, key]) => ({ field, is: [key] })),
      { field: 'tester', is: [tester] },
      { field: 'state', is: ['planned', 'onBench'] },
    ],
  });

/** How the runs of a round are listed. */
export const runKind: ListKind<RunSummary> = {
  name: 'runs',
  endpoint: listRuns,
  noun: ['run', 'runs'],
  changedBy: ['run', 'round'],
  fields: [
    { name: 'key', words: 'Key', type: 'text' },
    { name: 'case', words: 'Case', type: 'text', grouped: true },
    { name: 'caseTitle', words: 'Title of the case', type: 'text' },
    { name: 'tester', words: 'Tester (sign-in name)', type: 'text', grouped: true },
    {
      name: 'state',
      words: 'State',
      type: 'text',
      values: ['planned', 'onBench', 'recorded', 'performed', 'reviewed', 'returned', 'withdrawn'],
    },
    { name: 'verdict', words: 'Verdict', type: 'text', values: ['passed', 'deviation', 'failed', 'blocked'] },
    { name: 'configuration', words: 'Configuration', type: 'text', grouped: true },
    { name: 'folder', words: 'Folder of the case', type: 'text', grouped: true },
    { name: 'row', words: 'Row of data', type: 'text', grouped: true },
    { name: 'due', words: 'Wanted by (2026-01-31, or two with ..)', type: 'text' },
    { name: 'priority', words: 'Priority', type: 'text', grouped: true },
    { name: 'outdated', words: 'Its case was revised', type: 'yesNo' },
    { name: 'superseded', words: 'Superseded', type: 'yesNo' },
    { name: 'finishedAt', words: 'Recorded on (2026-01-31, or two with ..)', type: 'text' },
  ],
  views: [
    { name: 'all', words: 'All' },
    { name: 'toRecord', words: 'To record', filter: { field: 'state', is: ['planned', 'onBench'] } },
    { name: 'toSign', words: 'To sign', filter: standing({ field: 'state', is: ['recorded'] }) },
    { name: 'toReview', words: 'To review', filter: standing({ field: 'state', is: ['performed'] }) },
    { name: 'failed', words: 'Failed', filter: standing({ field: 'verdict', is: ['failed'] }) },
    { name: 'outdated', words: 'To decide', filter: standing({ field: 'outdated', is: [true] }) },
  ],
  sorts: [
    ['position', 'In their order'],
    ['key', 'Key'],
    ['case', 'Case'],
    ['due', 'Wanted by'],
    ['tester', 'Tester'],
    ['state', 'State'],
  ],
  columns: [
    { name: 'key', words: 'Run', width: 88, sort: 'key', usual: true, show: (r) => r.key },
    {
      name: 'case',
      words: 'Case',
      width: 84,
      sort: 'case',
      usual: true,
      show: (r) => r.caseKey,
      links: (r) => [{ kind: 'case', key: r.caseKey, note: `r${r.caseRevision}` }],
    },
    {
      name: 'title',
      words: 'Title',
      width: 150,
      sort: 'caseTitle',
      usual: true,
      grows: true,
      show: (r) => `${r.caseTitle}${r.row === null ? '' : ` · row ${r.row}`}`,
    },
    { name: 'tester', words: 'Tester', width: 124, sort: 'tester', usual: true, show: (r) => r.testerName },
    {
      name: 'state',
      words: 'State',
      width: 150,
      sort: 'state',
      usual: true,
      show: (r) =>
        [runStateWords(r), r.outdated ? 'case revised: decide' : '', r.carriedOver ? 'carried over' : ''].filter(Boolean).join(' · '),
    },
    { name: 'configuration', words: 'Configuration', width: 150, sort: 'configuration', show: (r) => r.configuration },
    { name: 'due', words: 'Wanted by', width: 100, sort: 'due', show: (r) => r.due ?? '', edit: setCell('due') },
    { name: 'priority', words: 'Priority', width: 90, sort: 'priority', show: (r) => r.priority, edit: setCell('priority') },
    {
      name: 'minutes',
      words: 'Minutes',
      width: 84,
      sort: 'seconds',
      number: true,
      show: (r) => `${r.seconds ? (r.seconds / 60).toFixed(0) : '–'} of ${r.plannedMinutes}`,
    },
    {
      name: 'next',
      words: 'Next',
      width: 116,
      usual: true,
      show: (r) => nextWords(r),
    },
  ],
  startsAt: 'key',
  tableFirst: true,
  rowHeight: 66,
  exported: 'runs',
  bulk: 'run',
  aside: true,
};

/** What is to be done next with a run. */
export function nextWords({ state }: RunSummary): string {
  if (state === 'planned' || state === 'onBench') return 'Bench ›';
  return state === 'recorded' ? 'Sign ›' : state === 'performed' ? 'Review ›' : 'Open ›';
}

/** What also stands: nothing newer took its place. */
function standing(filter: Filter): Filter {
  return { and: [filter, { field: 'superseded', is: [false] }] };
}
