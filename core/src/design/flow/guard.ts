export type FlowValue = string | number;

/** A typed input of a flow, with all values that it can have. */
export interface FlowVariable {
  readonly name: string;
  readonly unit?: string;
  readonly domain:
    | { readonly kind: 'values'; readonly values: readonly FlowValue[] }
    | { readonly kind: 'range'; readonly from: number; readonly to: number; readonly step: number };
}

export const comparisons = ['=', '!=', '<', '<=', '>', '>='] as const;
export interface Comparison {
  readonly variable: string;
  readonly is: (typeof comparisons)[number];
  readonly value: FlowValue;
}
/** All of these hold. */
export type Guard = readonly Comparison[];

export function allows({ is, value }: Comparison, given: FlowValue): boolean {
  switch (is) {
    case '=':
      return given === value;
    case '!=':
      return given !== value;
    case '<':
      return given < value;
    case '<=':
      return given <= value;
    case '>':
      return given > value;
    case '>=':
      return given >= value;
  }
}

/** A guard as it is written: `wind > 70 and mode = normal`. */
export const guardWords = (guard: Guard): string => guard.map(({ variable, is, value }) => `${variable} ${is} ${value}`).join(' and ');

/** A value as it is typed: a number where it is one. */
export const readFlowValue = (text: string): FlowValue => (/^-?\d+(\.\d+)?$/.test(text.trim()) ? Number(text) : text.trim());

/** Reads a guard; undefined where some part of it is no comparison. */
export function readGuard(text: string): Comparison[] | undefined {
  const single = text.replaceAll(/\s+/g, ' ').trim();
  const parts = single.split(' and ').map((part) => /^([\w.]+) ?(<=|>=|!=|=|<|>) ?(\S.*)$/.exec(part.trim()));
  if (parts.some((m) => !m)) return undefined;
  return parts.map((m) => ({
    variable: m?.[1] ?? '',
    is: comparisons.find((c) => c === m?.[2]) ?? '=',
    value: readFlowValue(m?.[3] ?? ''),
  }));
}

/** A value of a range without the dust of binary fractions. */
const tidy = (value: number): number => Number(value.toPrecision(12));

/**
 * Values of a variable that stand for all others: within the space between two of them no guard changes its mind. For a range these are
 * its ends and, around each number that a guard names, that number and its neighbours by one step.
 */
export function atomsOf({ name, domain }: FlowVariable, guard: Guard): FlowValue[] {
  if (domain.kind === 'values') return [...domain.values];
  const { from, to, step } = domain;
  const onGrid = (value: number): number => tidy(from + Math.round((value - from) / step) * step);
  const found = new Set<number>([from, onGrid(to) <= to ? onGrid(to) : tidy(onGrid(to) - step)]);
  for (const { variable, value } of guard) {
    if (variable !== name || typeof value !== 'number') continue;
    const below = tidy(from + Math.floor((value - from) / step) * step);
    for (const near of [below - step, below, below + step, below + 2 * step]) if (near >= from && near <= to) found.add(tidy(near));
  }
  return [...found].sort((a, b) => a - b);
}

/** What inputs a path still allows: for each variable the atoms left, as a mask. */
export class Inputs {
  private constructor(
    private readonly space: InputSpace,
    private readonly masks: readonly bigint[],
  ) {}

  static all(space: InputSpace): Inputs {
    return new Inputs(
      space,
      space.atoms.map((atoms) => (1n << BigInt(atoms.length)) - 1n),
    );
  }

  /** With a guard added; undefined where nothing is left. */
  with(guard: Guard | undefined): Inputs | undefined {
    if (!guard?.length) return this;
    const masks = [...this.masks];
    for (const comparison of guard) {
      const v = this.space.at.get(comparison.variable);
      if (v === undefined) continue;
      masks[v] &= this.space.maskOf(v, comparison);
      if (masks[v] === 0n) return undefined;
    }
    return new Inputs(this.space, masks);
  }

  /** The first value left for each variable. */
  values(): Record<string, FlowValue> {
    return Object.fromEntries(
      this.space.variables.map((variable, v) => [
        variable.name,
        this.space.atoms[v].find((_, i) => (this.masks[v] >> BigInt(i)) & 1n) ?? '',
      ]),
    );
  }

  get id(): string {
    return this.masks.join(',');
  }
}

/** The variables of a flow with their atoms over all its guards. */
export class InputSpace {
  readonly atoms: readonly (readonly FlowValue[])[];
  readonly at: ReadonlyMap<string, number>;
  private readonly known = new Map<string, bigint>();

  constructor(
    readonly variables: readonly FlowVariable[],
    guards: readonly (Guard | undefined)[],
  ) {
    const all = guards.flatMap((guard) => guard ?? []);
    this.atoms = variables.map((variable) => atomsOf(variable, all));
    this.at = new Map(variables.map((variable, i) => [variable.name, i]));
  }

  maskOf(v: number, comparison: Comparison): bigint {
    const id = `${v} ${comparison.is} ${typeof comparison.value} ${comparison.value}`;
    const before = this.known.get(id);
    if (before !== undefined) return before;
    const mask = this.atoms[v].reduce<bigint>((m, atom, i) => (allows(comparison, atom) ? m | (1n << BigInt(i)) : m), 0n);
    this.known.set(id, mask);
    return mask;
  }
}
