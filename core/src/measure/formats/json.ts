import { JSONParser } from '@streamparser/json';
import { Findings } from './reader';

export type JsonValue = null | boolean | number | string | readonly JsonValue[] | { readonly [name: string]: JsonValue | undefined };
export type JsonObject = { readonly [name: string]: JsonValue | undefined };

const depthLimit = 100;

export const isObject = (value: unknown): value is JsonObject => typeof value === 'object' && value !== null && !Array.isArray(value);
export const listOf = (value: unknown): readonly JsonValue[] => (Array.isArray(value) ? (value as readonly JsonValue[]) : []);

/**
 * Streams JSON: the values at the wanted paths are handed over one by one and let go. Several documents may follow each other,
 * a line each. Nesting beyond any honest depth ends the reading before the parser meets it.
 */
export class JsonStream {
  private readonly parser: JSONParser;
  private depth = 0;
  private inText = false;
  private escaped = false;
  private bytes = 0;
  broken = false;
  started = false;

  constructor(
    paths: readonly string[],
    take: (value: JsonValue, key: string, depth: number) => void,
    private readonly findings: Findings,
  ) {
    this.parser = new JSONParser({ paths: [...paths], keepStack: false, separator: '' });
    this.parser.onValue = ({ value, key, stack }) => {
      if (!this.broken) take(value as JsonValue, String(key ?? ''), stack.length);
    };
    this.parser.onError = (error) => this.fault(error.message);
  }

  push(chunk: Uint8Array): void {
    if (this.broken || !this.guard(chunk)) return;
    try {
      this.parser.write(chunk);
    } catch (error) {
      this.fault(error instanceof Error ? error.message : 'The document cannot be read.');
    }
    this.bytes += chunk.length;
  }

  finish(): void {
    if (this.broken) return;
    if (this.depth > 0 || this.inText) this.fault('The document ends too early: it was cut off.');
    else if (!this.started) this.fault('There is no JSON document.');
  }

  /** Counts brackets outside texts, byte by byte: UTF-8 never hides one in a longer character. */
  private guard(chunk: Uint8Array): boolean {
    let { depth, inText, escaped } = this;
    for (let i = 0; i < chunk.length; i++) {
      const c = chunk[i];
      if (inText) {
        if (escaped) escaped = false;
        else if (c === 92) escaped = true;
        else if (c === 34) inText = false;
      } else if (c === 34) inText = true;
      else if (c === 123 || c === 91) {
        this.started = true;
        if (++depth > depthLimit) {
          this.fault('The document is nested too deeply.');
          return false;
        }
      } else if (c === 125 || c === 93) depth--;
    }
    Object.assign(this, { depth, inText, escaped });
    return true;
  }

  private fault(text: string): void {
    if (this.broken) return;
    this.broken = true;
    this.findings.add('error', text, { cell: `byte ${this.bytes}` });
  }
}
