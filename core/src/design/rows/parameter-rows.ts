import { combine, type CombineOptions, type Factor, type Strength } from './combine';
import { boundaryRows, classRows, completeRow, type RowSet } from './single';
import { keeps, representative, type Constraint, type Parameter, type Row, type RowValue } from './parameter';

/** What rows made of parameters have to cover (techniques after ISO/IEC/IEEE 29119-4, recalled). */
export const rowCriteria = ['eachChoice', 'baseChoice', 'twoValue', 'threeValue', 'pairs', 'triples', 'quadruples', 'all'] as const;
export type RowCriterion = (typeof rowCriteria)[number];

/** One row as it was made, with what it is there for. */
export interface MadeRow {
  readonly row: Row;
  /** How many of what the criterion asks for it is the first to cover. */
  readonly adds: number;
  /** Some of them, in words. */
  readonly covers: readonly string[];
  /** Written by hand, and kept. */
  readonly given: boolean;
  /** Does it hold an invalid value, so that the refusal is what is expected? */
  readonly valid: boolean;
}
export interface MadeRows {
  readonly rows: readonly MadeRow[];
  readonly covered: number;
  readonly of: number;
  /** What no row can cover while the constraints are kept. */
  readonly impossible: readonly string[];
  readonly impossibleCount: number;
}

/** The values of a parameter that are combined: those that its valid classes name, and one from each range. */
export const factorOf = (parameter: Parameter): Factor => ({
  name: parameter.name,
  values: [...new Set(parameter.classes.filter((c) => c.valid).flatMap((c) => c.values ?? [representative(parameter, c)]))],
});

const strengths: Readonly<Partial<Record<RowCriterion, Strength>>> = {
  baseChoice: 'baseChoice',
  pairs: 2,
  triples: 3,
  quadruples: 4,
  all: 'all',
};
/** More rows than these are not made: they would be no test that anybody runs. */
export const mostRows = 5000;

/** More combinations than these are not looked through. */
const mostCombinations = 5_000_000;

/** How many combinations “all” would write down. */
export const combinationsOf = (parameters: readonly Parameter[]): number =>
  parameters.reduce((n, parameter) => n * Math.max(1, factorOf(parameter).values.length), 1);

const shownValue = (value: RowValue): string => String(value);

/**
 * Rows for a criterion, with what each adds. Given rows come first and stay as they are; the same seed gives the same rows. Single values are
 * covered one at a time where they are invalid; combinations are of valid values alone.
 */
export function rowsFor(
  parameters: readonly Parameter[],
  constraints: readonly Constraint[],
  criterion: RowCriterion,
  options: { readonly given?: readonly Row[]; readonly seed?: number; readonly base?: Row } = {},
): MadeRows {
  const given = options.given ?? [];
  if (criterion === 'eachChoice') return fromSet(classRows(parameters, constraints), given);
  if (criterion === 'twoValue' || criterion === 'threeValue') return fromSet(boundaryRows(parameters, criterion, constraints), given);
  const how: CombineOptions = {
    ...(constraints.length ? { constraints } : {}),
    ...(given.length ? { given } : {}),
    ...(options.seed === undefined ? {} : { seed: options.seed }),
    ...(options.base ? { base: options.base } : {}),
  };
  const factors = parameters.map(factorOf);
  const tooMany = combinationsAsked(factors, criterion);
  if (tooMany) return nothing(tooMany);
  // A contradiction must not be searched for row by row: no row keeps all constraints, or one does.
  if (constraints.length && !completeRow(parameters, constraints, {}))
    return nothing('No row was found that keeps all constraints: they contradict each other.');
  const { rows, covered, of, impossible } = combine(factors, strengths[criterion] as Strength, how);
  return {
    rows: rows.map(({ row, adds, covers, given: byHand }) => ({ row, adds, covers, given: byHand, valid: true })),
    covered,
    of,
    impossible: [],
    impossibleCount: impossible,
  };
}

const nothing = (why: string): MadeRows => ({ rows: [], covered: 0, of: 0, impossible: [why], impossibleCount: 1 });

