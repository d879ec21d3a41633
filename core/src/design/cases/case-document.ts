import { escapeHtml } from '../../base';
import type { CaseContent, CaseStep } from '../case';
import type { FiledCase } from './case-file';

/** Cases as they are read outside. */
export interface CaseDocument {
  readonly title: string;
  readonly project: string;
  /** When it was made, ISO 8601. */
  readonly at: string;
  readonly cases: readonly FiledCase[];
}

export interface CaseDocumentOptions {
  /** With what each verifies. */
  readonly traces: boolean;
}

/** What stands above the texts of a case, each with its label; what says nothing is left out. */
export function caseFacts({ revision, state, folder, verifies, content }: FiledCase, { traces }: CaseDocumentOptions): [string, string][] {
  const { kind = '', priority = '', tags = [], dependsOn = [], plannedMinutes, script = '', arguments: given = '', samples } = content;
  const facts: [string, string][] = [
    ['Revision', `${revision}, ${state}`],
    ['Folder', folder],
    ['Kind', kind],
    ['Priority', priority],
    ['Tags', tags.join(', ')],
    ['Planned', plannedMinutes ? `${plannedMinutes} min` : ''],
    ['After', dependsOn.join(', ')],
    ['Script', [script, given].filter(Boolean).join(' ')],
    ['Samples', samples ? `reliability ${samples.reliability}, confidence ${samples.confidence}, failures ${samples.failures}` : ''],
    ...(traces ? ([['Verifies', verifies.join(', ')]] as [string, string][]) : []),
  ];
  return facts.filter(([, value]) => value);
}

export const caseTexts = ({ objective, preconditions, postconditions = '' }: CaseContent): [string, string][] =>
  (
    [
      ['Objective', objective],
      ['Preconditions', preconditions],
      ['Postconditions', postconditions],
    ] as [string, string][]
  ).filter(([, text]) => text);

/** A step in the cells of a table: what is done, with what, and what must be seen and read. */
export function stepCells({ action, expected, call, data, readings = [], evidence }: CaseStep): [string, string] {
  if (call) {
    const given = Object.entries(call.with).map(([name, value]) => `${name} = ${value}`);
    return [`All steps of ${call.key} revision ${call.revision}${given.length ? ` with ${given.join(', ')}` : ''}`, ''];
  }
  return [
    [action, ...(data ? [`Data: ${data}`] : [])].join('\n'),
    [
      expected,
      ...readings.map((r) => `Read ${r.name}${r.unit ? ` in ${r.unit}` : ''}: ${r.limits}`),
      ...(evidence ? [`To be shown by a ${evidence}.`] : []),
    ].join('\n'),
  ];
}

/** The columns of a case’s data rows. */
export const rowColumns = ({ rows = [] }: Pick<CaseContent, 'rows'>): string[] => [
  ...new Set(rows.flatMap((row) => Object.keys(row.values))),
];

const lines = (text: string): string => escapeHtml(text).replaceAll('\n', '<br>').replaceAll('&#10;', '<br>');

