import { sha256Hex, canonicalJson, type Json } from '../../base';
import { emptyCase, saidCase, type CaseContent, type CaseRow, type CaseStep } from '../case';
import { caseOfPath, graphOf, InputSpace } from '../flow';
import { invalidTransitions, ruleRows, rowValues, type Row, type Transition } from '../rows';
import { flowOf, type ModelContent, type ModelOf } from './model';

/** What is chosen of a model, to make cases of. */
export type ModelChoice =
  /** Paths of a flow, as the places of their edges. */
  | { readonly of: 'paths'; readonly paths: readonly (readonly number[])[] }
  /** Rows of parameters: all of them become rows of one case. */
  | { readonly of: 'rows'; readonly rows: readonly Row[] }
  /** Rules of a decision table by name: a case each, or rows of one. */
  | { readonly of: 'rules'; readonly rules: readonly string[]; readonly as: 'cases' | 'rows' }
  /** Walks through a state table as the places of their transitions, and events that must change nothing. */
  | {
      readonly of: 'walks';
      readonly walks: readonly (readonly number[])[];
      readonly refused: readonly { readonly state: string; readonly event: string }[];
    };

/** A case as it would be made of a model. */
export interface CaseOfModel {
  /** The same for the same choice in whatever revision: what keeps it from being made twice. */
  readonly identity: string;
  readonly content: CaseContent;
  /** Changes when the case would be made otherwise. */
  readonly fingerprint: string;
}

const made = (identity: string, content: CaseContent): CaseOfModel => {
  const said = saidCase({ ...content, title: content.title.slice(0, 300) });
  return { identity, content: said, fingerprint: sha256Hex(canonicalJson(said as unknown as Json)) };
};

/** A name as it can stand in braces. */
const braced = (name: string): string =>
  name
    .trim()
    .replaceAll(/[^\w.]+/g, '_')
    .replace(/^(?=[\d.])/, '_');

const rowsOf = (rows: readonly Row[]): CaseRow[] => rows.map((row, i) => ({ name: `row ${i + 1}`, values: rowValues(row) }));

/**
 * The cases of a choice. What the model no longer has (a path that its guards forbid, a rule, a transition) is left out: the caller sees by
 * the number of answers.
 */
export function casesOfModel(content: ModelContent, choice: ModelChoice): CaseOfModel[] {
  if (content.kind === 'flow' && choice.of === 'paths') return casesOfPaths(content, choice.paths);
  if (content.kind === 'parameters' && choice.of === 'rows') return [caseOfRows(content, choice.rows)];
  if (content.kind === 'decisionTable' && choice.of === 'rules') return casesOfRules(content, choice);
  if (content.kind === 'stateTable' && choice.of === 'walks') return casesOfWalks(content, choice);
  return [];
}

function casesOfPaths(content: ModelOf<'flow'>, paths: readonly (readonly number[])[]): CaseOfModel[] {
  const graph = graphOf(flowOf(content));
  const edges = graph.flow.edges.length;
  const space = new InputSpace(
    graph.flow.variables,
    graph.flow.edges.map((edge) => edge.guard),
  );
  return paths.flatMap((path) => {
    const whole =
      path.length > 0 &&
      path.every((e, i) => e < edges && (i === 0 ? graph.from[e] === graph.start : graph.from[e] === graph.to[path[i - 1]]));
    const found = whole ? caseOfPath(graph, path, space) : undefined;
    if (!found) return [];
    const rows = Object.keys(found.row).length ? { rows: rowsOf([found.row]) } : {};
    return [made(found.identity, { ...found.content, ...rows })];
  });
}

/** The one case whose rows these are: it sets every parameter; what must be seen is its author’s to say. */
function caseOfRows({ title, body }: ModelOf<'parameters'>, rows: readonly Row[]): CaseOfModel {
  const set = body.parameters.map(({ name, unit }) => `${name} = {{${name}}}${unit ? ` ${unit}` : ''}`).join(', ');
  return made('rows', {
    ...emptyCase,
    title,
    objective: `Shows ${title} over ${rows.length} rows of data.`,
    steps: [{ action: `Set ${set}`, expected: '' }],
    rows: rowsOf(rows),
  });
}

