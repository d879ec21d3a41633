import fc from 'fast-check';
import { boundaryPoints, sufficiencyFindings } from '../enough';
import { emptyCase, moveItems, saidCase, saysMore, type CaseContent } from '../case';
import { samplesFor } from '../rows';
import {
  caseFaults,
  caseHtml,
  casesFromSheet,
  checkCaseWording,
  dependenceCircles,
  freezeCase,
  inDependenceOrder,
  notPassed,
  readCaseFile,
  replaceInCase,
  rowChanges,
  stepChanges,
  usualCaseKinds,
  writeCaseFile,
} from '.';

const step = (action: string, expected = 'The lamp is green') => ({ action, expected });
const content = (more: Partial<CaseContent> = {}): CaseContent => ({
  ...emptyCase,
  title: 'T',
  objective: 'O',
  steps: [step('Turn the key')],
  ...more,
});

describe('a case', () => {
  it('keeps nothing that says nothing', () => {
    const said = saidCase(
      content({ tags: [], kind: ' ', samples: null, layout: {}, steps: [{ ...step('a'), data: ' ', readings: [], verifies: [] }] }),
    );
    expect(said).toEqual(content({ steps: [step('a')] }));
    expect(saysMore(said)).toBeFalse();
    expect(saysMore(content({ steps: [{ ...step('a'), evidence: 'picture' }] }))).toBeTrue();
  });

  it('of a kind is asked for what that kind is made of', () => {
    expect(caseFaults(content({ steps: [] }), 'script')).toEqual(['It has no script.']);
    expect(caseFaults(content({ steps: [], script: 'run.sh' }), 'script')).toEqual([]);
    expect(caseFaults(content({ steps: [step('Look at the seal', '')] }), 'checklist')).toEqual([]);
    expect(caseFaults(content({ steps: [step('Look at the seal', '')] }))).toEqual(['Step 1 has no expected result.']);
    expect(caseFaults(content({ steps: [{ ...step('a'), evidence: 'reading' }] })).length).toBe(1);
    expect(new Set(usualCaseKinds.map((k) => k.name)).size).toBe(usualCaseKinds.length);
  });

  it('is frozen with all that a step has, filled from its row', () => {
    const of = content({
      postconditions: 'At {{p}} bar',
      steps: [
        {
          ...step('Set {{p}} bar'),
          data: '{{p}}',
          readings: [{ name: 'p', unit: 'bar', resolution: 0.1, limits: '{{p}} ± 0.2 bar' }],
          evidence: 'reading',
          layout: { action: '<b>{{p}}</b>' },
        },
      ],
      rows: [{ name: 'r', values: { p: '3' } }],
    });
    const { content: frozen, findings } = freezeCase('C-001', of, of.rows?.[0], new Map());
    expect(findings).toEqual([]);
    expect(frozen.steps[0]).toEqual({
      action: 'Set 3 bar',
      expected: 'The lamp is green',
      data: '3',
      readings: [{ name: 'p', unit: 'bar', resolution: 0.1, limits: '3 ± 0.2 bar' }],
      evidence: 'reading',
      layout: { action: '<b>3</b>', expected: '' },
    });
    expect(frozen.postconditions).toBe('At 3 bar');
    expect(freezeCase('C-001', content({ steps: [], script: 'a.sh', arguments: '-x' }), undefined, new Map()).content.steps).toEqual([
      { action: 'Run a.sh -x', expected: 'It ends without a failure.' },
    ]);
  });
});

