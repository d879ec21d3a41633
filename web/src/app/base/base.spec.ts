import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideEffects } from '@ngrx/effects';
import { provideStore, Store } from '@ngrx/store';
import { addTrace, getProject, signIn } from '@contract/base';
import { getBoard } from '@contract/prove';
import {
  Api,
  ApiFailure,
  baseCommands,
  baseFeature,
  baseActions,
  actionLink,
  CordDrawing,
  effectsOf,
  recordLink,
  requestsFeature,
  selectRequest,
  WordsDiff,
} from './index';

const project = {
  slug: 'larkfell',
  name: 'L',
  level: 'SIL 3',
  revision: 1,
  profile: { standard: 'IEC 61508', levels: [], targets: {}, reviewAt: [], note: '' },
  builds: [
    { name: '1.0', description: '', createdAt: '', closedAt: null },
    { name: '2.0', description: '', createdAt: '', closedAt: null },
  ],
  members: [],
  storage: { used: 0, allowed: 1, diskLow: null },
  seq: 7,
};

describe('the client', () => {
  const answer = (status: number, body: string) =>
    spyOn(window, 'fetch').and.callFake(() => Promise.resolve(new Response(body, { status })));

  it('puts parameters into the path, encoded, and the rest into the body', async () => {
    const fetched = answer(200, '{}');
    await TestBed.inject(Api).call(getProject, { project: 'a/b' });
    expect(fetched.calls.mostRecent().args[0]).toBe('/api/projects/a%2Fb');
    await TestBed.inject(Api).call(signIn, { login: 'x', password: 'y' });
    expect(fetched.calls.mostRecent().args[1]?.body).toBe('{"login":"x","password":"y"}');
  });

  it('turns problem details, strange pages and a lost connection into failures with a code', async () => {
    const api = TestBed.inject(Api);
    const failure = async (): Promise<ApiFailure> =>
      (await api.call(getProject, { project: 'x' }).catch((error: unknown) => error)) as ApiFailure;
    const spy = answer(409, '{"code":"conflict","title":"T","status":409,"type":"x"}');
    expect((await failure()).problem.code).toBe('conflict');
    spy.and.callFake(() => Promise.resolve(new Response('<html>', { status: 502 })));
    expect((await failure()).problem.status).toBe(502);
    spy.and.rejectWith(new TypeError('Failed to fetch'));
    expect((await failure()).problem.code).toBe('offline');
  });
});

describe('requests that write', () => {
  const wait = (ms: number) => jasmine.clock().tick(ms);
  beforeEach(() => jasmine.clock().install());
  afterEach(() => jasmine.clock().uninstall());

  it('have a name, and the same one when they are sent once more', async () => {
    let answers = 0;
    const fetched = spyOn(window, 'fetch').and.callFake(() =>
      answers++
        ? Promise.resolve(new Response('{}', { headers: { 'ledger-seq': '12' } }))
        : Promise.reject(new TypeError('Failed to fetch')),
    );
    const done = TestBed.inject(Api).call(addTrace, { project: 'p', kind: 'parent', from: 'A-1', to: 'A-2' });
    await Promise.resolve().then(() => Promise.resolve());
    wait(1000);
    await done;
    const names = fetched.calls.allArgs().map(([, init]) => (init?.headers as Record<string, string>)['idempotency-key']);
    expect(names.length).toBe(2);
    expect(names[0]).toMatch(/^[0-9a-f-]{36}$/);
    expect(names[1]).toBe(names[0]);
  });

  it('are waited for by what is judged: a board is asked to be no older than what this window wrote', async () => {
    const fetched = spyOn(window, 'fetch').and.callFake(() => Promise.resolve(new Response('{}', { headers: { 'ledger-seq': '12' } })));
    const api = TestBed.inject(Api);
    await api.call(addTrace, { project: 'p', kind: 'parent', from: 'A-1', to: 'A-2' });
    await api.call(getBoard, { project: 'p', build: '1.0' });
    expect(fetched.calls.mostRecent().args[0]).toBe('/api/projects/p/board?build=1.0&atLeast=12');
    await api.call(getBoard, { project: 'q', build: '1.0' });
    expect(fetched.calls.mostRecent().args[0]).toBe('/api/projects/q/board?build=1.0');
  });
});

