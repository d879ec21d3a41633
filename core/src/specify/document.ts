import { escapeHtml } from '../base';
import { detailsOf, type RequirementContent } from './requirement';

/** A heading, requirement or note as it goes into a document. */
export interface DocumentRow {
  readonly key: string;
  readonly under: string | null;
  readonly content: RequirementContent;
  readonly state: string;
  readonly revision: number;
  readonly own: Readonly<Record<string, string>>;
  readonly parents: readonly string[];
  readonly children: readonly string[];
  readonly cases: readonly string[];
  readonly history: readonly {
    readonly revision: number;
    readonly state: string;
    readonly by: string;
    readonly at: string;
    readonly reason: string;
  }[];
}

export interface DocumentOptions {
  readonly traces: boolean;
  readonly history: boolean;
}

export interface SpecificationDocument {
  readonly title: string;
  readonly project: string;
  readonly at: string;
  /** Stands below the title: what the document is for, and how far it is true. */
  readonly note?: string;
  /** In reading order. */
  readonly rows: readonly DocumentRow[];
}

/** How deep each row stands, and the number of each heading by its place: `1.2`. Keys never change; numbers follow the order. */
export function numberedRows<
  R extends { readonly key: string; readonly under: string | null; readonly content: Pick<RequirementContent, 'kind'> },
>(rows: readonly R[]): { readonly row: R; readonly depth: number; readonly number: string }[] {
  const places = new Map<string, { readonly depth: number; readonly number: string }>();
  const counts = new Map<string, number>();
  return rows.map((row) => {
    const above = row.under === null ? undefined : places.get(row.under);
    const depth = above ? above.depth + 1 : 0;
    let number = '';
    if (row.content.kind === 'heading') {
      const before = above?.number ?? '';
      const count = (counts.get(before) ?? 0) + 1;
      counts.set(before, count);
      number = before ? `${before}.${count}` : String(count);
    }
    // What stands below a requirement counts on with the heading above it.
    places.set(row.key, { depth, number: number || (above?.number ?? '') });
    return { row, depth, number };
  });
}

/** What is said of a requirement beside its text, line by line. */
export function factsOf(
  { content, state, revision, own, parents, children, cases }: DocumentRow,
  { traces }: Pick<DocumentOptions, 'traces'>,
): [string, string][] {
  if (content.kind !== 'requirement') return [];
  const { criteria, source, risk, priority, tags } = detailsOf(content);
  const facts: [string, string][] = [
    ['Level', content.level],
    ['Verification method', content.method],
    ['Rationale', content.rationale],
    ['Accepted when', criteria.map((text, i) => `${i + 1}. ${text}`).join('\n')],
    ['Source', source],
    ['Risk', risk],
    ['Priority', priority],
    ['Tags', tags.join(', ')],
    ['Not in code', content.notInCode ? content.notInCodeRationale || 'yes' : ''],
    ...Object.entries(own),
    ['State', `${state === 'review' ? 'in review' : state}, revision ${revision}`],
    ...(traces
      ? ([
          ['Comes from', parents.join(', ') || (content.topLevel ? 'top level' : content.derived ? 'derived' : 'nothing')],
          ['Derived from it', children.join(', ')],
          ['Verified by', cases.join(', ') || 'nothing'],
        ] as [string, string][])
      : []),
  ];
  return facts.filter(([, value]) => value !== '');
}

export const historyLine = ({ revision, state, by, at, reason }: DocumentRow['history'][number]): string =>
  `Revision ${revision}, ${state === 'review' ? 'in review' : state}, ${by}, ${at.slice(0, 10)}${reason ? `: ${reason}` : ''}`;

