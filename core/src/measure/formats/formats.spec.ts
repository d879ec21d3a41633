import fc from 'fast-check';
import { gzipSync } from 'fflate';
import { decisionsOf, fileTotals, hasBit, mergeFile, rangeOf, type FileMeasurement, type Metric } from '../index';
import { CoverageLoad, detectFormat, type CoverageSection, type LoadedFile, type OnFault, type TestResult } from './index';

interface Read extends LoadedFile {
  readonly found: readonly CoverageSection[];
  readonly report: readonly TestResult[];
}

function read(input: string | Uint8Array, size = 13, onFault: OnFault = 'keepGood'): Read {
  const bytes = typeof input === 'string' ? new TextEncoder().encode(input) : input;
  const found: CoverageSection[] = [];
  const report: TestResult[] = [];
  const load = new CoverageLoad({ section: (section) => found.push(section), result: (result) => report.push(result) }, onFault);
  for (let at = 0; at < bytes.length; at += size) load.push(bytes.subarray(at, at + size));
  return { ...load.finish(), found, report };
}

/** Points of a metric as line:a:b=hits. */
const points = ({ table, counts }: FileMeasurement, metric: Metric): string[] => {
  const [from, to] = rangeOf(table, metric);
  return Array.from({ length: to - from }, (_, i) => {
    const p = from + i;
    const name = metric === 'function' ? table.names[table.b[p]] : metric === 'line' ? '' : `${table.a[p]}:${table.b[p]}`;
    return `${table.line[p]}${name && `:${name}`}=${counts[p]}`;
  });
};
const only = (input: string): FileMeasurement => {
  const { findings, found } = read(input);
  expect(findings.filter((f) => f.severity === 'error')).toEqual([]);
  return mergeFile(
    found[0].file.path,
    found.map((section) => section.file),
  );
};
const independence = (file: FileMeasurement): string =>
  decisionsOf(file.table)
    .map((d) => `${d.line}:${Array.from({ length: d.conditions }, (_, i) => (hasBit(file.bits, d.first + i) ? 'y' : 'n')).join('')}`)
    .join(' ');

const lcov =
  'TN:C_018\nSF:/a/b.c\nVER:1\nFN:1,3,f\nFN:5,g\nFNDA:2,f\nFNDA:0,g\nDA:1,2\nDA:2,2,abc\nDA:5,0\nBRDA:2,0,0,1\nBRDA:2,0,1,-\nBRDA:5,e1,0,0\nLF:3\nLH:2\nend_of_record\n';

