import { gzipSync } from 'node:zlib';
import { zipSync } from 'fflate';
import { plainText } from '@core/base';
import { CoverageLoad, sourceFunctions } from '@core/measure';
import { previewRequirements } from '@core/specify';
import { cleanNow, Refusal } from '../src/base';
import { readArchive } from '../src/measure/archive';
import { row } from './timing';

// Every parser of what comes from outside, with hostile input of its own kind, once and four times as long: four times as long takes four
// times the processor's time where it is linear, and sixteen times where it is quadratic.
const text = new TextEncoder();
const again = (piece: string, n: number): string => piece.repeat(Math.ceil(n / piece.length));

function coverage(begin: string, piece: string, end = ''): (n: number) => () => void {
  return (n) => {
    const bytes = text.encode(begin + again(piece, n) + end);
    return () => {
      const load = new CoverageLoad({ section: () => undefined, result: () => undefined }, 'keepGood');
      for (let at = 0; at < bytes.length; at += 1 << 20) load.push(bytes.subarray(at, at + (1 << 20)));
      load.finish();
    };
  };
}
const source =
  (piece: string, begin = '') =>
  (n: number) => {
    const given = begin + again(piece, n);
    return () => void sourceFunctions(given);
  };
const context = { prefix: 'R', levels: ['SIL 1'], fields: [], existing: new Map() };
const table =
  (piece: string, begin = 'key,title,text\n') =>
  (n: number) => {
    const given = begin + again(piece, n);
    return () => void previewRequirements(given, undefined, context);
  };
const rich = (piece: string) => (n: number) => {
  // Four times as long is as long as anybody may send.
  const given = again(piece, n / 200);
  return () => {
    try {
      plainText(cleanNow(given));
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
    }
  };
};
const xml = '<coverage><packages><package><classes><class filename="a.c"><lines>';

const parsers: Readonly<Record<string, Readonly<Record<string, (n: number) => () => void>>>> = {
  LCOV: {
    'lines without end': coverage('TN:C-001\nSF:a.c\n', 'DA:1,1,'),
    'one line again': coverage('TN:C-001\nSF:a.c\n', 'DA:1,1\n'),
    'sections of nothing': coverage('', 'TN:a\nSF:b\nend_of_record\n'),
    'branches without lines': coverage('TN:C-001\nSF:a.c\n', 'BRDA:7,0,0,-\n'),
  },
  'Cobertura XML': {
    depth: coverage('<coverage>', '<a>'),
    attributes: coverage('<coverage ', 'b="c" '),
    entities: coverage(xml, '&amp;'),
    'a comment without end': coverage('<coverage><!--', '- '),
    lines: coverage(xml, '<line number="3" hits="1" branch="true" condition-coverage="50% (1/2)"/>'),
  },
  'gcov and LLVM JSON': {
    depth: coverage('{"files":', '['),
    strings: coverage('{"format_version":"1","files":[{"file":"', '\\u0041'),
    numbers: coverage('{"format_version":"1","files":[', '1,'),
    'an object of many names': coverage('{"data":[{"files":[{"a', '":1,"a'),
  },
  'LLVM text': { 'bars and digits': coverage('/a.c:\n', '    1|    1|{\n'), ends: coverage('/a.c:\n', '  ------------------\n') },
  'results (JUnit, TAP)': {
    depth: coverage('<testsuites>', '<testsuite name="a">'),
    cases: coverage('<testsuite>', '<testcase name="a" classname="b"/>'),
    'lines of TAP': coverage('TAP version 13\n', 'ok 1 - a # SKIP\n'),
  },
  gzip: {
    'packed again and again': (n) => {
      const bytes = gzipSync(again('DA:1,1\n', n * 4));
      return () => {
        const load = new CoverageLoad({ section: () => undefined }, 'keepGood');
        load.push(bytes);
        load.finish();
      };
    },
  },
  'sources in C': {
    backslashes: source('\\'),
    comments: source('/*'),
    blanks: source(' ', 'a()'),
    names: source('/* @req '),
    brackets: source('('),
    'name after name': source('A-', '@req '),
    quotes: source('"\\'),
    functions: source('void f(void) { }\n', '/* @req A-1 */ '),
  },
  'tables (CSV)': {
    quotes: table('"'),
    commas: table(','),
    'one key again': table('R-001,a,b\n'),
    'columns without end': table('a,', ''),
    'blank lines': table('\n'),
  },
  'rich text': { angles: rich('<'), depth: rich('<b>'), entities: rich('&amp'), attributes: rich('<a href='), comments: rich('<!--') },
  archives: {
    'files of nothing': (n) => {
      const bytes = Buffer.from(zipSync(Object.fromEntries(Array.from({ length: n / 250 }, (_, i) => [`${i}.c`, new Uint8Array(0)]))));
      return () => void readArchive(bytes, { bytes: 128 << 20, files: 20_000 }, () => true);
    },
  },
};

const n = 1_000_000;
const steep = 9;
/** Processor time in milliseconds, the best of some goes: what else the machine does does not count. */
function spent(work: () => void): number {
  let least = Infinity;
  for (let i = 0; i < 4; i++) {
    const before = process.cpuUsage();
    work();
    const { user, system } = process.cpuUsage(before);
    least = Math.min(least, (user + system) / 1000);
  }
  return least;
}
let [kinds, worst] = [0, 0];
for (const [parser, inputs] of Object.entries(parsers)) {
  let [most, what] = [0, ''];
  for (const [kind, input] of Object.entries(inputs)) {
    // Below two milliseconds there is nothing to compare.
    const ratio = spent(input(4 * n)) / Math.max(spent(input(n)), 2);
    kinds++;
    if (ratio > most) [most, what] = [ratio, kind];
  }
  worst = Math.max(worst, most);
  row(`${parser}: four times the hostile input (worst: ${what})`, `${most.toFixed(1)} x the time`, `below ${steep}`);
}
row(`all ${kinds} kinds of hostile input`, `${worst.toFixed(1)} x at worst`, '4 is linear, 16 quadratic');
process.exitCode = worst > steep ? 1 : 0;
