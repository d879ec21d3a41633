import { groupBy } from '../base';
import type { RunVerdict, StepVerdict } from './verdict';

/** A result as a program told it. */
export interface MachineResult {
  readonly group: string;
  readonly name: string;
  readonly verdict: 'passed' | 'failed' | 'skipped';
  readonly seconds: number | null;
  readonly message: string;
}

/** A rule of a project: results whose name matches belong to a case, or to one data row of it. `*` stands for anything. */
export interface ResultRule {
  readonly pattern: string;
  readonly caseKey: string;
  readonly row: string | null;
}

/** A case as results are matched to it. */
export interface MatchableCase {
  readonly key: string;
  readonly title: string;
  readonly rows: readonly string[];
}

/** Where a result belongs, and how that was found. */
export interface ResultMatch {
  readonly caseKey: string;
  readonly row: string | null;
  readonly by: 'rule' | 'keyInName' | 'keyInGroup' | 'title';
}

/** The whole name of a result, as rules are written for. */
export const resultName = ({ group, name }: Pick<MachineResult, 'group' | 'name'>): string => (group ? `${group} › ${name}` : name);

const keyPattern = /(?<![\w-])([A-Z][A-Z0-9]*-\d{1,9})(?![\w-])/g;

function ruleMatches(pattern: string, whole: string, name: string): boolean {
  const body = pattern
    .split('*')
    .map((part) => part.replace(/[.+?^${}()|[\]\\/-]/g, '\\$&'))
    .join('.*');
  const expression = new RegExp(`^${body}$`, 'u');
  return expression.test(whole) || expression.test(name);
}

/** A data row that is named beside the key: `row 2`, `[2]`, `(cold)`. */
function rowIn(text: string, rows: readonly string[]): string | null {
  const named = /(?:\brow\s+|\[|\()([^\])]{1,100}?)(?:\]|\)|$)/iu.exec(text)?.[1].trim();
  return named !== undefined && rows.includes(named) ? named : null;
}

/** To which case a result belongs: by a rule of the project, by a key in its name or its group, or by the title of a case. */
export function matchResult(
  result: Pick<MachineResult, 'group' | 'name'>,
  cases: ReadonlyMap<string, MatchableCase>,
  rules: readonly ResultRule[],
  titles: ReadonlyMap<string, MatchableCase> = titlesOf(cases),
): ResultMatch | undefined {
  const whole = resultName(result);
  // The newest rule wins: it corrects those before it.
  for (const { pattern, caseKey, row } of [...rules].reverse())
    if (cases.has(caseKey) && ruleMatches(pattern, whole, result.name)) return { caseKey, row, by: 'rule' };
  for (const [text, by] of [
    [result.name, 'keyInName'],
    [result.group, 'keyInGroup'],
  ] as const) {
    for (const [, key] of text.matchAll(keyPattern)) {
      const found = cases.get(key);
      if (found) return { caseKey: key, row: rowIn(text.slice(text.indexOf(key) + key.length), found.rows), by };
    }
  }
  const titled = titles.get(result.name.trim().toLowerCase());
  return titled && { caseKey: titled.key, row: null, by: 'title' };
}

/** Cases by their titles in small letters; a title that two cases have names neither. */
export function titlesOf(cases: ReadonlyMap<string, MatchableCase>): Map<string, MatchableCase> {
  const found = new Map<string, MatchableCase>();
  for (const list of groupBy([...cases.values()], ({ title }) => title.trim().toLowerCase()).values())
    if (list.length === 1) found.set(list[0].title.trim().toLowerCase(), list[0]);
  return found;
}

/** A run as it comes out of results: its steps are the results that belong to it. */
export interface MachineRun {
  readonly caseKey: string;
  readonly row: string | null;
  readonly steps: readonly { readonly at: number; readonly name: string; readonly verdict: StepVerdict; readonly message: string }[];
  readonly verdict: RunVerdict;
  readonly seconds: number;
}

/**
 * Results put together into runs, one for each case and data row that has any; `unmatched` are the places of those that belong nowhere. What was left
 * out says nothing of its case: it blocks the run where others of it ran, and is no run by itself.
 */
export function machineRuns(
  results: readonly MachineResult[],
  match: (result: MachineResult) => ResultMatch | undefined,
): { readonly runs: readonly MachineRun[]; readonly unmatched: readonly number[] } {
  const unmatched: number[] = [];
  const placed = results.flatMap((result, at) => {
    const found = match(result);
    if (!found) unmatched.push(at);
    return found ? [{ result, at, ...found }] : [];
  });
  const runs = [...groupBy(placed, ({ caseKey, row }) => `${caseKey}\n${row ?? ''}`).values()].flatMap((list): MachineRun[] => {
    if (list.every(({ result }) => result.verdict === 'skipped')) return [];
    const steps = list.map(({ result, at }) => ({
      at,
      name: resultName(result),
      verdict: ({ passed: 'pass', failed: 'fail', skipped: 'blocked' } as const)[result.verdict],
      message: result.message,
    }));
    const verdict = steps.some((s) => s.verdict === 'fail') ? 'failed' : steps.some((s) => s.verdict === 'blocked') ? 'blocked' : 'passed';
    return [
      {
        caseKey: list[0].caseKey,
        row: list[0].row,
        steps,
        verdict,
        seconds: list.reduce((sum, { result }) => sum + (result.seconds ?? 0), 0),
      },
    ];
  });
  return { runs, unmatched };
}

/** Is a run one that a program did? Its tester is then the program's own account. */
export const doneByProgram = (tester: string): boolean => tester.startsWith('program:');