describe('LCOV', () => {
  it('is read with both forms of FN, checksums, exceptions and branches that were not evaluated', () => {
    const { findings, found, format } = read(lcov);
    expect([format, findings, found[0].test]).toEqual(['lcov', [], 'C_018']);
    expect(points(found[0].file, 'branch')).toEqual(['2:0:0=1', '2:0:1=0', '5:1:0=0']);
    expect(points(found[0].file, 'function')).toEqual(['1:f=2', '5:g=0']);
    expect(points(found[0].file, 'line')).toEqual(['1=2', '2=2', '5=0']);
  });

  it('is the same however the bytes are cut, with either line ending', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 200 }), fc.boolean(), (size, crlf) => {
        expect(read(crlf ? lcov.replaceAll('\n', '\r\n') : lcov, size).found).toEqual(read(lcov).found);
      }),
    );
  });

  it('of newer writers: FNL and FNA, named branches, MCDC', () => {
    const file = only(
      'SF:x.c\nFNL:0,4,9\nFNA:0,7,main\nDA:4,7\nBRDA:4,0,a && b,1\nBRDA:4,0,else,0\n' +
        'MCDC:4,2,t,1,0,a\nMCDC:4,2,f,1,0,a\nMCDC:4,2,t,1,1,b\nMCDC:4,2,f,0,1,b\nend_of_record\n',
    );
    expect(points(file, 'function')).toEqual(['4:main=7']);
    expect(points(file, 'branch')).toEqual(['4:0:0=1', '4:0:1=0']);
    expect(fileTotals(file).condition).toEqual({ hit: 3, found: 4 });
    expect(independence(file)).toBe('4:yn');
  });

  it('says where a file is cut off, malformed, contradictory or nothing of the kind', () => {
    expect(read(lcov.slice(0, 60)).findings.at(-1)?.text).toContain('cut off');
    expect(read('SF:a\nDA:x,1\nend_of_record\n').findings[0].row).toBe(2);
    expect(read('SF:a\nDA:-1,1\nend_of_record\n').findings.length).toBe(1);
    expect(read('SF:a\nDA:1,-5\nend_of_record\n').findings.length).toBe(1);
    expect(read('DA:1,1\n').findings[0].text).toContain('outside a section');
    expect(read('PK\u0003\u0004 something else\n').findings[0].text).toContain('no format that is read here');
    expect(read(`SF:${'x'.repeat(200_000)}`, 4096).findings[0].text).toContain('longer than any');
    expect(read('SF:a\nDA:1,1\nLF:9\nend_of_record\n').findings[0].text).toContain('LF says 9');
    const held = read('SF:a\nDA:1,99999999999999999999\nend_of_record\n');
    expect([points(held.found[0].file, 'line'), held.findings.length]).toEqual([[`1=${Number.MAX_SAFE_INTEGER}`], 1]);
  });

  it('never throws, whatever comes', () => {
    const line = fc.oneof(
      fc.string(),
      fc.constantFrom(
        'SF:a',
        'DA:1,2',
        'DA:',
        'BRDA:1,2',
        'BRDA:1,0,0,-',
        'FN:1,f',
        'FNDA:1,f',
        'end_of_record',
        'TN:',
        'FNL:1',
        'FNA:0,1,x',
        'MCDC:1,2,t,1,5,x',
      ),
    );
    fc.assert(fc.property(fc.array(line), fc.integer({ min: 1, max: 50 }), (lines, size) => void read(`TN:\n${lines.join('\n')}`, size)));
  });
});

describe('XML', () => {
  const cobertura = `<?xml version="1.0"?><!DOCTYPE coverage SYSTEM "x.dtd"><coverage><packages><package><classes>
    <class filename="src/a.c"><methods><method name="f" signature="()"><lines><line number="3" hits="2"/></lines></method></methods>
    <lines><line number="3" hits="2"/><line number="4" hits="0" branch="true" condition-coverage="50% (1/2)"/></lines></class></classes></package></packages></coverage>`;

  it('of Cobertura is read: lines, methods, and how many branches', () => {
    const file = only(cobertura);
    expect([points(file, 'line'), points(file, 'function'), points(file, 'branch')]).toEqual([
      ['3=2', '4=0'],
      ['3:f()=2'],
      ['4:0:0=1', '4:0:1=0'],
    ]);
  });

  it('of JaCoCo is read: lines by instructions, branches by line, methods of their source file', () => {
    const file =
      only(`<?xml version="1.0"?><!DOCTYPE report PUBLIC "-//JACOCO//DTD Report 1.1//EN" "report.dtd"><report name="x"><package name="com/x">
      <class name="com/x/A" sourcefilename="A.java"><method name="run" desc="()V" line="5"><counter type="METHOD" missed="0" covered="1"/></method></class>
      <sourcefile name="A.java"><line nr="5" mi="0" ci="3" mb="1" cb="1"/><line nr="6" mi="2" ci="0" mb="0" cb="0"/></sourcefile></package></report>`);
    expect(file.path).toBe('com/x/A.java');
    expect([points(file, 'line'), points(file, 'function'), points(file, 'branch')]).toEqual([
      ['5=1', '6=0'],
      ['5:com/x/A.run()V=1'],
      ['5:0:0=1', '5:0:1=0'],
    ]);
  });

  it('that declares entities, nests without end or is cut off is refused with its line', () => {
    const bomb = `<?xml version="1.0"?><!DOCTYPE coverage [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><coverage>&b;</coverage>`;
    expect(read(bomb).findings[0].text).toContain('entities of its own');
    expect(read(`<coverage>${'<a>'.repeat(100_000)}`, 65_536).findings[0].text).toContain('nested too deeply');
    expect(read(cobertura.slice(0, 300)).findings[0].text).toContain('cut off');
    const wrong = read(
      cobertura.replace('number="4"', 'number="-4"').replace('hits="2"/></lines></method>', 'hits="x"/></lines></method>'),
    );
    expect(wrong.findings.map((f) => f.severity)).toEqual(['error', 'error']);
    expect(read('<coverage><class filename="a"><line number="1" hits="-2"/></class></coverage>').findings[0].text).toContain('negative');
  });

  it('never throws, whatever comes', () => {
    const part = fc.constantFrom(
      '<class filename="a">',
      '</class>',
      '<line number="1" hits="1"/>',
      '<method name="x">',
      '</method>',
      '&x;',
      '<!--',
      ']]>',
      '<a b=c>',
      '\u0000',
    );
    fc.assert(fc.property(fc.array(part), (parts) => void read(`<coverage>${parts.join('')}`)));
  });
});

