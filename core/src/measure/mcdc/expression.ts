import type { Finding } from '../../base';
import { conditionLimit } from './vector';

/** A decision as a tree: its leaves are its conditions, each standing once, in the order of the text. */
export type Expression =
  | { readonly kind: 'condition'; readonly index: number }
  | { readonly kind: 'not'; readonly of: Expression }
  | { readonly kind: 'and' | 'or'; readonly left: Expression; readonly right: Expression; readonly shortCircuit: boolean }
  | { readonly kind: 'xor'; readonly left: Expression; readonly right: Expression };

/**
 * How the text is read. `c` (C and C++): `&& || !` and the words `and or not xor`, always short-circuit. `ada`: `and or xor not`
 * evaluate both sides, `and then` and `or else` do not; different ones side by side need parentheses. `plain`: the words or the
 * signs, binding `not`, `and`, `xor`, `or` in this order, both sides evaluated.
 */
export type DecisionLanguage = 'c' | 'ada' | 'plain';

/** The same input met twice: `same` where both are the same words, `opposite` where one is the other’s contrary (`x > 3`, `x <= 3`). */
export interface Coupling {
  readonly conditions: readonly number[];
  /** For each of them: has it the value of the first, or the contrary? */
  readonly opposite: readonly boolean[];
}

export interface DecisionText {
  readonly root: Expression;
  /** The words of each condition. */
  readonly conditions: readonly string[];
  /** Conditions that cannot vary by themselves. */
  readonly couplings: readonly Coupling[];
}

export interface ParsedDecision {
  readonly decision: DecisionText | null;
  readonly findings: readonly Finding[];
}

interface Token {
  readonly text: string;
  readonly at: number;
  readonly operator: 'and' | 'or' | 'xor' | 'not' | '(' | ')' | null;
  readonly lazy: boolean;
}

const textLimit = 20_000;
const depthLimit = 200;
const words: Readonly<Record<string, Token['operator']>> = { and: 'and', or: 'or', xor: 'xor', not: 'not' };

