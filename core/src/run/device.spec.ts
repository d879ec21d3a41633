import fc from 'fast-check';
import {
  clockAhead,
  decidedMeanwhile,
  doneAt,
  isStepOf,
  placeAfter,
  recordedElsewhere,
  recordedOn,
  rollUp,
  stepVerdicts,
  type Decided,
  type RecordedAway,
  type Recording,
  type StepResult,
} from './index';

const open = (steps: number): Recording => ({
  state: 'planned',
  steps: Array.from({ length: steps }, (): StepResult => ({ verdict: null, observed: '', at: null })),
  startedAt: null,
  finishedAt: null,
  seconds: 0,
  verdict: null,
  conclusion: '',
});
const step = (at: string, n: number, verdict: StepResult['verdict'], observed = '', seconds = 0): RecordedAway => ({
  what: 'step',
  step: n,
  at,
  verdict,
  observed,
  seconds,
});

describe('A run that is recorded away from the server', () => {
  it('stands as it will once all of it has arrived', () => {
    const day = '2026-03-01T08:00:0';
    const acts: RecordedAway[] = [
      { what: 'begun', step: null, at: `${day}0.000Z` },
      step(`${day}1.000Z`, 1, 'pass', 'seen', 4),
      step(`${day}2.000Z`, 2, null, 'half a sen', 5),
      step(`${day}3.000Z`, 2, 'deviation', 'half a sentence more', 9),
      { what: 'finished', step: null, at: `${day}4.000Z`, seconds: 7, conclusion: ' It holds. ' },
    ];
    const run = acts.reduce(recordedOn, open(2));
    expect(run).toEqual({
      state: 'recorded',
      steps: [
        { verdict: 'pass', observed: 'seen', at: `${day}1.000Z` },
        { verdict: 'deviation', observed: 'half a sentence more', at: `${day}3.000Z` },
      ],
      startedAt: `${day}0.000Z`,
      finishedAt: `${day}4.000Z`,
      seconds: 9,
      verdict: 'deviation',
      conclusion: 'It holds.',
    });
  });

  it('is not finished while a step is open, and a verdict that is given again keeps its time', () => {
    const begun = recordedOn(open(2), step('2026-03-01T08:00:00.000Z', 1, 'pass'));
    const ended = recordedOn(begun, { what: 'finished', step: null, at: '2026-03-01T08:00:09.000Z' });
    expect([ended.verdict, ended.finishedAt, ended.state]).toEqual([null, null, 'onBench']);
    expect(recordedOn(begun, step('2026-03-01T08:00:05.000Z', 1, 'pass', 'and words')).steps[0]).toEqual({
      verdict: 'pass',
      observed: 'and words',
      at: '2026-03-01T08:00:00.000Z',
    });
  });

  // Written a second time: the last word on each step, whatever came before it.
  it('says of each step what was said of it last', () => {
    const act = fc.record({ n: fc.integer({ min: 1, max: 4 }), verdict: fc.constantFrom(null, ...stepVerdicts), observed: fc.string() });
    fc.assert(
      fc.property(fc.array(act), (acts) => {
        const run = acts.reduce(
          (so, { n, verdict, observed }, i) => recordedOn(so, step(new Date(i).toISOString(), n, verdict, observed)),
          open(4),
        );
        const last = [1, 2, 3, 4].map((n) => acts.filter((a) => a.n === n).at(-1));
        expect(run.steps.map(({ verdict, observed }) => [verdict, observed])).toEqual(
          last.map((a) => [a?.verdict ?? null, a?.observed ?? '']),
        );
        const verdict = rollUp(last.map((a) => a?.verdict ?? null)) ?? null;
        expect(recordedOn(run, { what: 'finished', step: null, at: new Date(99).toISOString() }).verdict).toBe(verdict);
      }),
    );
  });
});

