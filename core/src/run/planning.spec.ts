import fc from 'fast-check';
import { keeps, type CaseContent } from '../design';
import { configurationFindings, configurationsOf, mostConfigurations } from './configuration';
import { projectedEnd } from './pace';
import { lifeFindings, missingAt, moveRefusal, usualStages } from './problem-life';
import type { StepResult } from './record';
import { redlined, redlineRefusal, withRedlines, type RedlineAsked } from './redline';
import { machineRuns, matchResult, type MachineResult, type MatchableCase } from './results';
import { rollUp } from './verdict';

describe('configurations', () => {
  const dimensions = [
    { name: 'rig', values: ['1', '2'] },
    { name: 'temperature', values: ['cold', 'room', 'hot'] },
    { name: 'language', values: ['de', 'en'] },
  ];

  it('are all that no exclusion forbids, or so many that every two values that may meet do', () => {
    const plan = { dimensions, exclusions: 'rig = 2 => temperature != hot' };
    const all = configurationsOf(plan, 'all').names;
    expect(all.length).toBe(10);
    expect(all[0]).toBe('rig 1 · temperature cold · language de');
    const pairs = configurationsOf(plan, 'pairs').names;
    expect(pairs.length).toBeLessThan(all.length);
    for (const name of pairs) expect(all).toContain(name);
    const asked: [string, string][] = [];
    dimensions.forEach((a, i) =>
      dimensions.slice(i + 1).forEach((b) => {
        for (const x of a.values) for (const y of b.values) asked.push([`${a.name} ${x}`, `${b.name} ${y}`]);
      }),
    );
    const meet = ([x, y]: [string, string], names: readonly string[]) =>
      names.some((name) => name.split(' · ').includes(x) && name.split(' · ').includes(y));
    for (const pair of asked) expect(meet(pair, pairs)).withContext(pair.join(' with ')).toBe(meet(pair, all));
    expect(keeps({ when: [], then: [] }, {})).toBeTrue();
  });

  it('are written so that a value of several words speaks for itself, and no two are written alike', () => {
    const rigs = { name: 'rig', values: ['rig 1', 'bench 2', '3'] };
    const cold = { name: 'temperature', values: ['room temperature', 'cold'] };
    expect(configurationsOf({ dimensions: [rigs, cold], exclusions: '' }, 'all').names).toEqual(
      ['rig 1', 'bench 2', 'rig 3'].flatMap((rig) => [`${rig} · room temperature`, `${rig} · temperature cold`]),
    );
    const alike = { dimensions: [{ name: 'rig', values: ['1', 'rig 1'] }], exclusions: '' };
    expect(configurationFindings(alike)).toEqual([{ place: 'rig', text: 'rig has a value twice.' }]);
    expect(configurationsOf(alike, 'all').names).toEqual([]);
  });

  it('are told apart from those that are too many, and from plans that say nothing', () => {
    const wide = Array.from({ length: 6 }, (_, i) => ({ name: `d${i}`, values: ['a', 'b', 'c', 'd', 'e'] }));
    expect(configurationsOf({ dimensions: wide, exclusions: '' }, 'all').tooMany).toBe(5 ** 6);
    expect(configurationsOf({ dimensions: wide, exclusions: '' }, 'pairs').names.length).toBeLessThan(mostConfigurations);
    expect(configurationsOf({ dimensions: [], exclusions: '' }, 'all')).toEqual({ names: [], tooMany: undefined });
    const faults = configurationFindings({ dimensions: [{ name: 'my rig', values: ['1', '1'] }], exclusions: 'x = 1 => y = 2' });
    expect(faults.map(({ place }) => place)).toContain('my rig');
    expect(faults.some(({ place }) => place === 'line 1')).toBeTrue();
  });
});

