import fc from 'fast-check';
import {
  addTotals,
  caseOfTestName,
  coverageOf,
  creditFile,
  diagnoseLine,
  fileTotals,
  LcovReader,
  lineCredits,
  matchPath,
  mergeFile,
  noTotals,
  percent,
  sourceFunctions,
  unitCoverages,
  type FileMeasurement,
  type LcovSection,
  type MeasuredFile,
} from './index';

const read = (
  text: string,
  size = 7,
): { sections: LcovSection[]; findings: readonly { row?: number; text: string; severity: string }[] } => {
  const sections: LcovSection[] = [];
  const reader = new LcovReader((section) => sections.push(section));
  const bytes = new TextEncoder().encode(text);
  for (let at = 0; at < bytes.length; at += size) reader.push(bytes.subarray(at, at + size));
  reader.finish();
  return { sections, findings: reader.findings };
};

describe('reading LCOV', () => {
  const good =
    'TN:C_018\nSF:/a/b.c\nFN:1,3,f\nFN:5,g\nFNDA:2,f\nFNDA:0,g\nDA:1,2\nDA:2,2,abc\nDA:5,0\nBRDA:2,0,0,1\nBRDA:2,0,1,-\nBRDA:5,e1,0,0\nLF:3\nend_of_record\n';

  it('understands both forms of FN, checksums, exceptions and unevaluated branches', () => {
    const { sections, findings } = read(good);
    expect(findings).toEqual([]);
    expect(sections[0].test).toBe('C_018');
    expect(sections[0].file.branches).toEqual([2, 0, 0, 1, 2, 0, 1, -1, 5, 1, 0, 0]);
    expect(fileTotals(sections[0].file)).toEqual({
      line: { hit: 2, found: 3 },
      branch: { hit: 1, found: 3 },
      function: { hit: 1, found: 2 },
    });
  });

  it('reads the same however the bytes are cut, with either line ending', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 200 }), fc.boolean(), (size, crlf) => {
        expect(read(crlf ? good.replaceAll('\n', '\r\n') : good, size).sections).toEqual(read(good).sections);
      }),
    );
  });

  it('understands newer writers’ FNL and FNA', () => {
    const { sections } = read('SF:x.c\nFNL:0,4,9\nFNA:0,7,main\nDA:4,7\nend_of_record\n');
    expect(sections[0].file.functions).toEqual([{ name: 'main', line: 4, hits: 7 }]);
  });

  it('says where a file is cut off, malformed or no tracefile at all', () => {
    expect(read(good.slice(0, 60)).findings.at(-1)?.text).toContain('cut off');
    expect(read('SF:a\nDA:x,1\nend_of_record\n').findings[0].row).toBe(2);
    expect(read('SF:a\nDA:-1,1\nend_of_record\n').findings.length).toBe(1);
    expect(read('DA:1,1\n').findings[0].text).toContain('outside a section');
    expect(read('PK\u0003\u0004 something else\n').findings[0].severity).toBe('error');
    expect(read('x'.repeat(200_000), 4096).findings[0].text).toContain('longer than any');
    expect(read('SF:a\nDA:1,99999999999999999999\nend_of_record\n').sections[0].file.lines).toEqual([1, Number.MAX_SAFE_INTEGER]);
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
      ),
    );
    fc.assert(fc.property(fc.array(line), fc.integer({ min: 1, max: 50 }), (lines, size) => void read(lines.join('\n'), size)));
  });

  it('finds the case of a test name and the file of a path', () => {
    const keys = new Set(['C-018', 'DR-CASE-22']);
    expect([
      caseOfTestName('C-018', keys),
      caseOfTestName('C_018', keys),
      caseOfTestName('dr_case_22', keys),
      caseOfTestName('out/C-018.info', keys),
      caseOfTestName('C_19', keys),
    ]).toEqual(['C-018', 'C-018', 'DR-CASE-22', 'C-018', undefined]);
    expect(matchPath('/build/x/src/brake.c', ['src/brake.c', 'lib/brake.c'])).toBe('src/brake.c');
    expect(matchPath('C:\\build\\src\\brake.c', ['src/brake.c'])).toBe('src/brake.c');
    expect(matchPath('/build/notbrake.c', ['brake.c'])).toBeUndefined();
    expect(matchPath('brake.c', ['src/brake.c', 'lib/brake.c'])).toBeUndefined();
  });
});

const measurement = fc
  .record({
    lines: fc.dictionary(fc.integer({ min: 1, max: 9 }).map(String), fc.integer({ min: 0, max: 5 })),
    branches: fc.dictionary(fc.integer({ min: 1, max: 9 }).map(String), fc.integer({ min: -1, max: 5 })),
  })
  .map(({ lines, branches }): FileMeasurement => ({
    path: 'a.c',
    lines: Object.entries(lines).flatMap(([line, hits]) => [Number(line), hits]),
    branches: Object.entries(branches).flatMap(([line, taken]) => [Number(line), 0, 0, taken]),
    functions: [],
  }));

