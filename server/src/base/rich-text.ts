import { escapeText, plainText } from '@core/base';
import sanitizeHtml from 'sanitize-html';
import { Refusal } from './errors';
import { parseHere, parseWork, type Parse } from './parsing';

const options: sanitizeHtml.IOptions = {
  allowedTags: [
    'p',
    'br',
    'strong',
    'b',
    'em',
    'i',
    'u',
    's',
    'sub',
    'sup',
    'code',
    'pre',
    'blockquote',
    'ul',
    'ol',
    'li',
    'a',
    'img',
    'table',
    'thead',
    'tbody',
    'tr',
    'th',
    'td',
    'h3',
    'h4',
  ],
  allowedAttributes: { a: ['href'], img: ['src', 'alt'], th: ['colspan', 'rowspan', 'scope'], td: ['colspan', 'rowspan'] },
  allowedSchemes: ['https', 'http', 'mailto'],
  // A picture is a file of the record, named by its hash; nothing is fetched from elsewhere.
  exclusiveFilter: ({ tag, attribs }) => tag === 'img' && !/^files\/[0-9a-f]{64}$/.test(attribs['src'] ?? ''),
  allowedSchemesAppliedToAttributes: ['href'],
  disallowedTagsMode: 'discard',
};

const mostTags = 3000;

/** Plain text as paragraphs: what is stored beside it where nobody laid it out. */
export function paragraphs(text: string): string {
  if (!text) return '';
  return text
    .split(/\n\n/)
    .map((part) => `<p>${escapeText(part).replaceAll('\n', '<br />')}</p>`)
    .join('');
}

/** The same in this thread, at once. */
export function cleanNow(html: string): string {
  // Elements that nest without end cost the square of their number.
  if (html.split('<').length > mostTags)
    throw new Refusal('invalid', { detail: `A text has at most ${mostTags.toLocaleString('en')} tags: this one has more.` });
  return sanitizeHtml(html, options).trim();
}

const cleaning = parseWork('rich text', cleanNow);

/**
 * What of somebody's HTML is kept: an allow-list of elements and attributes, no script, no style, no address but of the web and mail. Read where
 * the actor has things read.
 */
export const cleanHtml = ({ parse = parseHere }: { readonly parse?: Parse }, html: string): Promise<string> => cleaning(parse, html);

/** A text as it was written: plain, or laid out in HTML. */
export interface WrittenText {
  readonly text: string;
  readonly html?: string | undefined;
}

const longestText = 20_000;
/** Paragraphs and line breaks alone are lines of plain text. */
const plainLines = /^(?:<p>(?:[^<]|<br \/>)*<\/p>)*$/;

/** The same text, its layout cleaned and its words read from it; without layout where it has none but lines. */
export async function readWritten<T extends WrittenText>(
  actor: { readonly parse?: Parse },
  { html, ...written }: T,
): Promise<Omit<T, 'html'> & { html?: string }> {
  if (html === undefined) return written;
  const read = writtenFrom(await cleanHtml(actor, html));
  if (read.text.length > longestText)
    throw new Refusal('invalid', {
      fields: [{ path: 'text', text: `A text has at most ${longestText.toLocaleString('en')} letters: this one has more.` }],
    });
  return { ...written, ...read };
}

const writtenFrom = (clean: string): { text: string; html?: string } => ({
  text: plainText(clean),
  ...(clean && !plainLines.test(clean) ? { html: clean } : {}),
});

const readingMany = parseWork(
  'rich texts',
  (many: Readonly<Record<string, string>>): ReadonlyMap<string, { text: string; html?: string }> =>
    new Map(Object.entries(many).map(([name, html]) => [name, writtenFrom(cleanNow(html))])),
);

/** Many laid-out texts by their names, each cleaned, with its words. Whoever takes them looks at their length. */
export const readManyWritten = (
  { parse = parseHere }: { readonly parse?: Parse },
  many: Readonly<Record<string, string>>,
): Promise<ReadonlyMap<string, { text: string; html?: string }>> => readingMany(parse, many);

/** The hashes of the pictures in a text, in their order. */
export const picturesIn = (html = ''): string[] => [...html.matchAll(/files\/([0-9a-f]{64})/g)].map(([, hash]) => hash);
