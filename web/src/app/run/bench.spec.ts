import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState, provideStore, Store } from '@ngrx/store';
import type { RunDetail, StepSaved } from '@contract/run';
import { baseCommands, baseFeature, requestsFeature } from '../base';
import { BenchPage } from './bench-page';
import { runCommands, runFeature } from './state';

const run: RunDetail = {
  key: 'RUN-007',
  round: 'R-001',
  build: '1.0',
  caseKey: 'C-001',
  caseTitle: 'Two steps',
  caseRevision: 1,
  caseNow: 1,
  row: '2',
  configuration: 'rig',
  tester: 'tom',
  testerName: 'Tom',
  state: 'onBench',
  verdict: null,
  outdated: false,
  carriedOver: false,
  plannedMinutes: 5,
  seconds: 0,
  unit: '',
  tools: '',
  case: {
    title: 'Two steps',
    objective: 'o',
    preconditions: '',
    plannedMinutes: 5,
    steps: [
      { action: 'Wait 2.5 s', expected: 'Lamp' },
      { action: 'Look', expected: 'Lit', from: 'C-002 step 1' },
    ],
    rows: [{ name: '2', values: { time: '2.5' } }],
  },
  verifies: [],
  steps: [
    { verdict: null, observed: '', at: null },
    { verdict: null, observed: '', at: null },
  ],
  evidence: [],
  signatures: [],
  decisions: [],
  problems: [],
  knownProblems: [],
  startedAt: '2026-01-01T00:00:00.000Z',
  finishedAt: null,
  hash: '',
  revision: 1,
  deviationAccepted: false,
  supersededBy: null,
  supersedes: null,
  plannedAgain: null,
  corrections: [],
  setAside: false,
  observationAsked: false,
  restsOn: [],
  holdsUp: [],
  conclusion: '',
  redlines: [],
  performedBy: null,
  clock: [],
  device: [],
  handedIn: [],
  due: null,
  priority: '',
  own: {},
};
const at = { project: 'demo', key: 'RUN-007' };

