import fc from 'fast-check';
import { caseFaults } from './faults';
import {
  callableOf,
  casesFromSheet,
  expandCase,
  expandRound,
  freezeCase,
  markValues,
  fillText,
  placeholderFindings,
  placeholdersIn,
  revisionId,
  textsOf,
  planCases,
  stepsFromOutline,
  type CallableCase,
  type ExistingCase,
  type RoundCase,
  type TreeRequirement,
} from './index';

describe('names in braces', () => {
  const content = { preconditions: 'Rig at {{ temp }} °C', steps: [{ action: 'Set {{wind}} km/h', expected: 'Limit {{limit}} m/s' }] };

  it('are found and filled from the row', () => {
    expect(placeholdersIn('{{a}} {{ b.c }} {{a}} {{1}}')).toEqual(['a', 'b.c']);
    expect(fillText('Set {{wind}} km/h, {{x}}', { wind: 71 })).toBe('Set 71 km/h, {{x}}');
  });

  it('that are missing, unused or of the wrong type are findings', () => {
    const given = (rows: Record<string, string | number>[]) =>
      placeholderFindings(content, rows, [{ name: 'wind', type: 'number', classes: [] }]).map((f) => f.text);
    expect(given([{ temp: 20, wind: 71, limit: 2.5 }])).toEqual([]);
    expect(given([{ temp: 20, wind: 'much', other: 1 }])).toEqual([
      'Row 1 has no value for {{limit}} (step 1, expected).',
      'No text uses the column other.',
      '“much” is no number.',
    ]);
    expect(placeholderFindings({ preconditions: '{{wind', steps: [] }, []).map((f) => f.severity)).toEqual(['error']);
    expect(placeholderFindings(content, []).length).toBe(3);
  });
});

describe('a case with data rows', () => {
  const content = {
    title: 'Wait',
    objective: 'o',
    preconditions: 'At {{temp}} °C',
    steps: [{ action: 'Wait {{time}} s', expected: 'Alarm after {{time}} s' }],
    plannedMinutes: 1,
    rows: [
      { name: '1', values: { time: '2.5', temp: '20' } },
      { name: '2', values: { time: '12.5', temp: '20' } },
    ],
  };

  it('is frozen filled in, with its row beside it', () => {
    const { content: frozen, findings } = freezeCase('C-1', content, content.rows[1], new Map());
    expect([frozen.preconditions, frozen.steps[0].action, frozen.rows, findings]).toEqual([
      'At 20 °C',
      'Wait 12.5 s',
      [content.rows[1]],
      [],
    ]);
    const plain = freezeCase(
      'C-1',
      { ...content, rows: [], preconditions: '', steps: [{ action: 'a', expected: 'b' }] },
      undefined,
      new Map(),
    );
    expect('rows' in plain.content).toBeFalse();
  });

  it('that calls another revision is frozen with its steps in place, saying where they come from', () => {
    const calling = {
      ...content,
      preconditions: '',
      steps: [{ action: '', expected: '', call: { key: 'C-2', revision: 3, with: { s: '{{time}}' } } }],
    };
    const called = new Map([
      [revisionId('C-2', 3), callableOf('C-2', { preconditions: '', steps: [{ action: 'Hold {{s}} s', expected: 'x' }] })],
    ]);
    expect(freezeCase('C-1', calling, content.rows[0], called).content.steps).toEqual([
      { action: 'Hold 2.5 s', expected: 'x', from: 'C-2 step 1' },
    ]);
    expect(freezeCase('C-1', calling, undefined, new Map()).findings.map((f) => f.text)).toContain('There is no case C-2 revision 3.');
    expect(
      placeholdersIn(
        textsOf(calling)
          .map((t) => t.text)
          .join(' '),
      ),
    ).toEqual(['time']);
  });

  it('sets off what came from the row, whole values only', () => {
    const marked = (text: string): string =>
      markValues(text, { time: '2.5' })
        .map((p) => (p.value ? `[${p.text}]` : p.text))
        .join('');
    expect(marked('Wait 2.5 s, not 12.5 or 2.51')).toBe('Wait [2.5] s, not 12.5 or 2.51');
    expect(markValues('a (b', { x: '(b' })).toEqual([
      { text: 'a ', value: false },
      { text: '(b', value: true },
    ]);
  });

  it('cannot be approved with a name that no row fills, or rows that share a name', () => {
    expect(caseFaults(content)).toEqual([]);
    expect(
      caseFaults({
        ...content,
        rows: [
          { name: '1', values: { time: '1' } },
          { name: '1', values: { time: '2', temp: '3' } },
        ],
      }),
    ).toEqual(['Two data rows have the same name.', 'Row 1 has no value for {{temp}} (preconditions).']);
  });
});

