import type { CaseContent, CaseStep } from '../case';
import type { Flow, Graph, Path } from './flow';
import { inputsOf } from './fewest';
import { InputSpace, type FlowValue } from './guard';

/** A case made of a path: its steps, and a row of data that takes exactly this path. */
export interface PathCase {
  /** What makes it the same case when the flow is gone through again: the nodes and outcomes of its path. */
  readonly identity: string;
  readonly content: CaseContent;
  /** A column for each variable. */
  readonly row: Readonly<Record<string, FlowValue>>;
  readonly path: Path;
}

/** A path by the names of what it goes through, so that it stays the same when places move. */
export function identityOf(flow: Flow, path: Path): string {
  return path.map((e) => `${flow.edges[e].from}${flow.edges[e].label ? `[${flow.edges[e].label}]` : ''}`).join(' > ');
}

/**
 * The case of a path: a step for each action and each check, a decision’s outcome as a step where the decision asks for something to be
 * seen, text with `{{name}}` kept for the row. Undefined where no inputs take this path.
 */
export function caseOfPath(
  g: Graph,
  path: Path,
  space = new InputSpace(
    g.flow.variables,
    g.flow.edges.map((edge) => edge.guard),
  ),
): PathCase | undefined {
  const { flow } = g;
  const inputs = inputsOf(g, path, space);
  if (!inputs) return undefined;
  const steps: CaseStep[] = [];
  const outcomes: string[] = [];
  const visited = path.length ? [g.from[path[0]], ...path.map((e) => g.to[e])] : [g.start];
  visited.forEach((n, i) => {
    const { kind, text, expected } = flow.nodes[n];
    const label = path[i] === undefined ? '' : flow.edges[path[i]].label;
    if (kind === 'action') steps.push({ action: text, expected: expected ?? '' });
    else if (kind === 'check') {
      const last = steps.at(-1);
      // A check right behind an action without an expected result is that action’s.
      if (last && !last.expected && i > 0 && flow.nodes[visited[i - 1]].kind === 'action')
        steps[steps.length - 1] = { ...last, expected: expected ?? text };
      else steps.push({ action: `Check: ${text}`, expected: expected ?? text });
    } else if (kind === 'decision') {
      outcomes.push(label);
      if (expected) steps.push({ action: text, expected: `${expected}: ${label}` });
    }
  });
  const title = [flow.title, outcomes.join(', ')].filter(Boolean).join(': ');
  const content: CaseContent = {
    title: title.slice(0, 300),
    objective: `Shows ${flow.title || 'the flow'}${outcomes.length ? ` with ${outcomes.join(', then ')}` : ''}.`,
    preconditions: '',
    steps,
    plannedMinutes: 0,
  };
  return { identity: identityOf(flow, path), content, row: inputs.values(), path };
}

export interface Regenerated {
  readonly fresh: readonly PathCase[];
  /** The same path, with other text or data than it had. */
  readonly changed: readonly { readonly before: PathCase; readonly now: PathCase }[];
  readonly gone: readonly PathCase[];
  readonly same: readonly PathCase[];
}

/** What a change of the flow means for cases that were made of it before. Every path stands once: nothing is doubled. */
export function compareCases(before: readonly PathCase[], now: readonly PathCase[]): Regenerated {
  const known = new Map(before.map((c) => [c.identity, c]));
  const wanted = new Map(now.map((c) => [c.identity, c]));
  const given = (c: PathCase): string => JSON.stringify([c.content, Object.entries(c.row).sort(([a], [b]) => (a < b ? -1 : 1))]);
  const fresh: PathCase[] = [];
  const same: PathCase[] = [];
  const changed: { before: PathCase; now: PathCase }[] = [];
  for (const [identity, c] of wanted) {
    const old = known.get(identity);
    if (!old) fresh.push(c);
    else if (given(old) === given(c)) same.push(c);
    else changed.push({ before: old, now: c });
  }
  return { fresh, changed, gone: [...known.values()].filter((c) => !wanted.has(c.identity)), same };
}
