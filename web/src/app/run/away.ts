import { getProject, type Endpoint } from '@contract/base';
import * as contract from '@contract/run';
import type { RunDetail } from '@contract/run';
import { decidedMeanwhile, recordedOn, verdictWords, type RecordedAway } from '@core/run';
import { endpointName, type Keeping, type Waiting } from '../base';

type Call = Pick<Waiting, 'endpoint' | 'input' | 'files'>;
const named = (endpoint: Endpoint): string => endpointName(endpoint);
const [step, finished, evidence] = [contract.recordStep, contract.finishRun, contract.addEvidence].map(named);

/** What a request recorded. */
function recordedBy({ endpoint, input, files }: Call, at: string): RecordedAway {
  const given = input as { step?: number; seconds?: number; conclusion?: string } & Pick<RecordedAway, 'observed' | 'verdict' | 'readings'>;
  if (endpoint === step) {
    const { observed = '', verdict = null, readings, seconds } = given;
    return {
      what: 'step',
      step: given.step ?? 1,
      at,
      observed,
      verdict,
      ...(readings ? { readings } : {}),
      ...(seconds === undefined ? {} : { seconds }),
    };
  }
  if (endpoint === evidence) return { what: 'evidence', step: given.step ?? 1, at, files: files.map(({ name }) => name) };
  const { seconds, conclusion } = given;
  const rest = { ...(seconds === undefined ? {} : { seconds }), ...(conclusion === undefined ? {} : { conclusion }) };
  return endpoint === finished ? { what: 'finished', step: null, at, ...rest } : { what: 'begun', step: null, at };
}

/** How runs are recorded on a device that cannot reach the server. */
export const runKeeping: Keeping = {
  read: contract.getRun,
  writes: [contract.startRun, contract.recordStep, contract.finishRun, contract.addEvidence],
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
  make(record, { endpoint, input, files }, at) {
    const run = record as RunDetail;
    const done = recordedBy({ endpoint: named(endpoint), input, files: files ?? [] }, at);
    const after = recordedOn(run, done) as RunDetail;
    if (endpoint === contract.recordStep) {
      const place = (done.step ?? 1) - 1;
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
      const same =
        result.observed === observed && result.verdict === verdict && JSON.stringify(result.readings) === JSON.stringify(readings);
      return { input: { known: { observed, verdict }, ...input }, record: after, answer, same };
    }
    const here = (files ?? []).map((file, i) => ({
      // It gets its number from the server.
      id: -1 - i - run.evidence.length,
      step: done.step ?? 1,
      name: file.name,
      mime: file.type,
      bytes: file.size,
      sha256: '',
    }));
    const now = { ...after, evidence: [...after.evidence, ...here] };
    return { input, record: now, answer: now };
  },
  words({ endpoint, input, files }) {
    const done = recordedBy({ endpoint, input, files }, '');
    if (done.what === 'evidence') return `Step ${done.step}: ${done.files?.join(', ')}`;
    if (done.what !== 'step') return done.what === 'begun' ? 'Begun' : 'Finished';
    const verdict = done.verdict ?? 'no verdict yet';
    return `Step ${done.step}: ${verdict}${done.observed ? `, “${done.observed}”` : ''}`;
  },
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
