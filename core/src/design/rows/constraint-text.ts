import type { Finding } from '../../base';
import type { Condition, Constraint, Parameter, RowValue } from './parameter';

/** A constraint as it is read, or what is wrong with its line. */
export interface ConstraintsRead {
  readonly constraints: readonly Constraint[];
  /** `row` is the line, from 1; `cell` the word that is meant. */
  readonly findings: readonly Finding[];
}

type Token = { readonly kind: 'word' | 'quoted' | 'sign'; readonly text: string };
const signs = ['=>', '!=', '<=', '>=', '=', '<', '>', '(', ')', ','];

function tokensOf(line: string): Token[] {
  const tokens: Token[] = [];
  for (let at = 0; at < line.length;) {
    if (/\s/.test(line[at])) {
      at++;
      continue;
    }
    if (line[at] === '"') {
      const end = line.indexOf('"', at + 1);
      tokens.push({ kind: 'quoted', text: line.slice(at + 1, end < 0 ? line.length : end) });
      at = end < 0 ? line.length : end + 1;
      continue;
    }
    const sign = signs.find((text) => line.startsWith(text, at));
    if (sign) {
      tokens.push({ kind: 'sign', text: sign });
      at += sign.length;
      continue;
    }
    let end = at;
    while (end < line.length && !/[\s"=<>!(),]/.test(line[end])) end++;
    // A lone “!” is nothing known: it stands as a word, and is told.
    if (end === at) end++;
    tokens.push({ kind: 'word', text: line.slice(at, end) });
    at = end;
  }
  return tokens;
}

class Fault extends Error {
  constructor(
    readonly cell: string,
    message: string,
  ) {
    super(message);
  }
}

/** One line, read from its tokens. */
class Line {
  private at = 0;
  constructor(
    private readonly tokens: readonly Token[],
    private readonly parameters: ReadonlyMap<string, Parameter>,
  ) {}

  constraint(): Constraint {
    const first = this.conditions();
    if (!this.takeSign('=>')) {
      this.end();
      return { when: [], then: first };
    }
    const then = this.conditions();
    this.end();
    return { when: first, then };
  }

  private get next(): Token | undefined {
    return this.tokens[this.at];
  }
  private takeSign(text: string): boolean {
    if (this.next?.kind !== 'sign' || this.next.text !== text) return false;
    this.at++;
    return true;
  }
  private takeWord(text: string): boolean {
    if (this.next?.kind !== 'word' || this.next.text.toLowerCase() !== text) return false;
    this.at++;
    return true;
  }
  private end(): void {
    if (this.next) throw new Fault(this.next.text, `“${this.next.text}” cannot stand here.`);
  }

  private conditions(): Condition[] {
    const list = [this.condition()];
    while (this.takeWord('and')) list.push(this.condition());
    return list;
  }

  private condition(): Condition {
    const name = this.next;
    if (name?.kind !== 'word') throw new Fault(name?.text ?? '', name ? `“${name.text}” is no parameter.` : 'A parameter is missing here.');
    const parameter = this.parameters.get(name.text);
    if (!parameter) throw new Fault(name.text, `There is no parameter ${name.text}.`);
    this.at++;
    const negated = this.takeWord('not');
    if (negated || (this.next?.kind === 'word' && this.next.text.toLowerCase() === 'in')) {
      if (!this.takeWord('in')) throw new Fault(this.next?.text ?? '', 'Behind “not” stands “in”.');
      return { parameter: name.text, is: negated ? 'notIn' : 'in', values: this.values(parameter) };
    }
    const sign = this.next;
    if (sign?.kind !== 'sign' || !['=', '!=', '<', '<=', '>', '>='].includes(sign.text))
      throw new Fault(sign?.text ?? name.text, `Behind ${name.text} a comparison is missing: =, !=, <, <=, >, >=, in.`);
    this.at++;
    const value = this.value(parameter);
    if (sign.text === '=') return { parameter: name.text, is: 'in', values: [value] };
    if (sign.text === '!=') return { parameter: name.text, is: 'notIn', values: [value] };
    if (parameter.type !== 'number') throw new Fault(name.text, `${name.text} is no number: it is equal to something, or is not.`);
    return { parameter: name.text, is: sign.text as Condition['is'], values: [value] };
  }

  private values(parameter: Parameter): RowValue[] {
    if (!this.takeSign('(')) throw new Fault(this.next?.text ?? '', 'Behind “in” stands a list: in (a, b).');
    const list = [this.value(parameter)];
    while (this.takeSign(',')) list.push(this.value(parameter));
    if (!this.takeSign(')')) throw new Fault(this.next?.text ?? '', 'The list is not closed: ) is missing.');
    return list;
  }

  /** A value of a parameter: a number, yes or no, quoted, or words up to the next sign or “and”. */
  private value(parameter: Parameter): RowValue {
    const words: string[] = [];
    const quoted = this.next?.kind === 'quoted';
    while (this.next && this.next.kind !== 'sign' && !(this.next.kind === 'word' && this.next.text.toLowerCase() === 'and')) {
      words.push(this.next.text);
      this.at++;
      if (quoted) break;
    }
    const text = words.join(' ');
    if (!text && !quoted) throw new Fault(this.next?.text ?? parameter.name, `A value of ${parameter.name} is missing.`);
    return this.known(parameter, text);
  }

  private known({ name, type, classes }: Parameter, text: string): RowValue {
    if (type === 'number') {
      const value = Number(text.replace(',', '.'));
      if (!text || Number.isNaN(value)) throw new Fault(text, `“${text}” is no number, and ${name} is one.`);
      return value;
    }
    if (type === 'boolean') {
      const yes = /^(true|yes)$/i.test(text);
      if (!yes && !/^(false|no)$/i.test(text)) throw new Fault(text, `“${text}” is neither yes nor no.`);
      return yes;
    }
    const values = classes.flatMap((c) => c.values ?? [c.name]).map(String);
    if (values.length && !values.includes(text)) throw new Fault(text, `${name} has no value “${text}”.`);
    return text;
  }
}

/**
 * Constraints as text, one a line: `mode = MAINT => speed <= 3`, `door = open => drive = off and wind < 12`, `mode in (A, B)`. Lines
 * that are empty or begin with # say nothing. A line that cannot be read is left out and told.
 */
export function readConstraints(text: string, parameters: readonly Parameter[]): ConstraintsRead {
  const byName = new Map(parameters.map((p) => [p.name, p]));
  const constraints: Constraint[] = [];
  const findings: Finding[] = [];
  text.split(/\r?\n/).forEach((line, i) => {
    if (!line.trim() || line.trim().startsWith('#')) return;
    try {
      constraints.push(new Line(tokensOf(line), byName).constraint());
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      findings.push({ severity: 'error', row: i + 1, cell: error.cell, text: error.message });
    }
  });
  return { constraints, findings };
}

const valueWords = (value: RowValue): string =>
  typeof value === 'string' && !/^[\w.%°/-]+(?: [\w.%°/-]+)*$/.test(value)
    ? `"${value}"`
    : typeof value === 'boolean'
      ? value
        ? 'yes'
        : 'no'
      : String(value);
const conditionWords = ({ parameter, is, values }: Condition): string =>
  values.length === 1 && (is === 'in' || is === 'notIn')
    ? `${parameter} ${is === 'in' ? '=' : '!='} ${valueWords(values[0])}`
    : is === 'in' || is === 'notIn'
      ? `${parameter} ${is === 'in' ? 'in' : 'not in'} (${values.map(valueWords).join(', ')})`
      : `${parameter} ${is} ${valueWords(values[0])}`;

/** A constraint as it is written. */
export const constraintWords = ({ when, then }: Constraint): string =>
  `${when.length ? `${when.map(conditionWords).join(' and ')} => ` : ''}${then.map(conditionWords).join(' and ')}`;