describe('a redline', () => {
  const words = fc.string({ minLength: 1, maxLength: 6 }).filter((text) => text.trim() === text && text !== '');
  const open: StepResult = { verdict: null, observed: '', at: null };
  const anySteps = fc.array(fc.record({ action: words, expected: words }), { minLength: 1, maxLength: 6 });
  const anyAsked = fc.record({
    step: fc.integer({ min: 0, max: 8 }),
    what: fc.constantFrom('changed' as const, 'added' as const, 'dropped' as const),
    after: fc.record({ action: words, expected: words }),
    reason: fc.constant('Rig is slow'),
  });

  it('keeps steps and results together, says what was before, and changes nothing else', () => {
    fc.assert(
      fc.property(anySteps, fc.array(fc.boolean(), { minLength: 6, maxLength: 6 }), anyAsked, (steps, done, asked) => {
        const results = steps.map((_, i): StepResult => (done[i] ? { verdict: 'pass', observed: `${i}`, at: '' } : open));
        const given: RedlineAsked = { ...asked, after: asked.what === 'dropped' ? null : asked.after };
        if (redlineRefusal({ steps, results }, given) !== undefined) return;
        const after = redlined({ steps, results }, given, 'tom', '2026-01-01');
        expect(after.steps.length).toBe(after.results.length);
        const by = { changed: 0, added: 1, dropped: -1 }[asked.what];
        expect(after.steps.length).toBe(steps.length + by);
        // Every result that was recorded still belongs to the step that it was recorded for.
        results.forEach((result, i) => {
          if (!result.verdict) return;
          const at = after.results.findIndex((r) => r.observed === result.observed);
          expect(after.steps[at]).toEqual(steps[i]);
        });
        expect(after.redline.before).toEqual(asked.what === 'added' ? null : steps[asked.step - 1]);
      }),
    );
  });

  it('of a run is taken into its case just so, where the case still says what was planned', () => {
    fc.assert(
      fc.property(anySteps, fc.array(anyAsked, { maxLength: 4 }), (steps, asks) => {
        let procedure: { steps: readonly { action: string; expected: string }[]; results: readonly StepResult[] } = {
          steps,
          results: steps.map(() => open),
        };
        const lines = [];
        for (const asked of asks) {
          const given = { ...asked, after: asked.what === 'dropped' ? null : asked.after };
          if (redlineRefusal(procedure, given) !== undefined) continue;
          const { redline, ...next } = redlined(procedure, given, 'tom', '');
          procedure = next;
          lines.push(redline);
        }
        const content: CaseContent = { title: 't', objective: '', preconditions: '', plannedMinutes: 1, steps };
        const taken = withRedlines(content, lines);
        expect(taken.left).toEqual([]);
        expect(taken.content.steps).toEqual(procedure.steps);
      }),
    );
  });

  it('finds no place in a case that was revised since', () => {
    const content: CaseContent = {
      title: 't',
      objective: '',
      preconditions: '',
      plannedMinutes: 1,
      steps: [{ action: 'New', expected: 'n' }],
    };
    const line = {
      step: 1,
      what: 'changed' as const,
      before: { action: 'Old', expected: 'o' },
      after: { action: 'x', expected: 'y' },
      reason: '',
      by: '',
      at: '',
    };
    expect(withRedlines(content, [line]).left).toEqual([line]);
  });

  it('is refused for what was done, for nothing, and without a reason', () => {
    const steps = [{ action: 'a', expected: 'b' }];
    const at = (results: StepResult[], more: object) =>
      redlineRefusal({ steps, results }, {
        step: 1,
        what: 'changed',
        after: { action: 'c', expected: 'd' },
        reason: 'why',
        ...more,
      } as RedlineAsked);
    expect(at([{ ...open, verdict: 'pass' }], {})).toContain('has a result');
    expect(at([open], { reason: ' ' })).toContain('why');
    expect(at([open], { after: steps[0] })).toContain('Nothing');
    expect(at([open], { what: 'dropped', after: null })).toContain('at least one');
    expect(at([open], { step: 3 })).toContain('no step 3');
    expect(at([open], {})).toBeUndefined();
  });
});

