import { decodeText, outlineOf, textBlocks, unpack, type DocumentBlock, type OutlineRow, type WordingLists } from '@core/specify';

const mostBytes = 20 * 1024 * 1024;
const mostUnpacked = 100 * 1024 * 1024;

/** What a document proposes, or why it cannot be read. */
export type ReadDocument = { readonly rows: readonly OutlineRow[] } | { readonly fault: string };

/** The blocks of a page: headings, paragraphs, items of lists and rows of tables, in reading order. Scripts and styles are none. */
export function htmlBlocks(html: string): DocumentBlock[] {
  const body = new DOMParser().parseFromString(html, 'text/html').body;
  body.querySelectorAll('script,style,noscript,template,head').forEach((element) => element.remove());
  const blocks: DocumentBlock[] = [];
  const words = (element: Element): string => (element.textContent ?? '').replace(/\s+/g, ' ').trim();
  const walk = (element: Element): void => {
    const heading = /^H([1-6])$/.exec(element.tagName);
    if (heading) blocks.push({ level: Number(heading[1]), text: words(element) });
    else if (element.tagName === 'TR') blocks.push({ level: 0, text: [...element.children].map(words).filter(Boolean).join('; ') });
    else if (!element.querySelector('h1,h2,h3,h4,h5,h6,p,li,tr,div,section,article,blockquote,pre'))
      blocks.push({ level: 0, text: words(element) });
    else
      for (const child of element.childNodes) {
        if (child instanceof Element) walk(child);
        else if (child.textContent?.trim()) blocks.push({ level: 0, text: child.textContent.replace(/\s+/g, ' ').trim() });
      }
  };
  walk(body);
  return blocks.filter(({ text }) => text);
}

/** The HTML of a word processor’s document; refused where it unpacks to more than a document can be. */
async function docxHtml(bytes: ArrayBuffer): Promise<string | undefined> {
  if (unpack(new Uint8Array(bytes), mostUnpacked, () => () => undefined) !== 'whole') return undefined;
  const { default: mammoth } = await import('mammoth');
  return (await mammoth.convertToHtml({ arrayBuffer: bytes })).value;
}

/** Reads a document: DOCX, HTML, Markdown or plain text. Nothing leaves this window before it was looked through. */
export async function readDocument(file: File, lists: Pick<WordingLists, 'binding'>): Promise<ReadDocument> {
  if (file.size > mostBytes) return { fault: `${file.name} is larger than 20 MiB. Nothing was read.` };
  const bytes = await file.arrayBuffer();
  try {
    if (/\.docx$/i.test(file.name)) {
      const html = await docxHtml(bytes);
      return html === undefined
        ? { fault: `${file.name} is no document that can be read, or unpacks to far more than one has. Nothing was read.` }
        : proposed(htmlBlocks(html), lists);
    }
    const decoded = decodeText(new Uint8Array(bytes));
    if (!decoded) return { fault: `${file.name} is neither a text nor a DOCX document.` };
    return await readText(
      decoded.text,
      /\.html?$/i.test(file.name) ? 'html' : /\.(md|markdown)$/i.test(file.name) ? 'markdown' : 'text',
      lists,
    );
  } catch {
    return { fault: `${file.name} cannot be read as what it should be. Nothing was read.` };
  }
}

/** The same for what was pasted. */
export async function readText(
  text: string,
  as: 'html' | 'markdown' | 'text',
  lists: Pick<WordingLists, 'binding'>,
): Promise<ReadDocument> {
  if (as === 'text') return proposed(textBlocks(text), lists);
  if (as === 'html') return proposed(htmlBlocks(text), lists);
  const { marked } = await import('marked');
  return proposed(htmlBlocks(await marked.parse(text)), lists);
}

const proposed = (blocks: readonly DocumentBlock[], lists: Pick<WordingLists, 'binding'>): ReadDocument => {
  const rows = outlineOf(blocks, lists);
  return rows.length ? { rows } : { fault: 'There is no text in it.' };
};