describe('several items moved', () => {
  it('keep their order, stop at the ends, and lose nothing', () => {
    expect(moveItems(['a', 'b', 'c', 'd'], [1, 3], -1)).toEqual({ items: ['b', 'a', 'd', 'c'], places: [0, 2] });
    expect(moveItems(['a', 'b', 'c'], [0, 1], 5)).toEqual({ items: ['c', 'a', 'b'], places: [1, 2] });
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.nat(50), { maxLength: 12 }),
        fc.array(fc.nat(14)),
        fc.integer({ min: -15, max: 15 }),
        (items, places, by) => {
          const moved = moveItems(items, places, by);
          expect([...moved.items].sort((a, b) => a - b)).toEqual([...items].sort((a, b) => a - b));
          const chosen = [...new Set(places)].filter((at) => at < items.length).sort((a, b) => a - b);
          expect(moved.places.map((at) => moved.items[at])).toEqual(chosen.map((at) => items[at]));
          const rest = items.filter((_, at) => !chosen.includes(at));
          expect(moved.items.filter((_, at) => !moved.places.includes(at))).toEqual(rest);
        },
      ),
    );
  });
});

describe('the wording of a case', () => {
  const rules = (of: CaseContent, requirements: string[] = []): string[] =>
    checkCaseWording(of, requirements).map((f) => `${f.rule} ${f.place}`);
  const faulty: readonly (readonly [string, CaseContent, string[]?])[] = [
    ['twoActions step 1, action', content({ steps: [step('Turn the key and press start')] })],
    ['twoActions step 1, action', content({ steps: [step('Open the door, close it')] })],
    ['twoActions step 1, action', content({ steps: [step('Set 3 bar. Wait 5 s')] })],
    ['nothingSeen step 1, expected', content({ steps: [step('Turn the key', 'OK')] })],
    ['nothingSeen step 1, expected', content({ steps: [step('Turn the key', 'It works as expected.')] })],
    ['nothingSeen step 1, expected', content({ steps: [step('Turn the key', 'The brake behaves correctly')] })],
    ['vague step 1, expected', content({ steps: [step('Turn the key', 'The lamp is lit quickly')] })],
    ['noUnit step 1, action', content({ steps: [step('Set the pressure to 3')] })],
    ['unfilled step 1, action', content({ steps: [step('Set {{pressure}} bar')], rows: [{ name: 'a', values: { speed: '1' } }] })],
    [
      'repeats step 1, expected',
      content({ steps: [step('Turn the key', 'The brake shall close within 2 s.')] }),
      ['The brake shall close within 2 s'],
    ],
  ];
  for (const [is, of, requirements] of faulty)
    it(`tells ${is} of “${of.steps[0].action} → ${of.steps[0].expected}”`, () => expect(rules(of, requirements)).toContain(is));

  const sound = [
    step('Turn the key to ON'),
    step('Press start', 'The rope moves within 2 s'),
    step('Hold the rope drive', 'Alarm 4 is shown and the brake is closed'),
    step('Wait 5 s', 'The display shows 3.0 bar ± 0.1 bar'),
    step('Read the pressure gauge'),
    step('Select the mode MAINT', 'The limit 0.5 m/s is shown'),
  ];
  for (const one of sound)
    it(`finds nothing in “${one.action} → ${one.expected}”`, () => expect(rules(content({ steps: [one] }))).toEqual([]));

  it('has its words where it says that they stand', () => {
    for (const [, of, requirements] of faulty)
      for (const { place, from, to, words } of checkCaseWording(of, requirements)) {
        const text = place.endsWith('expected') ? of.steps[0].expected : of.steps[0].action;
        if (to > from) expect(text.slice(from, to).toLowerCase()).toContain(words.toLowerCase().slice(0, 20));
      }
  });
});

