import fc from 'fast-check';
import {
  decodeVector,
  encodeVector,
  evaluate,
  executed,
  independenceOf,
  judgeDecision,
  parseDecision,
  smallestCompletion,
  smallestSet,
  truthTable,
  vectorWords,
  type DecisionText,
  type Expression,
  type McdcForm,
  type Vector,
} from './index';

const forms: readonly McdcForm[] = ['uniqueCause', 'uniqueCauseMasking', 'masking'];
const decision = (text: string, language: 'c' | 'ada' | 'plain' = 'c'): DecisionText => {
  const { decision: found, findings } = parseDecision(text, language);
  if (!found) throw new Error(findings[0]?.text);
  return found;
};
/** A vector from `TF-`, with the outcome that the decision gives. */
const vector = (d: DecisionText, letters: string): Vector => {
  let [evaluated, values] = [0, 0];
  [...letters].forEach((c, i) => {
    if (c !== '-') evaluated |= 1 << i;
    if (c === 'T') values |= 1 << i;
  });
  return { evaluated, values, outcome: evaluate(d.root, values).outcome };
};
const shape = (e: Expression): string =>
  e.kind === 'condition' ? String(e.index) : e.kind === 'not' ? `!${shape(e.of)}` : `(${shape(e.left)} ${e.kind} ${shape(e.right)})`;

describe('the text of a decision', () => {
  it('is read in the spellings of C, C++, Ada and plain words', () => {
    expect(shape(decision('a && (b || !c)').root)).toBe('(0 and (1 or !2))');
    expect(shape(decision('a and not b or c').root)).toBe('((0 and !1) or 2)');
    expect(shape(decision('A and then (B or else C)', 'ada').root)).toBe('(0 and (1 or 2))');
    expect(shape(decision('a xor b and c', 'plain').root)).toBe('(0 xor (1 and 2))');
    expect(decision('in->wind_kmh > LIMIT && !in->evacuate').conditions).toEqual(['in->wind_kmh>LIMIT', 'in->evacuate']);
    expect(decision('f(a && b, "||") > 2 || (x + 1) * 2 == y').conditions).toEqual(['f(a&&b,"||")>2', '(x+1)*2==y']);
    expect(shape(decision('!(a && b)').root)).toBe('!(0 and 1)');
    expect(decision('!x > 3 && y').conditions).toEqual(['!x>3', 'y']);
    expect(shape(decision('not x > 3', 'plain').root)).toBe('!0');
  });

  it('that cannot be read is a finding with its place', () => {
    const place = (text: string, language: 'c' | 'ada' = 'c'): string | undefined => parseDecision(text, language).findings[0]?.cell;
    expect([place('a && '), place('(a && b'), place('a || b)'), place('a ? b : c'), place('A and B or C', 'ada')]).toEqual([
      '6',
      '1',
      '7',
      '3',
      '9',
    ]);
    expect(parseDecision(Array.from({ length: 21 }, (_, i) => `c${i}`).join(' && ')).findings[0].text).toContain('21 conditions');
    expect(parseDecision(`${'('.repeat(5000)}a${')'.repeat(5000)}`).findings[0].text).toContain('nested too deeply');
    fc.assert(
      fc.property(fc.array(fc.constantFrom('a', 'b', '&&', '||', '!', '(', ')', 'xor', '"', '<', ' ')), (parts) => {
        const { decision: found, findings } = parseDecision(parts.join(' '));
        expect(found === null).toBe(findings.length > 0);
      }),
    );
  });

  it('shows which conditions are coupled', () => {
    expect(decision('(a && b) || (a && c)').couplings).toEqual([{ conditions: [0, 2], opposite: [false, false] }]);
    expect(decision('x > 3 && (y || x <= 3) && 3 < x').couplings).toEqual([{ conditions: [0, 2, 3], opposite: [false, true, false] }]);
    expect(truthTable(decision('(a && b) || (a && c)')).length).toBe(8);
  });

  it('is evaluated with short circuit, leaving the rest not evaluated', () => {
    const d = decision('a && (b || c)');
    expect(truthTable(d).map((row) => vectorWords(executed(row), 3))).toEqual([
      'F - - = F',
      'T F F = F',
      'F - - = F',
      'T T - = T',
      'F - - = F',
      'T F T = T',
      'F - - = F',
      'T T - = T',
    ]);
    expect(vectorWords(executed(truthTable(decision('a and b', 'ada'))[0]), 2)).toBe('F F = F');
  });

  it('gives vectors that are stored as numbers and come back', () => {
    fc.assert(
      fc.property(fc.nat(2 ** 20 - 1), fc.nat(2 ** 20 - 1), fc.boolean(), (evaluated, values, outcome) => {
        const v = { evaluated, values: values & evaluated, outcome };
        expect(decodeVector(encodeVector(v, 20), 20)).toEqual(v);
      }),
    );
  });
});

