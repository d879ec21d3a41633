import { Gunzip } from 'fflate';
import type { Finding } from '../../base';
import { detectFormat, headSize, openReader, resultFormats, type CoverageFormat, type ResultFormat } from './detect';
import type { CoverageSection } from './reader';
import { JunitReader, TapReader, type TestResult } from './results';

/** What is done when something in a file cannot be read: nothing of it counts, or the good part does. */
export type OnFault = 'refuse' | 'keepGood';

export interface LoadedFile {
  readonly format: CoverageFormat | ResultFormat | null;
  readonly findings: readonly Finding[];
  readonly sections: number;
  readonly results: number;
  /** Was anything wrong, and therefore all of it refused? */
  readonly refused: boolean;
}

export interface FileTaker {
  section(section: CoverageSection): void;
  result?(result: TestResult): void;
}

interface AnyReader {
  readonly findings: readonly Finding[];
  push(chunk: Uint8Array): void;
  finish(): void;
}

/** Unpacked input beyond this is refused: a packed file that grows without end. */
const unpackedLimit = 4 * 2 ** 30;

/**
 * Reads one file of any known format by chunks, gzipped or not, and says which format it is. With `refuse`, sections are handed
 * over only once the whole file was read without an error, which holds them until then; with `keepGood`, as they come.
 */
export class CoverageLoad {
  private readonly found: Finding[] = [];
  private format: CoverageFormat | ResultFormat | null = null;
  private reader: AnyReader | undefined;
  private head: Uint8Array[] = [];
  private headBytes = 0;
  private gunzip: Gunzip | undefined;
  private begun = false;
  private unpacked = 0;
  private stopped = false;
  private readonly sections: CoverageSection[] = [];
  private readonly results: TestResult[] = [];
  private counts = { sections: 0, results: 0 };

  constructor(
    private readonly take: FileTaker,
    private readonly onFault: OnFault = 'refuse',
  ) {}

  push(chunk: Uint8Array): void {
    if (this.stopped || !chunk.length) return;
    if (!this.begun) {
      this.begun = true;
      if (chunk[0] === 0x1f && (chunk[1] === 0x8b || chunk.length === 1)) this.gunzip = new Gunzip((data) => this.plain(data));
    }
    if (!this.gunzip) return this.plain(chunk);
    try {
      // In slices, so that a bomb is noticed long before it is unpacked.
      for (let at = 0; at < chunk.length && !this.stopped; at += 16_384) this.gunzip.push(chunk.subarray(at, at + 16_384));
    } catch {
      this.stop('The packed data is damaged.');
    }
  }

  finish(): LoadedFile {
    if (this.gunzip && !this.stopped)
      try {
        this.gunzip.push(new Uint8Array(0), true);
      } catch {
        this.stop('The packed data ends too early or is damaged.');
      }
    if (!this.reader && !this.stopped) this.begin();
    this.reader?.finish();
    const findings = [...this.found, ...(this.reader?.findings ?? [])];
    const refused = this.onFault === 'refuse' && findings.some((f) => f.severity === 'error');
    if (!refused && this.onFault === 'refuse') {
      for (const section of this.sections) this.take.section(section);
      for (const result of this.results) this.take.result?.(result);
    }
    return { format: this.format, findings, sections: this.counts.sections, results: this.counts.results, refused };
  }

  private plain(chunk: Uint8Array): void {
    if (this.stopped) return;
    this.unpacked += chunk.length;
    if (this.unpacked > unpackedLimit) return this.stop('The file unpacks to more than 4 GiB.');
    if (this.reader) return this.reader.push(chunk);
    this.head.push(chunk);
    this.headBytes += chunk.length;
    if (this.headBytes >= headSize) this.begin();
  }

  private begin(): void {
    const bytes = new Uint8Array(this.headBytes);
    let at = 0;
    for (const part of this.head) {
      bytes.set(part, at);
      at += part.length;
    }
    this.head = [];
    const format = detectFormat(bytes);
    if (!format)
      return this.stop(
        'This is in no format that is read here: LCOV, Cobertura, JaCoCo, Istanbul, gcov, llvm-cov or Go coverage, JUnit or TAP results.',
      );
    this.format = format;
    this.reader = this.open(format);
    this.reader.push(bytes);
  }

  private open(format: CoverageFormat | ResultFormat): AnyReader {
    const keep = this.onFault === 'refuse';
    if ((resultFormats as readonly string[]).includes(format)) {
      const take = (result: TestResult): void => {
        this.counts.results++;
        if (keep) this.results.push(result);
        else this.take.result?.(result);
      };
      return format === 'junit' ? new JunitReader(take) : new TapReader(take);
    }
    return openReader(format as CoverageFormat, (section) => {
      this.counts.sections++;
      if (keep) this.sections.push(section);
      else this.take.section(section);
    });
  }

  private stop(text: string): void {
    this.stopped = true;
    this.found.push({ severity: 'error', text });
  }
}
