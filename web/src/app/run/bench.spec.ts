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
    const { observed, verdict } = input as { observed: string; verdict: 'pass' | null };
    const answer: StepSaved = {
      key: run.key,
      step,
      result: { observed, verdict, at: null },
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
});
