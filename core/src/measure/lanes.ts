import { hasBit } from './bits';
import { casesHitting, stateOf, type FileCredit, type PointState } from './credit';
import { rangeOf } from './point';

/** What a place in the code needs first: order of the reasons when several points share a line. */
const severity: readonly PointState[] = ['neverHit', 'noPassingRun', 'noCase', 'otherCases', 'noRequirement', 'justified', 'credited'];
const worst = (states: readonly PointState[]): PointState =>
  states.reduce((a, b) => (severity.indexOf(b) < severity.indexOf(a) ? b : a), 'credited' as PointState);

export interface LineCredit {
  readonly line: number;
  /** Was it run: wholly, only in part (an outcome of its decision was never taken), never. */
  readonly exercised: 'all' | 'part' | 'none';
  /** What is missing for its credit, `credited` when nothing is. */
  readonly state: PointState;
  readonly points: number;
  readonly creditedPoints: number;
  readonly hitBy: readonly string[];
}

/** One entry a measured line, for the two lanes of the code view: its statement, its branches, its conditions. */
export function lineCredits(credit: FileCredit): LineCredit[] {
  const { table } = credit.file;
  const byLine = new Map<number, number[]>();
  for (let i = rangeOf(table, 'line')[0]; i < table.line.length; i++) {
    const list = byLine.get(table.line[i]);
    if (list) list.push(i);
    else byLine.set(table.line[i], [i]);
  }
  return [...byLine]
    .sort((x, y) => x[0] - y[0])
    .map(([line, points]) => {
      const unit = credit.spans.findIndex((_, u) => line >= credit.file.units[u].start && line <= credit.file.units[u].end);
      const states = points.map((i) => stateOf(credit, i, unit));
      const hit = points.filter((i) => hasBit(credit.exercised, i));
      const all = worst(states);
      // A line that ran is told by the reason of what did run, unless only its missing outcome stands in the way.
      const given = hit.length && all === 'neverHit' ? worst(states.filter((state) => state !== 'neverHit')) : all;
      return {
        line,
        exercised: hit.length === 0 ? 'none' : hit.length === points.length ? 'all' : 'part',
        state: given === 'credited' ? all : given,
        points: points.length,
        creditedPoints: states.filter((state) => state === 'credited').length,
        hitBy: [...new Set(hit.flatMap((i) => casesHitting(credit.file, i)))].sort(),
      };
    });
}
