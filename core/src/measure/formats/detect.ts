import { CoberturaReader } from './cobertura';
import { GcovReader } from './gcov';
import { GoCoverReader } from './go-cover';
import { IstanbulReader } from './istanbul';
import { JacocoReader } from './jacoco';
import { LcovReader } from './lcov';
import { LlvmJsonReader } from './llvm-json';
import { LlvmTextReader } from './llvm-text';
import type { CoverageReader, TakeSection } from './reader';

/** How many bytes of a file are enough to tell its format. */
export const headSize = 8192;

export const coverageFormats = ['lcov', 'cobertura', 'jacoco', 'istanbul', 'gcov', 'llvmJson', 'llvmText', 'goCover'] as const;
export type CoverageFormat = (typeof coverageFormats)[number];
export const resultFormats = ['junit', 'tap'] as const;
export type ResultFormat = (typeof resultFormats)[number];

export const formatWords: Readonly<Record<CoverageFormat | ResultFormat, string>> = {
  lcov: 'LCOV tracefile',
  cobertura: 'Cobertura XML',
  jacoco: 'JaCoCo XML',
  istanbul: 'Istanbul JSON',
  gcov: 'gcov JSON',
  llvmJson: 'llvm-cov export JSON',
  llvmText: 'llvm-cov show text',
  goCover: 'Go cover profile',
  junit: 'JUnit XML',
  tap: 'TAP',
};

/** Which format a file has, from its first bytes (unpacked); undefined where it has none that is read here. */
export function detectFormat(head: Uint8Array): CoverageFormat | ResultFormat | undefined {
  const text = new TextDecoder()
    .decode(head.subarray(0, headSize))
    .replace(/^\uFEFF/, '')
    .trimStart();
  if (text.startsWith('<')) return detectXml(text);
  if (text.startsWith('{')) return detectJson(text);
  if (/^mode: (set|count|atomic)\b/.test(text)) return 'goCover';
  if (/^(TAP version \d+|1\.\.\d+|(not )?ok\b)/.test(text)) return 'tap';
  if (/^(TN:|SF:|VER:|#.*\n(TN|SF):)/.test(text) || /^(DA|BRDA|FN|FNDA|FNL|FNA):/m.test(text)) return 'lcov';
  if (/^[ \t]*\d+\|[ \t]*[\d.]*[kMGTPE]?\|/m.test(text)) return 'llvmText';
  return undefined;
}

function detectXml(text: string): CoverageFormat | ResultFormat | undefined {
  // What comes before the root: declaration, document type, comments. A comment must not stand for the root.
  const root = /<([A-Za-z][\w.-]*)/.exec(text.replace(/<!--[\s\S]*?(-->|$)/g, ''))?.[1];
  if (root === 'coverage') return 'cobertura';
  if (root === 'report') return 'jacoco';
  return root === 'testsuites' || root === 'testsuite' ? 'junit' : undefined;
}

function detectJson(text: string): CoverageFormat | undefined {
  if (/"type"\s*:\s*"llvm\.coverage\.json\.export"|^\{\s*"data"\s*:\s*\[/.test(text)) return 'llvmJson';
  if (/"(gcc_version|format_version|data_file|current_working_directory)"\s*:/.test(text)) return 'gcov';
  return /"(statementMap|fnMap|branchMap)"\s*:/.test(text) || /^\{\s*"[^"\\/.]*[\\/.][^"]*"\s*:\s*\{/.test(text) ? 'istanbul' : undefined;
}

const readers: Readonly<Record<CoverageFormat, new (take: TakeSection) => CoverageReader>> = {
  lcov: LcovReader,
  cobertura: CoberturaReader,
  jacoco: JacocoReader,
  istanbul: IstanbulReader,
  gcov: GcovReader,
  llvmJson: LlvmJsonReader,
  llvmText: LlvmTextReader,
  goCover: GoCoverReader,
};

export const openReader = (format: CoverageFormat, take: TakeSection): CoverageReader => new readers[format](take);
