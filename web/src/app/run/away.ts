import { getProject, type Endpoint } from '@contract/base';
import * as contract from '@contract/run';
import type { Problem, RunDetail, StepSaved } from '@contract/run';
import {
  decidedMeanwhile,
  recordedOn,
  redlinedOn,
  stepNamedBy,
  verdictWords,
  type RecordedAway,
  type Redlinable,
  type RedlineAsked,
} from '@core/run';
import { endpointName, withWaiting, type DeviceCall, type Keeping, type MadeHere, type Waiting } from '../base';
import { recordedWords } from './away-notes';
import { withStep } from './with-step';

type Call = Pick<Waiting, 'endpoint' | 'input' | 'about' | 'files'>;
const named = (endpoint: Endpoint): string => endpointName(endpoint);
const acts = new Map<string, RecordedAway['what']>(
  [
    [contract.startRun, 'begun'],
    [contract.recordStep, 'step'],
    [contract.addEvidence, 'evidence'],
    [contract.removeEvidence, 'evidenceRemoved'],
    [contract.addRedline, 'redlined'],
    [contract.addProblem, 'problem'],
    [contract.linkProblem, 'linked'],
    [contract.finishRun, 'finished'],
  ].map(([endpoint, what]) => [named(endpoint as Endpoint), what as RecordedAway['what']]),
);

/** What of a request may be given, over all that may wait. */
type Given = Partial<Pick<RecordedAway, 'observed' | 'verdict' | 'readings' | 'seconds' | 'conclusion' | 'title'>> & {
  readonly step?: number;
  readonly description?: string;
  readonly what?: RedlineAsked['what'];
  readonly after?: RedlineAsked['after'];
  readonly reason?: string;
  /** Of evidence that is taken off: its name. */
  readonly named?: string;
};

/** What a request recorded. */
function recordedBy({ endpoint, input, about, files }: Call, at: string): RecordedAway {
  const what = acts.get(endpoint) ?? 'begun';
  const given = { ...input, ...about } as Given;
  const { step = 1, seconds, observed = '', verdict = null, readings, conclusion } = given;
  const clock = seconds === undefined ? {} : { seconds };
  switch (what) {
    case 'step':
      return { what, step, at, observed, verdict, ...(readings ? { readings } : {}), ...clock };
    case 'evidence':
      return { what, step, at, files: files.map(({ name }) => name) };
    case 'evidenceRemoved':
      return { what, step, at, files: given.named ? [given.named] : [] };
    case 'redlined':
      return { what, step, at, redline: { what: given.what ?? 'changed', after: given.after ?? null, reason: given.reason ?? '' } };
    case 'problem':
      return { what, step, at, title: given.title ?? '', text: given.description ?? '' };
    case 'linked':
      return { what, step: null, at, title: given.title ?? String(input['key']) };
    case 'finished':
      return { what, step: null, at, ...clock, ...(conclusion === undefined ? {} : { conclusion }) };
    default:
      return { what, step: null, at };
  }
}

/** How the action of a step begins: sent along, so that what was done at it goes to no other step. */
const ofStep = (run: RunDetail, step: number): { of?: string } => {
  const action = run.case.steps[step - 1]?.action;
  return action === undefined ? {} : { of: action.slice(0, stepNamedBy) };
};

/** Numbers of files that the server does not have yet: it gives them others. */
const nextId = (run: RunDetail): number => Math.min(0, ...run.evidence.map(({ id }) => id)) - 1;

function recordsStep(run: RunDetail, after: RunDetail, input: DeviceCall['input'], place: number): MadeHere {
  const { observed, verdict, readings } = run.steps[place];
  const result = after.steps[place];
  const answer = {
    key: run.key,
    step: place + 1,
    result,
    seconds: after.seconds,
    revision: after.revision,
    startedAt: after.startedAt,
    reopened: false,
  };
  const same = result.observed === observed && result.verdict === verdict && JSON.stringify(result.readings) === JSON.stringify(readings);
  return { input: { known: { observed, verdict }, ...ofStep(run, place + 1), ...input }, record: after, answer, same };
}

function removesEvidence(run: RunDetail, input: DeviceCall['input']): MadeHere {
  const file = run.evidence.find(({ id }) => id === input['id']);
  const record = { ...run, evidence: run.evidence.filter((other) => other !== file) };
  return { input, about: file && { step: file.step, named: file.name }, record, answer: record };
}

function redlines(run: RunDetail, input: DeviceCall['input'], by: string, at: string): MadeHere {
  const { step = 1, what = 'changed', after = null, reason = '' } = input as Given;
  const sent = { ...ofStep(run, step), ...input };
  const made = redlinedOn(run as Redlinable, { step, what, after, reason }, by, at);
  if (typeof made === 'string') return { input: sent, record: run, answer: run, refused: made };
  return { input: sent, record: made, answer: made };
}

function raisesProblem(run: RunDetail, input: DeviceCall['input'], by: string, at: string): MadeHere {
  const { title = '', description = '', step = 1 } = input as Given;
  // It gets its key from the server.
  const shown = { key: '', title, state: 'open' as const, step };
  const answer = { ...reportOn(run, shown, by, at), description, blocking: input['blocking'] === true };
  return { input, record: { ...run, problems: [...run.problems, shown] }, answer };
}

