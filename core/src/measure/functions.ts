import { isKey } from '../base';
import { scanSource } from './source-text';

/** A function of a C source file as the code view and the traces need it: name, first and last line (1-based, inclusive), and the requirements its comment names. */
export interface SourceFunction {
  readonly name: string;
  readonly start: number;
  readonly end: number;
  readonly requirements: readonly string[];
}

const notFunctions = new Set(['if', 'for', 'while', 'switch', 'return', 'sizeof', 'else', 'do']);
const letter = /[A-Za-z0-9_]/;

/**
 * Finds the function definitions of a C or C++ source by its braces, and the `@req KEY[, KEY]` comments directly before
 * or inside each. Not a compiler: macros that hide braces hide functions, which then appear under no name and are never credited. Time and
 * memory grow with the length of the text, whatever it holds.
 */
export function sourceFunctions(source: string): SourceFunction[] {
  const { code, comments } = scanSource(source);
  const functions: SourceFunction[] = [];
  let depth = 0;
  let line = 1;
  let headStart = 0;
  let headLine = 1;
  let open: { name: string; start: number } | undefined;
  let next = 0;
  for (let i = 0; i < code.length; i++) {
    const c = code[i];
    if (c === '\n') line++;
    else if (c === '{') {
      if (depth === 0) {
        const head = code.slice(headStart, i);
        const name = definedName(head);
        if (name && !notFunctions.has(name)) open = { name, start: headLine + blankLines(head) };
      }
      depth++;
    } else if (c === '}') {
      depth = Math.max(0, depth - 1);
      if (depth === 0) {
        const keys: string[] = [];
        for (; next < comments.length && comments[next].line <= line; next++) if (open) keys.push(...requirementKeys(comments[next].text));
        if (open) functions.push({ ...open, end: line, requirements: [...new Set(keys)] });
        open = undefined;
        headStart = i + 1;
        headLine = line;
      }
    } else if (depth === 0 && (c === ';' || c === '#')) {
      if (c === '#') {
        while (i + 1 < code.length && (code[i + 1] !== '\n' || code[i] === '\\')) if (code[++i] === '\n') line++;
      }
      headStart = i + 1;
      headLine = line;
    }
  }
  return functions;
}

/** Line breaks before the first character of a head. */
function blankLines(head: string): number {
  let lines = 0;
  for (let i = 0; i < head.length && head[i].trim() === ''; i++) if (head[i] === '\n') lines++;
  return lines;
}

/** The name that a head before a brace defines: what stands before its last pair of parentheses, qualifiers behind it left out. */
function definedName(head: string): string | undefined {
  let end = head.length;
  const blank = (): void => {
    while (end > 0 && head[end - 1].trim() === '') end--;
  };
  const word = (): string => {
    const to = end;
    while (end > 0 && letter.test(head[end - 1])) end--;
    return head.slice(end, to);
  };
  for (blank(); end > 0 && head[end - 1] !== ')'; blank()) {
    const qualifier = word();
    if (qualifier !== 'const' && qualifier !== 'noexcept' && qualifier !== 'override' && qualifier !== 'final') return undefined;
  }
  let depth = 0;
  for (; end > 0; end--) {
    const c = head[end - 1];
    if (c === ')') depth++;
    else if (c === '(' && --depth === 0) break;
    else if (c === '=') return undefined;
  }
  if (end === 0) return undefined;
  end--;
  blank();
  const name = word();
  return /^[A-Za-z_]/.test(name) ? name : undefined;
}

/** Keys behind each `@req` of a comment: separated by commas, to the first word that is none. */
function requirementKeys(comment: string): string[] {
  return comment
    .split('@req')
    .slice(1)
    .flatMap((rest) => {
      const keys: string[] = [];
      if (rest[0] !== ' ' && rest[0] !== '\t') return keys;
      for (const part of rest.slice(0, 2000).split(',')) {
        const word = part.trimStart().slice(0, 80);
        const stop = [...word].findIndex((c) => !/[A-Z0-9-]/.test(c));
        const key = stop < 0 ? word : word.slice(0, stop);
        if (!isKey(key)) break;
        keys.push(key);
        if (stop >= 0 && word.slice(stop).trim() !== '') break;
      }
      return keys;
    });
}
