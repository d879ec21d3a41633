import { graphOf, reachFor, type ModelOf, type ModelContent, type ModelKind, type Path } from '../../core/src/design';
import type { Actor, Db } from '../../server/src/base';
import { addCase, addFolder, addGroup, addModel, fileCases, makeCasesOf, planCasesOf } from '../../server/src/design';
import type { DemoCase } from './scenario';

/** The library’s folders, and which requirements the cases in each verify. */
const shelves: readonly (readonly [string, string | null, readonly [number, number], string])[] = [
  ['Brake', null, [4, 7], 'The brake opens and closes when it must. All of it is done on rig 1, with the rope at rest.'],
  ['Wear and daily test', 'Brake', [19, 22], 'Pads and the test before the first start of a day.'],
  ['Pressure sensors', null, [8, 13], 'Both channels, alone and against each other, warm and in the cold chamber.'],
  ['Speed and wind', null, [12, 27], 'What the rope may do in which wind. The fan stand is booked a week ahead.'],
  ['Alarms', null, [28, 32], ''],
  ['Interlocks and modes', null, [33, 40], 'Ways in and out of each mode; the keys hang beside rig 2.'],
];

/** Puts the cases into folders by what they verify. */
export async function seedFolders(db: Db, author: Actor, cases: readonly DemoCase[]): Promise<void> {
  const keys = new Map<string, string>();
  const left = new Set(cases);
  for (const [title, under, [from, to], description] of shelves) {
    const { key } = await addFolder(db, author, { title, description, under: under === null ? null : (keys.get(under) ?? null) });
    keys.set(title, key);
    const mine = [...left].filter((c) =>
      c.verifies.some((r) => r.startsWith('BRK-') && Number(r.slice(4)) >= from && Number(r.slice(4)) <= to),
    );
    if (!mine.length) continue;
    for (const c of mine) left.delete(c);
    await fileCases(
      db,
      author,
      mine.map((c) => c.key),
      key,
    );
  }
}

const start: ModelOf<'flow'> = {
  kind: 'flow',
  title: 'Start of the drive',
  description: 'What is asked between the key and the moving rope, and what happens where something is missing.',
  body: {
    variables: [
      { name: 'mains', domain: { kind: 'values', values: ['on', 'off'] } },
      { name: 'doors', domain: { kind: 'values', values: ['locked', 'unlocked'] } },
      { name: 'chain', domain: { kind: 'values', values: ['closed', 'open'] } },
      { name: 'wind', unit: 'km/h', domain: { kind: 'range', from: 0, to: 120, step: 1 } },
    ],
    nodes: [
      { id: 'key', kind: 'start', text: 'Key turned on' },
      {
        id: 'set',
        kind: 'action',
        text: 'Set mains {{mains}}, doors {{doors}}, stop chain {{chain}}, wind {{wind}} km/h',
        expected: 'The rig shows what was set',
      },
      { id: 'mains', kind: 'decision', text: 'Mains?' },
      { id: 'doors', kind: 'decision', text: 'Doors locked?' },
      { id: 'chain', kind: 'decision', text: 'Stop chain?' },
      { id: 'wind', kind: 'decision', text: 'Wind?' },
      { id: 'press', kind: 'action', text: 'Press start', expected: 'Mode RUN is shown' },
      { id: 'slow', kind: 'action', text: 'Press start', expected: 'Mode RUN is shown, the limit is 2.5 m/s' },
      { id: 'refused', kind: 'action', text: 'Press start', expected: 'Mode OFF stays, the brake stays applied' },
      { id: 'rope', kind: 'check', text: 'The rope', expected: 'The rope moves within 3 s' },
      { id: 'runs', kind: 'end', text: 'Running' },
      { id: 'off', kind: 'end', text: 'Stays OFF' },
    ],
    edges: [
      { from: 'key', to: 'set', label: '' },
      { from: 'set', to: 'mains', label: '' },
      { from: 'mains', to: 'doors', label: 'on', guard: [{ variable: 'mains', is: '=', value: 'on' }] },
      { from: 'mains', to: 'refused', label: 'off', guard: [{ variable: 'mains', is: '=', value: 'off' }] },
      { from: 'doors', to: 'chain', label: 'locked', guard: [{ variable: 'doors', is: '=', value: 'locked' }] },
      { from: 'doors', to: 'refused', label: 'unlocked', guard: [{ variable: 'doors', is: '=', value: 'unlocked' }] },
      { from: 'chain', to: 'wind', label: 'closed', guard: [{ variable: 'chain', is: '=', value: 'closed' }] },
      { from: 'chain', to: 'refused', label: 'open', guard: [{ variable: 'chain', is: '=', value: 'open' }] },
      { from: 'wind', to: 'press', label: 'to 70 km/h', guard: [{ variable: 'wind', is: '<=', value: 70 }] },
      {
        from: 'wind',
        to: 'slow',
        label: '71 to 89 km/h',
        guard: [
          { variable: 'wind', is: '>', value: 70 },
          { variable: 'wind', is: '<', value: 90 },
        ],
      },
      { from: 'wind', to: 'refused', label: '90 km/h and more', guard: [{ variable: 'wind', is: '>=', value: 90 }] },
      { from: 'press', to: 'rope', label: '' },
      { from: 'slow', to: 'rope', label: '' },
      { from: 'rope', to: 'runs', label: '' },
      { from: 'refused', to: 'off', label: '' },
    ],
  },
};