/** That the run shows a report that is known already. */
function linksProblem(run: RunDetail, input: DeviceCall['input'], by: string, at: string): MadeHere {
  const key = String(input['key']);
  const { title = '', state = 'open' } = run.knownProblems.find((known) => known.key === key) ?? {};
  const shown = { key, title, state, step: null };
  return { input, about: { title: `${key} ${title}`.trim() }, record: withReport(run, shown), answer: reportOn(run, shown, by, at) };
}

/** A run that shows a report: known of its case it is no more, but of itself. */
const withReport = (run: RunDetail, shown: RunDetail['problems'][number]): RunDetail => ({
  ...run,
  problems: [...run.problems, shown],
  knownProblems: run.knownProblems.filter(({ key }) => key !== shown.key),
});

/** A report as the device knows it. */
function reportOn(run: RunDetail, { key, title, state, step }: RunDetail['problems'][number], by: string, at: string): Problem {
  return {
    key,
    title,
    description: '',
    blocking: false,
    state: state as Problem['state'],
    run: run.key,
    step,
    caseKey: run.caseKey,
    build: run.build,
    fixedIn: null,
    requirements: [],
    severity: '',
    priority: '',
    area: '',
    assigned: null,
    due: null,
    stage: '',
    shownBy: [],
    own: {},
    revision: 1,
    raisedBy: by,
    raisedAt: at,
    closedReason: '',
  };
}

/** How runs are recorded on a device that cannot reach the server. */
export const runKeeping: Keeping = {
  read: contract.getRun,
  writes: [
    contract.startRun,
    contract.recordStep,
    contract.finishRun,
    contract.addEvidence,
    contract.removeEvidence,
    contract.addRedline,
    contract.addProblem,
    contract.linkProblem,
  ],
  along: ({ project, record }) => [
    { endpoint: getProject, input: { project } },
    { endpoint: contract.getRound, input: { project, key: (record as RunDetail).round } },
  ],
  files: ({ project, record }) => {
    const run = record as RunDetail;
    const pictures = [...new Set(JSON.stringify(run.case).match(/(?<=files\/)[0-9a-f]{64}/g) ?? [])];
    return [
      ...pictures.map((sha256) => `/api/projects/${project}/files/${sha256}`),
      ...run.evidence.map(({ id }) => `/api/projects/${project}/evidence/${id}`),
    ];
  },
  keyOf: (input) => String(input['run'] ?? input['key']),
  takesBack(record, { endpoint, input }, waiting) {
    const id = Number(input['id']);
    if (endpoint !== contract.removeEvidence || id >= 0) return undefined;
    let so = record;
    for (const item of waiting) {
      const first = nextId(so as RunDetail);
      if (acts.get(item.endpoint) === 'evidence' && id <= first && id > first - item.files.length) return { of: item, file: first - id };
      so = withWaiting(runKeeping, so, [item]);
    }
    return undefined;
  },
  make(record, { endpoint, input, files = [], by = '' }, at) {
    const run = record as RunDetail;
    const done = recordedBy({ endpoint: named(endpoint), input, files }, at);
    const place = (done.step ?? 1) - 1;
    if (done.what === 'redlined') return redlines(run, input, by, at);
    if (done.what === 'problem') return raisesProblem(run, input, by, at);
    if (done.what === 'linked') return linksProblem(run, input, by, at);
    if (done.what === 'evidenceRemoved') return removesEvidence(run, input);
    const after = recordedOn(run, done) as RunDetail;
    if (done.what === 'step') return recordsStep(run, after, input, place);
    if (done.what !== 'evidence') return { input, record: after, answer: after };
    const first = nextId(run);
    const here = files.map(({ name, type, size }, i) => ({ id: first - i, step: place + 1, name, mime: type, bytes: size, sha256: '' }));
    const now = { ...after, evidence: [...after.evidence, ...here] };
    return { input: { ...ofStep(run, place + 1), ...input }, record: now, answer: now };
  },
  answered(record, { endpoint, input }, answer) {
    const run = record as RunDetail;
    const what = acts.get(endpoint);
    if (what === 'problem' || what === 'linked') {
      const { key, title, state } = answer as Problem;
      return withReport(run, { key, title, state, step: (input as Given).step ?? null });
    }
    return what === 'step' ? withStep(run, answer as StepSaved) : (answer as RunDetail);
  },
  words: (waiting) => recordedWords(recordedBy(waiting, '')),
  title(record) {
    const run = record as RunDetail;
    const recorded = run.steps.filter(({ verdict }) => verdict !== null).length;
    const how = run.verdict ? verdictWords[run.verdict].toLowerCase() : `${recorded} of ${run.steps.length} steps recorded`;
    return `${run.caseKey} ${run.case.title}${run.row === null ? '' : ` · row ${run.row}`}: ${how}`;
  },
  meanwhile: (before, now) => decidedMeanwhile(before as RunDetail, now as RunDetail),
  over({ problem, input }) {
    if (problem?.code !== 'conflict') return undefined;
    const { known: _, ...rest } = input;
    return rest;
  },
  handIn: ({ project, key }, waiting, why) => ({
    endpoint: contract.handIn,
    input: { project, key, why, recorded: waiting.map((item) => recordedBy(item, item.at)) },
  }),
};
