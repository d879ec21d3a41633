import { saidDetails, type RequirementContent, type RequirementDetails } from './requirement';

/** Columns of what a requirement has beside its text. */
export const detailFields = ['criteria', 'source', 'risk', 'priority', 'tags'] as const;
export type DetailField = (typeof detailFields)[number];

const limits = { source: 300, risk: 40, priority: 40 } as const;

/**
 * What a row says beside the text: criteria a line each, tags parted by commas or semicolons. Members without a column stay as they
 * are. Faults go to `fault`.
 */
export function readDetails(
  has: (field: DetailField) => boolean,
  raw: (field: DetailField) => string,
  old: RequirementContent | undefined,
  fault: (field: DetailField, text: string) => void,
): RequirementDetails {
  const list = (field: 'criteria' | 'tags', parts: RegExp, longest: number): readonly string[] => {
    if (!has(field)) return old?.[field] ?? [];
    const values = raw(field)
      .split(parts)
      .map((value) => value.trim())
      .filter(Boolean);
    const long = values.find((value) => value.length > longest);
    if (long !== undefined) fault(field, `“${long.slice(0, 40)} …” has ${long.length} letters; at most ${longest} are taken.`);
    return values;
  };
  const word = (field: 'source' | 'risk' | 'priority'): string => {
    const value = has(field) ? raw(field).trim() : (old?.[field] ?? '');
    if (value.length > limits[field]) fault(field, `It has ${value.length} letters; at most ${limits[field]} are taken.`);
    return value;
  };
  return saidDetails({
    criteria: list('criteria', /\r\n|\n|\r/, 2000),
    source: word('source'),
    risk: word('risk'),
    priority: word('priority'),
    tags: list('tags', /[;,]/, 40),
  });
}

/** The same as cells of a table, in the order of `detailFields`. */
/** The headings of a table of requirements that can be imported again; the project's own fields come behind. */
export const requirementColumns: readonly string[] = [
  'key',
  'kind',
  'under',
  'title',
  'text',
  'rationale',
  'level',
  'method',
  'parent',
  'top level',
  'derived',
  'not in code',
  'acceptance criteria',
  'source',
  'risk',
  'priority',
  'tags',
  'state',
  'revision',
];

/** A line of it. */
export const requirementCells = ({
  key,
  under,
  content,
  parents,
  state,
  revision,
}: {
  readonly key: string;
  readonly under: string | null;
  readonly content: RequirementContent;
  readonly parents: readonly string[];
  readonly state: string;
  readonly revision: number;
}): (string | number | null)[] => [
  key,
  content.kind,
  under,
  content.title,
  content.text,
  content.rationale,
  content.level,
  content.method,
  parents.join('; '),
  content.topLevel ? 'yes' : '',
  content.derived ? 'yes' : '',
  content.notInCode ? content.notInCodeRationale || 'yes' : '',
  ...detailCells(content),
  state,
  revision,
];

export const detailCells = ({ criteria = [], source = '', risk = '', priority = '', tags = [] }: RequirementDetails): string[] => [
  criteria.join('\n'),
  source,
  risk,
  priority,
  tags.join('; '),
];
