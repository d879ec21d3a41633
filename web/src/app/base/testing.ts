import { Component, provideZonelessChangeDetection, type Provider, type EnvironmentProviders, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState, provideStore, Store, type FeatureSlice } from '@ngrx/store';
import type { Endpoint, Filter, Page, ProblemDetails } from '@contract/base';
import { groupBy, type Role } from '@core/base';
import { Api, ApiFailure, type Sending } from './api';
import { bulkCalls, bulkFeature } from './bulk/state';
import { effectsOf, requestsFeature } from './command';
import { listEffects, listsFeature } from './list/state';
import { treeEffects, treesFeature } from './tree/state';
import { recordCommands, recordFeature } from './record/state';
import { baseActions, baseCommands, baseFeature } from './state';
import { peekCommands, peekFeature } from './ui/peek';

/** What was asked of the server. */
export interface Asked {
  readonly endpoint: Endpoint;
  readonly input: Record<string, unknown>;
  readonly files: readonly File[] | undefined;
  /** How it was sent, where it may have waited on a device. */
  readonly sending?: Sending | undefined;
}

/** A server of which a test says what it answers, and sees what it was asked. */
export class FakeApi {
  readonly asked: Asked[] = [];
  private readonly answers = new Map<Endpoint, (input: Record<string, unknown>) => unknown>();

  on(endpoint: Endpoint, answer: (input: Record<string, unknown>) => unknown): this {
    this.answers.set(endpoint, answer);
    return this;
  }

  refuse(endpoint: Endpoint, problem: Partial<ProblemDetails>): this {
    return this.on(endpoint, () => {
      throw new ApiFailure({ type: '', title: 'refused', status: 400, code: 'invalid', ...problem });
    });
  }

  call(endpoint: Endpoint, input: Record<string, unknown>, files?: readonly File[], sending?: Sending): Promise<unknown> {
    return this.request(endpoint, input, files, sending);
  }

  address(endpoint: Endpoint, input: Record<string, unknown>): string {
    return `${endpoint.path} ${JSON.stringify(input)}`;
  }

  async request(endpoint: Endpoint, input: Record<string, unknown>, files?: readonly File[], sending?: Sending): Promise<unknown> {
    this.asked.push({ endpoint, input, files, sending });
    await Promise.resolve();
    const answer = this.answers.get(endpoint);
    if (!answer) throw new ApiFailure({ type: '', title: `no answer to ${endpoint.path}`, status: 404, code: 'notFound' });
    return answer(input);
  }

  /** Large files that were sent in parts. */
  readonly sent: File[] = [];

  async sendInParts(_project: string, file: File, reached: (part: number) => void): Promise<string> {
    this.sent.push(file);
    await Promise.resolve();
    reached(1);
    return `${this.sent.length}`.padStart(32, 'f');
  }

  of(endpoint: Endpoint): Record<string, unknown>[] {
    return this.asked.filter((a) => a.endpoint === endpoint).map((a) => a.input);
  }
}

/** Does a row answer a filter? As the server means it, for fields of one value. */
export function answers(row: Record<string, unknown>, filter: Filter): boolean {
  if ('and' in filter) return filter.and.every((inner) => answers(row, inner));
  if ('or' in filter) return filter.or.some((inner) => answers(row, inner));
  if ('not' in filter) return !answers(row, filter.not);
  if ('words' in filter)
    return filter.words
      .toLowerCase()
      .split(' ')
      .every((word) => `${row['key']} ${row['title']}`.toLowerCase().includes(word));
  const value = row[filter.field] ?? null;
  if ('is' in filter) return filter.is.includes((filter.field === 'retired' ? Boolean(value) : value) as never);
  if ('empty' in filter) return (value === null || value === '') === filter.empty;
  return (
    (filter.from === undefined || (value as number) >= (filter.from as number)) &&
    (filter.to === undefined || (value as number) <= (filter.to as number))
  );
}

