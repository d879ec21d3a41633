/** Planned minutes of what was recorded by the end of a day, as ISO dates. */
export interface DayDone {
  readonly day: string;
  readonly minutes: number;
}

const dayMs = 86_400_000;
const at = (day: string): number => Date.parse(`${day}T00:00:00Z`);
const dayOf = (ms: number): string => new Date(ms).toISOString().slice(0, 10);

/**
 * The day on which a round ends if it goes on as it did: planned minutes a day between its first day and today, both counted, as the mean. Null where
 * nothing was recorded, where all is, or where minutes say nothing.
 */
export function projectedEnd(planned: number, days: readonly DayDone[], today: string): string | null {
  const [first, last] = [days.at(0), days.at(-1)];
  if (!first || !last || planned <= 0 || last.minutes >= planned || last.minutes <= 0) return null;
  const until = Math.max(at(today), at(last.day));
  const spent = Math.round((until - at(first.day)) / dayMs) + 1;
  const left = Math.ceil((planned - last.minutes) / (last.minutes / spent));
  return dayOf(until + Math.min(left, 3650) * dayMs);
}