describe('JSON', () => {
  it('of gcov is read, with conditions and calls of newer compilers, several documents one after the other', () => {
    const doc = (line: string): string =>
      `{"format_version":"2","files":[{"file":"a.c","functions":[{"name":"f","start_line":1,"execution_count":3}],"lines":[${line}]}]}`;
    const file = only(
      `${doc('{"line_number":2,"count":3,"branches":[{"count":3},{"count":0}],"calls":[{"returned":3}],"conditions":[{"count":4,"covered":3,"not_covered_true":[1],"not_covered_false":[]}]}')}\n${doc('{"line_number":2,"count":1,"branches":[]}')}`,
    );
    expect([points(file, 'line'), points(file, 'branch'), points(file, 'call')]).toEqual([['2=4'], ['2:0:0=3', '2:0:1=0'], ['2:0:0=3']]);
    expect([fileTotals(file).condition, independence(file)]).toEqual([{ hit: 3, found: 4 }, '2:yn']);
  });

  it('of llvm-cov 3.x is read with its executed vectors, which are believed before its flags', () => {
    const vector = (conditions: string, result: boolean): string => `{"executed":true,"result":${result},"conditions":[${conditions}]}`;
    const file = only(
      `{"data":[{"files":[{"filename":"a.c","segments":[[1,1,2,true,true,false],[3,2,0,false,false,false]],"branches":[[2,5,2,6,1,1,0,0,4]],"mcdc_records":[[2,5,2,12,1,2,0,5,[false,false],[${vector('true,true', true)},${vector('false,null', false)}]]]}],"functions":[]}],"type":"llvm.coverage.json.export","version":"3.0.1"}`,
    );
    expect([points(file, 'line'), points(file, 'branch'), independence(file)]).toEqual([
      ['1=2', '2=2', '3=2'],
      ['2:5:0=1', '2:5:1=1'],
      '2:yn',
    ]);
  });

  it('that is nested without end, cut off or of the wrong shape gives findings', () => {
    expect(read(`{"gcc_version":"12","files":${'['.repeat(1_000_000)}`, 65_536).findings[0].text).toContain('nested too deeply');
    const istanbul =
      '{"/a.js":{"path":"/a.js","statementMap":{"0":{"start":{"line":1},"end":{"line":1}}},"s":{"0":-1},"fnMap":{},"f":{},"branchMap":{},"b":{}}}';
    expect(read(istanbul).findings[0].text).toContain('negative');
    expect(read(istanbul.slice(0, -9)).findings.some((f) => f.text.includes('cut off'))).toBeTrue();
    expect(read('{"format_version":"2","files":[{"lines":7}]}').findings[0].text).toContain('no name');
    expect(read('{"data":[{"files":[{"filename":"a.c"}]}]}').findings[0].text).toContain('no segments');
    expect(read('{"hello":1}').findings[0].text).toContain('no format that is read here');
  });

  it('never throws, whatever comes', () => {
    fc.assert(
      fc.property(fc.json(), fc.integer({ min: 1, max: 40 }), (json, size) => void read(`{"gcc_version":"1","files":[${json}]}`, size)),
    );
    fc.assert(fc.property(fc.json(), (json) => void read(`{"data":[{"files":[${json}],"functions":[${json}]}]}`)));
    fc.assert(fc.property(fc.json(), (json) => void read(`{"/a.js":{"statementMap":${json},"s":${json}}}`)));
  });
});