describe('A step that another device recorded meanwhile', () => {
  const pass = { verdict: 'pass' as const, observed: 'seen' };
  const fail = { verdict: 'fail' as const, observed: 'not seen' };
  const none = { verdict: null, observed: '' };

  it('is found where it says neither what was known nor what is said now', () => {
    expect(recordedElsewhere(fail, none, pass)).toBeTrue();
    expect(recordedElsewhere(fail, pass, none)).toBeTrue();
    expect(recordedElsewhere(none, none, pass)).toBeFalse();
    // The same twice is one record, and spaces around words are none.
    expect(recordedElsewhere({ ...pass, observed: ' seen ' }, none, pass)).toBeFalse();
    expect(recordedElsewhere(fail, undefined, pass)).toBeFalse();
  });
});

describe('The clock of a device', () => {
  it('is corrected by what it said when it sent', () => {
    const note = { at: '2026-02-28T08:00:00.000Z', sent: '2026-02-28T10:00:00.000Z', arrived: '2026-03-01T10:00:02.000Z' };
    expect(clockAhead(note)).toBe(-86_402);
    expect(doneAt(note)).toBe('2026-03-01T08:00:02.000Z');
  });

  it('gives the time of the server to a second and the way of the message, however wrong it is', () => {
    const ms = (max: number) => fc.integer({ min: 0, max });
    fc.assert(
      fc.property(ms(1e12), ms(1e9), fc.integer({ min: -1e10, max: 1e10 }), ms(20_000), (done, waited, wrong, way) => {
        const iso = (t: number): string => new Date(t + 1e12).toISOString();
        const note = { at: iso(done + wrong), sent: iso(done + waited + wrong), arrived: iso(done + waited + way) };
        const off = Date.parse(doneAt(note)) - (done + 1e12);
        expect(off).toBeGreaterThanOrEqual(-1000);
        expect(off).toBeLessThanOrEqual(way + 1000);
      }),
    );
  });
});

describe('What others decide about a run meanwhile', () => {
  const run: Decided = {
    tester: 'tom',
    testerName: 'Tom',
    caseKey: 'C-1',
    caseRevision: 2,
    caseNow: 2,
    state: 'planned',
    supersededBy: null,
  };

  it('is told in sentences, and what stays as it was is not told', () => {
    expect(decidedMeanwhile(run, run)).toEqual([]);
    expect(decidedMeanwhile(run, { ...run, state: 'onBench' })).toEqual([]);
    expect(decidedMeanwhile(run, { ...run, tester: 'bea', testerName: 'Bea', caseNow: 3 })).toEqual([
      'It was given to Bea.',
      'C-1 has revision 3 now; this run is of revision 2.',
    ]);
    expect(decidedMeanwhile(run, { ...run, state: 'superseded', supersededBy: 'RUN-9' })).toEqual(['It was superseded by RUN-9.']);
    expect(decidedMeanwhile(run, { ...run, state: 'withdrawn' })).toEqual(['It was withdrawn.']);
  });
});

describe('A redline that moves steps', () => {
  it('takes what belongs to a step along with it, for any redline and any step', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 12 }),
        fc.constantFrom('changed', 'added', 'dropped'),
        fc.nat(),
        fc.nat(),
        (many, what, a, b) => {
          const names = Array.from({ length: many }, (_, i) => `step ${i}`);
          const step = 1 + (a % (what === 'added' ? many + 1 : many));
          const mine = 1 + (b % many);
          const after = [...names];
          if (what === 'added') after.splice(step - 1, 0, 'new');
          if (what === 'dropped') after.splice(step - 1, 1);
          if (what === 'dropped' && mine === step) return;
          expect(after[placeAfter(mine, { what, step }) - 1]).toBe(names[mine - 1]);
        },
      ),
    );
  });

  it('is told by how its action begins, where whoever records says so', () => {
    const long = 'x'.repeat(400);
    expect(isStepOf({ action: long }, long.slice(0, 200))).toBeTrue();
    expect(isStepOf({ action: 'Open it' }, undefined)).toBeTrue();
    expect(isStepOf({ action: 'Open it' }, 'Close it')).toBeFalse();
  });
});
