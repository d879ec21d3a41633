import { escapeHtml, escapeText } from '../../base';

/** The elements of a laid-out text that are taken, and as what. */
const taken: Readonly<Record<string, string>> = {
  ...Object.fromEntries(
    'p strong b em i u s sub sup code pre blockquote ul ol li a table thead tbody tr th td h3 h4'.split(' ').map((tag) => [tag, tag]),
  ),
  div: 'p',
  h1: 'h3',
  h2: 'h3',
  h5: 'h4',
  h6: 'h4',
  del: 's',
  ins: 'u',
  tt: 'code',
};
const blocks = new Set('p pre blockquote ul ol li table thead tbody tr th td h3 h4'.split(' '));
/** Where words may stand. */
const holding = new Set('p pre blockquote li th td h3 h4'.split(' '));
const attributes: Readonly<Record<string, readonly string[]>> = {
  a: ['href'],
  th: ['colspan', 'rowspan', 'scope'],
  td: ['colspan', 'rowspan'],
};

/** A line that a file breaks goes on. */
function unbroken(words: string): string {
  const lines = words.split(/[\r\n]/);
  const last = lines.length - 1;
  return lines
    .map((line, i) => (i === last ? line : line.trimEnd()))
    .map((line, i) => (i === 0 ? line : line.trimStart()))
    .filter((line, i) => line || i === 0 || i === last)
    .join(' ');
}

interface Open {
  readonly name: string;
  /** As what it was written; nothing where only what stands in it counts. */
  readonly tag: string;
  /** Where its beginning was written. */
  readonly from: number;
}

const isPicture = ({ data = '', type = '' }: Readonly<Record<string, string>>): boolean =>
  data !== '' && (type.startsWith('image/') || /\.(png|jpe?g|gif|webp)$/i.test(data));

/** Where a picture of an archive stands in a layout, until it is known as what it is kept. */
const pictureAt = 'object:';

/**
 * The layout of a text in XHTML, element by element as a file is read: what a text here can hold, in HTML. It has none where there is nothing but
 * paragraphs and line breaks.
 */
export class Layout {
  private html = '';
  private readonly open: Open[] = [];
  private laidOut = false;
  /** The picture that is being read, with what stands for it; objects in it are other forms of the same. */
  private picture: { readonly name: string; readonly shows: boolean; alt: string; depth: number } | undefined;
  readonly pictures: string[] = [];

  begin(name: string, given: Readonly<Record<string, string>>): void {
    if (this.picture) {
      this.picture.depth++;
      // The form that can be shown, of those that a file offers.
      if (name === 'object' && isPicture(given) && !this.picture.shows)
        this.picture = { ...this.picture, name: given['data'], shows: true };
      return;
    }
    if (name === 'object' && given['data']) {
      this.picture = { name: given['data'], shows: isPicture(given), alt: '', depth: 0 };
      return;
    }
    if (name === 'br') return void (this.html += '<br />');
    const tag = taken[name] ?? '';
    if (blocks.has(tag)) this.leaveParagraph();
    const inside = this.open.findLast((outer) => outer.tag)?.tag;
    // A block in a paragraph or a cell is its lines.
    const kept = tag && !(tag === 'p' && inside !== undefined && inside !== 'blockquote') ? tag : '';
    if (kept && kept !== 'p') this.laidOut = true;
    this.open.push({ name, tag: kept, from: this.html.length });
    const said = (attributes[kept] ?? []).flatMap((at) => (given[at] ? [` ${at}="${escapeHtml(given[at])}"`] : []));
    if (kept) this.html += `<${kept}${said.join('')}>`;
  }

  /** A paragraph that a block comes to stand in ends before it; where it has no word yet, it is only a frame. */
  private leaveParagraph(): void {
    const last = this.open.at(-1);
    if (last?.tag !== 'p') return;
    if (!this.html.slice(last.from + '<p>'.length).trim()) this.html = this.html.slice(0, last.from);
    else this.html += '</p>';
    this.open[this.open.length - 1] = { ...last, tag: '' };
  }

  text(words: string): void {
    if (this.picture) return void (this.picture.alt += words);
    const pre = this.open.some(({ tag }) => tag === 'pre');
    const said = pre ? words : unbroken(words);
    // Between blocks the file only breaks its lines.
    const stands = this.open.some(({ tag }) => holding.has(tag));
    if (stands || said.trim()) this.html += escapeText(said);
  }

  end(name: string): void {
    if (this.picture) {
      if (this.picture.depth-- > 0) return;
      const { name: file, alt } = this.picture;
      this.html += `<img src="${pictureAt}${escapeHtml(file)}" alt="${escapeHtml(alt.trim())}" />`;
      this.pictures.push(file);
      this.laidOut = true;
      this.picture = undefined;
      return;
    }
    if (name === 'br') return;
    const last = this.open.pop();
    if (last?.tag) this.html += `</${last.tag}>`;
    // What was taken apart ends a line all the same.
    else if (last && (name === 'p' || name === 'div') && this.open.some(({ tag }) => tag === 'li' || tag === 'td' || tag === 'th'))
      this.html += '<br />';
  }

  /** The whole; undefined where it has no layout but lines. */
  whole(): string | undefined {
    return this.laidOut ? this.html.replace(/<br \/><\/(li|td|th)>/g, '</$1>').trim() : undefined;
  }
}

const imgs = /<img src="object:([^"]{0,2000})" alt="([^"]{0,20000})" \/>/g;
const plain = (text: string): string => text.replace(/&#(\d{1,4});/g, (_, code: string) => String.fromCharCode(Number(code)));

/** A layout with its pictures under the hashes by which they are kept; one that is not there leaves the words that stand for it. */
export const withPictures = (html: string, hashOf: (name: string) => string | undefined): string =>
  html.replace(imgs, (_, name: string, alt: string) => {
    const hash = hashOf(plain(name));
    return hash ? `<img src="files/${hash}" alt="${alt}" />` : `[${alt || 'picture'}]`;
  });