/** Any expression over so many conditions, each met once unless names repeat. */
const expression = (most: number): fc.Arbitrary<DecisionText> =>
  fc
    .record({
      names: fc.array(fc.constantFrom('a', 'b', 'c', 'd'), { minLength: 1, maxLength: most }),
      joins: fc.array(fc.record({ how: fc.constantFrom('&&', '||', 'xor'), negate: fc.boolean(), at: fc.nat(99) }), {
        minLength: most,
        maxLength: most,
      }),
    })
    .map(({ names, joins }) => {
      const parts = names.map((name, i) => (joins[i].negate ? `!${name}` : name));
      for (let i = 0; parts.length > 1; i++) {
        const at = joins[i].at % (parts.length - 1);
        parts.splice(at, 2, `(${parts[at]} ${joins[i].how} ${parts[at + 1]})`);
      }
      return decision(parts[0]);
    });

/** Every way of completing a vector that the couplings allow. */
function completions(d: DecisionText, v: Vector): number[] {
  return truthTable(d)
    .map((row) => row.values)
    .filter((values) => ((values ^ v.values) & v.evaluated) === 0);
}

/** By the definition, without any of our short ways: is there a completion of both in which the pair shows condition i? */
function pairShows(d: DecisionText, x: Vector, y: Vector, i: number, form: McdcForm): boolean {
  const flips = (values: number): boolean => evaluate(d.root, values).outcome !== evaluate(d.root, values ^ (1 << i)).outcome;
  const group = d.couplings.find(({ conditions }) => conditions.includes(i))?.conditions ?? [i];
  if (x.outcome === y.outcome || !((x.evaluated >>> i) & (y.evaluated >>> i) & 1)) return false;
  return completions(d, x).some((a) =>
    completions(d, y).some((b) => {
      const differs = a ^ b;
      if (!((differs >>> i) & 1)) return false;
      if (form === 'masking') return flips(a) && flips(b);
      if (differs === 1 << i) return true;
      const inGroup = Array.from({ length: d.conditions.length }, (_, c) => c).every((c) => !((differs >>> c) & 1) || group.includes(c));
      return form === 'uniqueCauseMasking' && inGroup && flips(a) && flips(b);
    }),
  );
}

describe('independence', () => {
  it('equals the definition tried out exhaustively, to 4 conditions', () => {
    fc.assert(
      fc.property(expression(4), fc.array(fc.nat(15), { maxLength: 6 }), fc.constantFrom(...forms), (d, chosen, form) => {
        const table = truthTable(d);
        const vectors = [...new Set(chosen.map((c) => c % table.length))].map((c) => executed(table[c]));
        const { conditions } = judgeDecision(vectors, d.conditions.length, form, d);
        conditions.forEach((result, i) => {
          const brute = vectors.some((x) => vectors.some((y) => pairShows(d, x, y, i, form)));
          expect(result.shown)
            .withContext(`${shape(d.root)} ${form} condition ${i}: ${vectors.map((v) => vectorWords(v, d.conditions.length)).join('; ')}`)
            .toBe(brute);
        });
      }),
      { numRuns: 400 },
    );
  });

  it('asks no more of a weaker form', () => {
    fc.assert(
      fc.property(expression(4), fc.array(fc.nat(15), { maxLength: 8 }), (d, chosen) => {
        const table = truthTable(d);
        const vectors = chosen.map((c) => executed(table[c % table.length]));
        const counts = forms.map((form) => judgeDecision(vectors, d.conditions.length, form, d).shown);
        expect(counts[0] <= counts[1] && counts[1] <= counts[2]).toBeTrue();
      }),
    );
  });

  it('says which vectors would complete it, and they do', () => {
    fc.assert(
      fc.property(expression(4), fc.array(fc.nat(15), { maxLength: 5 }), fc.constantFrom(...forms), (d, chosen, form) => {
        const table = truthTable(d);
        const vectors = chosen.map((c) => executed(table[c % table.length]));
        judgeDecision(vectors, d.conditions.length, form, d).conditions.forEach((result, i) => {
          const possible = table.some((x) => table.some((y) => pairShows(d, executed(x), executed(y), i, form)));
          if (!result.shown) expect(result.why === 'impossible').toBe(!possible);
          if (result.needs)
            expect(judgeDecision([...vectors, ...result.needs], d.conditions.length, form, d).conditions[i].shown).toBeTrue();
        });
      }),
    );
  });

  it('without the expression is judged by unique cause, and drops vectors that contradict it', () => {
    const d = decision('a && b');
    const vectors = ['TT', 'F-', 'TF'].map((letters) => vector(d, letters));
    expect(independenceOf(vectors)).toBe(3);
    expect(judgeDecision(vectors, 2, 'masking').form).toBe('uniqueCause');
    expect(judgeDecision([...vectors, { evaluated: 3, values: 3, outcome: false }], 2, 'masking', d).contradicting).toEqual([3]);
  });

  it('is not additive: two cases together may show what neither does alone', () => {
    // Follows from the definition (CHECKS.md).
    const d = decision('a && b');
    const [one, two] = [[vector(d, 'TT')], [vector(d, 'F-'), vector(d, 'TF')]];
    expect([independenceOf(one), independenceOf(two), independenceOf([...one, ...two])]).toEqual([0, 0, 3]);
  });

  it('can be impossible by unique cause where conditions are coupled, and possible by masking', () => {
    // Source: CAST-10; Chilenski, DOT/FAA/AR-01/18 (recalled).
    const d = decision('(a && b) || (!a && c)');
    const all = truthTable(d).map(executed);
    const [unique, , masking] = forms.map((form) => judgeDecision(all, 4, form, d).conditions.map((c) => c.shown));
    expect(unique).toEqual([false, true, false, true]);
    expect(masking).toEqual([true, true, true, true]);
    expect(judgeDecision(all, 4, 'uniqueCause', d).conditions[0].why).toBe('impossible');
  });
});

