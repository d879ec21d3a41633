import { groupBy, knots, perKnot, type Knot } from '../base';
import { sortRuns } from './case-runs';
import type { CordInput, CordRun } from './cord-input';
import type { CaseEntry, Entry } from './entry';
import { judgeMeasure } from './judge-code';
import { judgeProve, judgeRun, type ProblemsOfRun } from './judge-run';
import { judgeDesign, judgeSpecify } from './judge-text';
import { worse, type JudgedKnot } from './knot';
import type { KnotState } from './knot-state';
import { policiesOf } from './policy';

/** The cord of one requirement on one build. */
export interface Cord {
  readonly key: string;
  readonly title: string;
  readonly level: string;
  readonly knots: Readonly<Record<Knot, JudgedKnot>>;
  /** The first knot that is neither sound nor not required. */
  readonly firstBreak: Knot | null;
  /** The worst state, knot by knot, among the requirements derived from it; null where none are. */
  readonly below: Readonly<Record<Knot, KnotState>> | null;
}

const notReached: JudgedKnot = { state: 'notReached', reasons: [] };

function join(input: CordInput): Map<string, Entry> {
  const entries = new Map<string, Entry>(
    input.requirements.map((requirement) => [requirement.key, { requirement, parents: [], children: [], cases: [], problems: [] }]),
  );
  for (const trace of input.parents) {
    const parent = entries.get(trace.to);
    entries.get(trace.from)?.parents.push({ trace, parent: parent?.requirement });
    parent?.children.push(trace.from);
  }
  const runsOf = new Map<string, CordRun[]>(input.cases.map((c) => [c.key, []]));
  for (const run of input.runs) runsOf.get(run.caseKey)?.push(run);
  const cases = new Map(input.cases.map((c): [string, CaseEntry] => [c.key, { case: c, runs: sortRuns(runsOf.get(c.key) ?? [], c) }]));
  for (const trace of input.verifies) entries.get(trace.to)?.cases.push({ trace, of: cases.get(trace.from) });
  for (const problem of input.problems)
    if (problem.standing && problem.blocking) for (const key of problem.requirements) entries.get(key)?.problems.push(problem.key);
  return entries;
}

/**
 * Judges requirements of a project on one build, by the rules of DESIGN.md section 3: all that the input holds, or only those
 * wanted. Of children that are not among them the input tells what was judged before.
 */
export function judgeCords(input: CordInput, wanted?: ReadonlySet<string>): Cord[] {
  const entries = join(input);
  const problemsOfRun = groupBy(
    input.problems.filter((p) => p.standing && p.run !== null),
    (p) => p.run ?? '',
    (p) => p.key,
  );
  const chosen = wanted ? input.requirements.filter((r) => wanted.has(r.key)) : input.requirements;
  const judged = new Map<string, Record<Knot, JudgedKnot>>();
  for (const { key } of chosen) judged.set(key, judgeOne(entries.get(key) as Entry, input, problemsOfRun));
  const below = belowOf(entries, judged, input.settled);
  return chosen.map(({ key, title, level }) => {
    const own = judged.get(key) as Record<Knot, JudgedKnot>;
    const firstBreak = knots.find((name) => own[name].state !== 'sound' && own[name].state !== 'notRequired') ?? null;
    return { key, title, level, knots: own, firstBreak, below: below(key) };
  });
}

type Line = Readonly<Record<Knot, KnotState>>;

/** The second line of each cord: worst states among what is derived from it, however deep; a circle is walked once. */
function belowOf(
  entries: ReadonlyMap<string, Entry>,
  judged: ReadonlyMap<string, Record<Knot, JudgedKnot>>,
  settled: CordInput['settled'],
): (key: string) => Line | null {
  const known = new Map<string, Line | null>();
  const path = new Set<string>();
  const find = (key: string): Line | null => {
    const before = known.get(key);
    if (before !== undefined) return before;
    const children = entries.get(key)?.children ?? [];
    if (!children.length) return null;
    if (path.has(key)) return null;
    path.add(key);
    let worst: Line | undefined;
    const add = (line: Line): void => {
      const so = worst;
      worst = so ? perKnot((name) => worse(so[name], line[name])) : line;
    };
    for (const child of children) {
      const own = judged.get(child);
      if (own) add(perKnot((name) => own[name].state));
      const before = own ? undefined : settled?.get(child);
      if (before) add(before.states);
      const under = before ? before.below : find(child);
      if (under) add(under);
    }
    path.delete(key);
    const line = worst ?? null;
    // Inside a circle what was found depends on where the walk began: it is not kept.
    if (!path.size) known.set(key, line);
    return line;
  };
  return find;
}

function judgeOne(entry: Entry, input: CordInput, problemsOfRun: ProblemsOfRun): Record<Knot, JudgedKnot> {
  const specify = judgeSpecify(entry, input.profile);
  // Broken or waiting in the first two stops the judgement: what comes after has nothing to rest on.
  if (specify.state === 'broken' || specify.state === 'waiting')
    return { specify, design: notReached, run: notReached, measure: notReached, prove: notReached };
  const design = judgeDesign(entry, input.profile);
  if (design.state === 'broken' || design.state === 'waiting')
    return { specify, design, run: notReached, measure: notReached, prove: notReached };
  const run = judgeRun(entry, input.build, problemsOfRun, policiesOf(input.profile));
  if (run.state === 'broken') return { specify, design, run, measure: notReached, prove: notReached };
  const measure = judgeMeasure(entry.requirement, input);
  if (run.state === 'waiting') return { specify, design, run, measure, prove: notReached };
  return { specify, design, run, measure, prove: judgeProve(entry, input.profile) };
}
