import { canonicalJson, type Json } from '@core/base';
import {
  classWords,
  guardWords,
  variableWords,
  type FlowEdge,
  type FlowNode,
  type FlowVariable,
  type ModelContent,
  type Parameter,
  type TableCondition,
  type TableRule,
  type Transition,
} from '@core/design';
import type { MergeField } from '../../base';

/** A list inside a body, compared item by item; or one value of it. */
interface Member {
  readonly name: string;
  readonly label: string;
  readonly list: boolean;
  readonly show: (item: never) => string;
}
const list = <T>(name: string, label: string, show: (item: T) => string): Member => ({ name, label, list: true, show });
const one = (name: string, label: string): Member => ({ name, label, list: false, show: (value: unknown) => String(value) });

const members: Readonly<Record<ModelContent['kind'], readonly Member[]>> = {
  flow: [
    list<FlowVariable>('variables', 'Inputs', variableWords),
    list<FlowNode>('nodes', 'Nodes', ({ kind, text, expected }) => `${kind}: ${text}${expected ? ` → ${expected}` : ''}`),
    list<FlowEdge>(
      'edges',
      'Outcomes',
      ({ from, to, label, guard }) => `${from} → ${to} ${label}${guard?.length ? ` when ${guardWords(guard)}` : ''}`,
    ),
  ],
  parameters: [
    list<Parameter>(
      'parameters',
      'Parameters',
      ({ name, unit, classes }) => `${name}${unit ? ` (${unit})` : ''}: ${classes.map(classWords).join('; ')}`,
    ),
    one('constraints', 'Constraints'),
    one('criterion', 'Criterion'),
    one('seed', 'Seed'),
    list('given', 'Rows that are kept', (row: object) => Object.values(row).join(', ')),
  ],
  decisionTable: [
    list<TableCondition>('conditions', 'Conditions', ({ name, values }) => `${name}: ${values.join(', ')}`),
    list<TableRule>(
      'rules',
      'Rules',
      ({ name, when, actions }) => `${name}: ${when.map((v) => v ?? '–').join(', ')} → ${actions.join('; ')}`,
    ),
  ],
  stateTable: [
    one('initial', 'Begins in'),
    list<string>('states', 'States', String),
    list<string>('events', 'Events', String),
    list<Transition>(
      'transitions',
      'Transitions',
      ({ from, event, to, output }) => `${from} –${event}→ ${to}${output ? `: ${output}` : ''}`,
    ),
  ],
};

const bodyOf = (content: ModelContent): Record<string, unknown> => content.body as unknown as Record<string, unknown>;

function passages({ name, list: isList }: Member, content: ModelContent): string[] {
  const value = bodyOf(content)[name];
  return isList ? (value as unknown[]).map((item) => canonicalJson(item as Json)) : [JSON.stringify(value)];
}

/** A model as two people left it, in parts that are chosen one by one. */
export function modelMerge(base: ModelContent, mine: ModelContent, theirs: ModelContent): MergeField[] {
  const text = (name: 'title' | 'description', label: string): MergeField => ({
    name,
    label,
    base: [base[name]],
    mine: [mine[name]],
    theirs: [theirs[name]],
  });
  return [
    text('title', 'Title'),
    text('description', 'What it is for'),
    ...members[mine.kind].map((member) => ({
      name: member.name,
      label: member.label,
      base: passages(member, base),
      mine: passages(member, mine),
      theirs: passages(member, theirs),
      show: (item: string) => member.show(JSON.parse(item) as never),
    })),
  ];
}

/** The model of what was chosen. */
export function mergedModel(mine: ModelContent, chosen: Readonly<Record<string, readonly string[]>>): ModelContent {
  const body = { ...bodyOf(mine) };
  for (const { name, list: isList } of members[mine.kind]) {
    const items = (chosen[name] ?? []).map((item) => JSON.parse(item) as unknown);
    body[name] = isList ? items : (items[0] ?? body[name]);
  }
  return {
    ...mine,
    title: chosen['title']?.join('') ?? mine.title,
    description: chosen['description']?.join('') ?? mine.description,
    body,
  } as unknown as ModelContent;
}
