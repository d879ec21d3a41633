import fc from 'fast-check';
import { codeLines, heldAgainst, PointCollector, rangeOf, scanSource, sourceFunctions } from './index';

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

describe('a source as text', () => {
  it('is scanned once, whatever it holds: comments out, line breaks kept', () => {
    const { code, comments } = scanSource('a = "/*"; // b\n/* c\n d */ e\n\'"\' f "open\n g /* to the end');
    expect(code.split('\n').map((line) => line.trim())).toEqual(['a =     ;', '', 'e', 'f', 'g']);
    expect(comments.map((c) => [c.line, c.text])).toEqual([
      [1, '// b'],
      [3, '/* c\n d */'],
      [5, '/* to the end'],
    ]);
    fc.assert(
      fc.property(fc.array(fc.constantFrom('/*', '*/', '//', '"', "'", '\\', '\n', 'x', ' ')), (parts) => {
        const text = parts.join('');
        const scanned = scanSource(text);
        expect(scanned.code.length).toBe(text.length);
        expect(scanned.code.split('\n').length).toBe(text.split('\n').length);
      }),
    );
  });

  it('takes no longer than its length, for hostile text of its own kind', () => {
    const n = 300_000;
    for (const text of [
      '\\'.repeat(n),
      '/*'.repeat(n / 2),
      `a()${' '.repeat(n)}`,
      '/* @req '.repeat(n / 8),
      '('.repeat(n),
      `@req ${'A-'.repeat(n / 2)}`,
      '"\\'.repeat(n / 2),
      '{}'.repeat(n / 2),
    ])
      expect(sourceFunctions(text).length).toBe(0);
    expect(sourceFunctions(`/* @req A-1 */ ${'void f(void) { }\n'.repeat(20_000)}`).length).toBe(20_000);
  });

  it('knows the lines on which code stands', () => {
    const { lines, hasCode } = codeLines('int a;\n\n/* x\n y */\n  // z\n"s";\n}\n');
    expect(lines).toBe(7);
    expect([...hasCode.subarray(1, 8)]).toEqual([1, 0, 0, 0, 0, 1, 1]);
  });

  it('shows what a measurement says of lines that are not there, or hold no code', () => {
    const measured = (...at: number[]) => {
      const points = new PointCollector();
      for (const line of at) points.addLine(line, 1);
      points.addBranch(at[0], 0, 0, 1);
      return points.finish('a.c');
    };
    const source = codeLines('int a;\n\nint b;\n');
    const held = heldAgainst(measured(1, 2, 3), source);
    expect([held.pastEnd, held.idle]).toEqual([undefined, [2]]);
    const [from, to] = rangeOf(held.file.table, 'line');
    expect([...held.file.table.line.subarray(from, to)]).toEqual([1, 3]);
    expect(heldAgainst(measured(1, 4), source).pastEnd).toBe(4);
    const whole = measured(1, 3);
    expect(heldAgainst(whole, source).file).toBe(whole);
  });
});