/** A list of the server over rows of the test: filtered, in pages that are reached by their place or behind another, as the server does. */
export const listOver =
  (rows: () => readonly object[]) =>
  (input: Record<string, unknown>): Page<object> => {
    const filter = input['filter'] ? (JSON.parse(input['filter'] as string) as Filter) : undefined;
    const found = rows().filter((row) => !filter || answers(row as Record<string, unknown>, filter));
    const by = input['groups'] as string | undefined;
    const groups = by && [...groupBy(found as Record<string, unknown>[], (row) => row[by] as string | number | null)];
    const sum = input['sum'] as string | undefined;
    const from = input['after'] ? Number(input['after']) : Number(input['skip'] ?? 0);
    const to = from + Number(input['limit'] ?? 100);
    return {
      rows: found.slice(from, to),
      next: to < found.length ? String(to) : null,
      total: input['after'] ? null : found.length,
      ...(groups
        ? {
            groups: groups.map(([value, list]) => ({
              value,
              count: list.length,
              ...(sum ? { sum: list.reduce((n, row) => n + Number(row[sum]), 0) } : {}),
            })),
          }
        : {}),
      seq: 1,
    };
  };

/** What is offered below a line that one types into. */
export const offered = (): HTMLElement[] => [...document.querySelectorAll<HTMLElement>('mat-option')];

@Component({ selector: 'cp-nowhere', template: '' })
class Nowhere {}

/** The application's store and a signed-in person in a project, over a server of the test's own. */
export function openWeb(
  roles: readonly Role[],
  features: readonly { feature: FeatureSlice<unknown>; effects: Parameters<typeof effectsOf>[0] }[] = [],
  more: readonly Provider[] = [],
) {
  const api = new FakeApi();
  const providers: (Provider | EnvironmentProviders)[] = [
    provideZonelessChangeDetection(),
    provideRouter([{ path: '**', component: Nowhere }]),
    ...more,
    provideStore({
      [requestsFeature.name]: requestsFeature.reducer,
      [baseFeature.name]: baseFeature.reducer,
      [peekFeature.name]: peekFeature.reducer,
      [recordFeature.name]: recordFeature.reducer,
      [bulkFeature.name]: bulkFeature.reducer,
      [listsFeature.name]: listsFeature.reducer,
      [treesFeature.name]: treesFeature.reducer,
    }),
    provideEffects(
      effectsOf(baseCommands),
      effectsOf(peekCommands),
      effectsOf(recordCommands),
      effectsOf(bulkCalls),
      listEffects,
      treeEffects,
    ),
    ...features.flatMap(({ feature, effects }) => [provideState(feature), provideEffects(effectsOf(effects))]),
    { provide: Api, useValue: api },
  ];
  TestBed.configureTestingModule({ providers });
  const store = TestBed.inject(Store);
  const person = { login: 'ada', printedName: 'Ada Lund', installation: false, disabled: false };
  const session = {
    person,
    projects: [{ slug: 'demo', name: 'Demo', roles: [...roles] }],
    setPassword: false,
    factor: null,
    factorShown: false,
    tried: 0,
  };
  store.dispatch(baseCommands.getSession.done({ input: {}, answer: session, command: '', phase: 'done' }));
  const project = {
    slug: 'demo',
    name: 'Demo',
    level: 'SIL 3',
    revision: 1,
    profile: {
      standard: 'IEC 61508',
      levels: ['SIL 2', 'SIL 3'],
      targets: { 'SIL 3': { line: 100, branch: 100 } },
      reviewAt: [],
      note: '',
    },
    builds: [{ name: '1.0', description: '', createdAt: '', closedAt: null }],
    members: [{ login: 'ada', printedName: 'Ada Lund', roles: [...roles] }],
    storage: { used: 3 * 1024 ** 2, allowed: 20 * 1024 ** 3, diskLow: null },
    seq: 7,
  };
  store.dispatch(baseCommands.getProject.done({ input: { project: 'demo' }, answer: project, command: '', phase: 'done' }));
  return { api, store };
}

export async function mount<T>(component: Type<T>, inputs: Readonly<Record<string, unknown>> = {}): Promise<Mounted<T>> {
  const fixture = TestBed.createComponent(component);
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  const mounted = new Mounted(fixture);
  await mounted.settled();
  return mounted;
}

