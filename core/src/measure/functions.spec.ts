import fc from 'fast-check';
import { sourceFunctions } from './index';

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