describe('results of programs', () => {
  const cases = new Map<string, MatchableCase>(
    [
      { key: 'C-001', title: 'Closes', rows: [] },
      { key: 'C-002', title: 'Opens', rows: ['cold', 'warm'] },
      { key: 'C-003', title: 'Twice', rows: [] },
      { key: 'C-004', title: 'Twice', rows: [] },
    ].map((c) => [c.key, c]),
  );
  const result = (name: string, verdict: MachineResult['verdict'] = 'passed', group = ''): MachineResult => ({
    group,
    name,
    verdict,
    seconds: 1,
    message: '',
  });

  it('belong by rule, the newest first, then by the key in their name or group, then by a title that only one case has', () => {
    const match = (name: string, group = '', rules: Parameters<typeof matchResult>[2] = []) => matchResult({ name, group }, cases, rules);
    expect(match('C-001 closes')).toEqual({ caseKey: 'C-001', row: null, by: 'keyInName' });
    expect(match('opens row cold', 'C-002')).toEqual({ caseKey: 'C-002', row: null, by: 'keyInGroup' });
    expect(match('C-002 row cold')).toEqual({ caseKey: 'C-002', row: 'cold', by: 'keyInName' });
    expect(match('C-002 [warm]')?.row).toBe('warm');
    expect(match('C-002 row other')?.row).toBeNull();
    expect(match('ABC-002X')).toBeUndefined();
    expect(match('XC-001')).toBeUndefined();
    expect(match('closes ')?.by).toBe('title');
    expect(match('twice')).toBeUndefined();
    const rules = [
      { pattern: '*closes*', caseKey: 'C-003', row: null },
      { pattern: 'unit › it closes (a.b)', caseKey: 'C-004', row: null },
    ];
    expect(match('it closes (a.b)', 'unit', rules)?.caseKey).toBe('C-004');
    expect(match('it closes (aXb)', 'unit', rules)?.caseKey).toBe('C-003');
    expect(match('x', '', [{ pattern: 'x', caseKey: 'C-999', row: null }])).toBeUndefined();
  });

  it('become one run a case and row, whose verdict is that of its steps', () => {
    const anyResults = fc.array(
      fc.tuple(
        fc.constantFrom('C-001 a', 'C-001 b', 'C-002 row cold', 'nothing'),
        fc.constantFrom<MachineResult['verdict']>('passed', 'failed', 'skipped'),
      ),
      { maxLength: 12 },
    );
    fc.assert(
      fc.property(anyResults, (list) => {
        const results = list.map(([name, verdict]) => result(name, verdict));
        const { runs, unmatched } = machineRuns(results, (r) => matchResult(r, cases, []));
        expect(unmatched).toEqual(results.flatMap((r, i) => (r.name === 'nothing' ? [i] : [])));
        for (const run of runs) {
          expect(rollUp(run.steps.map((s) => s.verdict))).toBe(run.verdict);
          expect(run.steps.some((s) => s.verdict !== 'blocked')).toBeTrue();
        }
        expect(new Set(runs.map((r) => `${r.caseKey} ${r.row}`)).size).toBe(runs.length);
      }),
    );
  });
});

describe('the life of a problem report', () => {
  it('lets it go where it leads, for those who may, with what is asked', () => {
    expect(lifeFindings(usualStages)).toEqual([]);
    expect(moveRefusal(usualStages, 'open', 'fixed', ['tester'])).toBeUndefined();
    expect(moveRefusal(usualStages, 'closed', 'fixed', ['tester'])).toContain('“Open”');
    expect(moveRefusal(usualStages, 'open', 'nowhere', [])).toContain('no stage');
    const guarded = usualStages.map((stage) => (stage.name === 'closed' ? { ...stage, roles: ['reviewer'] } : stage));
    expect(moveRefusal(guarded, 'open', 'closed', ['tester'])).toContain('a reviewer');
    expect(moveRefusal(guarded, 'open', 'closed', ['reviewer'])).toBeUndefined();
    expect(missingAt(usualStages[2], { fixedIn: null })).toEqual(['fixedIn']);
    expect(missingAt(usualStages[2], { fixedIn: '2.0' })).toEqual([]);
  });

  it('is found wanting where it begins closed, leads nowhere, names twice or never ends', () => {
    const texts = (stages: Parameters<typeof lifeFindings>[0]) => lifeFindings(stages).map(({ text }) => text);
    expect(texts([usualStages[3], usualStages[0]])).toContain('A report begins open: the first stage must mean that.');
    expect(texts([usualStages[0], usualStages[0]])).toContain('There are two stages open.');
    expect(texts([{ ...usualStages[0], next: ['away'] }])).toContain('It leads to away, which is no stage.');
    expect(texts([{ ...usualStages[0], next: [] }, usualStages[3]])).toContain('No report could ever be closed.');
  });
});

describe('the pace of a round', () => {
  it('ends as many days on as its minutes a day need, by hand', () => {
    const days = [
      { day: '2026-03-02', minutes: 30 },
      { day: '2026-03-03', minutes: 60 },
    ];
    // 60 of 150 minutes in two days: 30 a day, 90 left, three days more.
    expect(projectedEnd(150, days, '2026-03-03')).toBe('2026-03-06');
    // Two days later without a stroke: 15 a day.
    expect(projectedEnd(150, days, '2026-03-05')).toBe('2026-03-11');
    expect(projectedEnd(60, days, '2026-03-03')).toBeNull();
    expect(projectedEnd(60, [], '2026-03-03')).toBeNull();
  });
});