describe('a case that calls others', () => {
  const cases = new Map<string, CallableCase>(
    [
      {
        key: 'C-1',
        preconditions: 'Doors shut',
        steps: [
          { action: 'Turn the key', expected: 'Lamp green' },
          { call: 'C-2', with: { speed: '{{v}}', mode: 'run' } },
          { action: 'Stop', expected: 'Rope stands' },
        ],
      },
      {
        key: 'C-2',
        preconditions: 'Mode {{mode}}',
        steps: [
          { action: 'Command {{speed}} m/s', expected: 'Rope at {{speed}} m/s' },
          { call: 'C-3', with: {} },
        ],
      },
      { key: 'C-3', preconditions: '', steps: [{ action: 'Look at the lamp', expected: 'It is lit' }] },
      { key: 'C-4', preconditions: '', steps: [{ call: 'C-5', with: {} }] },
      {
        key: 'C-5',
        preconditions: '',
        steps: [
          { action: 'a', expected: 'b' },
          { call: 'C-4', with: {} },
        ],
      },
    ].map((c) => [c.key, c]),
  );

  it('has their steps in place, numbered, each remembering where it comes from', () => {
    const { steps, preconditions, findings } = expandCase('C-1', cases, { v: 3 });
    expect(findings).toEqual([]);
    expect(preconditions).toBe('Doors shut\nMode run');
    expect(steps.map((s) => `${s.number} ${s.action} ${s.origin.map((o) => `${o.case}.${o.step}`).join('>')}`)).toEqual([
      '1 Turn the key C-1.1',
      '2 Command 3 m/s C-1.2>C-2.1',
      '3 Look at the lamp C-1.2>C-2.2>C-3.1',
      '4 Stop C-1.3',
    ]);
  });

  it('refuses loops of calls with the loop named, unknown cases and names that nothing fills', () => {
    expect(expandCase('C-4', cases).findings.map((f) => f.text)).toEqual(['A loop of calls: C-4 → C-5 → C-4.']);
    expect(expandCase('C-9', cases).findings.map((f) => f.text)).toEqual(['There is no case C-9.']);
    expect(expandCase('C-1', cases).findings.map((f) => f.text)).toContain('Nothing fills {{v}} here.');
  });

  it('ends for any calls whatever', () => {
    const calls = fc.array(fc.array(fc.nat(4), { maxLength: 3 }), { minLength: 5, maxLength: 5 });
    fc.assert(
      fc.property(calls, (graph) => {
        const any = new Map(
          graph.map((to, i): [string, CallableCase] => [
            String(i),
            { key: String(i), preconditions: '', steps: to.map((t) => ({ call: String(t), with: {} })) },
          ]),
        );
        const loops = (at: number, path: number[]): boolean => path.includes(at) || graph[at].some((t) => loops(t, [...path, at]));
        expect(expandCase('0', any).findings.some((f) => f.text.startsWith('A loop of calls'))).toBe(loops(0, []));
      }),
    );
  });
});

describe('an outline', () => {
  it('becomes steps: numbers, indentation, "expected:" and arrows', () => {
    const { steps, findings } = stepsFromOutline(
      '1. Turn the key\n   Expected: the lamp is green\n2) Press start -> the rope runs\n- Wait 2 s\n    the brake is open\n    no alarm\nStep 4: Stop. Expected result: it stands\n5. Look around\n',
    );
    expect(steps).toEqual([
      { action: 'Turn the key', expected: 'the lamp is green' },
      { action: 'Press start', expected: 'the rope runs' },
      { action: 'Wait 2 s', expected: 'the brake is open\nno alarm' },
      { action: 'Stop', expected: 'it stands' },
      { action: 'Look around', expected: '' },
    ]);
    expect(findings.map((f) => f.row)).toEqual([8]);
    fc.assert(fc.property(fc.string(), (text) => void stepsFromOutline(text)));
  });

  it('in a spreadsheet becomes cases, with findings by row and cell', () => {
    const columns = { title: 0, action: 1, expected: 2, minutes: 3, verifies: 4 };
    const { cases, findings } = casesFromSheet(
      [
        ['Key', 'Turn it', 'Lamp', '5', 'BRK-1, BRK-2'],
        ['', 'Pull it', '', '', ''],
        ['', '', '', '', ''],
        ['Rope', '', 'It runs', 'x', ''],
        ['Key', 'Again', 'Lamp', '', ''],
      ],
      columns,
    );
    expect(cases.map((c) => [c.content.title, c.content.steps.length, c.content.plannedMinutes, c.verifies.length, c.row])).toEqual([
      ['Key', 2, 5, 2, 2],
      ['Rope', 0, 0, 0, 5],
      ['Key', 1, 0, 0, 6],
    ]);
    expect(findings.map((f) => `${f.row} ${f.cell} ${f.severity}`).sort()).toEqual([
      '3 expected warning',
      '5 action error',
      '5 action error',
      '5 minutes error',
      '6 title error',
    ]);
    expect(casesFromSheet([['a']], {}).findings.length).toBe(1);
  });
});

