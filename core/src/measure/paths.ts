/** How paths of a measurement become paths of the source tree, where tools see them differently. */
export interface PathMapping {
  /** A prefix that is taken off, and what stands in its place: `/build/agent7/` and ``. The first that fits is used. */
  readonly prefixes?: readonly { readonly from: string; readonly to: string }[];
  /** Are `Brake.c` and `brake.c` the same file? */
  readonly ignoreCase?: boolean;
}

/** Forward slashes, no `.` and no doubled separators, inner `..` resolved. */
export function plainPath(path: string): string {
  const parts: string[] = [];
  const text = path.replaceAll('\\', '/');
  for (const part of text.split('/')) {
    if (part === '..' && parts.length && parts.at(-1) !== '..') parts.pop();
    else if (part !== '.' && (part !== '' || !parts.length)) parts.push(part);
  }
  return parts.join('/');
}

/**
 * The known source file that a measured path means: equal, or the only one whose path it ends with, whole segments compared;
 * undefined where none or several fit.
 */
export function matchPath(measured: string, known: readonly string[], mapping: PathMapping = {}): string | undefined {
  const fold = (text: string): string => (mapping.ignoreCase ? text.toLowerCase() : text);
  let path = fold(plainPath(measured));
  const prefix = mapping.prefixes?.find(({ from }) => path.startsWith(fold(plainPath(from))));
  if (prefix) path = plainPath(fold(prefix.to) + path.slice(fold(plainPath(prefix.from)).length)).replace(/^\//, '');
  const exact = known.find((candidate) => fold(candidate) === path);
  if (exact) return exact;
  const matches = known.filter((candidate) => path.endsWith(`/${fold(candidate)}`) || fold(candidate).endsWith(`/${path}`));
  return matches.length === 1 ? matches[0] : undefined;
}

/** Does a name fit a pattern, in which `*` stands for anything and `?` for one character? Capitals and small letters are the same. Linear in both but for their product. */
export function fitsPattern(name: string, pattern: string): boolean {
  const [text, wanted] = [name.toLowerCase(), pattern.toLowerCase()];
  let [at, want] = [0, 0];
  let [star, from] = [-1, 0];
  while (at < text.length) {
    if (wanted[want] === '*') [star, from, want] = [want, at, want + 1];
    else if (wanted[want] === '?' || wanted[want] === text[at]) [at, want] = [at + 1, want + 1];
    else if (star >= 0) [at, want] = [(from += 1), star + 1];
    else return false;
  }
  while (wanted[want] === '*') want++;
  return want === wanted.length;
}

/**
 * Which case a test name means. Some writers allow only letters, digits and `_` in TN, so that `C_018` means C-018.
 * Exact keys win over rewritten ones.
 */
export function caseOfTestName(test: string, keys: ReadonlySet<string>): string | undefined {
  const name =
    test
      .replace(/\.(info|lcov)$/i, '')
      .split(/[\\/]/)
      .pop() ?? '';
  let bare = name;
  while (/\.(?:gcov|json|xml|txt|out|cov|tap|gz)$/i.test(bare)) bare = bare.slice(0, bare.lastIndexOf('.'));
  const exact = [name, bare, bare.replaceAll('_', '-'), bare.toUpperCase().replaceAll('_', '-')].find((key) => keys.has(key));
  return exact ?? onlyKeyIn(name, keys);
}

/** The one known key that stands in a name, whatever stands around it; undefined where none or several do. */
function onlyKeyIn(name: string, keys: ReadonlySet<string>): string | undefined {
  const words = name.toUpperCase().replaceAll('_', '-').slice(0, 400);
  const found = new Set<string>();
  for (const match of words.matchAll(/[A-Z]/g)) {
    if (match.index > 0 && /[A-Z0-9]/.test(words[match.index - 1])) continue;
    // The longest key that begins here and is not cut in the middle of a number.
    for (let end = Math.min(words.length, match.index + 60); end > match.index; end--) {
      const key = words.slice(match.index, end);
      if (!keys.has(key) || /[A-Z0-9]/.test(words[end] ?? '')) continue;
      found.add(key);
      break;
    }
  }
  return found.size === 1 ? [...found][0] : undefined;
}
