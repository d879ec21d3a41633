import { envelope5, sha256Hex, canonicalJson, type Finding, type Json } from '../../base';
import { flowFindings, type Flow } from '../flow';
import {
  judgeTable,
  parameterFindings,
  readConstraints,
  stateFindings,
  unreachableStates,
  type DecisionTable,
  type Parameter,
  type Row,
  type RowCriterion,
  type StateTable,
} from '../rows';

/** Models that cases are made from (test models, ISO/IEC/IEEE 29119-4:2021, recalled): each a kind of record. */
export const modelKinds = ['flow', 'parameters', 'decisionTable', 'stateTable'] as const;
export type ModelKind = (typeof modelKinds)[number];

/** Parameters of a requirement, and how rows are made of them. */
export interface ParameterSheet {
  readonly parameters: readonly Parameter[];
  /** One a line, as `readConstraints` reads them. */
  readonly constraints: string;
  readonly criterion: RowCriterion;
  readonly seed: number;
  /** Rows that were written by hand. */
  readonly given: readonly Row[];
}

/** What each kind of model is made of. */
export interface ModelBodies {
  readonly flow: Omit<Flow, 'title'>;
  readonly parameters: ParameterSheet;
  readonly decisionTable: DecisionTable;
  readonly stateTable: StateTable;
}

/** What one revision of a model says. */
export type ModelContent = {
  readonly [K in ModelKind]: { readonly kind: K; readonly title: string; readonly description: string; readonly body: ModelBodies[K] };
}[ModelKind];
export type ModelOf<K extends ModelKind> = Extract<ModelContent, { readonly kind: K }>;

const emptyBodies: ModelBodies = {
  flow: {
    variables: [],
    nodes: [
      { id: 'start', kind: 'start', text: 'Begin' },
      { id: 'end', kind: 'end', text: 'End' },
    ],
    edges: [{ from: 'start', to: 'end', label: '' }],
  },
  parameters: { parameters: [], constraints: '', criterion: 'pairs', seed: 1, given: [] },
  decisionTable: { conditions: [], rules: [] },
  stateTable: { initial: '', states: [], events: [], transitions: [] },
};

/** A model that somebody begins with. */
export const emptyModel = (kind: ModelKind, title: string): ModelContent =>
  ({ kind, title, description: '', body: emptyBodies[kind] }) as ModelContent;

/** The flow of a model, by its title. */
export const flowOf = ({ title, body }: ModelOf<'flow'>): Flow => ({ title, ...body });

/** Frozen, format 5: the text that an approval of a model is bound to. */
export const modelText = (key: string, revision: number, { kind, title, description, body }: ModelContent): string =>
  envelope5(kind, key, revision, { title, description, body: body as unknown as Json });

/** A hash of what rows and cases depend on: the same wherever they would come out the same. */
export const modelPrint = ({ kind, body }: ModelContent): string => sha256Hex(canonicalJson({ kind, body: body as unknown as Json }));

/** What is wrong with a model, each with its place: a node, an outcome, a parameter, a rule, a state. Errors stand in the way of a review. */
export function modelFindings(content: ModelContent): Finding[] {
  const findings = content.title.trim() ? [] : [{ severity: 'error' as const, cell: 'title', text: 'It has no title.' }];
  return [...findings, ...bodyFindings(content)];
}

function bodyFindings(content: ModelContent): Finding[] {
  switch (content.kind) {
    case 'flow':
      return flowFindings(flowOf(content));
    case 'parameters': {
      const { parameters, constraints } = content.body;
      const read = readConstraints(constraints, parameters);
      const none = parameters.length ? [] : [error('', 'There is no parameter.')];
      return [...none, ...parameterFindings(parameters, read.constraints), ...read.findings];
    }
    case 'decisionTable':
      return tableFindings(content.body);
    case 'stateTable':
      return stateTableFindings(content.body);
  }
}

const error = (cell: string, text: string): Finding => ({ severity: 'error', cell, text });
const warning = (cell: string, text: string): Finding => ({ severity: 'warning', cell, text });

function tableFindings(table: DecisionTable): Finding[] {
  const { conditions, rules } = table;
  const found: Finding[] = [];
  if (!conditions.length) found.push(error('', 'There is no condition.'));
  for (const { name, values } of conditions) {
    if (!name.trim()) found.push(error(name, 'A condition has no name.'));
    if (values.length < 2)
      found.push(error(name, `The condition ${name} has ${values.length ? 'one value' : 'no value'}: it decides nothing.`));
    if (new Set(values).size < values.length) found.push(error(name, `The condition ${name} has a value twice.`));
  }
  const names = rules.map((rule) => rule.name);
  for (const [i, { name, actions }] of rules.entries()) {
    if (!name.trim()) found.push(error(name, `Rule ${i + 1} has no name.`));
    else if (names.indexOf(name) < i) found.push(error(name, `There are two rules named ${name}.`));
    if (!actions.some((action) => action.trim())) found.push(error(name, `Rule ${name} does nothing.`));
  }
  if (found.length) return found;
  const judged = judgeTable(table);
  const at = (row: readonly (string | number | boolean)[]): string => row.map((value, c) => `${conditions[c].name} = ${value}`).join(', ');
  for (const { rule, condition, value } of judged.strange) found.push(error(rule, `Rule ${rule}: ${condition} has no value ${value}.`));
  for (const {
    rules: [a, b],
    contradict,
    at: row,
  } of judged.overlaps)
    found.push(
      contradict
        ? error(b, `Rules ${a} and ${b} contradict each other where ${at(row)}.`)
        : warning(b, `Rules ${a} and ${b} both hold where ${at(row)}, and say the same.`),
    );
  if (judged.gapCount)
    found.push(error('', `${judged.gapCount} of ${judged.combinations} combinations have no rule; the first: ${at(judged.gaps[0])}.`));
  return found;
}

function stateTableFindings(table: StateTable): Finding[] {
  const found: Finding[] = stateFindings(table).map((text) => error('', text));
  for (const [list, what] of [
    [table.states, 'state'],
    [table.events, 'event'],
  ] as const)
    list.forEach((name, i) => {
      if (!name.trim()) found.push(error('', `A ${what} has no name.`));
      else if (list.indexOf(name) < i) found.push(error(name, `There are two ${what}s named ${name}.`));
    });
  if (!table.states.length) found.push(error('', 'There is no state.'));
  if (found.length) return found;
  for (const state of unreachableStates(table)) found.push(error(state, `${state} cannot be reached from ${table.initial}.`));
  for (const event of table.events)
    if (!table.transitions.some((t) => t.event === event)) found.push(error(event, `No state answers ${event}.`));
  for (const state of table.states)
    if (!table.transitions.some((t) => t.from === state)) found.push(warning(state, `Nothing leads out of ${state}.`));
  return found;
}
