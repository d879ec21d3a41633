import type { Row } from '../rows';

/** A case that may go into a round. */
export interface RoundCase {
  readonly key: string;
  readonly revision: number;
  readonly approved: boolean;
  readonly plannedMinutes: number;
  /** Its data rows by name; a case without rows is run once. */
  readonly rows: readonly { readonly name: string; readonly row: Row }[];
}

/** A run on this build that passed, against a revision of its case or carried over to it. */
export interface PassedRun {
  readonly key: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
}

export interface RoundOptions {
  /** Runs that passed on this build: what still stands is left out. */
  readonly passed?: readonly PassedRun[];
  readonly onlyApproved?: 'yes' | 'no';
  /** Each run to one person, so that the planned minutes come out even; or every run to everyone. */
  readonly people?: 'shared' | 'everyone';
}

export interface PlannedRun {
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly row: string | null;
  readonly configuration: string;
  readonly person: string;
  readonly plannedMinutes: number;
}

export interface LeftOut {
  readonly caseKey: string;
  readonly row: string | null;
  readonly configuration: string;
  readonly why: { readonly code: 'notApproved' } | { readonly code: 'passed'; readonly run: string };
}

export interface ExpandedRound {
  readonly runs: readonly PlannedRun[];
  readonly leftOut: readonly LeftOut[];
  readonly minutes: number;
  readonly minutesOf: ReadonlyMap<string, number>;
}

/**
 * Cases x data rows x configurations x people, in a stable order: configuration after configuration, so that a rig is set up once, in
 * each the cases as they come and their rows. What is left out is told with its reason.
 */
export function expandRound(
  cases: readonly RoundCase[],
  configurations: readonly string[],
  people: readonly string[],
  options: RoundOptions = {},
): ExpandedRound {
  const id = (caseKey: string, row: string | null, configuration: string): string => `${caseKey}\n${row ?? ''}\n${configuration}`;
  const passed = new Map((options.passed ?? []).map((run) => [id(run.caseKey, run.row, run.configuration), run]));
  const runs: PlannedRun[] = [];
  const leftOut: LeftOut[] = [];
  const minutesOf = new Map<string, number>(people.map((person) => [person, 0]));
  const give = (person: string, minutes: number): void => void minutesOf.set(person, (minutesOf.get(person) ?? 0) + minutes);
  let minutes = 0;
  for (const configuration of configurations)
    for (const c of cases)
      for (const row of c.rows.length ? c.rows.map((r) => r.name) : [null]) {
        const before = passed.get(id(c.key, row, configuration));
        if (options.onlyApproved === 'yes' && !c.approved)
          leftOut.push({ caseKey: c.key, row, configuration, why: { code: 'notApproved' } });
        else if (before && before.caseRevision >= c.revision)
          leftOut.push({ caseKey: c.key, row, configuration, why: { code: 'passed', run: before.key } });
        else {
          const whole = { caseKey: c.key, caseRevision: c.revision, row, configuration, plannedMinutes: c.plannedMinutes };
          for (const person of options.people === 'everyone' ? people : [leastLoaded(people, minutesOf, runs.length)]) {
            runs.push({ ...whole, person });
            give(person, c.plannedMinutes);
            minutes += c.plannedMinutes;
          }
        }
      }
  return { runs, leftOut, minutes, minutesOf };
}

/** Whoever has least to do; among equals, by turns. */
function leastLoaded(people: readonly string[], minutesOf: ReadonlyMap<string, number>, turn: number): string {
  if (!people.length) return '';
  let best = people[turn % people.length];
  for (const person of people) if ((minutesOf.get(person) ?? 0) < (minutesOf.get(best) ?? 0)) best = person;
  return best;
}
