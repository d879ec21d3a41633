import type { Finding } from '../../base';
import { flowNodeKinds, type Flow, type FlowEdge, type FlowNode } from './flow';
import { comparisons, type Comparison, type FlowValue, type FlowVariable } from './guard';

type Loose = Readonly<Record<string, unknown>>;
const isLoose = (value: unknown): value is Loose => typeof value === 'object' && value !== null && !Array.isArray(value);
const text = (value: unknown): string => (typeof value === 'string' ? value : '');
const isValue = (value: unknown): value is FlowValue => typeof value === 'string' || (typeof value === 'number' && Number.isFinite(value));

export const writeFlow = (flow: Flow): string => `${JSON.stringify(flow, null, 2)}\n`;

/** Reads a flow from JSON. What has not the right shape is left out and told with its place; `flowFindings` judges the rest. */
export function readFlow(json: string): { readonly flow: Flow; readonly findings: readonly Finding[] } {
  const findings: Finding[] = [];
  const wrong = (cell: string, words: string): void => void findings.push({ severity: 'error', cell, text: words });
  let data: unknown;
  try {
    data = JSON.parse(json);
  } catch (error) {
    wrong('', error instanceof Error ? error.message : 'This is not JSON.');
  }
  if (data !== undefined && !isLoose(data)) wrong('', 'A flow is an object.');
  const root = isLoose(data) ? data : {};
  const list = <T>(name: string, read: (item: Loose, cell: string) => T | undefined): T[] => {
    const value = root[name];
    if (!Array.isArray(value)) {
      if (value !== undefined || name !== 'variables') wrong(name, `${name} is no list.`);
      return [];
    }
    return value.flatMap((item: unknown, i) => {
      const cell = `${name}[${i}]`;
      const made = isLoose(item) ? read(item, cell) : undefined;
      if (made === undefined) wrong(cell, 'This entry has not the right shape.');
      return made ?? [];
    });
  };
  const variables = list('variables', readVariable);
  const nodes = list('nodes', (item): FlowNode | undefined => {
    const kind = flowNodeKinds.find((known) => known === item['kind']);
    if (!kind || !text(item['id'])) return undefined;
    return {
      id: text(item['id']),
      kind,
      text: text(item['text']),
      ...(text(item['expected']) ? { expected: text(item['expected']) } : {}),
    };
  });
  const edges = list('edges', (item): FlowEdge | undefined => {
    const guard = item['guard'] === undefined ? undefined : readGuard(item['guard']);
    if (!text(item['from']) || !text(item['to']) || (item['guard'] !== undefined && !guard)) return undefined;
    return { from: text(item['from']), to: text(item['to']), label: text(item['label']), ...(guard ? { guard } : {}) };
  });
  return { flow: { title: text(root['title']), variables, nodes, edges }, findings };
}

function readVariable(item: Loose): FlowVariable | undefined {
  const domain = item['domain'];
  const name = text(item['name']);
  if (!name || !isLoose(domain)) return undefined;
  const unit = text(item['unit']) ? { unit: text(item['unit']) } : {};
  if (domain['kind'] === 'values' && Array.isArray(domain['values']) && domain['values'].every(isValue))
    return { name, ...unit, domain: { kind: 'values', values: domain['values'] } };
  const { from, to, step } = domain as { from?: unknown; to?: unknown; step?: unknown };
  if (domain['kind'] !== 'range' || ![from, to, step].every((n) => typeof n === 'number' && Number.isFinite(n))) return undefined;
  return { name, ...unit, domain: { kind: 'range', from: from as number, to: to as number, step: step as number } };
}

function readGuard(value: unknown): Comparison[] | undefined {
  if (!Array.isArray(value)) return undefined;
  const guard = value.map((item: unknown): Comparison | undefined => {
    if (!isLoose(item)) return undefined;
    const is = comparisons.find((known) => known === item['is']);
    return is && text(item['variable']) && isValue(item['value'])
      ? { variable: text(item['variable']), is, value: item['value'] }
      : undefined;
  });
  return guard.some((c) => !c) ? undefined : (guard as Comparison[]);
}