function casesOfRules({ title, body }: ModelOf<'decisionTable'>, { rules, as }: Extract<ModelChoice, { of: 'rules' }>): CaseOfModel[] {
  const { conditions } = body;
  const chosen = ruleRows(body).filter(({ rule, row }) => row && rules.includes(rule.name));
  if (as === 'cases')
    return chosen.map(({ rule, row = [] }) =>
      made(`rule ${rule.name}`, {
        ...emptyCase,
        title: `${title}: ${rule.name}`,
        objective: `Shows rule ${rule.name} of ${title}.`,
        steps: [
          {
            action: `Set ${conditions.map(({ name }, c) => `${name} = ${row[c]}`).join(', ')}`,
            expected: rule.actions.filter(Boolean).join('\n'),
          },
        ],
      }),
    );
  const values = chosen.map(({ rule, row = [] }): CaseRow => ({
    name: rule.name,
    values: {
      ...Object.fromEntries(conditions.map(({ name }, c) => [braced(name), String(row[c])])),
      expected: rule.actions.filter(Boolean).join('; '),
    },
  }));
  return [
    made('rules', {
      ...emptyCase,
      title,
      objective: `Shows ${values.length} rules of ${title}.`,
      steps: [{ action: `Set ${conditions.map(({ name }) => `${name} = {{${braced(name)}}}`).join(', ')}`, expected: '{{expected}}' }],
      rows: values,
    }),
  ];
}

const went = ({ from, event, to, output }: Transition): CaseStep => ({
  action: `In ${from}: ${event}`,
  expected: [output, `The state is ${to}`].filter(Boolean).join('. '),
});

function casesOfWalks({ title, body }: ModelOf<'stateTable'>, { walks, refused }: Extract<ModelChoice, { of: 'walks' }>): CaseOfModel[] {
  const named = (walk: readonly Transition[]): string => walk.map((t) => `${t.from}[${t.event}]`).join(' > ');
  const begin = `The state is ${body.initial}.`;
  const invalid = invalidTransitions(body);
  return [
    ...walks.flatMap((places) => {
      const walk = places.flatMap((place) => body.transitions[place] ?? []);
      const whole =
        walk.length > 0 && walk.length === places.length && walk.every((t, i) => t.from === (i === 0 ? body.initial : walk[i - 1].to));
      if (!whole) return [];
      return made(named(walk), {
        ...emptyCase,
        title: `${title}: ${walk.map((t) => t.event).join(', ')}`,
        objective: `Shows ${walk.length} transitions of ${title}.`,
        preconditions: begin,
        steps: walk.map(went),
      });
    }),
    ...refused.flatMap(({ state, event }) => {
      const way = invalid.find((i) => i.state === state && i.event === event)?.way;
      if (!way) return [];
      return made(`${named(way)} ! ${state}[${event}]`, {
        ...emptyCase,
        title: `${title}: ${event} is refused in ${state}`,
        objective: `Shows that ${event} changes nothing in ${state}.`,
        preconditions: begin,
        steps: [...way.map(went), { action: `In ${state}: ${event}`, expected: `Nothing changes: the state is ${state}` }],
      });
    }),
  ];
}

/** A case that was made of the model before: which choice it was, how it came out then, and whether somebody changed it since. */
export interface MadeBefore {
  readonly identity: string;
  readonly fingerprint: string;
  readonly key: string;
  readonly edited: boolean;
  readonly retired: boolean;
}

/** What a choice means beside the cases that were made before. Every choice stands once: nothing is doubled. */
export interface MadePlan {
  readonly fresh: readonly CaseOfModel[];
  /** The same choice, which comes out otherwise than it did, or whose case was retired in between. */
  readonly changed: readonly { readonly now: CaseOfModel; readonly before: MadeBefore }[];
  readonly same: readonly MadeBefore[];
  /** Made before, and not in this choice. */
  readonly gone: readonly MadeBefore[];
}

export function planMade(before: readonly MadeBefore[], now: readonly CaseOfModel[]): MadePlan {
  const known = new Map(before.map((m) => [m.identity, m]));
  const wanted = new Map(now.map((m) => [m.identity, m]));
  const fresh: CaseOfModel[] = [];
  const same: MadeBefore[] = [];
  const changed: { now: CaseOfModel; before: MadeBefore }[] = [];
  for (const [identity, one] of wanted) {
    const old = known.get(identity);
    if (!old) fresh.push(one);
    else if (old.fingerprint === one.fingerprint && !old.retired) same.push(old);
    else changed.push({ now: one, before: old });
  }
  return { fresh, changed, same, gone: [...known.values()].filter((m) => !wanted.has(m.identity) && !m.retired) };
}
