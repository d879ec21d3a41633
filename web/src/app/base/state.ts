import { createActionGroup, createFeature, createReducer, createSelector, on, props } from '@ngrx/store';
import * as contract from '@contract/base';
import { getBoard } from '@contract/prove';
import type {
  AnswerOf,
  Factor,
  Field,
  Job,
  JumpItem,
  LedgerRow,
  MySession,
  News,
  Person,
  Project,
  SavedFilter,
  Session,
  Token,
  TraceKind,
  WaitingItem,
} from '@contract/base';
import type { KnotState } from '@core/prove';
import type { Knot } from '@core/base';
import { command } from './command';

export const baseCommands = {
  getSetup: command('[Base] is set-up needed', contract.getSetup),
  setUp: command('[Base] set up', contract.setUp),
  getSession: command('[Base] who am I', contract.getSession),
  signIn: command('[Base] sign in', contract.signIn),
  askPasskey: command('[Base] ask for a passkey', contract.askPasskey),
  showFactor: command('[Base] show second factor', contract.showFactor),
  listFactors: command('[Base] list second factors', contract.listFactors),
  beginTotp: command('[Base] begin authenticator', contract.beginTotp),
  confirmTotp: command('[Base] confirm authenticator', contract.confirmTotp),
  beginPasskey: command('[Base] begin passkey', contract.beginPasskey),
  addPasskey: command('[Base] add passkey', contract.addPasskey),
  makeRecoveryCodes: command('[Base] make recovery codes', contract.makeRecoveryCodes),
  removeFactor: command('[Base] remove second factor', contract.removeFactor),
  getPolicy: command('[Base] get installation policy', contract.getInstallationPolicy),
  setPolicy: command('[Base] set installation policy', contract.setInstallationPolicy),
  signOut: command('[Base] sign out', contract.signOut),
  changePassword: command('[Base] change password', contract.changePassword),
  listSessions: command('[Base] list sessions', contract.listSessions),
  endSession: command('[Base] end session', contract.endSession),
  listFields: command('[Base] list fields', contract.listFields),
  addField: command('[Base] add field', contract.addField),
  saveField: command('[Base] save field', contract.saveField),
  listTraceKinds: command('[Base] list kinds of trace', contract.listTraceKinds),
  saveTraceKind: command('[Base] save kind of trace', contract.saveTraceKind),
  listTokens: command('[Base] list tokens', contract.listTokens),
  addToken: command('[Base] add token', contract.addToken),
  endToken: command('[Base] end token', contract.endToken),
  listPeople: command('[Base] list people', contract.listPeople),
  addPerson: command('[Base] add person', contract.addPerson),
  changePerson: command('[Base] change person', contract.changePerson),
  addProject: command('[Base] add project', contract.addProject),
  getProject: command('[Base] get project', contract.getProject),
  setMember: command('[Base] set member', contract.setMember),
  setProfile: command('[Base] set profile', contract.setProfile),
  allowStorage: command('[Base] allow storage', contract.allowStorage),
  listLedger: command('[Base] list ledger', contract.listLedger),
  listInstallationLedger: command('[Base] list installation ledger', contract.listInstallationLedger),
  verifyLedger: command('[Base] verify ledger', contract.verifyLedger),
  jump: command('[Base] jump', contract.jump),
  listWaiting: command('[Base] list waiting', contract.listWaiting),
  listNews: command('[Base] list news', contract.listNews),
  setNews: command('[Base] set news', contract.setNews),
  listFilters: command('[Base] list filters', contract.listFilters),
  saveFilter: command('[Base] save filter', contract.saveFilter),
  changeFilter: command('[Base] change filter', contract.changeFilter),
  dropFilter: command('[Base] drop filter', contract.dropFilter),
  listJobs: command('[Base] list jobs', contract.listJobs),
  cancelJob: command('[Base] cancel job', contract.cancelJob),
  getRail: command('[Base] get rail', getBoard),
};

/** A ledger entry as the event stream tells it. */
export interface LiveEntry {
  readonly seq: number;
  readonly who: string;
  readonly action: string;
  readonly kind: string;
  readonly key: string;
}

/** Cords of a build that were judged again; no keys where they are too many to name. */
export interface LiveJudged {
  readonly build: string;
  readonly seq: number;
  readonly keys: readonly string[] | null;
}

export const baseActions = createActionGroup({
  source: 'Base',
  events: {
    'Build chosen': props<{ build: string }>(),
    'Live news': props<{ entries: readonly LiveEntry[]; judged: readonly LiveJudged[] }>(),
    'Live state': props<{ connected: boolean }>(),
    'Place visited': props<{ url: string; label: string }>(),
    'Enter project': props<{ project: string }>(),
    'Device sent': props<{ key: string }>(),
  },
});

