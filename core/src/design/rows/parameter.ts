import type { Finding } from '../../base';

export type RowValue = string | number | boolean;

/** A class of values that are to be treated alike (equivalence partitioning, ISO/IEC/IEEE 29119-4, recalled). */
export interface ValueClass {
  readonly name: string;
  readonly valid: boolean;
  /** Single values, or a range of numbers with both ends inside. */
  readonly values?: readonly RowValue[];
  readonly from?: number;
  readonly to?: number;
}

export interface Parameter {
  readonly name: string;
  readonly type: 'number' | 'text' | 'boolean';
  readonly unit?: string;
  /** The smallest step of a number that can be set or told apart. */
  readonly resolution?: number;
  readonly classes: readonly ValueClass[];
}

export interface Condition {
  readonly parameter: string;
  readonly is: 'in' | 'notIn' | '<' | '<=' | '>' | '>=';
  readonly values: readonly RowValue[];
}

/** Where all of `when` hold, all of `then` must. An empty `when` always holds. */
export interface Constraint {
  readonly when: readonly Condition[];
  readonly then: readonly Condition[];
}

/** One row: a value for each parameter. */
export type Row = Readonly<Record<string, RowValue>>;

/** A number on the grid of a resolution, without the dust of binary fractions. */
export const onGrid = (value: number, resolution: number): number => Number((Math.round(value / resolution) * resolution).toPrecision(12));

export function holds({ is, values }: Condition, value: RowValue): boolean {
  if (is === 'in') return values.includes(value);
  if (is === 'notIn') return !values.includes(value);
  const [limit] = values;
  if (typeof value !== 'number' || typeof limit !== 'number') return false;
  return is === '<' ? value < limit : is === '<=' ? value <= limit : is === '>' ? value > limit : value >= limit;
}

/** Does a row keep a constraint? Undefined while values that decide it are missing. */
export function keeps(constraint: Constraint, row: Readonly<Record<string, RowValue | undefined>>): boolean | undefined {
  const all = (conditions: readonly Condition[]): boolean | undefined => {
    let open = false;
    for (const condition of conditions) {
      const value = row[condition.parameter];
      if (value === undefined) open = true;
      else if (!holds(condition, value)) return false;
    }
    return open ? undefined : true;
  };
  const when = all(constraint.when);
  if (when === false) return true;
  const then = all(constraint.then);
  if (then === true) return true;
  return when === undefined || then === undefined ? undefined : false;
}

/** What is wrong with parameters and constraints, each with its place. */
export function parameterFindings(parameters: readonly Parameter[], constraints: readonly Constraint[] = []): Finding[] {
  const findings: Finding[] = [];
  const say = (cell: string, text: string): void => void findings.push({ severity: 'error', cell, text });
  const names = new Set<string>();
  for (const { name, type, classes, resolution } of parameters) {
    if (names.has(name)) say(name, `There are two parameters named ${name}.`);
    names.add(name);
    if (!/^[A-Za-z_][\w.]*$/.test(name))
      say(name, `“${name}” is no name: letters, digits and _ only, so that {{${name}}} can stand in a step.`);
    if (!classes.some((c) => c.valid)) say(name, `${name} has no valid class.`);
    if (resolution !== undefined && !(resolution > 0)) say(name, `The resolution of ${name} is not above 0.`);
    const ranges = classes.filter((c) => c.from !== undefined && c.to !== undefined);
    for (const c of classes) {
      if (!c.values?.length && (c.from === undefined || c.to === undefined)) say(name, `The class ${c.name} of ${name} has no value.`);
      if (c.from !== undefined && c.to !== undefined && c.from > c.to) say(name, `The class ${c.name} of ${name} begins behind its end.`);
      if (type === 'number' && c.values?.some((v) => typeof v !== 'number'))
        say(name, `The class ${c.name} of ${name} has a value that is no number.`);
    }
    ranges.forEach((a, i) =>
      ranges.slice(i + 1).forEach((b) => {
        if ((a.from ?? 0) <= (b.to ?? 0) && (b.from ?? 0) <= (a.to ?? 0))
          say(name, `The classes ${a.name} and ${b.name} of ${name} overlap.`);
      }),
    );
  }
  constraints.forEach((constraint, i) => {
    for (const { parameter } of [...constraint.when, ...constraint.then])
      if (!names.has(parameter)) say(`constraint ${i + 1}`, `There is no parameter ${parameter}.`);
  });
  return findings;
}

/** A representative of a class: its first value, or the middle of its range on the parameter’s grid. */
export function representative({ resolution = 1, type }: Parameter, c: ValueClass): RowValue {
  if (c.values?.length) return c.values[0];
  const middle = ((c.from ?? 0) + (c.to ?? 0)) / 2;
  return type === 'number' ? Math.min(c.to ?? middle, Math.max(c.from ?? middle, onGrid(middle, resolution))) : String(c.name);
}