/** A component as a person uses it: by what stands on it. */
export class Mounted<T> {
  readonly element: HTMLElement;

  constructor(readonly fixture: ComponentFixture<T>) {
    this.element = fixture.nativeElement as HTMLElement;
  }

  /** Waits until what was asked is answered and shown. */
  async settled(): Promise<void> {
    for (let i = 0; i < 4; i++) {
      await this.fixture.whenStable();
      await new Promise((resolve) => setTimeout(resolve));
    }
    this.fixture.detectChanges();
  }

  /** Waits for what is loaded or laid out off the page's thread, three seconds at most. */
  async until(there: () => unknown): Promise<void> {
    for (let i = 0; i < 100 && !there(); i++) {
      await new Promise((resolve) => setTimeout(resolve, 30));
      await this.settled();
    }
  }

  text(): string {
    return (this.element.textContent ?? '').replace(/\s+/g, ' ').trim();
  }

  all<E extends HTMLElement>(selector: string): E[] {
    return [...this.element.querySelectorAll<E>(selector)];
  }

  one<E extends HTMLElement>(selector: string): E {
    const [found] = this.all<E>(selector);
    if (!found) throw new Error(`nothing is ${selector} in: ${this.text().slice(0, 300)}`);
    return found;
  }

  button(words: RegExp): HTMLButtonElement {
    const found = this.all<HTMLButtonElement>('button').find((b) =>
      words.test(`${b.textContent ?? ''} ${b.getAttribute('aria-label') ?? ''}`),
    );
    if (!found) throw new Error(`no button says ${words} in: ${this.text().slice(0, 300)}`);
    return found;
  }

  /** What a button says is still missing before it can be used; nothing where it can. */
  missing(words: RegExp): string {
    const of = this.button(words).getAttribute('aria-describedby') ?? '';
    return this.button(words).getAttribute('aria-disabled') === 'true' ? (document.getElementById(of)?.textContent ?? 'unsaid') : '';
  }

  async press(words: RegExp): Promise<void> {
    const button = this.button(words);
    if (button.disabled) throw new Error(`the button ${words} cannot be pressed`);
    button.click();
    await this.settled();
  }

  /** Types into the field whose label says so. */
  async write(label: RegExp, value: string): Promise<void> {
    type Box = HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement;
    const field = this.all<HTMLLabelElement>('label').find((l) => label.test(l.textContent ?? ''));
    const box =
      (field?.control as Box | null | undefined) ??
      this.all<Box>('input, textarea, select').find((b) => label.test(b.getAttribute('aria-label') ?? ''));
    if (!box) throw new Error(`no field is called ${label} in: ${this.text().slice(0, 300)}`);
    box.value = value;
    box.dispatchEvent(new Event(box instanceof HTMLSelectElement ? 'change' : 'input', { bubbles: true }));
    await this.settled();
  }

  /** Writes into a box for a text with its layout, once its editor was loaded: the editor sees what changes in it. */
  async writeRich(label: string, text: string): Promise<void> {
    const box = () => this.all(`.ql-editor[aria-label="${label}"]`).at(0);
    await this.until(box);
    const paragraph = document.createElement('p');
    paragraph.textContent = text;
    box()?.replaceChildren(paragraph);
    await this.settled();
  }

  /** Types into a line, and waits as long as a list or picker waits for more. */
  async type(box: HTMLInputElement, value: string, wait = 200): Promise<void> {
    box.focus();
    box.value = value;
    box.dispatchEvent(new Event('input', { bubbles: true }));
    await new Promise((resolve) => setTimeout(resolve, wait));
    await this.settled();
  }

  async key(target: HTMLElement, name: string, more: KeyboardEventInit = {}): Promise<void> {
    target.dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true, cancelable: true, ...more }));
    await this.settled();
  }
}

/** Tells the open screens what somebody did. */
export function hear(store: Store, kind: string, key: string, action = 'changed', who = 'tom'): void {
  store.dispatch(baseActions.liveNews({ entries: [{ seq: 99, who, action, kind, key }], judged: [] }));
}
