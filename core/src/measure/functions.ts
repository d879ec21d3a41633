/** A function of a C source file as the code view and the traces need it: name, first and last line (1-based, inclusive), and the requirements its comment names. */
export interface SourceFunction {
  readonly name: string;
  readonly start: number;
  readonly end: number;
  readonly requirements: readonly string[];
}

const notFunctions = new Set(['if', 'for', 'while', 'switch', 'return', 'sizeof', 'else', 'do']);

/**
 * Finds the function definitions of a C or C++ source by its braces, and the `@req KEY[, KEY]` comments directly before
 * or inside each. Not a compiler: macros that hide braces hide functions, which then appear under no name and are never credited.
 */
export function sourceFunctions(source: string): SourceFunction[] {
  const { code, comments } = blankComments(source);
  const functions: SourceFunction[] = [];
  let depth = 0;
  let line = 1;
  let headStart = 0;
  let headLine = 1;
  let open: { name: string; start: number } | undefined;
  let lastEnd = 0;
  for (let i = 0; i < code.length; i++) {
    const c = code[i];
    if (c === '\n') line++;
    else if (c === '{') {
      if (depth === 0) {
        const head = code.slice(headStart, i);
        const name = /([A-Za-z_]\w*)\s*\([^;{}]*\)\s*(?:const|noexcept|\s)*$/.exec(head)?.[1];
        if (name && !notFunctions.has(name) && !/=\s*$/.test(head)) {
          const lead = /^\s*/.exec(head)?.[0] ?? '';
          open = { name, start: headLine + (lead.match(/\n/g)?.length ?? 0) };
        }
      }
      depth++;
    } else if (c === '}') {
      depth = Math.max(0, depth - 1);
      if (depth === 0) {
        if (open) {
          const { name, start } = open;
          const keys = comments
            .filter((comment) => comment.line > lastEnd && comment.line <= line)
            .flatMap((comment) => requirementKeys(comment.text));
          functions.push({ name, start, end: line, requirements: [...new Set(keys)] });
        }
        lastEnd = line;
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

function requirementKeys(comment: string): string[] {
  return [...comment.matchAll(/@req\s+([A-Z][A-Z0-9-]*-\d+(?:\s*,\s*[A-Z][A-Z0-9-]*-\d+)*)/g)].flatMap((m) => m[1].split(/\s*,\s*/));
}

/** The source with comments, strings and characters blanked (line breaks kept), and the comments with the line that each ends on. */
function blankComments(source: string): { code: string; comments: { line: number; text: string }[] } {
  const comments: { line: number; text: string }[] = [];
  let line = 1;
  let counted = 0;
  const code = source.replace(/\/\*[\s\S]*?\*\/|\/\/[^\n]*|"(?:\\.|[^"\\\n])*"|'(?:\\.|[^'\\\n])*'/g, (match, offset: number) => {
    const text = String(match);
    if (text.startsWith('/')) {
      const end = offset + text.length;
      for (; counted < end; counted++) if (source.charCodeAt(counted) === 10) line++;
      comments.push({ line, text });
    }
    return text.replace(/[^\n]/g, ' ');
  });
  return { code, comments };
}
