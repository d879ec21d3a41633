export {
  headSize,
  detectFormat,
  openReader,
  formatWords,
  coverageFormats,
  resultFormats,
  type CoverageFormat,
  type ResultFormat,
} from './detect';
export type { CoverageReader, CoverageSection, TakeSection } from './reader';
export { LcovReader } from './lcov';
export { JunitReader, TapReader, type TestResult } from './results';
export * from './load';
