import { type Finding } from '../../base';
import { saidCase, stepEvidence, type CaseContent, type CaseRow, type CaseStep, type StepReading } from '../case';

/** A case as files hold it, with its key and what it verifies. */
export interface FiledCase {
  readonly key: string;
  readonly revision: number;
  readonly state: string;
  readonly folder: string;
  readonly verifies: readonly string[];
  readonly content: CaseContent;
}

/** The name by which a file of cases says what it is. */
export const caseFileName = 'cord-proof-cases';

/** Cases as JSON, read back to the same by `readCaseFile`; its schema is published with the API (`caseFileSchema`). */
export const writeCaseFile = (cases: readonly FiledCase[]): string =>
  `${JSON.stringify({ format: caseFileName, version: 1, cases }, null, 1)}\n`;

type Loose = Readonly<Record<string, unknown>>;
const isLoose = (value: unknown): value is Loose => typeof value === 'object' && value !== null && !Array.isArray(value);
const text = (value: unknown): string => (typeof value === 'string' ? value : '');
const texts = (value: unknown): string[] => (Array.isArray(value) ? value.filter((v): v is string => typeof v === 'string') : []);
const count = (value: unknown): number => (typeof value === 'number' && Number.isFinite(value) && value >= 0 ? value : 0);
const values = (value: unknown): Record<string, string> =>
  isLoose(value) ? Object.fromEntries(Object.entries(value).flatMap(([name, v]) => (typeof v === 'string' ? [[name, v]] : []))) : {};

/** Reads a file of cases. What has not the right shape is told with its place (`cell`); such a case is left out. */
export function readCaseFile(json: string): { readonly cases: readonly FiledCase[]; readonly findings: readonly Finding[] } {
  const findings: Finding[] = [];
  const wrong = (cell: string, words: string): undefined => void findings.push({ severity: 'error', cell, text: words });
  let data: unknown;
  try {
    data = JSON.parse(json);
  } catch (error) {
    wrong('', error instanceof Error ? error.message : 'This is not JSON.');
  }
  const root = isLoose(data) ? data : {};
  if (data !== undefined && (root['format'] !== caseFileName || root['version'] !== 1 || !Array.isArray(root['cases'])))
    wrong('', `This is no file of cases: “format” is “${caseFileName}”, “version” is 1, “cases” is a list.`);
  const list = Array.isArray(root['cases']) ? (root['cases'] as unknown[]) : [];
  const cases = findings.length ? [] : list.flatMap((item, i) => readCase(item, `cases[${i}]`, wrong) ?? []);
  return { cases, findings };
}

function readCase(item: unknown, cell: string, wrong: (cell: string, words: string) => undefined): FiledCase | undefined {
  if (!isLoose(item) || !isLoose(item['content'])) return wrong(cell, 'A case has a content.');
  const c = item['content'];
  if (!text(c['title'])) return wrong(`${cell}.content.title`, 'It has no title.');
  if (!Array.isArray(c['steps'])) return wrong(`${cell}.content.steps`, 'steps is no list.');
  const steps = (c['steps'] as unknown[]).map(readStep);
  if (steps.some((step) => !step))
    return wrong(`${cell}.content.steps[${steps.findIndex((s) => !s)}]`, 'This step has not the right shape.');
  const samples = c['samples'];
  const layout = isLoose(c['layout']) ? (values(c['layout']) as CaseContent['layout']) : undefined;
  const rows = Array.isArray(c['rows'])
    ? (c['rows'] as unknown[]).flatMap((row): CaseRow[] =>
        isLoose(row) ? [{ name: text(row['name']), values: values(row['values']) }] : [],
      )
    : [];
  const content = saidCase({
    title: text(c['title']),
    objective: text(c['objective']),
    preconditions: text(c['preconditions']),
    steps: steps as CaseStep[],
    plannedMinutes: count(c['plannedMinutes']),
    rows,
    postconditions: text(c['postconditions']),
    kind: text(c['kind']),
    priority: text(c['priority']),
    tags: texts(c['tags']),
    addresses: texts(c['addresses']),
    dependsOn: texts(c['dependsOn']),
    script: text(c['script']),
    arguments: text(c['arguments']),
    samples: isLoose(samples)
      ? { confidence: count(samples['confidence']), reliability: count(samples['reliability']), failures: count(samples['failures']) }
      : null,
    ...(layout ? { layout } : {}),
  });
  return {
    key: text(item['key']),
    revision: count(item['revision']),
    state: text(item['state']),
    folder: text(item['folder']),
    verifies: texts(item['verifies']),
    content,
  };
}

function readStep(item: unknown): CaseStep | undefined {
  if (!isLoose(item)) return undefined;
  const call = item['call'];
  const readings = Array.isArray(item['readings'])
    ? (item['readings'] as unknown[]).flatMap((r): StepReading[] =>
        isLoose(r) ? [{ name: text(r['name']), unit: text(r['unit']), resolution: count(r['resolution']), limits: text(r['limits']) }] : [],
      )
    : [];
  const evidence = stepEvidence.find((name) => name === item['evidence']);
  const layout = isLoose(item['layout']) ? values(item['layout']) : {};
  return {
    action: text(item['action']),
    expected: text(item['expected']),
    ...(isLoose(call) ? { call: { key: text(call['key']), revision: count(call['revision']), with: values(call['with']) } } : {}),
    ...(text(item['data']) ? { data: text(item['data']) } : {}),
    ...(readings.length ? { readings } : {}),
    ...(evidence ? { evidence } : {}),
    ...(texts(item['verifies']).length ? { verifies: texts(item['verifies']) } : {}),
    ...(Object.keys(layout).length ? { layout } : {}),
  };
}