function tokenize(text: string, language: DecisionLanguage): Token[] {
  const tokens: Token[] = [];
  const scanner =
    /\s+|("(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*')|([A-Za-z_$][\w$]*)|(\d[\w.']*)|(&&|\|\||<=|>=|==|!=|\/=|<<|>>|->|::|:=|\*\*|.)/gsu;
  for (const match of text.matchAll(scanner)) {
    const token = match[0].trim();
    if (!token) continue;
    const at = (match.index ?? 0) + match[0].length - token.length + 1;
    const word = match[2] ? words[language === 'ada' ? token.toLowerCase() : token] : undefined;
    const previous = tokens.at(-1);
    if (language === 'ada' && /^(then|else)$/i.test(token) && (previous?.operator === 'and' || previous?.operator === 'or')) {
      tokens[tokens.length - 1] = { ...previous, lazy: true };
      continue;
    }
    const sign = ({ '&&': 'and', '||': 'or', '!': 'not', '(': '(', ')': ')' } as const)[token];
    tokens.push({ text: token, at, operator: word ?? sign ?? null, lazy: language === 'c' });
  }
  return tokens;
}

/** Reads a decision. What cannot be read is a finding with the column (`cell`) at which it stands; it never throws. */
export function parseDecision(text: string, language: DecisionLanguage = 'c'): ParsedDecision {
  const findings: Finding[] = [];
  const conditions: string[] = [];
  const fault = (at: number, words: string): undefined =>
    void (findings.length || findings.push({ severity: 'error', cell: String(at), text: words }));
  if (text.length > textLimit)
    return { decision: null, findings: [{ severity: 'error', cell: '1', text: 'The decision is longer than any that is read.' }] };
  const tokens = tokenize(text, language);

  /** Where the parenthesis that opens at `from` closes. */
  const closing = (from: number, to: number): number => {
    let depth = 0;
    for (let i = from; i < to; i++) {
      if (tokens[i].operator === '(') depth++;
      else if (tokens[i].operator === ')' && --depth === 0) return i;
    }
    return -1;
  };

  const leaf = (from: number, to: number): Expression => {
    conditions.push(
      tokens
        .slice(from, to)
        .map((t, i, all) => (i > 0 && /\w$/.test(all[i - 1].text) && /^\w/.test(t.text) ? ` ${t.text}` : t.text))
        .join(''),
    );
    return { kind: 'condition', index: conditions.length - 1 };
  };

  const parse = (from: number, to: number, depth: number): Expression | undefined => {
    if (depth > depthLimit) return fault(tokens[from]?.at ?? 1, 'The decision is nested too deeply.');
    if (from >= to) return fault(tokens[from]?.at ?? text.length + 1, 'A condition is missing here.');
    const found: Partial<Record<'and' | 'or' | 'xor', number>> = {};
    for (let i = from; i < to; i++) {
      const { operator, text: sign, at } = tokens[i];
      if (operator === '(') {
        const end = closing(i, to);
        if (end < 0) return fault(at, 'This parenthesis is never closed.');
        i = end;
      } else if (operator === ')') return fault(at, 'This parenthesis was never opened.');
      else if (sign === '?' || sign === ';' || sign === '{')
        return fault(at, `“${sign}” has no place in a decision of and, or, not and xor.`);
      else if (operator === 'and' || operator === 'or' || operator === 'xor') found[operator] = i;
    }
    if (language === 'ada' && Object.keys(found).length > 1)
      return fault(tokens[Math.max(...Object.values(found))].at, 'Ada wants parentheses where different operators meet.');
    for (const operator of ['or', 'xor', 'and'] as const) {
      const at = found[operator];
      if (at === undefined) continue;
      const left = parse(from, at, depth + 1);
      const right = left && parse(at + 1, to, depth + 1);
      if (!left || !right) return undefined;
      return operator === 'xor' ? { kind: 'xor', left, right } : { kind: operator, left, right, shortCircuit: tokens[at].lazy };
    }
    if (tokens[from].operator === '(' && closing(from, to) === to - 1) return parse(from + 1, to - 1, depth + 1);
    if (tokens[from].operator === 'not') {
      // `!x > 3` compares the negation; `not x > 3` in plain words negates the comparison.
      const wordy = tokens[from].text !== '!' && language === 'plain';
      const end = tokens[from + 1]?.operator === '(' ? closing(from + 1, to) + 1 : to;
      const compared = tokens.slice(from + 1, to).some((t) => /^([<>=]=?|[!/]=|[-+*/%&|^])$/.test(t.text) && t.operator === null);
      if (wordy || end === to ? wordy || tokens[from + 1]?.operator === '(' || !compared : false) {
        const of = parse(from + 1, to, depth + 1);
        return of && { kind: 'not', of };
      }
    }
    return leaf(from, to);
  };

  const root = parse(0, tokens.length, 0);
  if (root && conditions.length > conditionLimit)
    fault(1, `The decision has ${conditions.length} conditions; at most ${conditionLimit} are read.`);
  if (!root || findings.length) return { decision: null, findings };
  return { decision: { root, conditions, couplings: findCouplings(conditions) }, findings };
}

const contrary: Readonly<Record<string, string>> = {
  '<': '>=',
  '>=': '<',
  '>': '<=',
  '<=': '>',
  '==': '!=',
  '!=': '==',
  '=': '/=',
  '/=': '=',
};
const turned: Readonly<Record<string, string>> = { '<': '>', '>': '<', '<=': '>=', '>=': '<=' };

/** A comparison and all ways of writing it, the contrary ones marked; other conditions stand for themselves. */
function formsOf(condition: string): { readonly same: readonly string[]; readonly opposite: readonly string[] } {
  const text = condition.replace(/\s+/g, '');
  const m = /^([^<>=!/&|]+)(<=|>=|==|!=|\/=|<|>|=)([^<>=!/&|]+)$/.exec(text);
  if (!m) return { same: [text], opposite: [`!${text}`] };
  const [, left, sign, right] = m;
  const write = (operator: string): string[] => [`${left}${operator}${right}`, `${right}${turned[operator] ?? operator}${left}`];
  return { same: write(sign), opposite: write(contrary[sign]) };
}

function findCouplings(conditions: readonly string[]): Coupling[] {
  const groups: { conditions: number[]; opposite: boolean[]; forms: ReturnType<typeof formsOf> }[] = [];
  conditions.forEach((condition, i) => {
    const mine = condition.replace(/\s+/g, '');
    const group = groups.find(({ forms }) => forms.same.includes(mine) || forms.opposite.includes(mine));
    if (group) {
      group.conditions.push(i);
      group.opposite.push(group.forms.opposite.includes(mine));
    } else groups.push({ conditions: [i], opposite: [false], forms: formsOf(condition) });
  });
  return groups.filter((group) => group.conditions.length > 1).map(({ conditions: mine, opposite }) => ({ conditions: mine, opposite }));
}