/** The size of the smallest set by trying all subsets of the truth table. */
function smallestByForce(d: DecisionText, form: McdcForm, given: readonly Vector[]): number {
  const table = truthTable(d).map((row): Vector => ({
    evaluated: -1 & (2 ** d.conditions.length - 1),
    values: row.values,
    outcome: row.outcome,
  }));
  const most = judgeDecision([...given, ...table], d.conditions.length, form, d).shown;
  let best = table.length;
  for (let set = 0; set < 2 ** table.length; set++) {
    const chosen = table.filter((_, i) => (set >>> i) & 1);
    if (chosen.length < best && judgeDecision([...given, ...chosen], d.conditions.length, form, d).shown === most) best = chosen.length;
  }
  return best;
}

describe('the smallest set of vectors', () => {
  it('for n conditions of and, or: n + 1, all alike and each different one alone', () => {
    // Source: Hayhurst et al., NASA/TM-2001-210876 (recalled).
    for (const n of [2, 5, 12, 20])
      for (const operator of ['&&', '||']) {
        const d = decision(Array.from({ length: n }, (_, i) => `c${i}`).join(` ${operator} `));
        for (const form of forms) {
          const set = smallestSet(d, form);
          expect([set.vectors.length, set.exact, set.impossible]).toEqual([n + 1, true, []]);
          const alike = operator === '&&' ? 2 ** n - 1 : 0;
          expect([...set.assignments].sort((a, b) => a - b)).toEqual(
            [alike, ...Array.from({ length: n }, (_, i) => alike ^ (1 << i))].sort((a, b) => a - b),
          );
        }
      }
  });

  it('for (A or B) and (C or D): 5; for a xor of two: 3 of its 4', () => {
    // Source: the same (recalled). Masking gets by with 4 of the former.
    const d = decision('(A or B) and (C or D)', 'plain');
    expect(smallestSet(d, 'uniqueCause').vectors.length).toBe(5);
    expect(smallestSet(d, 'masking').vectors.length).toBe(4);
    expect(smallestSet(decision('a xor b', 'plain'), 'uniqueCause').vectors.length).toBe(3);
  });

  it('shows what it says, for any decision', () => {
    fc.assert(
      fc.property(expression(4), fc.constantFrom(...forms), (d, form) => {
        const set = smallestSet(d, form);
        const judged = judgeDecision(set.vectors, d.conditions.length, form, d);
        judged.conditions.forEach((c, i) => expect(c.shown).toBe(!set.impossible.includes(i)));
      }),
    );
  });

  it('is as small as trying all subsets finds, to 3 conditions, from nothing and from what is given', () => {
    fc.assert(
      fc.property(expression(3), fc.constantFrom(...forms), fc.array(fc.nat(7), { maxLength: 2 }), (d, form, chosen) => {
        const table = truthTable(d);
        const given = chosen.map((c) => executed(table[c % table.length]));
        const from = smallestSet(d, form);
        expect([from.vectors.length, from.exact]).toEqual([smallestByForce(d, form, []), true]);
        const more = smallestCompletion(d, form, given);
        expect([more.vectors.length, more.exact]).toEqual([smallestByForce(d, form, given), true]);
      }),
      { numRuns: 60 },
    );
  });

  it('of a large coupled decision is a set and a bound, and says so', () => {
    const text = Array.from({ length: 14 }, (_, i) => `(c${i % 13} || d${i})`)
      .slice(0, 9)
      .join(' && ');
    const d = decision(`${text} && c0`);
    expect(d.conditions.length).toBe(19);
    const set = smallestSet(d, 'masking');
    expect(set.exact).toBeFalse();
    expect(set.lowerBound).toBeLessThanOrEqual(set.vectors.length);
    const judged = judgeDecision(set.vectors, 19, 'masking', d);
    judged.conditions.forEach((c, i) => expect(c.shown || set.impossible.includes(i)).toBeTrue());
  });
});
