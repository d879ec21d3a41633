import fc from 'fast-check';
import { proposePairs, tellingWords } from './propose';

const limits = { least: 0.1, most: 3 };
const none = new Set<string>();

describe('Traces that are proposed', () => {
  const requirements = [
    { key: 'R-1', text: 'Brake: The service brake shall close within 400 ms of a power failure.' },
    { key: 'R-2', text: 'Lamp: The cabin lamp shall be lit while the doors are open.' },
    { key: 'R-3', text: 'Doors: The doors shall stay locked above 0.3 m/s.' },
  ];
  const cases = [
    { key: 'C-1', text: 'Power failure at full speed: cut the power and measure when the service brakes close' },
    { key: 'C-2', text: 'Cabin lighting: open a door and look at the lamp of the cabin' },
    { key: 'C-3', text: 'Paint: look at the colour' },
  ];

  it('are pairs that share telling words, the likeliest first, with those words', () => {
    const pairs = proposePairs(cases, requirements, none, limits);
    expect(pairs.slice(0, 2).map(({ from, to }) => [from, to])).toEqual([
      ['C-2', 'R-2'],
      ['C-1', 'R-1'],
    ]);
    expect(pairs[1].words).toEqual(jasmine.arrayContaining(['power', 'failure', 'brake']));
    expect(pairs.some(({ from }) => from === 'C-3')).toBeFalse();
  });

  it('leave out what is traced already, what is itself, and what is not likely enough', () => {
    expect(
      proposePairs(cases, requirements, new Set(['C-1 R-1']), limits).some(({ from, to }) => from === 'C-1' && to === 'R-1'),
    ).toBeFalse();
    expect(proposePairs(requirements, requirements, none, limits).some(({ from, to }) => from === to)).toBeFalse();
    expect(proposePairs(cases, requirements, none, { least: 0.99, most: 3 })).toEqual([]);
  });

  it('weigh a term of the glossary more than another word', () => {
    const [a] = proposePairs(cases, requirements, none, limits).filter(({ from, to }) => from === 'C-2' && to === 'R-2');
    const [b] = proposePairs(cases, requirements, none, limits, ['cabin', 'lamp']).filter(({ from, to }) => from === 'C-2' && to === 'R-2');
    expect(b.score).toBeGreaterThan(a.score);
  });

  it('tell words by what they mean: no small words, no keys, one for singular and plural', () => {
    expect([...tellingWords('The brakes of BRK-007 shall close; the brake closes at 2.5 m').entries()]).toEqual([
      ['brake', 2],
      ['close', 2],
      ['2.5', 1],
    ]);
  });

  it('have scores from 0 to 1, no more than asked for each, and are the same as when worked out pair by pair', () => {
    const words = fc.array(fc.constantFrom('brake', 'door', 'lamp', 'speed', 'limit', 'cable', 'wind'), { minLength: 1, maxLength: 8 });
    fc.assert(
      fc.property(fc.array(words, { maxLength: 6 }), fc.array(words, { maxLength: 6 }), (left, right) => {
        const named = (of: string, texts: string[][]) => texts.map((text, i) => ({ key: `${of}-${i + 1}`, text: text.join(' ') }));
        const [froms, tos] = [named('A', left), named('B', right)];
        const pairs = proposePairs(froms, tos, none, { least: 0, most: 99 });
        const every = [...froms, ...tos].map(({ text }) => new Set(text.split(' ')));
        const weigh = (text: string): Record<string, number> => {
          const counts: Record<string, number> = {};
          for (const word of text.split(' ')) counts[word] = (counts[word] ?? 0) + 1;
          return Object.fromEntries(
            Object.entries(counts).map(([word, n]) => [
              word,
              (1 + Math.log(n)) * Math.log(1 + every.length / every.filter((set) => set.has(word)).length),
            ]),
          );
        };
        const length = (v: Record<string, number>): number => Math.sqrt(Object.values(v).reduce((sum, x) => sum + x * x, 0));
        for (const from of froms)
          for (const to of tos) {
            const [v, u] = [weigh(from.text), weigh(to.text)];
            const dot = Object.entries(v).reduce((sum, [word, x]) => sum + x * (u[word] ?? 0), 0);
            const pair = pairs.find((p) => p.from === from.key && p.to === to.key);
            if (Object.keys(v).filter((word) => u[word]).length < 2) expect(pair).toBeUndefined();
            else expect(pair?.score).toBeCloseTo(dot / length(v) / length(u), 6);
          }
      }),
      { numRuns: 60 },
    );
  });
});
