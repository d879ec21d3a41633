import fc from 'fast-check';
import {
  casesOfModel,
  emptyModel,
  modelFindings,
  modelKinds,
  modelPrint,
  planMade,
  switchCoverage,
  type MadeBefore,
  type ModelOf,
} from '.';
import { invalidTransitions, switchWalks, type StateTable } from '../rows';
import { graphOf, pathCount, reachFor } from '../flow';

const brake: ModelOf<'flow'> = {
  kind: 'flow',
  title: 'Start',
  description: '',
  body: {
    variables: [{ name: 'wind', unit: 'm/s', domain: { kind: 'range', from: 0, to: 30, step: 1 } }],
    nodes: [
      { id: 'a', kind: 'start', text: 'Key on' },
      { id: 'b', kind: 'decision', text: 'Wind?' },
      { id: 'c', kind: 'action', text: 'Limit at {{wind}} m/s', expected: 'Limit shown' },
      { id: 'd', kind: 'action', text: 'Release', expected: 'Rope moves' },
      { id: 'e', kind: 'end', text: 'Running' },
    ],
    edges: [
      { from: 'a', to: 'b', label: '' },
      { from: 'b', to: 'c', label: 'windy', guard: [{ variable: 'wind', is: '>=', value: 12 }] },
      { from: 'b', to: 'd', label: 'calm', guard: [{ variable: 'wind', is: '<', value: 12 }] },
      { from: 'c', to: 'd', label: '' },
      { from: 'd', to: 'e', label: '' },
    ],
  },
};
const table: ModelOf<'decisionTable'> = {
  kind: 'decisionTable',
  title: 'Brake',
  description: '',
  body: {
    conditions: [
      { name: 'door open', values: ['yes', 'no'] },
      { name: 'speed', values: ['0', 'low', 'high'] },
    ],
    rules: [
      { name: 'R1', when: ['yes', null], actions: ['brake'] },
      { name: 'R2', when: ['no', 'high'], actions: ['brake', 'alarm'] },
      { name: 'R3', when: ['no', '0'], actions: ['release'] },
      { name: 'R4', when: ['no', 'low'], actions: ['release'] },
    ],
  },
};
const door: StateTable = {
  initial: 'shut',
  states: ['shut', 'open', 'locked'],
  events: ['open', 'close', 'lock', 'unlock'],
  transitions: [
    { from: 'shut', event: 'open', to: 'open', output: 'The lamp is on' },
    { from: 'open', event: 'close', to: 'shut' },
    { from: 'shut', event: 'lock', to: 'locked' },
    { from: 'locked', event: 'unlock', to: 'shut' },
  ],
};

describe('a model', () => {
  it('that was only begun is told what it lacks; one that is whole has no findings', () => {
    expect(modelKinds.map((kind) => modelFindings(emptyModel(kind, 'T')).filter((f) => f.severity === 'error').length > 0)).toEqual([
      false,
      true,
      true,
      true,
    ]);
    expect(modelFindings(brake)).toEqual([]);
    expect(modelFindings(table)).toEqual([]);
    expect(modelFindings({ kind: 'stateTable', title: 'Door', description: '', body: door })).toEqual([]);
    expect(modelFindings({ ...brake, title: ' ' })[0].cell).toBe('title');
  });

  it('of decisions tells gaps with an example, contradictions and strange values at their rule', () => {
    const [first, second, ...rest] = table.body.rules;
    const found = (rules: typeof table.body.rules) =>
      modelFindings({ ...table, body: { ...table.body, rules } }).map((f) => `${f.cell}: ${f.text}`);
    expect(found([first, ...rest])).toEqual([': 1 of 6 combinations have no rule; the first: door open = no, speed = high.']);
    expect(found([first, second, ...rest, { name: 'R5', when: ['no', 'low'], actions: ['brake'] }])).toEqual([
      'R5: Rules R4 and R5 contradict each other where door open = no, speed = low.',
    ]);
    expect(
      found([first, { ...second, when: ['no', 'fast'] }, ...rest]).some((text) => text.startsWith('R2: Rule R2: speed has no value fast')),
    ).toBeTrue();
  });

  it('of states tells what is not reached and what nobody answers', () => {
    const body = { ...door, states: [...door.states, 'lost'], events: [...door.events, 'ring'] };
    expect(modelFindings({ kind: 'stateTable', title: 'Door', description: '', body }).map((f) => [f.severity, f.cell])).toEqual([
      ['error', 'lost'],
      ['error', 'ring'],
      ['warning', 'lost'],
    ]);
  });

  it('prints the same for the same body, whatever its title', () => {
    expect(modelPrint(brake)).toBe(modelPrint({ ...brake, title: 'Other' }));
    expect(modelPrint(brake)).not.toBe(modelPrint({ ...brake, body: { ...brake.body, edges: brake.body.edges.slice(1) } }));
  });
});