describe('what cases depend on', () => {
  const rest = (key: string, ...dependsOn: string[]) => ({ key, dependsOn });

  it('comes before them, and circles are named', () => {
    expect(inDependenceOrder([rest('C', 'B'), rest('B', 'A'), rest('A'), rest('D')]).map((c) => c.key)).toEqual(['A', 'B', 'C', 'D']);
    expect(dependenceCircles([rest('A', 'B'), rest('B', 'A')])).toEqual(['A → B → A']);
    expect(dependenceCircles([rest('A', 'A')])).toEqual(['A → A']);
    expect(dependenceCircles([rest('A', 'B'), rest('B')])).toEqual([]);
  });

  it('stands before what rests on it, in any order without circles, and nothing is lost', () => {
    const graph = fc.integer({ min: 1, max: 10 }).chain((n) =>
      fc.tuple(
        fc.constant(n),
        fc.array(fc.tuple(fc.nat(n - 1), fc.nat(n - 1)), { maxLength: 20 }),
        fc.shuffledSubarray(
          Array.from({ length: n }, (_, i) => i),
          { minLength: n, maxLength: n },
        ),
      ),
    );
    fc.assert(
      fc.property(graph, ([n, pairs, order]) => {
        // A number rests only on smaller ones: no circle can close.
        const all = order.map((i) => rest(`C-${i}`, ...new Set(pairs.filter(([a, b]) => a === i && b < i).map(([, b]) => `C-${b}`))));
        const sorted = inDependenceOrder(all);
        expect(sorted.length).toBe(n);
        sorted.forEach((c, at) => c.dependsOn.forEach((on) => expect(sorted.findIndex((o) => o.key === on)).toBeLessThan(at)));
        expect(dependenceCircles(all)).toEqual([]);
      }),
    );
  });

  it('tells what has not passed', () => {
    expect(
      notPassed(
        ['C-002', 'C-001', 'C-003'],
        new Map([
          ['C-001', 'passed'],
          ['C-002', 'failed'],
        ]),
      ),
    ).toEqual([
      { key: 'C-002', standing: 'failed' },
      { key: 'C-003', standing: 'open' },
    ]);
  });
});

describe('what is otherwise between two revisions', () => {
  const of = (...steps: string[]) => ({ steps: steps.map((action) => step(action)) });

  it('is told step by step: added, changed, moved, gone', () => {
    expect(
      stepChanges(of('Turn the key', 'Press start'), of('Turn the key', 'Wait 5 s', 'Press start')).map((c) => [c.what, c.from, c.to]),
    ).toEqual([['added', null, 2]]);
    expect(
      stepChanges(of('Turn the key on', 'Press start'), of('Turn the key off', 'Press start')).map((c) => [c.what, c.from, c.to]),
    ).toEqual([['changed', 1, 1]]);
    expect(stepChanges(of('a1', 'b2', 'c3'), of('c3', 'a1', 'b2')).map((c) => [c.what, c.from, c.to])).toEqual([['moved', 3, 1]]);
    expect(stepChanges(of('a1', 'b2'), of('a1')).map((c) => [c.what, c.from, c.to])).toEqual([['gone', 2, null]]);
    const row = (name: string, p: string) => ({ name, values: { p } });
    expect(rowChanges({ rows: [row('a', '1')] }, { rows: [row('a', '2'), row('b', '9')] }).map((c) => c.what)).toEqual([
      'changed',
      'added',
    ]);
  });

  it('accounts for every step once, and is nothing between equals', () => {
    const list = fc.array(fc.constantFrom('alpha one', 'beta two', 'gamma three', 'delta four', 'alpha five'), { maxLength: 8 });
    fc.assert(
      fc.property(list, list, (a, b) => {
        const changes = stepChanges(of(...a), of(...b));
        const count = (what: string) => changes.filter((c) => c.what === what).length;
        expect(a.length - count('gone')).toBe(b.length - count('added'));
        expect(new Set(changes.flatMap((c) => c.from ?? [])).size).toBe(changes.filter((c) => c.from !== null).length);
        expect(stepChanges(of(...a), of(...a))).toEqual([]);
      }),
    );
  });
});