describe('text formats', () => {
  it('Go cover profiles: lines of blocks, joined profiles', () => {
    const file = only('mode: count\nx/a.go:3.2,5.9 2 4\nx/a.go:5.9,6.3 1 0\n');
    expect(points(file, 'line')).toEqual(['3=4', '4=4', '5=4', '6=0']);
    expect(read('mode: count\nx/a.go:9.2,5.9 2 4\n').findings[0].row).toBe(2);
  });

  it('llvm-cov show: rounded counts, vectors', () => {
    const text =
      '/a/b.c:\n    1|       |// x\n    2|  1.20k|if (a && b)\n  |---> MC/DC Decision Region (2:5) to (2:11)\n  |  Number of Conditions: 2\n  |  1 { T,  T  = T      }\n  |  2 { F,  -  = F      }\n  |  MC/DC Coverage for Decision: 50.00%\n    3|      0|x();\n';
    const file = only(text);
    expect([points(file, 'line'), independence(file)]).toEqual([['2=1200', '3=0'], '2:yn']);
    expect(read(text.slice(0, text.indexOf('  |  2'))).findings.at(-1)?.text).toContain('cut off');
  });
});

describe('results', () => {
  it('of JUnit are read with suites, failures and skips', () => {
    const { format, report, findings } = read(
      '<testsuites><testsuite name="brake"><testcase name="C-018" time="1.5"/><testcase name="C-019" classname="k"><failure message="late">120 &lt; 140</failure></testcase><testcase name="C-020"><skipped/></testcase></testsuite></testsuites>',
    );
    expect([format, findings]).toEqual(['junit', []]);
    expect(report.map((r) => [r.group, r.name, r.verdict, r.seconds, r.message])).toEqual([
      ['brake', 'C-018', 'passed', 1.5, ''],
      ['k', 'C-019', 'failed', null, 'late\n120 < 140'],
      ['brake', 'C-020', 'skipped', null, ''],
    ]);
  });

  it('of TAP are read with plan, skip and todo', () => {
    const { format, report, findings } = read(
      'TAP version 13\n1..4\nok 1 - C-018\nnot ok 2 - C-019\nok 3 - C-020 # SKIP no rig\nnot ok 4 C-021 # TODO later\n',
    );
    expect([format, findings]).toEqual(['tap', []]);
    expect(report.map((r) => [r.name, r.verdict])).toEqual([
      ['C-018', 'passed'],
      ['C-019', 'failed'],
      ['C-020', 'skipped'],
      ['C-021', 'skipped'],
    ]);
    expect(read('1..5\nok 1\n').findings[0].text).toContain('5 tests were planned');
  });
});

describe('loading', () => {
  it('tells the format by the content', () => {
    const formats = [
      lcov,
      '\uFEFF<?xml version="1.0"?>\n<!-- <report> --><coverage>',
      '<report>',
      '{"data":[{',
      '{"gcc_version":"12"',
      '{"/a.js":{"path"',
      'mode: set\n',
      'ok 1\n',
      '<testsuite>',
      'hello',
    ];
    expect(formats.map((text) => detectFormat(new TextEncoder().encode(text)))).toEqual([
      'lcov',
      'cobertura',
      'jacoco',
      'llvmJson',
      'gcov',
      'istanbul',
      'goCover',
      'tap',
      'junit',
      undefined,
    ]);
  });

  it('unpacks gzip, and says where it is damaged', () => {
    const packed = gzipSync(new TextEncoder().encode(lcov));
    expect(read(packed, 5).found).toEqual(read(lcov).found);
    expect(read(packed.subarray(0, packed.length - 12)).findings.length).toBeGreaterThan(0);
  });

  it('refuses a file with a fault as a whole, or keeps the good part', () => {
    const half = `${lcov}SF:/c.c\nDA:x,1\nend_of_record\n`;
    expect([read(half, 9, 'refuse').found.length, read(half, 9, 'refuse').refused]).toEqual([0, true]);
    expect([read(half, 9, 'keepGood').found.length, read(half, 9, 'keepGood').refused]).toEqual([2, false]);
    expect(read('').findings.length).toBe(1);
  });
});