interface BaseState {
  readonly setupNeeded: boolean | null;
  readonly session: Session | null;
  readonly asked: boolean;
  readonly project: Project | null;
  readonly build: string;
  readonly seq: number;
  /** By build: the ledger number for which it was last judged anew. */
  readonly judged: Readonly<Record<string, number>>;
  readonly connected: boolean;
  readonly rail: Record<Knot, KnotState>;
  readonly people: readonly Person[];
  readonly sessions: readonly MySession[];
  /** The password was right: one of these second factors is still to be shown. */
  readonly factor: Session['factor'];
  readonly factors: readonly Factor[];
  readonly traceKinds: readonly TraceKind[];
  readonly administratorsNeedFactor: boolean;
  readonly tokens: readonly Token[];
  readonly fields: readonly Field[];
  readonly ledger: {
    readonly entries: readonly LedgerRow[];
    readonly total: number;
    readonly kinds: readonly string[];
    readonly people: readonly string[];
  };
  /** The same of the installation. */
  readonly audit: BaseState['ledger'];
  readonly verdict: AnswerOf<typeof contract.verifyLedger> | null;
  readonly found: readonly JumpItem[];
  readonly waiting: readonly WaitingItem[];
  /** What others did to what this person follows, newest first. */
  /** What others did that concerns this person; null until it was read. */
  readonly news: News | null;
  readonly jobs: readonly Job[];
  /** Saved filters by the list that they are of. */
  readonly filters: Readonly<Record<string, readonly SavedFilter[]>>;
  readonly trail: readonly { readonly url: string; readonly label: string }[];
}

const noRail: Record<Knot, KnotState> = {
  specify: 'notReached',
  design: 'notReached',
  run: 'notReached',
  measure: 'notReached',
  prove: 'notReached',
};
const first: BaseState = {
  setupNeeded: null,
  session: null,
  asked: false,
  project: null,
  build: '',
  seq: 0,
  judged: {},
  connected: true,
  rail: noRail,
  people: [],
  sessions: [],
  factor: null,
  factors: [],
  traceKinds: [],
  administratorsNeedFactor: false,
  tokens: [],
  fields: [],
  ledger: { entries: [], total: 0, kinds: [], people: [] },
  audit: { entries: [], total: 0, kinds: [], people: [] },
  verdict: null,
  found: [],
  waiting: [],
  news: null,
  jobs: [],
  filters: {},
  trail: [],
};

const buildMemory = (project: string): string => `cord-proof.build.${project}`;
const remembered = (project: Project): string => {
  const retained = localStorage.getItem(buildMemory(project.slug));
  return project.builds.find((build) => build.name === retained)?.name ?? project.builds.at(-1)?.name ?? '';
};

/** A ledger as far as it was read, with the older entries that came. */
const withOlder = (known: BaseState['ledger'], older: BaseState['ledger']): BaseState['ledger'] => ({
  ...older,
  entries: [...known.entries, ...older.entries],
});

