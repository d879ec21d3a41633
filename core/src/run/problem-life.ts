import { articled } from '../base';

/** A stage in the life of a problem report, as the project names it. */
export interface ProblemStage {
  readonly name: string;
  readonly title: string;
  /** What it means for the rules: `open` stands against its requirements, `fixed` still does, `closed` does not. */
  readonly means: 'open' | 'fixed' | 'closed';
  /** The stages to which it may go from here. */
  readonly next: readonly string[];
  /** Roles that may move a report here; empty: whoever may change reports. */
  readonly roles: readonly string[];
  /** What must be filled before it comes here: members of the report. */
  readonly needs: readonly ('severity' | 'priority' | 'area' | 'assigned' | 'due' | 'fixedIn' | 'closedReason')[];
}

/** The usual life: found, taken up, fixed in a build, closed once it was shown; or closed at once with a reason. */
export const usualStages: readonly ProblemStage[] = [
  { name: 'open', title: 'Open', means: 'open', next: ['working', 'fixed', 'closed'], roles: [], needs: [] },
  { name: 'working', title: 'Being worked on', means: 'open', next: ['open', 'fixed', 'closed'], roles: [], needs: ['assigned'] },
  { name: 'fixed', title: 'Fixed, to be shown', means: 'fixed', next: ['open', 'working', 'closed'], roles: [], needs: ['fixedIn'] },
  { name: 'closed', title: 'Closed', means: 'closed', next: ['open'], roles: [], needs: ['closedReason'] },
];
export const usualSeverities: readonly string[] = ['minor', 'major', 'critical'];

/** What a report must say before it may come to a stage: the names of what is missing. */
export function missingAt(stage: ProblemStage, report: Readonly<Partial<Record<ProblemStage['needs'][number], string | null>>>): string[] {
  return stage.needs.filter((name) => !(report[name] ?? '').trim());
}

/** Why a report may not go from one stage to another; undefined where it may. */
export function moveRefusal(stages: readonly ProblemStage[], from: string, to: string, roles: readonly string[]): string | undefined {
  if (from === to) return undefined;
  const [here, there] = [stages.find((s) => s.name === from), stages.find((s) => s.name === to)];
  if (!there) return `There is no stage ${to}.`;
  if (here && !here.next.includes(to))
    return `From “${here.title}” a report goes to ${here.next.map((name) => titleOf(stages, name)).join(' or ') || 'nothing'}.`;
  if (there.roles.length && !there.roles.some((role) => roles.includes(role)))
    return `“${there.title}” is given by ${there.roles.map(articled).join(' or ')}.`;
  return undefined;
}

const titleOf = (stages: readonly ProblemStage[], name: string): string => `“${stages.find((s) => s.name === name)?.title ?? name}”`;

/** What is wrong with a life: places from 0. It must begin open, reach a closed stage, and name each stage once. */
export function lifeFindings(stages: readonly ProblemStage[]): { readonly at: number; readonly text: string }[] {
  const found: { at: number; text: string }[] = [];
  const names = new Set<string>();
  stages.forEach((stage, at) => {
    if (names.has(stage.name)) found.push({ at, text: `There are two stages ${stage.name}.` });
    names.add(stage.name);
    for (const next of stage.next)
      if (!stages.some((s) => s.name === next)) found.push({ at, text: `It leads to ${next}, which is no stage.` });
  });
  if (stages.at(0)?.means !== 'open') found.push({ at: 0, text: 'A report begins open: the first stage must mean that.' });
  const reached = new Set<string>();
  const open = stages.slice(0, 1).map(({ name }) => name);
  for (const name of open) {
    if (reached.has(name)) continue;
    reached.add(name);
    open.push(...(stages.find((s) => s.name === name)?.next ?? []));
  }
  stages.forEach((stage, at) => {
    if (!reached.has(stage.name)) found.push({ at, text: 'No report can come here.' });
  });
  if (!stages.some((stage) => stage.means === 'closed' && reached.has(stage.name)))
    found.push({ at: 0, text: 'No report could ever be closed.' });
  return found;
}

/** By how many the reports of a kind became more on a day, as an ISO date; negative where they became fewer. */
export interface DayShift {
  readonly day: string;
  readonly count: number;
}

/**
 * Found against closed: of each day on which either changed, how many reports had been found by its end, and how many of them stood closed.
 * A report that is opened again is closed no longer; days come in any order, and more than once.
 */
export function foundAgainstClosed(
  found: readonly DayShift[],
  closed: readonly DayShift[],
): { readonly day: string; readonly found: number; readonly closed: number }[] {
  const shifts = new Map<string, { found: number; closed: number }>();
  for (const [name, of] of [
    ['found', found],
    ['closed', closed],
  ] as const)
    for (const { day, count } of of) {
      const shift = shifts.get(day) ?? { found: 0, closed: 0 };
      shift[name] += count;
      shifts.set(day, shift);
    }
  const sum = { found: 0, closed: 0 };
  return [...shifts.keys()].sort().map((day) => {
    const shift = shifts.get(day);
    sum.found += shift?.found ?? 0;
    sum.closed += shift?.closed ?? 0;
    return { day, ...sum };
  });
}
