import { listCodeFiles, type CodeFile } from '@contract/measure';
import { percent, ratioOf, shareOf, type Metric } from '@core/measure';
import type { FilterField, ListKind } from '../base';

type Lane = 'exercised' | 'credited';

/** Share of a lane in per cent, for its bar: nothing where nothing is measured. */
export function share(coverage: CodeFile['coverage'], metric: Metric, lane: Lane): number {
  const ratio = ratioOf(coverage[metric], lane);
  return ratio.found ? percent(ratio) : 0;
}

/** The same in words: 0 of 0 is no figure. */
export const shareWords = (coverage: CodeFile['coverage'], metric: Metric, lane: Lane): string => shareOf(ratioOf(coverage[metric], lane));

export const fileName = ({ key }: Pick<CodeFile, 'key'>): string => key.split('/').pop() ?? key;

const fields: readonly FilterField[] = [
  { name: 'key', words: 'Path', type: 'text' },
  { name: 'measured', words: 'Measured', type: 'yesNo' },
  { name: 'points', words: 'How many points of the metric it has', type: 'number' },
  { name: 'exercised', words: 'Exercised, in per cent', type: 'number' },
  { name: 'credited', words: 'Credited, in per cent', type: 'number' },
];

/** How the source files of a build are listed, by the metric that is chosen. */
export const codeKind = (metric: Metric): ListKind<CodeFile> => ({
  name: 'code',
  endpoint: listCodeFiles,
  noun: ['file', 'files'],
  changedBy: ['upload'],
  judged: 'all',
  fields,
  views: [
    { name: 'all', words: 'All' },
    { name: 'short', words: 'Not whole', filter: { field: 'credited', to: 99.99 } },
    { name: 'unmeasured', words: 'Not measured', filter: { field: 'measured', is: [false] } },
  ],
  sorts: [
    ['key', 'Path'],
    ['credited', 'Credited'],
    ['exercised', 'Exercised'],
    ['-points', 'Points'],
  ],
  columns: [
    { name: 'key', words: 'Path', width: 220, sort: 'key', usual: true, grows: true, show: (f) => f.key },
    {
      name: 'credited',
      words: 'Credited',
      width: 84,
      sort: 'credited',
      usual: true,
      number: true,
      show: (f) => shareWords(f.coverage, metric, 'credited'),
    },
    {
      name: 'exercised',
      words: 'Exercised',
      width: 84,
      sort: 'exercised',
      usual: true,
      number: true,
      show: (f) => shareWords(f.coverage, metric, 'exercised'),
    },
    { name: 'points', words: 'Points', width: 70, sort: 'points', number: true, show: (f) => String(f.coverage[metric].found) },
  ],
  rowHeight: 52,
  exported: 'code',
});