describe('cases of a model', () => {
  it('of a flow have the steps and the row of each path; what is no path is left out', () => {
    const made = casesOfModel(brake, { of: 'paths', paths: [[0, 1, 3, 4], [0, 2, 4], [0, 4], [2, 4], [99]] });
    expect(made.map((m) => m.content.title)).toEqual(['Start: windy', 'Start: calm']);
    expect(made[0].content.steps).toEqual([
      { action: 'Limit at {{wind}} m/s', expected: 'Limit shown' },
      { action: 'Release', expected: 'Rope moves' },
    ]);
    expect(made.map((m) => m.content.rows)).toEqual([
      [{ name: 'row 1', values: { wind: '12' } }],
      [{ name: 'row 1', values: { wind: '0' } }],
    ]);
    expect(new Set(made.map((m) => m.identity)).size).toBe(2);
  });

  it('of rules are a case each, or rows of one', () => {
    const cases = casesOfModel(table, { of: 'rules', rules: ['R2', 'R3', 'R9'], as: 'cases' });
    expect(cases.map((m) => [m.identity, m.content.steps[0].action, m.content.steps[0].expected])).toEqual([
      ['rule R2', 'Set door open = no, speed = high', 'brake\nalarm'],
      ['rule R3', 'Set door open = no, speed = 0', 'release'],
    ]);
    const [one] = casesOfModel(table, { of: 'rules', rules: ['R1', 'R2'], as: 'rows' });
    expect(one.content.steps).toEqual([{ action: 'Set door open = {{door_open}}, speed = {{speed}}', expected: '{{expected}}' }]);
    expect(one.content.rows?.map((r) => r.values)).toEqual([
      { door_open: 'yes', speed: '0', expected: 'brake' },
      { door_open: 'no', speed: 'high', expected: 'brake; alarm' },
    ]);
  });

  it('of walks have a step for each transition, and show that other events change nothing', () => {
    const model: ModelOf<'stateTable'> = { kind: 'stateTable', title: 'Door', description: '', body: door };
    const made = casesOfModel(model, {
      of: 'walks',
      walks: [
        [0, 1],
        [1, 0],
      ],
      refused: [
        { state: 'open', event: 'lock' },
        { state: 'shut', event: 'open' },
      ],
    });
    expect(made.map((m) => m.content.steps.map((s) => s.expected))).toEqual([
      ['The lamp is on. The state is open', 'The state is shut'],
      ['The lamp is on. The state is open', 'Nothing changes: the state is open'],
    ]);
    expect(invalidTransitions(door).length).toBe(3 * 4 - 4);
  });

  it('made again are new, changed, the same or gone, and never doubled', () => {
    const now = casesOfModel(table, { of: 'rules', rules: ['R1', 'R2', 'R3'], as: 'cases' });
    const before = (m: (typeof now)[number], more: Partial<MadeBefore> = {}): MadeBefore => ({
      identity: m.identity,
      fingerprint: m.fingerprint,
      key: `C-${m.identity}`,
      edited: false,
      retired: false,
      ...more,
    });
    const plan = planMade(
      [before(now[0]), before(now[1], { fingerprint: 'x' }), { ...before(now[0]), identity: 'rule R8' }],
      [...now, now[2]],
    );
    expect(plan.fresh.map((m) => m.identity)).toEqual(['rule R3']);
    expect(plan.changed.map((m) => m.now.identity)).toEqual(['rule R2']);
    expect(plan.same.map((m) => m.identity)).toEqual(['rule R1']);
    expect(plan.gone.map((m) => m.identity)).toEqual(['rule R8']);
    // What was retired and is chosen again comes back, and is not made anew.
    expect(planMade([before(now[0], { retired: true })], [now[0]]).changed.length).toBe(1);
    expect(planMade([before(now[0], { retired: true })], []).gone).toEqual([]);
  });
});

describe('how much a set of walks covers', () => {
  it('is all of what was walked for it, by either number of switches', () => {
    for (const switches of [0, 1] as const) {
      const { walks, of } = switchWalks(door, switches);
      expect(switchCoverage(door, walks, switches)).toEqual({ covered: of, of, missing: [] });
      expect(switchCoverage(door, [], switches).missing.length).toBe(of);
    }
    expect(switchCoverage(door, [[door.transitions[0]]], 0).missing.length).toBe(3);
  });
});