describe('merging', () => {
  it('does not depend on order or grouping, and nothing hit is lost', () => {
    fc.assert(
      fc.property(measurement, measurement, measurement, (a, b, c) => {
        expect(mergeFile('a.c', [a, b, c])).toEqual(mergeFile('a.c', [c, a, b]));
        expect(mergeFile('a.c', [mergeFile('a.c', [a, b]), c])).toEqual(mergeFile('a.c', [a, mergeFile('a.c', [b, c])]));
        expect(fileTotals(mergeFile('a.c', [a, b])).line.hit).toBeGreaterThanOrEqual(fileTotals(a).line.hit);
      }),
    );
  });

  it('rounds per cent down, so that 100 means all', () => {
    expect([percent({ hit: 1999, found: 2000 }), percent({ hit: 0, found: 0 }), percent({ hit: 2, found: 3 })]).toEqual([99.9, 100, 66.6]);
    expect(addTotals(noTotals, noTotals)).toEqual(noTotals);
  });
});

const source = `/* @req BRK-007 */
bool held(int a)
{
    if (a)
        return true;
    return false;
}

static int plain(void) { return 1; }

struct point { int x; };
int table[] = { 1, 2 };

// @req BRK-018, BRK-019
void latch(void)
{
    const char *s = "} /* @req NO-001 */";
}
`;

describe('functions of a source', () => {
  it('finds definitions with their lines and the requirements that their comments name', () => {
    expect(sourceFunctions(source)).toEqual([
      { name: 'held', start: 2, end: 7, requirements: ['BRK-007'] },
      { name: 'plain', start: 9, end: 9, requirements: [] },
      { name: 'latch', start: 15, end: 18, requirements: ['BRK-018', 'BRK-019'] },
    ]);
  });

  it('never throws and never leaves the text', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('{', '}', 'f()', 'if (x)', '/*', '*/', '"', "'", '#define X {\n', '\n', ';', '// c\n')),
        (parts) => {
          const text = parts.join('');
          const lines = text.split('\n').length;
          for (const f of sourceFunctions(text)) expect(f.start >= 1 && f.start <= f.end && f.end <= lines).toBeTrue();
        },
      ),
    );
  });
});

describe('credit', () => {
  const file = (hits: Record<string, number[]>): MeasuredFile => ({
    path: 'a.c',
    units: [
      { name: 'held', start: 1, end: 5, requirements: ['BRK-007'] },
      { name: 'plain', start: 6, end: 9, requirements: [] },
      { name: 'lost', start: 10, end: 12, requirements: ['BRK-099'] },
    ],
    byCase: Object.entries(hits).map(([caseKey, lines]) => ({
      caseKey,
      file: { path: 'a.c', lines: [2, 3, 4, 7, 11].flatMap((line) => [line, lines.includes(line) ? 1 : 0]), branches: [], functions: [] },
    })),
  });
  const verifies = new Map([
    ['C-001', new Set(['BRK-007'])],
    ['C-002', new Set(['BRK-007'])],
    ['C-003', new Set(['BRK-012'])],
  ]);
  const states = (m: MeasuredFile, passing: string[]) =>
    Object.fromEntries(lineCredits(creditFile(m, { verifies, passing: new Set(passing) })).map((l) => [l.line, l.state]));

  it('gives each point the one reason that holds', () => {
    // Common practice: what cases of other requirements reached is no evidence for this one.
    expect(states(file({ 'C-001': [2], 'C-002': [3], 'C-003': [3, 4, 7, 11] }), ['C-001', 'C-003'])).toEqual({
      2: 'credited',
      3: 'noPassingRun',
      4: 'otherCases',
      7: 'noRequirement',
      11: 'noCase',
    });
    expect(states(file({ 'C-001': [] }), ['C-001'])[2]).toBe('neverHit');
  });

  it('credits only what was exercised, and its parts sum to the whole', () => {
    fc.assert(
      fc.property(
        fc.dictionary(fc.constantFrom('C-001', 'C-002', 'C-003'), fc.array(fc.constantFrom(2, 3, 4, 7, 11)), { minKeys: 1 }),
        fc.subarray(['C-001', 'C-002', 'C-003']),
        (hits, passing) => {
          const measured = file(hits);
          const credit = creditFile(measured, { verifies, passing: new Set(passing) });
          const whole = coverageOf([credit]).line;
          expect(whole.credited).toBeLessThanOrEqual(whole.exercised);
          const parts = unitCoverages([measured], [credit]).map((u) => u.totals.line);
          for (const lane of ['found', 'exercised', 'credited'] as const)
            expect(parts.reduce((sum, part) => sum + part[lane], 0)).toBe(whole[lane]);
        },
      ),
    );
  });

  it('tells what would close a gap, with figures that come true', () => {
    const measured = file({ 'C-001': [2, 3], 'C-003': [4] });
    const context = { verifies, passing: new Set(['C-001', 'C-003']) };
    const found = diagnoseLine(measured, 4, context);
    expect(found?.state).toBe('otherCases');
    expect(found?.hitBy).toEqual(['C-003']);
    expect(found?.remedies.map((r) => r.kind).sort()).toEqual(['extendCase', 'linkCase', 'traceCode']);
    const link = found?.remedies.find((r) => r.kind === 'linkCase');
    const after = creditFile(measured, { ...context, verifies: new Map([...verifies, ['C-003', new Set(['BRK-012', 'BRK-007'])]]) });
    expect(link?.after).toBe(coverageOf([after]).line.credited);
    expect(found?.remedies.find((r) => r.kind === 'extendCase')?.near).toEqual({ hit: 2, of: 3 });
  });
});
