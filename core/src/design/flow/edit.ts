import { betweenCommas, groupBy } from '../../base';
import type { Flow, FlowEdge, FlowNode, FlowNodeKind } from './flow';
import { readFlowValue, type FlowVariable } from './guard';

type Body = Omit<Flow, 'title'>;

/** An id that no node has. */
function freeId(nodes: readonly FlowNode[]): string {
  const taken = new Set(nodes.map(({ id }) => id));
  let number = nodes.length + 1;
  while (taken.has(`n${number}`)) number++;
  return `n${number}`;
}

/** Where the edges that leave a node stand in the list. */
const outcomesOf = (flow: Pick<Flow, 'edges'>, id: string): readonly Outcome[] => outcomesByNode(flow).get(id) ?? [];

/** An edge that leaves a node, and its place in the list. */
export interface Outcome {
  readonly edge: FlowEdge;
  readonly at: number;
}

/** The outcomes of every node that has any. */
export const outcomesByNode = ({ edges }: Pick<Flow, 'edges'>): Map<string, Outcome[]> =>
  groupBy(
    edges.map((edge, at) => ({ edge, at })),
    ({ edge }) => edge.from,
    (outcome) => outcome,
  );

/**
 * A new node behind another one in the list. What the one before led to, the new one leads to, and the one before leads to it; a decision gets another
 * outcome that leads to it. Answers its id.
 */
export function insertNode<B extends Body>(
  body: B,
  behind: string,
  kind: FlowNodeKind = 'action',
): { readonly body: B; readonly id: string } {
  const at = body.nodes.findIndex(({ id }) => id === behind);
  const before = body.nodes[at];
  const id = freeId(body.nodes);
  const nodes = [...body.nodes];
  nodes.splice(at < 0 ? nodes.length : at + 1, 0, { id, kind, text: '' });
  const out = before ? outcomesOf(body, before.id) : [];
  const edges = [...body.edges];
  if (before?.kind === 'decision') {
    edges.push({ from: before.id, to: id, label: '' });
    const [first] = out;
    if (first && kind !== 'end') edges.push({ from: id, to: first.edge.to, label: '' });
  } else if (before && before.kind !== 'end') {
    const [first] = out;
    if (first) {
      edges[first.at] = { ...first.edge, to: id };
      if (kind !== 'end') edges.push({ from: id, to: first.edge.to, label: '' });
    } else edges.push({ from: before.id, to: id, label: '' });
  }
  return { body: { ...body, nodes, edges }, id };
}

/** Without a node: what led to it leads to what it led to, where that is one; else nowhere. */
export function removeNode<B extends Body>(body: B, id: string): B {
  const out = outcomesOf(body, id).map(({ edge }) => edge.to);
  const next = out.length === 1 && out[0] !== id ? out[0] : undefined;
  return {
    ...body,
    nodes: body.nodes.filter((node) => node.id !== id),
    edges: body.edges.flatMap((edge) => {
      if (edge.from === id) return [];
      if (edge.to !== id) return [edge];
      return next === undefined ? [] : [{ ...edge, to: next }];
    }),
  };
}

/** A node with something of it changed. An end leads nowhere. */
export function changeNode<B extends Body>(body: B, id: string, change: Partial<Omit<FlowNode, 'id'>>): B {
  return {
    ...body,
    nodes: body.nodes.map((node) => {
      if (node.id !== id) return node;
      const { expected, ...rest } = { ...node, ...change };
      return expected ? { ...rest, expected } : rest;
    }),
    edges: change.kind === 'end' ? body.edges.filter((edge) => edge.from !== id) : body.edges,
  };
}

/** An edge with something of it changed, or without it. */
export function changeEdge<B extends Body>(body: B, at: number, change: Partial<FlowEdge> | null): B {
  return {
    ...body,
    edges: body.edges.flatMap((edge, i) => {
      if (i !== at) return [edge];
      if (!change) return [];
      const { guard, ...rest } = { ...edge, ...change };
      return [guard?.length ? { ...rest, guard } : rest];
    }),
  };
}

/** One more way out of a node, to another one. */
export const addOutcome = <B extends Body>(body: B, from: string, to: string, label = ''): B => ({
  ...body,
  edges: [...body.edges, { from, to, label }],
});

/** An input as one line: `wind (m/s): 0 to 30 step 1`, `mode: one of NORMAL, MAINT`. */
export const variableWords = ({ name, unit, domain }: FlowVariable): string =>
  `${name}${unit ? ` (${unit})` : ''}: ${domain.kind === 'values' ? `one of ${domain.values.join(', ')}` : `${domain.from} to ${domain.to} step ${domain.step}`}`;

/** Reads such a line; undefined where it is none. “one of” may be left out, and so may the step, which then is 1. */
export function readVariableLine(text: string): FlowVariable | undefined {
  const colon = text.indexOf(':');
  if (colon < 0) return undefined;
  const head = /^([\w.]+)(?: ?\(([^()]{1,30})\))?$/.exec(text.slice(0, colon).trim());
  const rest = text.slice(colon + 1).trim();
  if (!head || !rest) return undefined;
  const unit = head[2] ? { unit: head[2].trim() } : {};
  const range = /^(-?[\d.]+) to (-?[\d.]+)(?: step ([\d.]+))?$/.exec(rest);
  if (range) {
    const [from, to, step] = [Number(range[1]), Number(range[2]), range[3] === undefined ? 1 : Number(range[3])];
    return [from, to, step].some(Number.isNaN) ? undefined : { name: head[1], ...unit, domain: { kind: 'range', from, to, step } };
  }
  const values = betweenCommas(rest.replace(/^one of /, ''));
  return values.length ? { name: head[1], ...unit, domain: { kind: 'values', values: values.map(readFlowValue) } } : undefined;
}