/** Why these combinations are not looked through; nothing where they are few enough. */
function combinationsAsked(factors: readonly Factor[], criterion: RowCriterion): string | undefined {
  const sizes = factors.map((f) => f.values.length);
  const all = sizes.reduce((n, size) => n * Math.max(1, size), 1);
  if (criterion === 'all')
    return all > mostRows
      ? `That would be ${all.toLocaleString('en', { maximumSignificantDigits: 3 })} rows: at most ${mostRows} are made.`
      : undefined;
  const strength = strengths[criterion];
  if (typeof strength !== 'number') return undefined;
  // The sum over all sets of so many factors of the product of their sizes: elementary symmetric, by one pass.
  const sums = [1, ...Array.from({ length: strength }, () => 0)];
  for (const size of sizes) for (let t = strength; t > 0; t--) sums[t] += sums[t - 1] * size;
  return sums[strength] > mostCombinations
    ? `That are ${sums[strength].toLocaleString('en', { maximumSignificantDigits: 3 })} combinations: at most ${mostCombinations.toLocaleString('en')} are looked through.`
    : undefined;
}

function fromSet({ rows, covered, of, impossible }: RowSet, given: readonly Row[]): MadeRows {
  return {
    rows: [
      ...given.map((row) => ({ row, adds: 0, covers: ['written by hand'], given: true, valid: true })),
      ...rows.map(({ row, covers, valid }) => ({ row, adds: covers.length, covers, given: false, valid })),
    ],
    covered,
    of,
    impossible,
    impossibleCount: impossible.length,
  };
}

/** What share of what the criterion asks for is covered after each row, from 0 to 1. */
export function coverageCurve({ rows, of }: Pick<MadeRows, 'rows' | 'of'>): number[] {
  let sum = 0;
  return rows.map(({ adds }) => (of ? Math.min(1, (sum += adds) / of) : 1));
}

/** A row as a case holds it: every value as text. */
export const rowValues = (row: Row): Record<string, string> =>
  Object.fromEntries(Object.entries(row).map(([name, value]) => [name, shownValue(value)]));

/** A value of a case’s row as the parameter’s type has it; undefined where it has none such. */
export function typedValue({ type }: Parameter, text: string): RowValue | undefined {
  if (type === 'number') {
    const value = Number(text.trim().replace(',', '.'));
    return text.trim() && !Number.isNaN(value) ? value : undefined;
  }
  if (type === 'boolean') return /^(true|yes)$/i.test(text.trim()) ? true : /^(false|no)$/i.test(text.trim()) ? false : undefined;
  return text;
}

/**
 * How rows of a case no longer match the parameters that they were made of: a parameter without a column, a value in no class, a constraint that
 * is broken. Nothing where all match.
 */
export function rowMismatches(
  parameters: readonly Parameter[],
  constraints: readonly Constraint[],
  rows: readonly { readonly name: string; readonly values: Readonly<Record<string, string>> }[],
): string[] {
  const found: string[] = [];
  for (const { name } of parameters) if (rows.some((row) => row.values[name] === undefined)) found.push(`A row has no value for ${name}.`);
  for (const { name, values } of rows) {
    const row: Record<string, RowValue> = {};
    for (const parameter of parameters) {
      const text = values[parameter.name];
      if (text === undefined) continue;
      const value = typedValue(parameter, text);
      const inClass =
        value !== undefined &&
        parameter.classes.some((c) =>
          c.values
            ? c.values.includes(value)
            : typeof value === 'number'
              ? value >= (c.from ?? value) && value <= (c.to ?? value)
              : c.name === value,
        );
      // A neighbour of a boundary lies in no class, and is there for that.
      const edge = typeof value === 'number' && isEdge(parameter, value);
      if (value === undefined || (!inClass && !edge)) found.push(`Row ${name}: ${parameter.name} = ${text} is in no class.`);
      else row[parameter.name] = value;
    }
    constraints.forEach((constraint, i) => {
      if (keeps(constraint, row) === false) found.push(`Row ${name} breaks constraint ${i + 1}.`);
    });
  }
  return found;
}

function isEdge({ resolution = 1, classes }: Parameter, value: number): boolean {
  return classes.some((c) =>
    [c.from, c.to].some((edge) => edge !== undefined && Math.abs(Math.abs(value - edge) - resolution) < resolution * 1e-6),
  );
}