const wind: ModelOf<'parameters'> = {
  kind: 'parameters',
  title: 'Wind and speed',
  description: 'Limits of the rope speed by wind and mode.',
  body: {
    parameters: [
      {
        name: 'wind',
        type: 'number',
        unit: 'km/h',
        resolution: 1,
        classes: [
          { name: 'calm', valid: true, from: 0, to: 70 },
          { name: 'windy', valid: true, from: 71, to: 89 },
          { name: 'storm', valid: true, from: 90, to: 120 },
        ],
      },
      {
        name: 'mode',
        type: 'text',
        classes: [
          { name: 'RUN', valid: true, values: ['RUN'] },
          { name: 'MAINT', valid: true, values: ['MAINT'] },
          { name: 'EVAC', valid: true, values: ['EVAC'] },
        ],
      },
      {
        name: 'speed',
        type: 'number',
        unit: 'm/s',
        resolution: 0.1,
        classes: [
          { name: 'creep', valid: true, from: 0.1, to: 0.8 },
          { name: 'slow', valid: true, from: 0.9, to: 2.5 },
          { name: 'full', valid: true, from: 2.6, to: 5 },
        ],
      },
      {
        name: 'doors',
        type: 'text',
        classes: [
          { name: 'locked', valid: true, values: ['locked'] },
          { name: 'unlocked', valid: true, values: ['unlocked'] },
        ],
      },
    ],
    constraints: 'mode = MAINT => speed <= 0.8\nmode = EVAC => speed <= 1.2\ndoors = unlocked => mode = MAINT',
    criterion: 'pairs',
    seed: 1,
    given: [{ wind: 70, mode: 'RUN', speed: 2.5, doors: 'locked' }],
  },
};

const brake: ModelOf<'decisionTable'> = {
  kind: 'decisionTable',
  title: 'When the brake is applied',
  description: 'What the controller does with the service brake.',
  body: {
    conditions: [
      { name: 'stop chain', values: ['closed', 'open'] },
      { name: 'doors', values: ['locked', 'unlocked'] },
      { name: 'sensors', values: ['both', 'one', 'none'] },
      { name: 'second stage', values: ['quiet', 'responded'] },
    ],
    rules: [
      { name: 'chain', when: ['open', null, null, null], actions: ['The brake is applied', 'Alarm 0'] },
      { name: 'door', when: ['closed', 'unlocked', null, null], actions: ['The brake is applied'] },
      { name: 'blind', when: ['closed', 'locked', 'none', null], actions: ['The brake is applied', 'Alarm 3'] },
      { name: 'fast, both', when: ['closed', 'locked', 'both', 'responded'], actions: ['The brake is applied until a reset'] },
      { name: 'fast, one', when: ['closed', 'locked', 'one', 'responded'], actions: ['The brake is applied until a reset'] },
      { name: 'free', when: ['closed', 'locked', 'both', 'quiet'], actions: ['The brake may be released'] },
      { name: 'one eye', when: ['closed', 'locked', 'one', 'quiet'], actions: ['The brake may be released', 'Limit 2.5 m/s'] },
    ],
  },
};