describe('find and replace', () => {
  it('goes through every text of a case, and through nothing else', () => {
    const of = content({
      title: 'Brake test',
      steps: [
        { action: 'Close the brake', expected: 'brakes', data: 'brake', layout: { action: '<p class="brake">Close the <b>brake</b></p>' } },
      ],
      rows: [{ name: 'brake', values: { brake: 'a brake' } }],
    });
    const words = replaceInCase(of, { find: 'brake', replace: 'clamp', sameCase: false, wholeWords: true });
    expect(words?.count).toBe(4);
    expect(words?.content.title).toBe('clamp test');
    expect(words?.content.steps[0]).toEqual({
      action: 'Close the clamp',
      expected: 'brakes',
      data: 'clamp',
      layout: { action: '<p class="brake">Close the <b>clamp</b></p>', expected: '' },
    });
    expect(words?.content.rows).toEqual([{ name: 'brake', values: { brake: 'a clamp' } }]);
    expect(replaceInCase(of, { find: 'Brake', replace: 'x', sameCase: true, wholeWords: false })?.count).toBe(1);
    expect(replaceInCase(of, { find: '.*', replace: 'x', sameCase: false, wholeWords: false })).toBeUndefined();
    expect(replaceInCase(content(), { find: 'key', replace: '$&$1', sameCase: false, wholeWords: false })?.content.steps[0].action).toBe(
      'Turn the $&$1',
    );
  });
});

describe('cases in files', () => {
  const full = content({
    preconditions: 'P',
    postconditions: 'Q',
    kind: 'hardware',
    tags: ['a'],
    dependsOn: ['C-002'],
    samples: { confidence: 0.9, reliability: 0.8, failures: 0 },
    steps: [
      {
        ...step('a'),
        data: 'd',
        evidence: 'picture',
        verifies: ['R-001'],
        readings: [{ name: 'n', unit: 'bar', resolution: 0.1, limits: 'at most 3 bar' }],
      },
      { action: '', expected: '', call: { key: 'C-002', revision: 1, with: { p: '3' } } },
    ],
    rows: [{ name: '1', values: { p: '3' } }],
  });

  it('are read back to the same', () => {
    const filed = { key: 'C-001', revision: 2, state: 'draft', folder: 'A / B', verifies: ['R-001'], content: full };
    expect(readCaseFile(writeCaseFile([filed]))).toEqual({ cases: [filed], findings: [] });
    const texts = fc.record({
      title: fc.string({ minLength: 1 }),
      objective: fc.string(),
      steps: fc.array(fc.record({ action: fc.string(), expected: fc.string() }), { maxLength: 4 }),
    });
    fc.assert(
      fc.property(texts, (more) => {
        const one = { ...filed, content: saidCase(content(more)) };
        expect(readCaseFile(writeCaseFile([one])).cases).toEqual([one]);
      }),
    );
  });

  it('that are something else are told, with their place', () => {
    expect(readCaseFile('{').findings.length).toBe(1);
    expect(readCaseFile('{"format":"other"}').findings[0].text).toContain('no file of cases');
    const broken = JSON.stringify({
      format: 'cord-proof-cases',
      version: 1,
      cases: [
        { key: 'C-1', content: { title: '', steps: [] } },
        { key: 'C-2', content: { title: 'x', steps: [3] } },
      ],
    });
    expect(readCaseFile(broken).findings.map((f) => f.cell)).toEqual(['cases[0].content.title', 'cases[1].content.steps[0]']);
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        const { cases, findings } = readCaseFile(JSON.stringify(value));
        expect(cases.length === 0 && findings.length > 0).toBeTrue();
      }),
    );
  });

  it('of a spreadsheet are a row a step, or a row a case with numbered lines', () => {
    const { cases, findings } = casesFromSheet(
      [
        ['Start', '1. Turn the key\n2. Press start', '1. Lamp on\n2. Rope moves', 'Brake / Cold', 'a; b'],
        ['Stop', 'Press stop', 'Rope stands', '', ''],
        ['', 'Wait 5 s', 'Brake closed', '', ''],
      ],
      { title: 0, action: 1, expected: 2, folder: 3, tags: 4 },
    );
    expect(findings).toEqual([]);
    expect(cases.map((c) => c.content.steps)).toEqual([
      [step('Turn the key', 'Lamp on'), step('Press start', 'Rope moves')],
      [step('Press stop', 'Rope stands'), step('Wait 5 s', 'Brake closed')],
    ]);
    expect(cases[0]).toEqual(jasmine.objectContaining({ folder: 'Brake / Cold' }));
    expect(cases[0].content.tags).toEqual(['a', 'b']);
  });

  it('as a page show all of it, and no markup of theirs', () => {
    const page = [
      ...caseHtml(
        {
          title: 'Cases',
          project: 'P',
          at: '2026-01-01T00:00:00.000Z',
          cases: [{ key: 'C-001', revision: 1, state: 'draft', folder: '', verifies: ['R-001'], content: content({ title: '<script>' }) }],
        },
        { traces: true },
      ),
    ].join('');
    expect(page).toContain('&#60;script&#62;');
    expect(page).toContain('R-001');
    expect(page).not.toContain('<script>');
  });
});

