import { combine, keeps, readConstraints, type Constraint, type Parameter, type Row } from '../design';

/** What the product can be configured in: a rig, a temperature, a hardware variant, a language; with its values. */
export interface ConfigurationDimension {
  readonly name: string;
  readonly values: readonly string[];
}
/** The configurations of a project: its dimensions, and what excludes what, a line each: `rig = 2 => temperature != cold`. */
export interface ConfigurationPlan {
  readonly dimensions: readonly ConfigurationDimension[];
  readonly exclusions: string;
}
export const noConfigurations: ConfigurationPlan = { dimensions: [], exclusions: '' };

/** More configurations than these are no plan that anybody runs. */
export const mostConfigurations = 200;

const parameterOf = ({ name, values }: ConfigurationDimension): Parameter => ({
  name,
  type: 'text',
  classes: values.map((value) => ({ name: value, valid: true, values: [value] })),
});

/** How a value is written: of several words it speaks for itself (`cold chamber`), a single one needs its dimension (`rig 2`). */
const valueName = (dimension: string, value: string): string => (/\s/.test(value.trim()) ? value.trim() : `${dimension} ${value}`);

/** How a configuration is written wherever it is named: in the order of the dimensions. */
export const configurationName = ({ dimensions }: Pick<ConfigurationPlan, 'dimensions'>, row: Row): string =>
  dimensions.map(({ name }) => valueName(name, String(row[name]))).join(' · ');

/** What is wrong with a plan of configurations, each with its place: a dimension by its name, an exclusion by its line. */
export function configurationFindings({ dimensions, exclusions }: ConfigurationPlan): { readonly place: string; readonly text: string }[] {
  const found: { place: string; text: string }[] = [];
  const names = new Set<string>();
  for (const { name, values } of dimensions) {
    if (!/^[A-Za-z_][\w.]*$/.test(name)) found.push({ place: name, text: 'A dimension is named by letters, digits and _.' });
    if (names.has(name)) found.push({ place: name, text: `There are two dimensions ${name}.` });
    names.add(name);
    if (!values.length) found.push({ place: name, text: `${name} has no value.` });
    const written = new Set(values.map((value) => valueName(name, value)));
    if (written.size < values.length) found.push({ place: name, text: `${name} has a value twice.` });
  }
  const { findings } = readConstraints(exclusions, dimensions.map(parameterOf));
  for (const { row, text } of findings) found.push({ place: `line ${row}`, text });
  return found;
}

export type ConfigurationChoice = 'all' | 'pairs';

export interface Configurations {
  readonly names: readonly string[];
  /** How many that would be, where they are too many to be named. */
  readonly tooMany: number | undefined;
}

/** All configurations that no exclusion forbids, or the fewest found in which every two values that may meet do. */
export function configurationsOf(plan: ConfigurationPlan, choice: ConfigurationChoice): Configurations {
  const { dimensions } = plan;
  if (!dimensions.length || configurationFindings(plan).length) return { names: [], tooMany: undefined };
  const parameters = dimensions.map(parameterOf);
  const { constraints } = readConstraints(plan.exclusions, parameters);
  const count = dimensions.reduce((n, { values }) => n * values.length, 1);
  if (choice === 'all' && count > 20 * mostConfigurations) return { names: [], tooMany: count };
  const rows = choice === 'all' ? every(dimensions, constraints) : pairsOf(dimensions, constraints);
  if (rows.length > mostConfigurations) return { names: [], tooMany: rows.length };
  return { names: rows.map((row) => configurationName(plan, row)), tooMany: undefined };
}

function every(dimensions: readonly ConfigurationDimension[], constraints: readonly Constraint[]): Row[] {
  let rows: Row[] = [{}];
  for (const { name, values } of dimensions) rows = rows.flatMap((row) => values.map((value) => ({ ...row, [name]: value })));
  return rows.filter((row) => constraints.every((constraint) => keeps(constraint, row) !== false));
}

function pairsOf(dimensions: readonly ConfigurationDimension[], constraints: readonly Constraint[]): Row[] {
  if (dimensions.length === 1) return every(dimensions, constraints);
  const factors = dimensions.map(({ name, values }) => ({ name, values }));
  return combine(factors, 2, constraints.length ? { constraints } : {}).rows.map(({ row }) => row);
}