/** The document as a page that holds all of itself. */
export function* caseHtml({ title, project, at, cases }: CaseDocument, options: CaseDocumentOptions): Generator<string> {
  yield `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title><style>
body{font:15px/1.5 "Source Serif 4",Georgia,serif;color:#18222e;max-width:52rem;margin:2rem auto;padding:0 1rem}
h1,h2{font-weight:600;line-height:1.25}h2{margin-top:2.2rem}h2 span{color:#0d5b66}
table{border-collapse:collapse;width:100%;margin:.6rem 0}th,td{border:1px solid #e2ddd1;padding:.35rem .5rem;text-align:left;vertical-align:top}
th{font-size:.85em;color:#5b6673}dl{display:grid;grid-template-columns:8rem 1fr;gap:.15rem .8rem;margin:.4rem 0}dt{color:#5b6673}dd{margin:0}
</style></head><body><h1>${escapeHtml(title)}</h1><p>${escapeHtml(project)}, ${at.slice(0, 10)}, ${cases.length} ${cases.length === 1 ? 'case' : 'cases'}</p>`;
  for (const one of cases) {
    const { key, content } = one;
    yield `<h2 id="${escapeHtml(key)}"><span>${escapeHtml(key)}</span> ${escapeHtml(content.title)}</h2><dl>`;
    for (const [label, value] of caseFacts(one, options)) yield `<dt>${label}</dt><dd>${lines(value)}</dd>`;
    for (const [label, text] of caseTexts(content)) yield `<dt>${label}</dt><dd>${lines(text)}</dd>`;
    yield '</dl><table><thead><tr><th scope="col">Step</th><th scope="col">Action</th><th scope="col">Expected result</th></tr></thead><tbody>';
    for (const [i, step] of content.steps.entries()) {
      const [does, sees] = stepCells(step);
      yield `<tr><td>${i + 1}</td><td>${lines(does)}</td><td>${lines(sees)}</td></tr>`;
    }
    yield '</tbody></table>';
    if (!content.rows?.length) continue;
    const columns = rowColumns(content);
    yield `<table><thead><tr><th scope="col">Data row</th>${columns.map((name) => `<th scope="col">${escapeHtml(name)}</th>`).join('')}</tr></thead><tbody>`;
    for (const row of content.rows)
      yield `<tr><th scope="row">${escapeHtml(row.name)}</th>${columns.map((name) => `<td>${lines(row.values[name] ?? '')}</td>`).join('')}</tr>`;
    yield '</tbody></table>';
  }
  yield '</body></html>';
}

/** The published schema of a file of cases (JSON Schema, 2020-12). */
export const caseFileSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Verification cases',
  type: 'object',
  required: ['format', 'version', 'cases'],
  properties: {
    format: { const: 'cord-proof-cases' },
    version: { const: 1 },
    cases: {
      type: 'array',
      items: {
        type: 'object',
        required: ['key', 'content'],
        properties: {
          key: { type: 'string' },
          revision: { type: 'integer' },
          state: { type: 'string' },
          folder: { type: 'string', description: 'The path of its folder, names parted by " / ".' },
          verifies: { type: 'array', items: { type: 'string' } },
          content: {
            type: 'object',
            required: ['title', 'steps'],
            properties: {
              title: { type: 'string', maxLength: 300 },
              objective: { type: 'string' },
              preconditions: { type: 'string' },
              postconditions: { type: 'string' },
              plannedMinutes: { type: 'number', minimum: 0 },
              kind: { type: 'string' },
              priority: { type: 'string' },
              tags: { type: 'array', items: { type: 'string' } },
              addresses: { type: 'array', items: { type: 'string' } },
              dependsOn: { type: 'array', items: { type: 'string' } },
              script: { type: 'string' },
              arguments: { type: 'string' },
              samples: {
                type: ['object', 'null'],
                properties: {
                  confidence: { type: 'number', exclusiveMinimum: 0, exclusiveMaximum: 1 },
                  reliability: { type: 'number', exclusiveMinimum: 0, exclusiveMaximum: 1 },
                  failures: { type: 'integer', minimum: 0 },
                },
              },
              layout: { type: 'object', additionalProperties: { type: 'string' } },
              rows: {
                type: 'array',
                items: {
                  type: 'object',
                  properties: { name: { type: 'string' }, values: { type: 'object', additionalProperties: { type: 'string' } } },
                },
              },
              steps: {
                type: 'array',
                items: {
                  type: 'object',
                  properties: {
                    action: { type: 'string' },
                    expected: { type: 'string' },
                    data: { type: 'string' },
                    evidence: { enum: ['picture', 'file', 'reading'] },
                    verifies: { type: 'array', items: { type: 'string' } },
                    readings: {
                      type: 'array',
                      items: {
                        type: 'object',
                        properties: {
                          name: { type: 'string' },
                          unit: { type: 'string' },
                          resolution: { type: 'number', minimum: 0 },
                          limits: {
                            type: 'string',
                            description: 'As requirements state them: at most 120 ms; 3.0 to 5.0 bar; 70 km/h ± 2 %.',
                          },
                        },
                      },
                    },
                    call: {
                      type: 'object',
                      properties: {
                        key: { type: 'string' },
                        revision: { type: 'integer' },
                        with: { type: 'object', additionalProperties: { type: 'string' } },
                      },
                    },
                    layout: { type: 'object', additionalProperties: { type: 'string' } },
                  },
                },
              },
            },
          },
        },
      },
    },
  },
} as const;
