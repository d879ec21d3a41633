import type { Finding } from '../../base';
import { allows, atomsOf, type FlowVariable, type Guard } from './guard';

export const flowNodeKinds = ['start', 'action', 'check', 'decision', 'end'] as const;
export type FlowNodeKind = (typeof flowNodeKinds)[number];

/** One box of a flow. Actions and checks carry step text, in which `{{name}}` stands for a variable. */
export interface FlowNode {
  readonly id: string;
  readonly kind: FlowNodeKind;
  /** What is done, asked or looked at. */
  readonly text: string;
  /** What must then be seen. */
  readonly expected?: string;
}

export interface FlowEdge {
  readonly from: string;
  readonly to: string;
  /** The outcome, where it leaves a decision. */
  readonly label: string;
  /** When this outcome is taken: all of these hold. */
  readonly guard?: Guard;
}

/** What a requirement means step by step. Variables are inputs: they keep their value along a path. */
export interface Flow {
  readonly title: string;
  readonly variables: readonly FlowVariable[];
  readonly nodes: readonly FlowNode[];
  readonly edges: readonly FlowEdge[];
}

/** A flow in numbers, for the algorithms: nodes and edges by their place. */
export interface Graph {
  readonly flow: Flow;
  readonly size: number;
  readonly from: readonly number[];
  readonly to: readonly number[];
  /** Edges that leave a node, and that enter it. */
  readonly out: readonly (readonly number[])[];
  readonly into: readonly (readonly number[])[];
  readonly start: number;
  readonly ends: readonly number[];
}

/** A way through a flow, as the places of its edges; it begins at the start and, where it is whole, finishes at an end. */
export type Path = readonly number[];

export function graphOf(flow: Flow): Graph {
  const at = new Map(flow.nodes.map((node, i) => [node.id, i]));
  const from = flow.edges.map((edge) => at.get(edge.from) ?? -1);
  const to = flow.edges.map((edge) => at.get(edge.to) ?? -1);
  const [out, into]: [number[][], number[][]] = [flow.nodes.map(() => []), flow.nodes.map(() => [])];
  flow.edges.forEach((_, e) => {
    out[from[e]]?.push(e);
    into[to[e]]?.push(e);
  });
  const ends = flow.nodes.flatMap((node, i) => (node.kind === 'end' ? [i] : []));
  return { flow, size: flow.nodes.length, from, to, out, into, start: flow.nodes.findIndex((node) => node.kind === 'start'), ends };
}

/** Nodes that are met when one follows edges from the given ones. */
export function reachable(g: Graph, seeds: readonly number[], direction: 'forward' | 'backward' = 'forward'): Set<number> {
  const seen = new Set(seeds);
  for (const node of seen)
    for (const e of direction === 'forward' ? g.out[node] : g.into[node]) seen.add(direction === 'forward' ? g.to[e] : g.from[e]);
  return seen;
}

/** How many combinations of variables are tried for one decision before the check of its guards is left out. */
const combinationLimit = 50_000;

/**
 * What is wrong with a flow, each with its place (`cell`: the node’s id, or `from → to`): names that are doubled or unknown, no start or
 * end, what cannot be reached or leads nowhere, decisions with an outcome missing, guards that overlap or leave something out.
 */
