import { carryNotes, type CodeNote } from './index';

const held = 'bool held(int a)\n{\n    if (a)\n        return true;\n    return false;\n}\n';
const latch = 'void latch(void)\n{\n    alarms |= 1;\n    count++;\n}\n';
const before = [{ path: 'src/a.c', text: `${held}\n${latch}` }];
const trace = (unit: string): CodeNote => ({ kind: 'trace', path: 'src/a.c', unit, requirement: 'BRK-007' });
const lines = (from: number, to: number): CodeNote => ({ kind: 'justification', path: 'src/a.c', from, to, rationale: 'Defensive.' });

describe('carrying notes to the next build', () => {
  it('keeps what is unchanged, wherever it moved', () => {
    const after = [
      { path: 'src/b.c', text: `\n\n${latch.replaceAll('    ', '\t')}` },
      { path: 'src/a.c', text: `// new\n${held}` },
    ];
    const [heldTrace, latchTrace, latchLines] = carryNotes(before, after, [trace('held'), trace('latch'), lines(10, 11)]);
    expect(heldTrace.to).toEqual(trace('held'));
    expect(latchTrace.to).toEqual({ ...trace('latch'), path: 'src/b.c' });
    expect(latchLines.to).toEqual({ ...lines(5, 6), path: 'src/b.c' });
  });

  it('carries unchanged lines of a changed function, and says why not the others', () => {
    const after = [{ path: 'src/a.c', text: `${held.replace('if (a)', 'a++;\n    if (a > 2)')}\n${latch}` }];
    const carried = carryNotes(before, after, [trace('held'), lines(5, 5), lines(3, 3), trace('latch')]);
    expect(carried.map((c) => c.why)).toEqual(['changed', undefined, 'changed', undefined]);
    expect(carried[1].to).toEqual(lines(6, 6));
  });

  it('says what is gone and what is ambiguous', () => {
    const twice = [
      { path: 'src/x.c', text: latch },
      { path: 'src/y.c', text: latch },
    ];
    expect(carryNotes(before, twice, [trace('latch'), trace('held'), trace('other')]).map((c) => c.why)).toEqual([
      'ambiguous',
      'fileGone',
      'functionGone',
    ]);
    expect(carryNotes(before, [{ path: 'src/a.c', text: latch }], [trace('held'), lines(3, 3)]).map((c) => c.why)).toEqual([
      'functionGone',
      'functionGone',
    ]);
  });

  it('carries lines outside any function', () => {
    const old = [{ path: 'a.c', text: 'int x = 1;\nint y = 2;\n' }];
    const now = [{ path: 'a.c', text: '// head\nint x = 1;\nint y = 2;\n' }];
    const note: CodeNote = { kind: 'justification', path: 'a.c', from: 2, to: 2, rationale: 'A constant.' };
    expect(carryNotes(old, now, [note])[0].to).toEqual({ ...note, from: 3, to: 3 });
  });
});
