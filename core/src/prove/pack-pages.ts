import { knots } from '../base';
import type { Cord } from './cord';
import { knotWords, stateWords } from './drawing';
import { escapeHtml } from '../base';
import { reasonWords } from './reason';

/** One change of a record, as its history tells it. */
export interface PackChange {
  readonly revision: number;
  readonly state: string;
  readonly by: string;
  readonly at: string;
  readonly seq: number;
  readonly reason: string;
}
export interface PackApproval {
  readonly meaning: string;
  readonly revision: number;
  readonly printedName: string;
  readonly login: string;
  readonly at: string;
  readonly hash: string;
}
export interface PackLink {
  /** Relative to the folder of the page; null where the pack holds no such file. */
  readonly href: string | null;
  readonly words: string;
}
/** What stands on one requirement's or case's page. */
export interface PackPage {
  readonly key: string;
  readonly title: string;
  readonly facts: readonly (readonly [string, string])[];
  /** Name and words; the third is the words' layout, in clean HTML, with pictures where the pack has them. */
  readonly paragraphs: readonly (readonly [string, string, string?])[];
  readonly steps?: readonly { readonly action: string; readonly expected: string }[];
  readonly cord?: Cord;
  readonly links: readonly (readonly [string, readonly PackLink[]])[];
  readonly approvals: readonly PackApproval[];
  readonly history: readonly PackChange[];
}

const style =
  'body{font:15px/1.45 "Source Sans 3",sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#18222e}h1{font-size:1.5rem}h2{font-size:1.1rem;margin-top:1.6rem}table{border-collapse:collapse;width:100%}th,td{border-bottom:1px solid #e2ddd1;padding:.3rem .5rem;text-align:left;vertical-align:top}code{font:12px "Source Code Pro",monospace;word-break:break-all}p{white-space:pre-wrap}';

const table = (head: readonly string[], rows: readonly (readonly string[])[]): string =>
  rows.length
    ? `<table><thead><tr>${head.map((h) => `<th scope="col">${escapeHtml(h)}</th>`).join('')}</tr></thead><tbody>${rows
        .map((row) => `<tr>${row.map((cell) => `<td>${cell}</td>`).join('')}</tr>`)
        .join('\n')}</tbody></table>`
    : '<p>None.</p>';

const link = ({ href, words }: PackLink): string =>
  href === null ? escapeHtml(words) : `<a href="${escapeHtml(href)}">${escapeHtml(words)}</a>`;

/** A page that needs nothing else to be read: everything that proves one requirement, or all of one case. */
export function packPage(page: PackPage, pack: string): string {
  const { key, title, facts, paragraphs, steps, cord, links, approvals, history } = page;
  const parts = [
    `<h1>${escapeHtml(key)} · ${escapeHtml(title)}</h1>`,
    table(
      ['', ''],
      facts.map(([name, value]) => [escapeHtml(name), escapeHtml(value || '–')]),
    ),
    ...paragraphs.map(
      ([name, text, html]) => `<h2>${escapeHtml(name)}</h2>${html ? `<div>${html}</div>` : `<p>${escapeHtml(text || '–')}</p>`}`,
    ),
  ];
  if (steps)
    parts.push(
      '<h2>Steps</h2>',
      table(
        ['', 'Action', 'Expected'],
        steps.map((step, i) => [String(i + 1), escapeHtml(step.action), escapeHtml(step.expected)]),
      ),
    );
  if (cord)
    parts.push(
      '<h2>Cord on this build</h2>',
      table(
        ['Knot', 'State', 'Why'],
        knots.map((k) => [
          knotWords[k],
          stateWords[cord.knots[k].state],
          cord.knots[k].reasons.map((reason) => escapeHtml(reasonWords(reason))).join('<br>') || '–',
        ]),
      ),
    );
  for (const [name, list] of links)
    parts.push(
      `<h2>${escapeHtml(name)}</h2>`,
      list.length ? `<ul>${list.map((l) => `<li>${link(l)}</li>`).join('')}</ul>` : '<p>None.</p>',
    );
  parts.push(
    '<h2>Signatures</h2>',
    table(
      ['Meaning', 'Revision', 'Printed name', 'At', 'Hash'],
      approvals.map((a) => [
        escapeHtml(a.meaning),
        String(a.revision),
        `${escapeHtml(a.printedName)} (${escapeHtml(a.login)})`,
        escapeHtml(a.at),
        `<code>${escapeHtml(a.hash)}</code>`,
      ]),
    ),
    '<h2>History</h2>',
    table(
      ['Revision', 'State', 'By', 'At', 'Ledger entry', 'Reason'],
      history.map((c) => [
        String(c.revision),
        escapeHtml(c.state),
        escapeHtml(c.by),
        escapeHtml(c.at),
        String(c.seq),
        escapeHtml(c.reason || '–'),
      ]),
    ),
  );
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(`${key} · ${pack}`)}</title><style>${style}</style></head>
<body><p>${escapeHtml(pack)} · <a href="../index.html">contents</a></p>
${parts.join('\n')}
</body></html>
`;
}

/** The first page: what the pack is, and a line for every requirement and case. */
export function packIndex(
  pack: string,
  facts: readonly (readonly [string, string])[],
  lists: readonly (readonly [
    string,
    readonly { readonly href: string; readonly key: string; readonly title: string; readonly note: string }[],
  ])[],
): string {
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(pack)}</title><style>${style}</style></head>
<body><h1>${escapeHtml(pack)}</h1>
${table(
  ['', ''],
  facts.map(([name, value]) => [escapeHtml(name), escapeHtml(value)]),
)}
${lists
  .map(
    ([name, rows]) =>
      `<h2>${escapeHtml(name)}</h2>${table(
        ['Key', 'Title', ''],
        rows.map((row) => [link({ href: row.href, words: row.key }), escapeHtml(row.title), escapeHtml(row.note)]),
      )}`,
  )
  .join('\n')}
</body></html>
`;
}
