import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { CoverageLoad, mergeFile, type FileMeasurement, type LoadedFile, type OnFault, type TestResult } from '@core/measure';

const folder = join(process.cwd(), 'core/fixtures/measure');

/** The cases for which the compilers' output is kept, by the command that makes it: npm run fixtures:coverage. */
export const fixtureCases = readdirSync(join(folder, 'gcov'))
  .filter((name) => name.endsWith('.gz'))
  .map((name) => name.slice(0, 5))
  .sort();

export const fixture = (...path: string[]): Buffer => readFileSync(join(folder, ...path));
export const unpacked = (...path: string[]): string => gunzipSync(fixture(...path)).toString();

export interface Read extends LoadedFile {
  readonly files: ReadonlyMap<string, FileMeasurement>;
  readonly tests: readonly string[];
  readonly given: readonly TestResult[];
}

/** Reads one file as the application does, in chunks of `size` bytes; sections of one source file are merged. */
export function readCoverage(bytes: Uint8Array | string, size = 4096, onFault: OnFault = 'keepGood'): Read {
  const data = typeof bytes === 'string' ? new TextEncoder().encode(bytes) : bytes;
  const parts = new Map<string, FileMeasurement[]>();
  const tests: string[] = [];
  const given: TestResult[] = [];
  const load = new CoverageLoad(
    {
      section: ({ test, file }) => {
        tests.push(test);
        parts.set(file.path, [...(parts.get(file.path) ?? []), file]);
      },
      result: (result) => given.push(result),
    },
    onFault,
  );
  for (let at = 0; at < data.length; at += size) load.push(data.subarray(at, at + size));
  const done = load.finish();
  return { ...done, tests, given, files: new Map([...parts].map(([path, list]) => [path, mergeFile(path, list)])) };
}