describe('commands and state', () => {
  let store: Store;
  let call: jasmine.Spy;
  beforeEach(() => {
    localStorage.clear();
    call = jasmine.createSpy('call');
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        provideStore({ requests: requestsFeature.reducer, base: baseFeature.reducer }),
        provideEffects(effectsOf(baseCommands)),
        { provide: Api, useValue: { call } },
      ],
    });
    store = TestBed.inject(Store);
  });

  it('tells what a command is doing and how it failed', async () => {
    const request = store.selectSignal(selectRequest(baseCommands.getProject.name));
    call.and.rejectWith(new ApiFailure({ code: 'notFound', title: 'Gone', status: 404, type: 'x' }));
    store.dispatch(baseCommands.getProject.start({ project: 'x' }));
    expect(request().pending).toBe(1);
    await Promise.resolve().then(() => Promise.resolve());
    expect(request().problem?.code).toBe('notFound');
  });

  it('proves the newest build, until somebody chose another, which this device remembers', async () => {
    const build = store.selectSignal(baseFeature.selectBuild);
    const arrived = () =>
      store.dispatch(baseCommands.getProject.done({ input: { project: 'larkfell' }, answer: project, command: '', phase: 'done' }));
    arrived();
    expect(build()).toBe('2.0');
    store.dispatch(baseActions.buildChosen({ build: '1.0' }));
    arrived();
    expect(build()).toBe('1.0');
    store.dispatch(baseActions.enterProject({ project: 'other' }));
    store.dispatch(baseActions.enterProject({ project: 'larkfell' }));
    arrived();
    expect(build()).toBe('1.0');
  });

  it('keeps a trail without doubles', () => {
    for (const label of ['A', 'B', 'A']) store.dispatch(baseActions.placeVisited({ url: `/${label}`, label }));
    expect(
      store
        .selectSignal(baseFeature.selectTrail)()
        .map((place) => place.label),
    ).toEqual(['B', 'A']);
  });
});

describe('links', () => {
  it('lead every kind of record and every next action to its page', () => {
    expect(recordLink('p', { kind: 'file', key: 'src/a.c:12' })).toEqual({
      path: ['/', 'p', 'measure'],
      query: { path: 'src/a.c', line: '12' },
    });
    expect(actionLink('p', { to: { kind: 'run', key: 'RUN-1' }, place: 'bench' }).path).toEqual(['/', 'p', 'run', 'bench', 'RUN-1']);
    expect(actionLink('p', { to: { kind: 'case', key: 'C-1' }, place: 'round' }).query).toEqual({ cases: 'C-1' });
  });
});

describe('drawings', () => {
  it('say the cord in words for those who do not see it', async () => {
    const fixture = TestBed.createComponent(CordDrawing);
    fixture.componentRef.setInput('states', {
      specify: 'sound',
      design: 'suspect',
      run: 'broken',
      measure: 'notReached',
      prove: 'waiting',
    });
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).querySelector('svg')?.getAttribute('aria-label')).toBe(
      'Specify sound, Design suspect, Run broken, Measure not reached, Prove waiting',
    );
  });

  it('mark what was added and removed with more than colour', async () => {
    const fixture = TestBed.createComponent(WordsDiff);
    fixture.componentRef.setInput('before', 'within 120 ms');
    fixture.componentRef.setInput('after', 'within 100 ms');
    await fixture.whenStable();
    const element = fixture.nativeElement as HTMLElement;
    expect([element.querySelector('del')?.textContent, element.querySelector('ins')?.textContent]).toEqual(['120', '100']);
  });
});
