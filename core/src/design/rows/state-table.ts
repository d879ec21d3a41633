import { groupBy } from '../../base';

/** A transition: in a state, on an event, to another state; what is seen. */
export interface Transition {
  readonly from: string;
  readonly event: string;
  readonly to: string;
  readonly output?: string;
}

export interface StateTable {
  readonly initial: string;
  readonly states: readonly string[];
  readonly events: readonly string[];
  readonly transitions: readonly Transition[];
}

/** A sequence of transitions from the initial state: one case. */
export type Walk = readonly Transition[];

export interface StateCases {
  readonly walks: readonly Walk[];
  readonly covered: number;
  readonly of: number;
}

const keyOf = ({ from, event, to }: Transition): string => `${from}\n${event}\n${to}`;

/** States that no sequence of events reaches. */
export function unreachableStates({ initial, states, transitions }: StateTable): string[] {
  const seen = new Set([initial]);
  for (const state of seen) for (const t of transitions) if (t.from === state) seen.add(t.to);
  return states.filter((state) => !seen.has(state));
}

/** What is wrong: unknown names, and states in which an event leads to two others. */
export function stateFindings({ initial, states, events, transitions }: StateTable): string[] {
  const findings: string[] = [];
  if (!states.includes(initial)) findings.push(`The initial state ${initial} is no state.`);
  const seen = new Map<string, Transition>();
  for (const t of transitions) {
    for (const state of [t.from, t.to]) if (!states.includes(state)) findings.push(`${state} is no state.`);
    if (!events.includes(t.event)) findings.push(`${t.event} is no event.`);
    const other = seen.get(`${t.from}\n${t.event}`);
    if (other && other.to !== t.to) findings.push(`In ${t.from}, ${t.event} leads to ${other.to} and to ${t.to}.`);
    seen.set(`${t.from}\n${t.event}`, t);
  }
  return findings;
}

/**
 * Walks that cover every transition (0-switch) or every two transitions one after the other (1-switch; Chow 1978, recalled). A walk goes on as long
 * as something new lies ahead, by the shortest way, and a new one begins where the initial state is nearer.
 */
export function switchWalks(table: StateTable, switches: 0 | 1): StateCases {
  const reached = new Set([table.initial]);
  for (const state of reached) for (const t of table.transitions) if (t.from === state) reached.add(t.to);
  const possible = table.transitions.filter((t) => reached.has(t.from));
  const wanted = new Set(
    switches === 0
      ? possible.map(keyOf)
      : possible.flatMap((t) => possible.filter((next) => next.from === t.to).map((next) => `${keyOf(t)}\n\n${keyOf(next)}`)),
  );
  const of = wanted.size;
  const leaving = groupBy(possible, (t) => t.from);
  const walks: Transition[][] = [];
  let walk: Transition[] = [];
  const idOf = (before: Transition | undefined, t: Transition): string =>
    switches === 0 ? keyOf(t) : before ? `${keyOf(before)}\n\n${keyOf(t)}` : '';
  /** The shortest way on from here to something that is still wanted. */
  const ahead = (state: string, before: Transition | undefined): Transition[] | undefined => {
    const queue: { state: string; before: Transition | undefined; way: Transition[] }[] = [{ state, before, way: [] }];
    const seen = new Set<string>();
    for (const at of queue)
      for (const t of leaving.get(at.state) ?? []) {
        if (wanted.has(idOf(at.before, t))) return [...at.way, t];
        const id = switches === 0 ? t.to : keyOf(t);
        if (!seen.has(id)) queue.push({ state: t.to, before: t, way: [...at.way, t] });
        seen.add(id);
      }
    return undefined;
  };
  while (wanted.size) {
    const last = walk.at(-1);
    const on = walk.length ? ahead(last?.to ?? table.initial, last) : undefined;
    const anew = ahead(table.initial, undefined);
    if (!on && !anew) break;
    if (!on || (anew && anew.length < on.length && walk.length)) {
      if (walk.length) walks.push(walk);
      walk = [];
    }
    for (const t of walk.length ? (on ?? []) : (anew ?? on ?? [])) {
      wanted.delete(idOf(walk.at(-1), t));
      walk.push(t);
    }
  }
  if (walk.length) walks.push(walk);
  return { walks, covered: of - wanted.size, of };
}

/** For every state and event without a transition: the way there, and the event that must change nothing. Negative cases. */
export function invalidTransitions(table: StateTable): { readonly state: string; readonly event: string; readonly way: Walk }[] {
  const ways = new Map<string, Transition[]>([[table.initial, []]]);
  for (const [state, way] of ways) for (const t of table.transitions) if (t.from === state && !ways.has(t.to)) ways.set(t.to, [...way, t]);
  return [...ways].flatMap(([state, way]) =>
    table.events
      .filter((event) => !table.transitions.some((t) => t.from === state && t.event === event))
      .map((event) => ({ state, event, way })),
  );
}