describe('paths for a criterion', () => {
  it('reach all of it that guards allow, and are proved fewest where they can be', () => {
    const g = graphOf({ title: '', ...brake.body });
    for (const criterion of ['nodes', 'edges', 'edgePairs', 'primePaths', 'loops'] as const) {
      const reach = reachFor(g, criterion, 1);
      expect([criterion, reach.covered, reach.forbidden.length, reach.complete]).toEqual([criterion, reach.of, 0, true]);
      expect(reach.paths.length).toBe(criterion === 'nodes' ? 1 : 2);
      expect(reach.minimal).withContext(criterion).toBeTrue();
    }
    expect(pathCount(g, 1)).toBe('2');
  });

  it('name what guards forbid, with the guard', () => {
    const never = {
      ...brake.body,
      edges: brake.body.edges.map((e) => (e.label === 'windy' ? { ...e, guard: [{ variable: 'wind', is: '>' as const, value: 99 }] } : e)),
    };
    const reach = reachFor(graphOf({ title: '', ...never }), 'edges', 0);
    expect(reach.forbidden.map((f) => f.guard)).toContain('wind > 99');
    const all = reachFor(graphOf({ title: '', ...never }), 'loops', 0);
    expect([all.paths.length, all.forbidden.length]).toEqual([1, 1]);
  });

  it('cover every two edges in a row, whatever the flow, with no fewer than are proved', () => {
    // Layers of nodes, each joined to some of the next: every node lies on a way from the start to the end.
    const layered = fc.array(fc.integer({ min: 1, max: 3 }), { minLength: 1, maxLength: 3 });
    fc.assert(
      fc.property(layered, fc.integer({ min: 0, max: 1000 }), (sizes, seed) => {
        const layers = [['start'], ...sizes.map((n, l) => Array.from({ length: n }, (_, i) => `n${l}_${i}`)), ['end']];
        const edges = layers
          .slice(1)
          .flatMap((layer, l) =>
            layer.flatMap((to, j) =>
              layers[l]
                .filter((_, i) => i === j % layers[l].length || (seed >> ((i + j + l) % 10)) % 2 === 1)
                .map((from) => ({ from, to, label: `${to}` })),
            ),
          );
        // Only what lies on some way from the start to the end is a flow without findings.
        let used = edges;
        for (let before = -1; before !== used.length;) {
          before = used.length;
          used = used.filter(
            (e) => (e.to === 'end' || used.some((o) => o.from === e.to)) && (e.from === 'start' || used.some((o) => o.to === e.from)),
          );
        }
        const ids = new Set(used.flatMap((e) => [e.from, e.to]));
        if (!ids.has('start') || !ids.has('end')) return;
        const nodes = [...ids].map((id) => ({
          id,
          kind: id === 'start' ? ('start' as const) : id === 'end' ? ('end' as const) : ('decision' as const),
          text: id,
        }));
        const g = graphOf({ title: '', variables: [], nodes, edges: used });
        const reach = reachFor(g, 'edgePairs', 0);
        expect(reach.covered).toBe(reach.of);
        expect(reach.minimal).toBeTrue();
        expect(reach.paths.length).toBeLessThanOrEqual(reachFor(g, 'loops', 0).paths.length);
      }),
      { numRuns: 60 },
    );
  });

  it('of a flow with 10^30 paths are counted, and not listed for ever', () => {
    const n = 100;
    const ids = Array.from({ length: n + 1 }, (_, i) => `j${i}`);
    const nodes = [
      ...ids.map((id, i) => ({ id, kind: i === 0 ? ('start' as const) : i === n ? ('end' as const) : ('decision' as const), text: id })),
      ...ids.slice(0, n).flatMap((id) => [`${id}a`, `${id}b`].map((side) => ({ id: side, kind: 'action' as const, text: side }))),
    ];
    const edges = ids.slice(0, n).flatMap((id, i) =>
      [`${id}a`, `${id}b`].flatMap((side) => [
        { from: id, to: side, label: side },
        { from: side, to: ids[i + 1], label: '' },
      ]),
    );
    const g = graphOf({ title: '', variables: [], nodes, edges });
    expect(pathCount(g, 0)).toBe((2n ** 100n).toString());
    const reach = reachFor(g, 'loops', 0);
    expect([reach.complete, reach.minimal]).toEqual([false, false]);
    expect(reachFor(g, 'edges', 0).paths.length).toBe(2);
  });
});