const tree: readonly TreeRequirement[] = [
  { key: 'H', parent: null, kind: 'heading', title: 'Braking', text: '', method: '' },
  { key: 'R-1', parent: 'H', kind: 'requirement', title: 'Stop chain', text: 'The chain shall hold the brake.', method: 'test' },
  { key: 'R-2', parent: 'R-1', kind: 'requirement', title: 'Lamp', text: 'The lamp shall be red.', method: 'test' },
  { key: 'R-3', parent: 'R-1', kind: 'requirement', title: 'Time', text: 'The relay shall open within 120 ms.', method: 'test' },
  { key: 'R-4', parent: 'H', kind: 'requirement', title: 'Paint', text: 'The lever shall be yellow.', method: 'inspection' },
];

describe('cases drafted from a requirement tree', () => {
  it('propose a grain for each branch, which the author may change', () => {
    const plan = planCases(tree);
    expect(plan.grains.map((g) => g.grain)).toEqual(['none', 'case', 'step', 'rows', 'none']);
    expect(plan.make.map((d) => [d.draft, d.verifies.join(), d.content.steps.length])).toEqual([
      ['R-1', 'R-1,R-2', 2],
      ['R-3 time=119', 'R-3', 1],
      ['R-3 time=120', 'R-3', 1],
      ['R-3 time=121', 'R-3', 1],
    ]);
    const changed = planCases(
      tree,
      [],
      new Map([
        ['R-2', 'case'],
        ['R-3', 'step'],
      ] as const),
    );
    expect(changed.make.map((d) => d.verifies.join())).toEqual(['R-1,R-3', 'R-2']);
    expect(
      planCases(
        tree,
        [],
        new Map([
          ['R-1', 'none'],
          ['R-2', 'step'],
        ] as const),
      ).grains[2].grain,
    ).toBe('case');
  });

  it('run again only add what is new, and say which no longer match their text', () => {
    const made = planCases(tree).make.map((d, i): ExistingCase => ({
      key: `C-${i}`,
      verifies: d.verifies,
      madeFrom: { draft: d.draft, fingerprint: d.fingerprint },
    }));
    const again = planCases(tree, made);
    expect([again.make, again.outdated, again.link, again.skipped.length]).toEqual([[], [], [], 4]);
    const revised = tree.map((r) => (r.key === 'R-2' ? { ...r, text: 'The lamp shall blink.' } : r));
    expect(planCases(revised, made).outdated.map((o) => o.case)).toEqual(['C-0']);
    const grown = [
      ...tree,
      { key: 'R-5', parent: 'R-1', kind: 'requirement' as const, title: 'Horn', text: 'It shall sound.', method: 'test' },
    ];
    expect(planCases(grown, made).link).toEqual([{ case: 'C-0', requirement: 'R-5' }]);
  });

  it('leave alone what somebody made by hand', () => {
    const plan = planCases(tree, [{ key: 'C-9', verifies: ['R-1'] }]);
    expect(plan.skipped).toEqual([{ draft: 'R-1', case: 'C-9', why: 'made by hand' }]);
    expect(plan.link).toEqual([{ case: 'C-9', requirement: 'R-2' }]);
  });
});

describe('a round', () => {
  const cases: RoundCase[] = [
    {
      key: 'C-1',
      revision: 2,
      approved: true,
      plannedMinutes: 10,
      rows: [
        { name: '1', row: {} },
        { name: '2', row: {} },
      ],
    },
    { key: 'C-2', revision: 1, approved: false, plannedMinutes: 5, rows: [] },
  ];

  it('is cases x rows x configurations in a stable order, shared so that the minutes come out even', () => {
    const { runs, minutes, minutesOf } = expandRound(cases, ['cold', 'warm'], ['ann', 'bob']);
    expect(runs.map((r) => `${r.configuration} ${r.caseKey}/${r.row ?? ''} ${r.person}`)).toEqual([
      'cold C-1/1 ann',
      'cold C-1/2 bob',
      'cold C-2/ ann',
      'warm C-1/1 bob',
      'warm C-1/2 ann',
      'warm C-2/ bob',
    ]);
    expect([minutes, [...minutesOf.values()]]).toEqual([50, [25, 25]]);
    expect(expandRound(cases, ['cold'], ['ann', 'bob'], { people: 'everyone' }).runs.length).toBe(6);
  });

  it('leaves out what already passed and still stands, and what is not approved, each with its reason', () => {
    const passed = [
      { key: 'RUN-1', caseKey: 'C-1', caseRevision: 2, row: '1', configuration: 'cold' },
      { key: 'RUN-2', caseKey: 'C-1', caseRevision: 1, row: '2', configuration: 'cold' },
    ];
    const { runs, leftOut } = expandRound(cases, ['cold'], ['ann'], { passed, onlyApproved: 'yes' });
    expect(runs.map((r) => r.row)).toEqual(['2']);
    expect(leftOut.map((l) => [l.caseKey, l.row, l.why.code])).toEqual([
      ['C-1', '1', 'passed'],
      ['C-2', null, 'notApproved'],
    ]);
  });
});