const modes: ModelOf<'stateTable'> = {
  kind: 'stateTable',
  title: 'Modes of the controller',
  description: '',
  body: {
    initial: 'OFF',
    states: ['OFF', 'RUN', 'EVAC', 'FAULT'],
    events: ['start', 'stop', 'evacuate', 'fault', 'reset'],
    transitions: [
      { from: 'OFF', event: 'start', to: 'RUN', output: 'The brake is released' },
      { from: 'RUN', event: 'stop', to: 'OFF', output: 'The brake is applied' },
      { from: 'OFF', event: 'evacuate', to: 'EVAC', output: 'The evacuation drive is connected' },
      { from: 'EVAC', event: 'stop', to: 'OFF', output: 'The brake is applied' },
      { from: 'OFF', event: 'fault', to: 'FAULT', output: 'An alarm is raised' },
      { from: 'RUN', event: 'fault', to: 'FAULT', output: 'The brake is applied, an alarm is raised' },
      { from: 'EVAC', event: 'fault', to: 'FAULT', output: 'The brake is applied, an alarm is raised' },
      { from: 'FAULT', event: 'reset', to: 'OFF', output: 'The alarm list is empty' },
    ],
  },
};

/** The paths of a flow that reach every outcome. */
const pathsOf = ({ title, body }: ModelOf<'flow'>): readonly Path[] => reachFor(graphOf({ title, ...body }), 'edges', 1).paths;

/** Models of the specification, cases that were made of one of them, a case that measures, one that is called, and a group. */
export async function seedDesign(db: Db, author: Actor): Promise<{ readonly made: readonly string[]; readonly measured: string }> {
  const add = async (content: ModelContent & { readonly kind: ModelKind }, requirements: readonly string[]): Promise<string> =>
    (await addModel(db, author, { content, requirements })).key;
  const flow = await add(start, ['BRK-035']);
  await add(wind, ['BRK-012', 'BRK-014', 'BRK-016']);
  await add(brake, ['BRK-007', 'BRK-018', 'BRK-034']);
  await add(modes, ['BRK-036', 'BRK-037']);
  // All but the last path became cases: it is new on the screen.
  const all = pathsOf(start);
  const choice = { of: 'paths', paths: all.slice(0, -1) } as const;
  const plan = await planCasesOf(db, author.projectId, flow, { basedOn: 1, choice });
  const { written } = await makeCasesOf(db, author, flow, {
    basedOn: 1,
    choice,
    take: plan.fresh.map((m) => m.identity),
    retire: [],
    reason: '',
  });
  const measured = await addCase(db, author, {
    content: {
      title: 'The release lever is moved with no more than 250 N',
      objective: 'Shows that one person moves the lever by hand.',
      preconditions: 'Drive off, brake applied, force gauge at the grip',
      postconditions: 'The lever is back and sealed',
      kind: 'demonstration',
      tags: ['by hand', 'force'],
      priority: 'high',
      plannedMinutes: 12,
      samples: { confidence: 0.9, reliability: 0.8, failures: 0 },
      steps: [
        {
          action: 'Pull the lever through the gauge until the brake is free',
          expected: 'The brake is free, and the gauge shows its greatest force',
          readings: [{ name: 'force', unit: 'N', resolution: 1, limits: 'at most 250 N' }],
          evidence: 'picture',
        },
        {
          action: 'Let the lever go back',
          expected: 'The brake is applied again',
          readings: [{ name: 'time', unit: 'ms', resolution: 10, limits: 'at most 0.8 s' }],
        },
      ],
    },
    verifies: ['BRK-038'],
  });
  const prepare = await addCase(db, author, {
    content: {
      title: 'Bring the rig into RUN',
      objective: 'What many cases begin with, written once.',
      preconditions: 'Rig switched on',
      plannedMinutes: 3,
      steps: [
        { action: 'Turn the key to ON', expected: 'Mode OFF is shown' },
        { action: 'Set the wind to {{wind}} km/h', expected: 'The display shows {{wind}} km/h' },
        { action: 'Press start', expected: 'Mode RUN is shown within 3 s' },
      ],
    },
    verifies: [],
  });
  await addCase(db, author, {
    content: {
      title: 'The horn sounds in half seconds while the rope runs',
      objective: 'Shows the pattern of the horn.',
      preconditions: '',
      dependsOn: [written[0]],
      plannedMinutes: 6,
      steps: [
        { action: '', expected: '', call: { key: prepare, revision: 1, with: { wind: '20' } } },
        {
          action: 'Raise alarm 6 and measure the horn',
          expected: 'It sounds and pauses by turns',
          readings: [
            { name: 'on', unit: 's', resolution: 0.01, limits: '0.5 s ± 10 %' },
            { name: 'off', unit: 's', resolution: 0.01, limits: '0.5 s ± 10 %' },
          ],
        },
      ],
    },
    verifies: ['BRK-032'],
  });
  await addGroup(db, author, {
    title: 'Before every winter',
    purpose: 'What is run again before the first cold week, whatever changed.',
    cases: ['C-010', 'C-018', 'C-019', 'C-021', 'C-022'],
    requirements: [],
  });
  return { made: written, measured };
}