/** Text that Markdown takes for nothing but text. */
const plainMark = (text: string): string =>
  text.replace(/([\\`*_{}[\]<>#|~])/g, '\\$1').replace(/^([ \t]{0,20})([-+]|\d{1,9}\.)(?=\s)/gm, '$1\\$2');

/** The document in Markdown: headings by depth, requirements with their key, facts as a list. */
export function* documentMarkdown(
  { title, project, at, note = '', rows }: SpecificationDocument,
  options: DocumentOptions,
): Generator<string> {
  yield `# ${plainMark(title)}\n\n${plainMark(project)}, ${at.slice(0, 10)}\n`;
  if (note) yield `\n${plainMark(note)}\n`;
  for (const { row, depth, number } of numberedRows(rows)) {
    const { kind, title: name, text } = row.content;
    const level = '#'.repeat(Math.min(6, depth + 2));
    yield kind === 'heading'
      ? `\n${level} ${number} ${plainMark(name)}\n`
      : kind === 'note'
        ? ''
        : `\n${level} ${row.key} ${plainMark(name)}\n`;
    if (text.trim()) yield `\n${plainMark(text).replace(/\n/g, '  \n')}\n`;
    const facts = factsOf(row, options);
    if (facts.length) yield `\n${facts.map(([label, value]) => `- **${label}:** ${plainMark(value).replace(/\n/g, '; ')}`).join('\n')}\n`;
    if (options.history && kind === 'requirement' && row.history.length)
      yield `\n${row.history.map((line) => `- *${plainMark(historyLine(line))}*`).join('\n')}\n`;
  }
}

const style = `body{font:16px/1.5 "Source Serif 4",Georgia,serif;color:#18222e;max-width:46rem;margin:3rem auto;padding:0 1rem}h1,h2,h3,h4,h5,h6{font-family:"Source Sans 3",sans-serif;line-height:1.25}article{margin:1.2rem 0}dl{display:grid;grid-template-columns:10rem 1fr;gap:.15rem 1rem;font:13px/1.4 "Source Sans 3",sans-serif;color:#5b6673;margin:.4rem 0}dd{margin:0;white-space:pre-line}.key{font-family:"Source Sans 3",sans-serif;font-weight:600;color:#0d5b66}.note{font-style:italic;color:#5b6673}table{border-collapse:collapse}td,th{border:1px solid #e2ddd1;padding:.2rem .5rem}img{max-width:100%}`;

/** The same as a page that needs nothing else; pictures are put in where they are given by their hashes. */
export function* documentHtml(
  { title, project, at, note = '', rows }: SpecificationDocument,
  options: DocumentOptions,
  pictures: ReadonlyMap<string, string>,
): Generator<string> {
  const laidOut = (html: string): string =>
    html.replace(/src="files\/([0-9a-f]{64})"/g, (whole, hash: string) => (pictures.has(hash) ? `src="${pictures.get(hash)}"` : whole));
  yield `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title><style>${style}</style></head><body><h1>${escapeHtml(title)}</h1><p>${escapeHtml(project)}, ${escapeHtml(at.slice(0, 10))}</p>${note && `<p>${escapeHtml(note)}</p>`}\n`;
  for (const { row, depth, number } of numberedRows(rows)) {
    const { kind, title: name, text, html } = row.content;
    const level = Math.min(6, depth + 2);
    const body = html
      ? laidOut(html)
      : text
        ? text
            .split('\n')
            .map((line) => `<p>${escapeHtml(line)}</p>`)
            .join('')
        : '';
    if (kind === 'heading') yield `<h${level} id="${row.key}">${number} ${escapeHtml(name)}</h${level}>${body}\n`;
    else if (kind === 'note') yield `<div class="note" id="${row.key}">${body}</div>\n`;
    else {
      const facts = factsOf(row, options);
      const list = facts.map(([label, value]) => `<dt>${escapeHtml(label)}</dt><dd>${escapeHtml(value)}</dd>`).join('');
      const past =
        options.history && row.history.length ? `<dt>History</dt><dd>${escapeHtml(row.history.map(historyLine).join('\n'))}</dd>` : '';
      yield `<article id="${row.key}"><h${level}><span class="key">${row.key}</span> ${escapeHtml(name)}</h${level}>${body}<dl>${list}${past}</dl></article>\n`;
    }
  }
  yield '</body></html>\n';
}