const c = baseCommands;
export const baseFeature = createFeature({
  name: 'base',
  reducer: createReducer(
    first,
    on(c.getSetup.done, (state, { answer }): BaseState => ({ ...state, setupNeeded: answer.needed })),
    // Nobody is signed in while their second factor is still to be shown.
    on(c.getSession.done, c.signIn.done, c.showFactor.done, (state, { answer }): BaseState => ({
      ...state,
      session: answer.factor ? null : answer,
      factor: answer.factor,
      asked: true,
    })),
    on(c.makeRecoveryCodes.done, (state, { answer }): BaseState => ({ ...state, factors: answer.factors })),
    on(c.listFactors.done, c.confirmTotp.done, c.addPasskey.done, c.removeFactor.done, (state, { answer }): BaseState => ({
      ...state,
      factors: answer,
    })),
    on(c.getPolicy.done, c.setPolicy.done, (state, { answer }): BaseState => ({ ...state, ...answer })),
    on(c.setUp.done, (state, { answer }): BaseState => ({ ...state, session: answer, asked: true, setupNeeded: false })),
    on(c.getSession.failed, (state, { problem }): BaseState =>
      problem.code === 'notSignedIn' ? { ...state, session: null, asked: true } : { ...state, asked: true },
    ),
    on(c.signOut.done, (): BaseState => ({ ...first, asked: true })),
    on(c.getProject.done, c.setMember.done, c.setProfile.done, (state, { answer }): BaseState => {
      const same = state.project?.slug === answer.slug && answer.builds.some((build) => build.name === state.build);
      return {
        ...state,
        project: answer,
        build: same ? state.build : remembered(answer),
        seq: Math.max(state.project?.slug === answer.slug ? state.seq : 0, answer.seq),
      };
    }),
    on(baseActions.buildChosen, (state, { build }): BaseState => {
      if (state.project) localStorage.setItem(buildMemory(state.project.slug), build);
      return { ...state, build };
    }),
    on(baseActions.enterProject, (state, { project }): BaseState =>
      state.project && state.project.slug !== project
        ? { ...state, project: null, build: '', rail: noRail, waiting: [], trail: [] }
        : state,
    ),
    on(baseActions.liveNews, (state, { entries, judged }): BaseState => ({
      ...state,
      seq: Math.max(state.seq, ...entries.map((entry) => entry.seq)),
      judged: judged.length ? { ...state.judged, ...Object.fromEntries(judged.map(({ build, seq }) => [build, seq])) } : state.judged,
    })),
    on(baseActions.liveState, (state, { connected }): BaseState => ({ ...state, connected })),
    on(c.getRail.done, (state, { answer }): BaseState => ({ ...state, rail: answer.rail })),
    on(baseActions.placeVisited, (state, place): BaseState => ({
      ...state,
      trail: [...state.trail.filter((known) => known.url !== place.url), { url: place.url, label: place.label }].slice(-6),
    })),
    on(c.listPeople.done, (state, { answer }): BaseState => ({ ...state, people: answer })),
    on(c.addPerson.done, (state, { answer }): BaseState => ({ ...state, people: [...state.people, answer.person] })),
    on(c.changePerson.done, (state, { answer }): BaseState => ({
      ...state,
      people: state.people.map((p) => (p.login === answer.person.login ? answer.person : p)),
    })),
    on(c.listSessions.done, c.endSession.done, (state, { answer }): BaseState => ({ ...state, sessions: answer })),
    on(c.listFields.done, c.addField.done, c.saveField.done, (state, { answer }): BaseState => ({ ...state, fields: answer })),
    on(c.listTraceKinds.done, c.saveTraceKind.done, (state, { answer }): BaseState => ({ ...state, traceKinds: answer })),
    on(c.listTokens.done, (state, { answer }): BaseState => ({ ...state, tokens: answer })),
    on(c.addToken.done, (state, { answer }): BaseState => ({ ...state, tokens: [...state.tokens, answer.token] })),
    on(c.endToken.done, (state, { input }): BaseState => ({
      ...state,
      tokens: state.tokens.map((token) => (token.id === input.id ? { ...token, endedAt: new Date().toISOString() } : token)),
    })),
    on(c.listLedger.done, (state, { answer, input }): BaseState => ({
      ...state,
      ledger: input.before ? withOlder(state.ledger, answer) : answer,
    })),
    on(c.listInstallationLedger.done, (state, { answer, input }): BaseState => ({
      ...state,
      audit: input.before ? withOlder(state.audit, answer) : answer,
    })),
    on(c.verifyLedger.done, (state, { answer }): BaseState => ({ ...state, verdict: answer })),
    on(c.jump.done, (state, { answer }): BaseState => ({ ...state, found: answer })),
    on(c.listWaiting.done, (state, { answer }): BaseState => ({ ...state, waiting: answer })),
    on(c.listNews.done, c.setNews.done, (state, { answer }): BaseState => ({ ...state, news: answer })),
    on(c.listFilters.done, (state, { input, answer }): BaseState => ({
      ...state,
      filters: { ...state.filters, [String(input.list)]: answer },
    })),
    on(c.saveFilter.done, c.changeFilter.done, (state, { answer }): BaseState => {
      const [filter] = answer;
      return filter ? { ...state, filters: { ...state.filters, [filter.list]: answer } } : state;
    }),
    on(c.dropFilter.done, (state, { input }): BaseState => ({
      ...state,
      filters: Object.fromEntries(
        Object.entries(state.filters).map(([list, all]) => [list, all.filter(({ id }) => id !== Number(input.id))]),
      ),
    })),
    on(c.listJobs.done, (state, { answer }): BaseState => ({ ...state, jobs: answer })),
  ),
  extraSelectors: ({ selectSession, selectProject, selectBuild, selectJudged }) => ({
    selectJudgedSeq: createSelector(selectJudged, selectBuild, (judged, build) => judged[build] ?? 0),
    /** Printed names of the project's members by their sign-in names. */
    selectNames: createSelector(selectProject, (project) => new Map((project?.members ?? []).map((m) => [m.login, m.printedName]))),
    selectSlug: createSelector(selectProject, (project) => project?.slug ?? ''),
    // From the project, not from the session: roles that somebody gave a moment ago hold at once.
    selectRoles: createSelector(
      selectSession,
      selectProject,
      (session, project) => project?.members.find((m) => m.login === session?.person.login)?.roles ?? [],
    ),
    selectScope: createSelector(selectProject, selectBuild, (project, build) => ({ project: project?.slug ?? '', build })),
  }),
});
