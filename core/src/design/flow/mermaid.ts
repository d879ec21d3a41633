import type { Finding } from '../../base';
import type { Flow, FlowEdge, FlowNode, FlowNodeKind } from './flow';
import { readVariableLine, variableWords } from './edit';
import { guardWords, readGuard, type FlowVariable, type Guard } from './guard';

/*
 * Flows as Mermaid flowchart text, a general open notation. Shapes: `([ ])` start and end, `[ ]` action, `[/ /]` check, `{ }` decision.
 * `expect:` in a box begins what must be seen; `[wind > 70]` behind a label is a guard; variables stand in `%% variable` comments.
 */

const quote = (text: string): string => `"${text.replaceAll('"', '#quot;').replaceAll('\n', '<br/>')}"`;
const unquote = (text: string): string =>
  text
    .trim()
    .replace(/^"([\s\S]*)"$/, '$1')
    .replaceAll('#quot;', '"')
    .replace(/<br\s*\/?>/g, '\n')
    .trim();

const boxes: Readonly<Record<FlowNodeKind, readonly [string, string]>> = {
  start: ['([', '])'],
  end: ['([', '])'],
  action: ['[', ']'],
  check: ['[/', '/]'],
  decision: ['{', '}'],
};

const bracketed = (guard: Guard | undefined): string => (guard?.length ? ` [${guardWords(guard)}]` : '');

export function writeMermaid(flow: Flow): string {
  const lines = ['flowchart TD', `%% title ${flow.title}`];
  for (const variable of flow.variables) lines.push(`%% variable ${variableWords(variable)}`);
  for (const { id, kind, text, expected } of flow.nodes) {
    const [open, shut] = boxes[kind];
    lines.push(`  ${id}${open}${quote(expected ? `${text}\nexpect: ${expected}` : text)}${shut}`);
  }
  for (const { from, to, label, guard } of flow.edges) {
    const words = `${label}${bracketed(guard)}`.trim();
    lines.push(`  ${from} -->${words ? `|${quote(words)}|` : ''} ${to}`);
  }
  return `${lines.join('\n')}\n`;
}

/** What stands between an opening and a closing; brackets of theirs that are said several times over are taken off with them. */
function between(text: string, open: string, close: string, over = ''): string | undefined {
  if (!text.startsWith(open) || !text.endsWith(close) || text.length < open.length + close.length) return undefined;
  let [from, to] = [open.length, text.length - close.length];
  if (over) {
    while (from < to && text[from] === over[0]) from++;
    while (to > from && text[to - 1] === over[1]) to--;
  }
  return text.slice(from, to);
}

/** The shapes that a node's text may stand in, the longest opening first. */
const shapes: readonly (readonly [open: string, close: string, over: string, kind: FlowNodeKind | 'terminal'])[] = [
  ['([', '])', '', 'terminal'],
  ['((', '))', '()', 'terminal'],
  ['[/', '/]', '', 'check'],
  ['[/', '\\]', '', 'check'],
  ['{', '}', '{}', 'decision'],
  ['[', ']', '[]', 'action'],
  ['(', ')', '', 'action'],
];

interface Reading {
  readonly nodes: Map<string, { id: string; kind: FlowNodeKind | 'terminal'; text: string }>;
  readonly edges: FlowEdge[];
  readonly variables: FlowVariable[];
  readonly findings: Finding[];
}

/** Reads a flowchart. Lines that have no place in it (styles, classes, subgraphs) are passed over; what cannot be read is a finding with its line. */
export function readMermaid(text: string): { readonly flow: Flow; readonly findings: readonly Finding[] } {
  const reading: Reading = { nodes: new Map(), edges: [], variables: [], findings: [] };
  let title = '';
  text.split(/\r?\n/).forEach((raw, i) => {
    const line = raw.trim().replace(/;$/, '');
    const row = i + 1;
    const named = /^%% title (.+)$/.exec(line);
    const variable = /^%% variable (.+)$/.exec(line);
    if (named) title = named[1];
    else if (variable) readVariable(variable[1], row, reading);
    else if (
      !line ||
      line.startsWith('%%') ||
      /^(flowchart|graph|subgraph|end$|style|class|classDef|linkStyle|click|direction)\b/.test(line)
    )
      return;
    else readStatement(line, row, reading);
  });
  const into = new Set(reading.edges.map((edge) => edge.to));
  const nodes = [...reading.nodes.values()].map(({ id, kind, text: words }): FlowNode => {
    const [does, expected] = words.split(/\n?expect(?:ed)?:\s*/i);
    const given = kind === 'terminal' ? (into.has(id) ? 'end' : 'start') : kind;
    return { id, kind: given, text: does.trim(), ...(expected ? { expected: expected.trim() } : {}) };
  });
  return { flow: { title, variables: reading.variables, nodes, edges: reading.edges }, findings: reading.findings };
}

function readVariable(text: string, row: number, { variables, findings }: Reading): void {
  const variable = readVariableLine(text);
  if (variable) variables.push(variable);
  else findings.push({ severity: 'error', row, text: 'This variable cannot be read.' });
}

/** `a[Do] -->|yes| b{Is it?} --> c`: nodes and edges of one line. */
function readStatement(line: string, row: number, reading: Reading): void {
  let rest = line;
  let from = takeNode();
  if (from === undefined) return fault();
  while (rest) {
    const edge = /^\s*(?:--\s((?:(?!-->).)+)-->|==\s((?:(?!==>).)+)==>|-->|---|==>|-\.->)\s*(?:\|((?:"[^"]*"|[^"|])*)\|)?\s*/.exec(rest);
    if (!edge) return fault();
    rest = rest.slice(edge[0].length);
    const to = takeNode();
    if (to === undefined) return fault();
    const words = unquote((edge[3] ?? edge[1] ?? edge[2] ?? '').trim());
    const at = words.endsWith(']') ? words.indexOf('[', words.lastIndexOf('\n') + 1) : -1;
    const guard = at < 0 ? undefined : readGuard(words.slice(at + 1, -1));
    reading.edges.push({ from, to, label: guard ? words.slice(0, at).trimEnd() : words, ...(guard ? { guard } : {}) });
    from = to;
  }

  function takeNode(): string | undefined {
    const m = /^\s*([\w-]*\w)/.exec(rest);
    if (!m) return undefined;
    const id = m[1];
    rest = rest.slice(m[0].length);
    const shape = /^(\(\[.*?\]\)|\(\(.*?\)\)|\[\/.*?[/\\]\]|\{\{.*?\}\}|\{.*?\}|\[\[.*?\]\]|\[.*?\]|\(.*?\))(?=\s*($|-|=|\|))/.exec(rest);
    if (shape) {
      rest = rest.slice(shape[0].length);
      for (const [open, close, over, kind] of shapes) {
        const inner = between(shape[1], open, close, over);
        if (inner === undefined) continue;
        reading.nodes.set(id, { id, kind, text: unquote(inner) });
        break;
      }
    } else if (!reading.nodes.has(id)) reading.nodes.set(id, { id, kind: 'action', text: id });
    return id;
  }

  function fault(): void {
    reading.findings.push({ severity: 'error', row, text: `“${line.slice(0, 60)}” cannot be read.` });
  }
}
