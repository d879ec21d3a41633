import { SaxesParser } from 'saxes';
import { Findings } from './reader';

export type Attributes = Readonly<Record<string, string>>;

export interface XmlTaker {
  open(name: string, attributes: Attributes): void;
  close(name: string): void;
  text?(text: string): void;
}

const depthLimit = 200;

/**
 * Streams XML to a taker. Entities that a document declares for itself are never expanded and a document that declares any
 * is refused; so is one that nests without end. After the first fault nothing more is handed over.
 */
export class XmlStream {
  private readonly parser = new SaxesParser();
  private readonly decoder = new TextDecoder('utf-8');
  private depth = 0;
  private ended = false;
  broken = false;

  constructor(
    taker: XmlTaker,
    private readonly findings: Findings,
  ) {
    this.parser.on('error', (error) => this.fault(error.message.replace(/^\d+:\d+: /, '')));
    this.parser.on('doctype', (text) => {
      if (text.includes('[')) this.fault('The document declares entities of its own; these are not read.');
    });
    this.parser.on('opentag', ({ name, attributes }) => {
      if (this.broken) return;
      if (++this.depth > depthLimit) return this.fault('The document is nested too deeply.');
      taker.open(name, attributes);
    });
    this.parser.on('closetag', ({ name }) => {
      if (this.broken) return;
      this.depth--;
      taker.close(name);
    });
    if (taker.text) this.parser.on('text', (text) => this.broken || taker.text?.(text));
  }

  get line(): number {
    return this.parser.line;
  }

  push(chunk: Uint8Array): void {
    if (!this.broken) this.write(this.decoder.decode(chunk, { stream: true }));
  }

  finish(): void {
    if (this.broken || this.ended) return;
    this.ended = true;
    this.write(this.decoder.decode());
    if (this.broken) return;
    if (this.depth > 0) this.fault('The document ends too early: it was cut off.');
    else
      try {
        this.parser.close();
      } catch (error) {
        this.fault(error instanceof Error ? error.message : 'The document cannot be read.');
      }
  }

  private write(text: string): void {
    try {
      this.parser.write(text);
    } catch (error) {
      this.fault(error instanceof Error ? error.message : 'The document cannot be read.');
    }
  }

  private fault(text: string): void {
    if (this.broken) return;
    this.broken = true;
    this.findings.add('error', `${text[0]?.toUpperCase() ?? ''}${text.slice(1)}`, { row: this.parser.line });
  }
}
