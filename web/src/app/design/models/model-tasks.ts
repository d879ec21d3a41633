import {
  bestAddition,
  caseOfPath,
  coverageOfPaths,
  fillStep,
  graphOf,
  pathCount,
  reachFor,
  rowsFor,
  sharesOfPaths,
  spaceOf,
  type CaseStep,
  type Constraint,
  type Flow,
  type FlowCriterion,
  type FlowShare,
  type FlowValue,
  type MadeRows,
  type Parameter,
  type Path,
  type Reach,
  type ReachCriterion,
  type Row,
  type RowCriterion,
} from '@core/design';

/** A path as it is shown: what it goes through, and the case that it would be. */
export interface ShownPath {
  /** The edges that it takes; thousands of paths of hundreds of edges come from the worker in a moment as numbers of one size. */
  readonly path: Uint32Array;
  readonly identity: string;
  /** The outcomes that it takes. */
  readonly words: string;
  readonly row: Readonly<Record<string, FlowValue>>;
}
export interface ShownReach extends Omit<Reach, 'paths'> {
  readonly shown: readonly ShownPath[];
}
/** How much a set that was chosen by hand covers, what is missing of it, and the path that would add most. */
export interface ChosenCoverage {
  readonly criterion: FlowCriterion;
  readonly covered: number;
  readonly of: number;
  readonly missing: readonly (readonly number[])[];
  readonly best: { readonly path: ShownPath; readonly adds: number } | null;
}

function shown(flow: Flow, paths: readonly Path[]): ShownPath[] {
  const graph = graphOf(flow);
  const space = spaceOf(graph);
  return paths.flatMap((path): ShownPath[] => {
    const made = caseOfPath(graph, path, space);
    if (!made) return [];
    const words = path.flatMap((e) => flow.edges[e].label || []).join(', ');
    return [{ path: Uint32Array.from(path), identity: made.identity, words: words || 'the only way', row: made.row }];
  });
}

/** What is worked out of models beside the page. */
export const modelTasks = {
  reach(flow: Flow, criterion: ReachCriterion, rounds: number): ShownReach {
    const { paths, ...rest } = reachFor(graphOf(flow), criterion, rounds);
    return { ...rest, shown: shown(flow, paths) };
  },
  count(flow: Flow, rounds: number): string {
    return pathCount(graphOf(flow), rounds);
  },
  /** The steps of the case that a path would be, filled with its row. */
  steps(flow: Flow, taken: Uint32Array): readonly CaseStep[] {
    const graph = graphOf(flow);
    const made = caseOfPath(graph, [...taken], spaceOf(graph));
    return made?.content.steps.map((step) => fillStep(step, made.row)) ?? [];
  },
  chosen(flow: Flow, taken: readonly Uint32Array[], criterion: FlowCriterion): ChosenCoverage {
    const graph = graphOf(flow);
    const paths = taken.map((path) => [...path]);
    const best = bestAddition(graph, paths, criterion);
    const [path] = best ? shown(flow, [best.path]) : [];
    return { criterion, ...coverageOfPaths(graph, paths, criterion), best: best && path ? { path, adds: best.adds } : null };
  },
  /** How much of each criterion a set covers. */
  shares: (flow: Flow, taken: readonly Uint32Array[]): FlowShare[] =>
    sharesOfPaths(
      graphOf(flow),
      taken.map((path) => [...path]),
    ),
  rows(
    parameters: readonly Parameter[],
    constraints: readonly Constraint[],
    criterion: RowCriterion,
    options: { readonly given: readonly Row[]; readonly seed: number },
  ): MadeRows {
    return rowsFor(parameters, constraints, criterion, options);
  },
};
export type ModelTasks = typeof modelTasks;