export function flowFindings(flow: Flow): Finding[] {
  const findings: Finding[] = [];
  const say = (cell: string, text: string, severity: Finding['severity'] = 'error'): void => void findings.push({ cell, text, severity });
  const ids = new Set<string>();
  for (const { id } of flow.nodes) {
    if (ids.has(id)) say(id, `There are two nodes named ${id}.`);
    ids.add(id);
  }
  const variables = new Map(flow.variables.map((v) => [v.name, v]));
  for (const { name, domain } of flow.variables)
    if (domain.kind === 'values' ? !domain.values.length : !(domain.from <= domain.to) || !(domain.step > 0))
      say(name, `The variable ${name} has no possible value.`);
  for (const edge of flow.edges) {
    const place = `${edge.from} → ${edge.to}`;
    for (const end of [edge.from, edge.to]) if (!ids.has(end)) say(place, `There is no node ${end}.`);
    for (const { variable } of edge.guard ?? [])
      if (!variables.has(variable)) say(place, `The guard names ${variable}, which is no variable.`);
  }
  if (findings.length) return findings;
  const g = graphOf(flow);
  const starts = flow.nodes.filter((node) => node.kind === 'start');
  if (starts.length !== 1) say(starts[1]?.id ?? '', starts.length ? 'There are several starts.' : 'There is no start.');
  if (!g.ends.length) say('', 'There is no end.');
  if (findings.length) return findings;
  const forward = reachable(g, [g.start]);
  const backward = reachable(g, g.ends, 'backward');
  flow.nodes.forEach((node, i) => {
    const { id, kind } = node;
    if (!forward.has(i)) say(id, `${id} cannot be reached from the start.`);
    else if (!backward.has(i)) say(id, `From ${id} no end can be reached: a dead end.`);
    if (kind === 'start' && g.into[i].length) say(id, 'An edge leads back to the start.');
    if (kind === 'end' && g.out[i].length) say(id, `${id} is an end, and an edge leaves it.`);
    if (kind === 'decision') decisionFindings(g, i, say);
    else if (kind !== 'end' && g.out[i].length > 1) say(id, `${g.out[i].length} edges leave ${id}, which is no decision.`);
  });
  return findings;
}

function decisionFindings(g: Graph, node: number, say: (cell: string, text: string, severity?: Finding['severity']) => void): void {
  const { id } = g.flow.nodes[node];
  const edges = g.out[node].map((e) => g.flow.edges[e]);
  if (edges.length < 2) say(id, `The decision ${id} has ${edges.length ? 'only one outcome' : 'no outcome'}.`);
  const labels = edges.map((edge) => edge.label);
  if (labels.some((label) => !label.trim())) say(id, `An outcome of ${id} has no label.`);
  if (new Set(labels).size < labels.length) say(id, `Two outcomes of ${id} have the same label.`);
  const guarded = edges.filter((edge) => edge.guard?.length);
  if (!guarded.length) return;
  if (guarded.length < edges.length - 1) say(id, `Some outcomes of ${id} have a guard and several have none.`);
  const names = [...new Set(guarded.flatMap((edge) => edge.guard ?? []).map((c) => c.variable))];
  const concerned = g.flow.variables.filter((v) => names.includes(v.name));
  const atoms = concerned.map((v) =>
    atomsOf(
      v,
      guarded.flatMap((edge) => edge.guard ?? []),
    ),
  );
  const combinations = atoms.reduce((n, list) => n * list.length, 1);
  if (combinations > combinationLimit)
    return say(id, `The guards of ${id} have ${combinations} combinations: they were not checked against each other.`, 'warning');
  // An outcome without a guard among guarded ones is the “otherwise”.
  const otherwise = guarded.length < edges.length;
  const given = new Set<string>();
  for (let n = 0; n < combinations; n++) {
    let rest = n;
    const values = new Map(
      concerned
        .map((v, i) => [v.name, atoms[i][rest % atoms[i].length]] as const)
        .map((entry, i) => ((rest = Math.floor(rest / atoms[i].length)), entry)),
    );
    const taken = guarded.filter((edge) => (edge.guard ?? []).every((c) => allows(c, values.get(c.variable) ?? '')));
    const words = [...values].map(([name, value]) => `${name} = ${value}`).join(', ');
    if (taken.length > 1) {
      const both = taken.map((edge) => edge.label).join(' and ');
      if (!given.has(both)) say(id, `Guards overlap: with ${words}, ${both} of ${id} are taken.`);
      given.add(both);
    }
    if (!taken.length && !otherwise && !given.has('')) {
      say(id, `The guards of ${id} leave something out: with ${words} no outcome is taken.`);
      given.add('');
    }
  }
}
