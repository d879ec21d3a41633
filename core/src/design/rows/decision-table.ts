import type { RowValue } from './parameter';

/** A condition of a decision table with all values that it can have. */
export interface TableCondition {
  readonly name: string;
  readonly values: readonly RowValue[];
}

/** A rule: for each condition its value, or null where it does not matter; and what is then done. */
export interface TableRule {
  readonly name: string;
  readonly when: readonly (RowValue | null)[];
  readonly actions: readonly string[];
}

export interface DecisionTable {
  readonly conditions: readonly TableCondition[];
  readonly rules: readonly TableRule[];
}

export interface TableJudgement {
  /** Combinations for which no rule is given, each with a rule that would fill it; at most `gapLimit` of them. */
  readonly gaps: readonly (readonly RowValue[])[];
  readonly gapCount: number;
  /** Two rules that meet: saying the same, or contradicting each other; with a combination on which they do. */
  readonly overlaps: readonly {
    readonly rules: readonly [string, string];
    readonly contradict: boolean;
    readonly at: readonly RowValue[];
  }[];
  /** Rules whose values do not exist. */
  readonly strange: readonly { readonly rule: string; readonly condition: string; readonly value: RowValue }[];
  readonly combinations: number;
}

const gapLimit = 100;
/** More combinations are not looked through. */
const combinationLimit = 200_000;

const applies = (rule: TableRule, row: readonly RowValue[]): boolean => rule.when.every((value, i) => value === null || value === row[i]);

/** Every combination of the conditions’ values, the last one turning fastest. */
function* combinationsOf(conditions: readonly TableCondition[]): Generator<RowValue[]> {
  const total = conditions.reduce((n, c) => n * c.values.length, 1);
  for (let at = 0; at < Math.min(total, combinationLimit); at++) {
    let rest = at;
    const row: RowValue[] = [];
    for (const { values } of [...conditions].reverse()) {
      row.unshift(values[rest % values.length]);
      rest = Math.floor(rest / values.length);
    }
    yield row;
  }
}

/** Completeness, overlaps and contradictions (decision table testing, ISO/IEC/IEEE 29119-4, recalled). */
export function judgeTable({ conditions, rules }: DecisionTable): TableJudgement {
  const gaps: RowValue[][] = [];
  let gapCount = 0;
  for (const row of combinationsOf(conditions)) {
    if (rules.some((rule) => applies(rule, row))) continue;
    gapCount++;
    if (gaps.length < gapLimit) gaps.push(row);
  }
  const same = (a: TableRule, b: TableRule): boolean => [...a.actions].sort().join('\n') === [...b.actions].sort().join('\n');
  const overlaps = rules.flatMap((a, i) =>
    rules.slice(i + 1).flatMap((b) => {
      if (!a.when.every((value, c) => value === null || b.when[c] === null || value === b.when[c])) return [];
      const at = conditions.map(({ values }, c) => a.when[c] ?? b.when[c] ?? values[0]);
      return [{ rules: [a.name, b.name] as const, contradict: !same(a, b), at }];
    }),
  );
  const strange = rules.flatMap((rule) =>
    rule.when.flatMap((value, c) =>
      value === null || conditions[c]?.values.includes(value) ? [] : [{ rule: rule.name, condition: conditions[c]?.name ?? '', value }],
    ),
  );
  return { gaps, gapCount, overlaps, strange, combinations: conditions.reduce((n, c) => n * c.values.length, 1) };
}

/** Rules that differ in one condition alone, over all its values, and say the same, become one in which it does not matter; again and again. */
export function collapseRules({ conditions, rules }: DecisionTable): TableRule[] {
  let list = [...rules];
  const said = (rule: TableRule): string => JSON.stringify([...rule.actions].sort());
  for (;;) {
    const merged = conditions.flatMap((condition, c) => {
      const groups = new Map<string, TableRule[]>();
      for (const rule of list) {
        if (rule.when[c] === null) continue;
        const id = `${said(rule)}${JSON.stringify(rule.when.map((value, i) => (i === c ? 0 : value)))}`;
        groups.set(id, [...(groups.get(id) ?? []), rule]);
      }
      return [...groups.values()]
        .filter((group) => condition.values.every((value) => group.some((rule) => rule.when[c] === value)))
        .map((group) => ({ c, group }));
    })[0];
    if (!merged) return list;
    const { c, group } = merged;
    const one: TableRule = {
      name: group.map((rule) => rule.name).join('+'),
      when: group[0].when.map((value, i) => (i === c ? null : value)),
      actions: group[0].actions,
    };
    const at = list.indexOf(group[0]);
    list = list.flatMap((rule, i) => (i === at ? [one] : group.includes(rule) ? [] : [rule]));
  }
}

/** One row of data a rule: the first combination that no rule before it takes; undefined where a rule can never be reached first. */
export function ruleRows({
  conditions,
  rules,
}: DecisionTable): { readonly rule: TableRule; readonly row: readonly RowValue[] | undefined }[] {
  return rules.map((rule, i) => {
    for (const row of combinationsOf(
      conditions.map((c, at) => ({ ...c, values: rule.when[at] === null ? c.values : [rule.when[at] as RowValue] })),
    ))
      if (!rules.slice(0, i).some((before) => applies(before, row))) return { rule, row };
    return { rule, row: undefined };
  });
}