describe('the Bench', () => {
  let store: Store;
  let fixture: ComponentFixture<BenchPage>;
  let sent: { type: string; input?: Record<string, unknown> }[];
  const sentOf = (name: string): Record<string, unknown>[] => sent.flatMap((a) => (a.type === name && a.input ? [a.input] : []));
  const key = async (name: string): Promise<void> => {
    document.dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true }));
    await fixture.whenStable();
  };
  const arrive = async (step: number): Promise<void> => {
    const input = sentOf(runCommands.recordStep.name)
      .filter((i) => i['step'] === step)
      .at(-1) as never;
    const { observed, verdict, readings } = input as { observed: string; verdict: 'pass' | null; readings?: [] };
    const answer: StepSaved = {
      key: run.key,
      step,
      result: { observed, verdict, at: null, ...(readings ? { readings } : {}) },
      seconds: 0,
      revision: run.revision + step,
      startedAt: run.startedAt,
      reopened: false,
    };
    store.dispatch(runCommands.recordStep.done({ input, answer, command: runCommands.recordStep.name, phase: 'done' }));
    await fixture.whenStable();
  };

  beforeEach(async () => {
    localStorage.clear();
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        provideRouter([]),
        provideStore({ [requestsFeature.name]: requestsFeature.reducer, [baseFeature.name]: baseFeature.reducer }),
        provideState(runFeature),
        provideEffects(),
      ],
    });
    store = TestBed.inject(Store);
    const session = { person: { login: 'tom', printedName: 'Tom', installation: false }, projects: [] };
    const project = {
      slug: 'demo',
      name: 'Demo',
      builds: [{ name: '1.0' }],
      members: [{ login: 'tom', printedName: 'Tom', roles: ['tester'] }],
      seq: 1,
    };
    store.dispatch(baseCommands.getSession.done({ input: {} as never, answer: session as never, command: '', phase: 'done' }));
    store.dispatch(baseCommands.getProject.done({ input: {} as never, answer: project as never, command: '', phase: 'done' }));
    store.dispatch(runCommands.getRun.done({ input: at as never, answer: run, command: '', phase: 'done' }));
    sent = [];
    const dispatch = store.dispatch.bind(store);
    spyOn(store, 'dispatch').and.callFake(((action: never) => {
      sent.push(action);
      return dispatch(action);
    }) as never);
    fixture = TestBed.createComponent(BenchPage);
    fixture.componentRef.setInput('key', 'RUN-007');
    await fixture.whenStable();
  });
  afterEach(() => localStorage.clear());

  it('passes a step and goes on with one key, and finishes with the last', async () => {
    await key('5');
    expect(sentOf(runCommands.recordStep.name)).toEqual([jasmine.objectContaining({ step: 1, verdict: 'pass' })]);
    expect((fixture.nativeElement as HTMLElement).textContent).toContain('Step 2 of 2');
    await key('5');
    await arrive(1);
    expect(sentOf(runCommands.finishRun.name)).toEqual([]);
    await arrive(2);
    expect(sentOf(runCommands.finishRun.name).length).toBe(1);
  });

  it('sets off what came from the data row, and says which called case a step comes from', async () => {
    const page = fixture.nativeElement as HTMLElement;
    expect(page.querySelector('mark')?.textContent).toBe('2.5');
    await key('1');
    await key('Enter');
    expect(page.textContent).toContain('from C-002 step 1');
  });

  it('finishes a run only once every step that it holds has arrived', async () => {
    await key('1');
    await key('Enter');
    await key('1');
    await key('Enter');
    // Both steps are on their way: a finish sent now could overtake them.
    expect(sentOf(runCommands.recordStep.name).map((i) => i['step'])).toContain(2);
    expect(sentOf(runCommands.finishRun.name)).toEqual([]);
    await arrive(1);
    expect(sentOf(runCommands.finishRun.name)).toEqual([]);
    await arrive(2);
    expect(sentOf(runCommands.finishRun.name).length).toBe(1);
  });

  it('does not finish another run that is opened while the last step of this one is on its way', async () => {
    await key('1');
    await key('Enter');
    await key('1');
    await key('Enter');
    const other = { ...run, key: 'RUN-008', steps: run.steps.map((s) => ({ ...s, verdict: 'pass' as const, observed: 'x' })) };
    fixture.componentRef.setInput('key', 'RUN-008');
    store.dispatch(runCommands.getRun.done({ input: { ...at, key: 'RUN-008' } as never, answer: other, command: '', phase: 'done' }));
    await fixture.whenStable();
    expect(sentOf(runCommands.finishRun.name)).toEqual([]);
  });

  it('keeps what is typed on this device, for this person and project, until the server has it', async () => {
    const box = (fixture.nativeElement as HTMLElement).querySelector<HTMLTextAreaElement>('textarea');
    if (!box) throw new Error('no box');
    box.value = 'Lamp green';
    box.dispatchEvent(new Event('input'));
    await fixture.whenStable();
    expect(localStorage.getItem('cord-proof.bench.tom.demo.RUN-007')).toContain('Lamp green');
    box.blur();
    await key('1');
    await arrive(1);
    expect(localStorage.getItem('cord-proof.bench.tom.demo.RUN-007')).toBeNull();
  });

  it('asks for words where a verdict needs them, and does not go on without', async () => {
    await key('2');
    await key('Enter');
    expect((fixture.nativeElement as HTMLElement).textContent).toContain('Say what you observed');
    expect(sentOf(runCommands.recordStep.name)).toEqual([]);
  });

  describe('at a step that measures', () => {
    const measured: RunDetail = {
      ...run,
      key: 'RUN-009',
      case: {
        ...run.case,
        steps: [
          {
            action: 'Pull',
            expected: 'Free',
            data: '12 kg',
            evidence: 'picture',
            readings: [
              { name: 'force', unit: 'N', resolution: 1, limits: 'at most 250 N' },
              { name: 'time', unit: 's', resolution: 0.1, limits: 'at most 2 s' },
            ],
          },
          { action: 'Look', expected: 'Lit' },
        ],
      },
      restsOn: [{ key: 'C-008', standing: 'failed', run: 'RUN-003' }],
    };
    const inputs = () => [...(fixture.nativeElement as HTMLElement).querySelectorAll<HTMLInputElement>('cp-step-readings input')];
    const type = async (i: number, value: string): Promise<void> => {
      inputs()[i].value = value;
      inputs()[i].dispatchEvent(new Event('input', { bubbles: true }));
      await fixture.whenStable();
      inputs()[i].dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
      await fixture.whenStable();
    };
    beforeEach(async () => {
      fixture.componentRef.setInput('key', 'RUN-009');
      store.dispatch(runCommands.getRun.done({ input: { ...at, key: 'RUN-009' } as never, answer: measured, command: '', phase: 'done' }));
      await fixture.whenStable();
    });
    const text = () => (fixture.nativeElement as HTMLElement).textContent ?? '';

    it('goes from reading to reading, proposes the verdict, and waits for the picture that the step asks for', async () => {
      expect(text()).toContain('12 kg');
      await key('o');
      expect(document.activeElement).toBe(inputs()[0]);
      await type(0, '243');
      expect(document.activeElement).toBe(inputs()[1]);
      await type(1, '1.9');
      expect(text()).toContain('must be shown by a picture');
      expect(sentOf(runCommands.recordStep.name).filter((i) => i['verdict'] === 'pass')).toEqual([]);
      const picture = { id: 1, step: 1, name: 'p.png', mime: 'image/png', bytes: 3, sha256: 'a'.repeat(64) };
      const answer = { ...measured, evidence: [picture], revision: 2 };
      store.dispatch(runCommands.addEvidence.done({ input: {} as never, answer, command: '', phase: 'done' }));
      await fixture.whenStable();
      const last = sentOf(runCommands.recordStep.name).at(-1);
      expect(last).toEqual(
        jasmine.objectContaining({
          verdict: 'pass',
          readings: [
            { name: 'force', value: '243' },
            { name: 'time', value: '1.9' },
          ],
        }),
      );
    });

    it('proposes to fail outside the limits, and then asks for words', async () => {
      await type(0, '251');
      expect(text()).toContain('What was read proposes: fail');
      await type(1, '1');
      expect((fixture.nativeElement as HTMLElement).querySelector('.v-fail')?.getAttribute('aria-pressed')).toBe('true');
      expect(text()).toContain('Say what you observed');
    });

    it('does not pass what was not read, nor takes a word for a number', async () => {
      await type(0, 'much');
      expect(text()).toContain('is no number');
      await type(0, '');
      await key('1');
      (document.activeElement as HTMLElement | null)?.blur();
      await key('1');
      expect(text()).toContain('force was not read');
    });

    it('says which case it rests on has not passed', () => {
      expect(text()).toMatch(/rests on\s*C-008, which failed/);
    });
  });
});
