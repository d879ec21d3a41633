import { keyInText, type RecordRef } from '@core/base';

/** A text as it is stored: its words, and its layout where it has one. */
export interface WrittenText {
  readonly text: string;
  readonly html?: string;
}

/** The same as it was written: without layout where it has none but lines. */
export interface RichWritten {
  readonly text: string;
  readonly html: string | undefined;
}

const escaped = (text: string): string => text.replace(/[&<>]/g, (c) => `&#${c.charCodeAt(0)};`);

/** The layout of a text: its own, or a paragraph a line. */
export const layoutOf = ({ text, html }: WrittenText): string =>
  html ??
  text
    .split('\n')
    .map((line) => `<p>${escaped(line)}</p>`)
    .join('');

/** Has a layout nothing but lines? Then its words say it all. */
export const isPlain = (html: string): boolean => /^(?:<p>(?:[^<]|<br *\/?>)*<\/p>)*$/.test(html);

const parsed = (html: string): HTMLElement => new DOMParser().parseFromString(html, 'text/html').body;

/** The words of a layout: a line a block, as the server reads them. */
export function wordsOf(html: string): string {
  const body = parsed(html);
  for (const br of body.querySelectorAll('br')) br.replaceWith('\n');
  for (const block of body.querySelectorAll('p,li,tr,h3,h4,pre,blockquote')) block.append('\n');
  for (const cell of body.querySelectorAll('td,th')) cell.append('\t');
  return (body.textContent ?? '').trim();
}

/** The blocks of a layout, one after the other: together they are the layout. */
export const blocksOf = (html: string): string[] =>
  [...parsed(html).childNodes].map((node) => (node instanceof Element ? node.outerHTML : escaped(node.textContent ?? '')));

/** A text as it is stored: its layout only where it has more than lines. */
const writtenOf = (html: string): WrittenText => ({ text: wordsOf(html), ...(isPlain(html) ? {} : { html }) });

/**
 * The two parts of a text at the cursor in the editor that shows it; undefined where the cursor is not in it, or one part would be empty. A text with more layout
 * than lines is parted before the block in which the cursor stands.
 */
export function partedAt(editor: Element, of: WrittenText): readonly [WrittenText, WrittenText] | undefined {
  const chosen = document.getSelection();
  if (!chosen?.rangeCount || !editor.contains(chosen.anchorNode)) return undefined;
  const at = chosen.getRangeAt(0);
  const html = layoutOf(of);
  const part = (from: Range): string => {
    const box = document.createElement('div');
    box.append(from.cloneContents());
    return box.innerHTML;
  };
  const [before, after] = [document.createRange(), document.createRange()];
  before.setStart(editor, 0);
  before.setEnd(at.startContainer, at.startOffset);
  after.setStart(at.endContainer, at.endOffset);
  after.setEnd(editor, editor.childNodes.length);
  let parts = [part(before), part(after)];
  if (!isPlain(html)) {
    const block = [...editor.children].findIndex((child) => child.contains(at.startContainer));
    const blocks = blocksOf(html);
    parts = [blocks.slice(0, block).join(''), blocks.slice(block).join('')];
  }
  const [first, second] = parts.map(writtenOf);
  return first.text && second.text ? [first, second] : undefined;
}

const stored = /^files\/([0-9a-f]{64})$/;
const served = /\/api\/projects\/[^/]+\/pictures\/([0-9a-f]{64})$/;

/** Changes the addresses of pictures, and of links to files. */
function withFiles(html: string, change: (address: string) => string): string {
  if (!/<img|<a\b/.test(html)) return html;
  const body = parsed(html);
  for (const name of ['src', 'href'])
    for (const element of body.querySelectorAll(name === 'src' ? 'img' : 'a[href]'))
      element.setAttribute(name, change(element.getAttribute(name) ?? ''));
  return body.innerHTML;
}

export const pictureAddress = (project: string, sha256: string): string => `/api/projects/${project}/pictures/${sha256}`;

/** Pictures and files in a text are stored by their hash, and shown from where the server gives them. */
export const shownFiles = (html: string, project: string): string =>
  withFiles(html, (src) => src.replace(stored, (_, sha256: string) => pictureAddress(project, sha256)));
export const storedFiles = (html: string): string => withFiles(html, (src) => src.replace(served, 'files/$1'));

/** A layout with a file at its end: a picture is shown, anything else is linked by its name. */
export function withFileAtEnd(of: WrittenText, { name, mime, sha256 }: { name: string; mime: string; sha256: string }): string {
  const body = parsed(isPlain(layoutOf(of)) && !of.text ? '' : layoutOf(of));
  const paragraph = body.ownerDocument.createElement('p');
  const shown = body.ownerDocument.createElement(mime.startsWith('image/') ? 'img' : 'a');
  shown.setAttribute(shown.tagName === 'IMG' ? 'src' : 'href', `files/${sha256}`);
  if (shown.tagName === 'IMG') shown.setAttribute('alt', name.replace(/\.\w+$/, ''));
  else shown.textContent = name;
  paragraph.append(shown);
  body.append(paragraph);
  return body.innerHTML;
}

/** Replaces the keys of known records in an element's text by what `made` gives; code and links are left as they stand. */
export function replaceKeys(element: HTMLElement, known: readonly RecordRef[], made: (of: RecordRef) => HTMLElement): void {
  if (!known.length) return;
  const byKey = new Map(known.map((ref) => [ref.key, ref]));
  const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  const nodes: Text[] = [];
  for (let node = walker.nextNode(); node; node = walker.nextNode())
    if (!node.parentElement?.closest('a,code,pre')) nodes.push(node as Text);
  for (const node of nodes) {
    const pieces = node.data.split(keyInText);
    if (pieces.length === 1) continue;
    node.replaceWith(
      ...pieces.map((piece) => {
        const ref = byKey.get(piece);
        return ref ? made(ref) : piece;
      }),
    );
  }
}