describe('whether cases suffice', () => {
  it('is asked of each limit: at it, one step below and above, in whatever unit and place', () => {
    const points = (text: string, of: CaseContent[]) =>
      boundaryPoints(
        text,
        of.map((c, i) => ({ key: `C-${i}`, content: c })),
      ).map((p) => [p.value, p.case]);
    expect(points('The brake shall close within 120 ms.', [])).toEqual([
      [119, null],
      [120, null],
      [121, null],
    ]);
    const at = (text: string) => content({ steps: [step(text)] });
    expect(
      points('The brake shall close within 120 ms.', [
        at('Delay of 0.12 s'),
        content({ steps: [step('Delay {{t}} ms')], rows: [{ name: 'a', values: { t: '121' } }] }),
      ]),
    ).toEqual([
      [119, null],
      [120, 'C-0'],
      [121, 'C-1'],
    ]);
    expect(points('The lamp shall be green.', [at('3 s')])).toEqual([]);
  });

  it('is told by rule: none, one, one technique, boundaries; nothing verified, never run, nearly the same, carried', () => {
    const requirement = (key: string, text = 'It shall hold.') => ({ key, title: key, text, method: 'test' });
    const one = (key: string, verifies: string[], more: object = {}) => ({
      key,
      title: key,
      content: content({ steps: [step(`Turn ${key} and look for a while at all lamps of the panel`)] }),
      verifies,
      runs: 1,
      technique: 'by hand',
      ...more,
    });
    const found = sufficiencyFindings(
      [requirement('R-001'), requirement('R-002', 'It shall close within 2 s.'), requirement('R-003')],
      [one('C-001', ['R-002']), one('C-002', ['R-003']), one('C-003', ['R-003'], { runs: 0 }), one('C-004', [])],
      [{ key: 'C-002', others: ['C-003'] }],
    );
    expect(found.map((f) => `${f.rule} ${f.key}`)).toEqual([
      'noCase R-001',
      'oneCase R-002',
      'oneTechnique R-003',
      'boundaries R-002',
      'verifiesNothing C-004',
      'neverRun C-003',
      'carried C-002',
    ]);
  });
});

describe('samples with failures', () => {
  it('are as many as the binomial distribution asks for', () => {
    // Success-run theorem (recalled): 95/95 59, 90/90 22, 95/99 299.
    expect([samplesFor(0.95, 0.95, 0), samplesFor(0.9, 0.9, 0), samplesFor(0.95, 0.99, 0)]).toEqual([59, 22, 299]);
    // The oracle adds up the probabilities as they are.
    const atMost = (n: number, r: number, p: number): number => {
      let sum = 0;
      for (let i = 0; i <= r; i++) {
        let term = 1;
        for (let j = 1; j <= i; j++) term *= ((n - i + j) / j) * (1 - p);
        sum += term * p ** (n - i);
      }
      return sum;
    };
    fc.assert(
      fc.property(fc.integer({ min: 50, max: 99 }), fc.integer({ min: 50, max: 97 }), fc.integer({ min: 0, max: 5 }), (c, r, failures) => {
        const n = samplesFor(c / 100, r / 100, failures) ?? 0;
        expect(atMost(n, failures, r / 100)).toBeLessThanOrEqual(1 - c / 100 + 1e-9);
        expect(n === failures + 1 || atMost(n - 1, failures, r / 100) > 1 - c / 100 - 1e-9).toBeTrue();
      }),
    );
    expect(() => samplesFor(0.9, 0.9, -1)).toThrow();
  });
});
