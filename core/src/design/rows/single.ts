import { keeps, onGrid, representative, type Constraint, type Parameter, type Row, type RowValue, type ValueClass } from './parameter';

/** A row with what it is there for: the classes, boundaries or combinations that it is the first to cover. */
export interface DataRow {
  readonly row: Row;
  readonly covers: readonly string[];
  /** Has it an invalid value? Then the negative outcome is expected. */
  readonly valid: boolean;
}

export interface RowSet {
  readonly rows: readonly DataRow[];
  /** How much of what the technique asks for is covered. */
  readonly covered: number;
  readonly of: number;
  /** What no row can cover, the constraints kept. */
  readonly impossible: readonly string[];
}

/** Completes given values to a row that keeps the constraints, usual values first; undefined where there is none. */
export function completeRow(parameters: readonly Parameter[], constraints: readonly Constraint[], given: Row): Row | undefined {
  const names = parameters.map((p) => p.name).filter((name) => given[name] === undefined);
  const options = new Map(
    parameters.map((p) => [
      p.name,
      [...new Set(p.classes.filter((c) => c.valid).flatMap((c) => [representative(p, c), ...edgesOf(p, c)]))],
    ]),
  );
  const row: Record<string, RowValue | undefined> = { ...given };
  let steps = 0;
  const fill = (at: number): boolean => {
    if (constraints.some((c) => keeps(c, row) === false) || steps++ > 20_000) return false;
    if (at === names.length) return true;
    for (const value of options.get(names[at]) ?? []) {
      row[names[at]] = value;
      if (fill(at + 1)) return true;
    }
    row[names[at]] = undefined;
    return false;
  };
  return fill(0) ? (row as Row) : undefined;
}

const edgesOf = ({ resolution = 1 }: Parameter, c: ValueClass): RowValue[] =>
  c.values?.length
    ? [...c.values]
    : [c.from ?? 0, onGrid((c.from ?? 0) + resolution, resolution), c.to ?? 0].filter((v) => v >= (c.from ?? 0) && v <= (c.to ?? 0));

/** Rows for wanted single values, each with one value of interest and the rest valid; invalid values never together (one fault at a time). */
function rowsFor(
  parameters: readonly Parameter[],
  constraints: readonly Constraint[],
  wanted: readonly { readonly parameter: Parameter; readonly value: RowValue; readonly valid: boolean; readonly label: string }[],
): RowSet {
  const rows: DataRow[] = [];
  const impossible: string[] = [];
  const open = [...wanted];
  while (open.length) {
    const first = open.shift();
    if (!first) break;
    // Valid values of other parameters ride along where the constraints let them.
    let given: Row = { [first.parameter.name]: first.value };
    const covers = [first.label];
    if (!completeRow(parameters, constraints, given)) {
      impossible.push(first.label);
      continue;
    }
    if (first.valid)
      for (let i = 0; i < open.length;) {
        const next = open[i];
        const tried = { ...given, [next.parameter.name]: next.value };
        if (next.valid && given[next.parameter.name] === undefined && completeRow(parameters, constraints, tried)) {
          given = tried;
          covers.push(next.label);
          open.splice(i, 1);
        } else i++;
      }
    rows.push({ row: completeRow(parameters, constraints, given) ?? given, covers, valid: first.valid });
  }
  return { rows, covered: wanted.length - impossible.length, of: wanted.length, impossible };
}

/** Equivalence partitioning: every class of every parameter, valid ones together, invalid ones one at a time (29119-4, recalled). */
export function classRows(parameters: readonly Parameter[], constraints: readonly Constraint[] = []): RowSet {
  return rowsFor(
    parameters,
    constraints,
    parameters.flatMap((parameter) =>
      parameter.classes.map((c) => ({
        parameter,
        value: representative(parameter, c),
        valid: c.valid,
        label: `${parameter.name}: ${c.name}`,
      })),
    ),
  );
}

/**
 * Boundary values of the ranges of every number: two-value takes each boundary and its neighbour on the other side, three-value both
 * neighbours (29119-4, recalled), by the parameter’s resolution. A neighbour in no valid class is an invalid value.
 */
export function boundaryValues(
  parameter: Parameter,
  how: 'twoValue' | 'threeValue',
): { readonly value: number; readonly valid: boolean }[] {
  if (parameter.type !== 'number') return [];
  const { resolution = 1, classes } = parameter;
  const valid = (value: number): boolean =>
    classes.some(
      (c) => c.valid && (c.values?.includes(value) || (c.from !== undefined && c.to !== undefined && value >= c.from && value <= c.to)),
    );
  const found = new Set<number>();
  for (const { from, to, valid: inside } of classes) {
    if (from === undefined || to === undefined || !inside) continue;
    const step = (value: number, by: number): number => onGrid(value + by * resolution, resolution);
    for (const value of how === 'twoValue'
      ? [step(from, -1), from, to, step(to, 1)]
      : [step(from, -1), from, step(from, 1), step(to, -1), to, step(to, 1)])
      found.add(value);
  }
  return [...found].sort((a, b) => a - b).map((value) => ({ value, valid: valid(value) }));
}

export function boundaryRows(
  parameters: readonly Parameter[],
  how: 'twoValue' | 'threeValue',
  constraints: readonly Constraint[] = [],
): RowSet {
  return rowsFor(
    parameters,
    constraints,
    parameters.flatMap((parameter) =>
      boundaryValues(parameter, how).map(({ value, valid }) => ({ parameter, value, valid, label: `${parameter.name} = ${value}` })),
    ),
  );
}

/** Which rows break a constraint, by their place. */
export function brokenRows(rows: readonly Row[], constraints: readonly Constraint[]): number[] {
  return rows.flatMap((row, i) => (constraints.some((c) => keeps(c, row) === false) ? [i] : []));
}
