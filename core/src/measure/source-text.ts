/** A source with comments, strings and characters blanked (line breaks kept), and the comments with the line that each ends on. */
export interface ScannedSource {
  readonly code: string;
  readonly comments: readonly { readonly line: number; readonly text: string }[];
}

/** Reads a C-like source once, from its first to its last character. A comment that is never closed goes to the end; a string ends with its line. */
export function scanSource(source: string): ScannedSource {
  const comments: { line: number; text: string }[] = [];
  const pieces: string[] = [];
  let line = 1;
  let plainFrom = 0;
  const blank = (from: number, to: number): void => {
    pieces.push(source.slice(plainFrom, from));
    // Looked through within its own bounds: what stands behind it is not looked through again and again.
    source
      .slice(from, to)
      .split('\n')
      .forEach((text, i) => pieces.push(i ? '\n' : '', ' '.repeat(text.length)));
    plainFrom = to;
  };
  for (let i = 0; i < source.length;) {
    const c = source[i];
    if (c === '\n') line++;
    if (c === '/' && source[i + 1] === '*') {
      const close = source.indexOf('*/', i + 2);
      const end = close < 0 ? source.length : close + 2;
      const text = source.slice(i, end);
      line += text.split('\n').length - 1;
      comments.push({ line, text });
      blank(i, end);
      i = end;
    } else if (c === '/' && source[i + 1] === '/') {
      const newline = source.indexOf('\n', i);
      const end = newline < 0 ? source.length : newline;
      comments.push({ line, text: source.slice(i, end) });
      blank(i, end);
      i = end;
    } else if (c === '"' || c === "'") {
      let end = i + 1;
      while (end < source.length && source[end] !== c && source[end] !== '\n') {
        if (source[end] === '\\' && source[end + 1] === '\n') line++;
        end += source[end] === '\\' ? 2 : 1;
      }
      if (source[end] === c) end++;
      end = Math.min(end, source.length);
      blank(i, end);
      i = end;
    } else i++;
  }
  pieces.push(source.slice(plainFrom));
  return { code: pieces.join(''), comments };
}

/** How many lines a source has, and on which of them any code stands: 1 for each line with some, from index 1 on. */
export function codeLines(source: string): { readonly lines: number; readonly hasCode: Uint8Array } {
  const { code, comments } = scanSource(source);
  const texts = code.split('\n');
  // Strings and characters are code as well, and were blanked: the plain text says where a line is not just blank.
  const plain = source.split('\n');
  const commented = new Set<number>();
  for (const { line, text } of comments) {
    const count = text.split('\n').length;
    for (let l = line - count + 1; l <= line; l++) commented.add(l);
  }
  const hasCode = new Uint8Array(texts.length + 1);
  texts.forEach((text, i) => {
    if (text.trim() !== '' || (!commented.has(i + 1) && plain[i].trim() !== '')) hasCode[i + 1] = 1;
  });
  const lines = source.endsWith('\n') ? texts.length - 1 : texts.length;
  return { lines, hasCode };
}
