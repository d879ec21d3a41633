import type { CaseContent, CaseStep } from '../case';

/** What is looked for in cases, and what stands there instead. */
export interface Replacement {
  readonly find: string;
  readonly replace: string;
  /** Only where it is written so, in capitals and small letters. */
  readonly sameCase: boolean;
  /** Only whole words. */
  readonly wholeWords: boolean;
}

/** The pattern of a replacement; text is text, nothing in it has another meaning. */
function patternOf({ find, sameCase, wholeWords }: Replacement): RegExp {
  const body = find.replace(/[.*+?^${}()|[\]\\/-]/g, '\\$&');
  return new RegExp(wholeWords ? `(?<![\\p{L}\\p{N}_])${body}(?![\\p{L}\\p{N}_])` : body, `gu${sameCase ? '' : 'i'}`);
}

/**
 * A case with every finding in its texts replaced: title, objective, conditions, steps, what is bound to calls, data rows; keys, units and numbers are none
 * of its texts. Undefined where nothing is found.
 */
export function replaceInCase(
  content: CaseContent,
  replacement: Replacement,
): { readonly content: CaseContent; readonly count: number } | undefined {
  if (!replacement.find) return undefined;
  const pattern = patternOf(replacement);
  let count = 0;
  const put = (text: string): string =>
    text.replace(pattern, () => {
      count++;
      return replacement.replace;
    });
  /** Within tags nothing is replaced; what the layout shows is what the text says. */
  const inLayout = (html: string): string => {
    const before = count;
    const after = html
      .split(/(<[^<>]*>)/)
      .map((part, i) => (i % 2 ? part : put(part)))
      .join('');
    // The layout repeats the text: its findings are counted there.
    count = before;
    return after;
  };
  const step = ({ layout, call, data, ...rest }: CaseStep): CaseStep => ({
    ...rest,
    action: put(rest.action),
    expected: put(rest.expected),
    ...(data === undefined ? {} : { data: put(data) }),
    ...(call ? { call: { ...call, with: Object.fromEntries(Object.entries(call.with).map(([name, value]) => [name, put(value)])) } } : {}),
    ...(layout ? { layout: { action: inLayout(layout.action ?? ''), expected: inLayout(layout.expected ?? '') } } : {}),
  });
  const after: CaseContent = {
    ...content,
    title: put(content.title),
    objective: put(content.objective),
    preconditions: put(content.preconditions),
    ...(content.postconditions === undefined ? {} : { postconditions: put(content.postconditions) }),
    steps: content.steps.map(step),
    ...(content.rows
      ? {
          rows: content.rows.map(({ name, values }) => ({
            name,
            values: Object.fromEntries(Object.entries(values).map(([of, value]) => [of, put(value)])),
          })),
        }
      : {}),
    ...(content.layout ? { layout: Object.fromEntries(Object.entries(content.layout).map(([name, html]) => [name, inLayout(html)])) } : {}),
  };
  return count ? { content: after, count } : undefined;
}
