import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { TDocumentDefinitions } from 'pdfmake/interfaces';

const require = createRequire(join(dirname(fileURLToPath(import.meta.url)), '..', '..', 'package.json'));
const fontFile = (family: string, cut: string): string =>
  join(dirname(require.resolve(`@fontsource/${family}/package.json`)), 'files', `${family}-latin-${cut}.woff`);
const family = (name: string, bold: string): { normal: string; bold: string; italics: string } => ({
  normal: fontFile(name, '400-normal'),
  bold: fontFile(name, bold),
  italics: fontFile(name, '400-italic'),
});

const spelled: Readonly<Record<string, string>> = {
  '\u2192': '->',
  '\u2190': '<-',
  '\u2264': '<=',
  '\u2265': '>=',
  '\u2260': '/=',
  '\u0394': 'Delta ',
  '\u03a9': 'Ohm',
  '\u221e': 'infinity',
  '\u2713': 'yes',
  '\u2717': 'no',
  '\t': '    ',
};

/**
 * The embedded fonts hold the Latin letters. What they cannot draw is spelled out or named by its code point: in evidence
 * nothing may vanish without a trace.
 */
export function legible(text: string): string {
  return text.replace(
    /[^\n\u0020-\u007e\u00a0-\u00ff\u0131\u0152\u0153\u02c6\u02da\u02dc\u2013\u2014\u2018-\u201e\u2022\u2026\u2039\u203a\u20ac\u2122\u2212]/gu,
    (c) => spelled[c] ?? `[U+${(c.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')}]`,
  );
}

/** Every text of a paper, made legible. */
export function legiblePaper<T>(value: T): T {
  if (typeof value === 'string') return legible(value) as T;
  if (Array.isArray(value)) return value.map(legiblePaper) as T;
  if (value && typeof value === 'object')
    return Object.fromEntries(Object.entries(value).map(([name, item]) => [name, legiblePaper(item)])) as T;
  return value;
}

/** Sets a document as PDF: embedded fonts (Serif, Sans, Code), selectable text. */
export async function printPdf(definition: TDocumentDefinitions): Promise<Uint8Array> {
  // Not read at each start: a node is to be back soon.
  const { default: PdfPrinter } = await import('pdfmake');
  const printer = new PdfPrinter({
    Serif: family('source-serif-4', '600-normal'),
    Sans: family('source-sans-3', '600-normal'),
    Code: family('source-code-pro', '600-normal'),
  });
  const pdf = printer.createPdfKitDocument(definition);
  const chunks: Buffer[] = [];
  pdf.on('data', (chunk: Buffer) => chunks.push(chunk));
  const ended = new Promise<void>((resolve, reject) => {
    pdf.on('end', resolve);
    pdf.on('error', reject);
  });
  pdf.end();
  await ended;
  return Buffer.concat(chunks);
}

/** A document of text on A4, with the page that one is on: everything but what it says. */
export const paperPage = (title: string, at: Date): Omit<TDocumentDefinitions, 'content'> => ({
  info: { title, creator: 'Cord Proof', creationDate: at },
  pageSize: 'A4',
  pageMargins: [56, 64, 56, 56],
  defaultStyle: { font: 'Serif', fontSize: 10, lineHeight: 1.2, color: '#18222E' },
  styles: { small: { font: 'Sans', fontSize: 8, color: '#5B6673' } },
  footer: (page: number, pages: number) => ({
    margin: [56, 18, 56, 0],
    columns: [
      { text: legible(title), style: 'small' },
      { text: `Page ${page} of ${pages}`, style: 'small', alignment: 'right' },
    ],
  }),
});
