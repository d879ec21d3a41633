import * as fc from 'fast-check';
import { foundAgainstClosed, type DayShift } from './problem-life';

describe('Found against closed', () => {
  /** The day on which a report was found, and those on which it was closed, opened again, closed … */
  const report = fc
    .tuple(fc.integer({ min: 1, max: 28 }), fc.array(fc.integer({ min: 1, max: 28 }), { maxLength: 4 }))
    .map(([found, moves]) => ({ found, moves: moves.filter((day) => day >= found).sort((a, b) => a - b) }));
  const dayOf = (day: number): string => `2026-02-${String(day).padStart(2, '0')}`;

  it('tells of each day what had been found by its end and stood closed then, whatever was opened again', () =>
    fc.assert(
      fc.property(fc.array(report, { maxLength: 12 }), (reports) => {
        const shifts = (of: readonly (readonly [number, number])[]): DayShift[] => of.map(([day, count]) => ({ day: dayOf(day), count }));
        const days = foundAgainstClosed(
          shifts(reports.map(({ found }) => [found, 1])),
          shifts(reports.flatMap(({ moves }) => moves.map((day, i) => [day, i % 2 ? -1 : 1] as const))),
        );
        const touched = new Set(reports.flatMap(({ found, moves }) => [found, ...moves]));
        expect(days).toEqual(
          [...touched]
            .sort((a, b) => a - b)
            .map((day) => ({
              day: dayOf(day),
              found: reports.filter(({ found }) => found <= day).length,
              closed: reports.filter(({ moves }) => moves.filter((move) => move <= day).length % 2).length,
            })),
        );
      }),
    ));
});
