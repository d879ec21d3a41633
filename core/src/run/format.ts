import { canonicalJson, textHash, type Json, type RecordFormat } from '../base';
import { caseJson, caseJson5 } from '../design';
import {
  noMore,
  type Correction,
  type DeviceNote,
  type EvidenceNote,
  type Redline,
  type RunMore,
  type RunRecord,
  type StepResult,
} from './record';

const stepJson = ({ verdict, observed, at }: StepResult): Json => ({ verdict, observed, at });
const stepJson5 = (step: StepResult): Json => ({
  ...(stepJson(step) as { readonly [name: string]: Json }),
  readings: (step.readings ?? []).map(({ name, value }) => ({ name, value })),
});
const evidenceJson = ({ step, name, mime, bytes, sha256 }: EvidenceNote): Json => ({ step, name, mime, bytes, sha256 });
const correctionJson = ({ at, reason, verdict, steps }: Correction): Json => ({ at, reason, verdict, steps: steps.map(stepJson) });

const textsJson = (texts: Redline['before']): Json => texts && { action: texts.action, expected: texts.expected };
/** Frozen: what format 6 holds beside what format 5 does. */
const moreJson = ({ conclusion, redlines, performedBy, clock }: RunMore): { readonly [name: string]: Json } => ({
  conclusion,
  redlines: redlines.map(({ step, what, before, after, reason, by, at }) => ({
    step,
    what,
    before: textsJson(before),
    after: textsJson(after),
    reason,
    by,
    at,
  })),
  performedBy: performedBy && { program: performedBy.program, tool: performedBy.tool, version: performedBy.version },
  clock: clock.map(({ at, from, to, reason }) => ({ at, from, to, reason })),
});

/** Frozen: what format 7 holds beside what format 6 does. */
const deviceJson = (device: readonly DeviceNote[]): Json =>
  device.map(({ what, step, at, sent, arrived }) => ({ what, step, at, sent, arrived }));

/** Frozen: the members that formats 1 and 2 share. */
function sharedJson(record: RunRecord): { readonly [name: string]: Json } {
  const { key, round, build, configuration, unit, tools, caseKey, caseRevision, row, tester, startedAt, finishedAt, seconds, verdict } =
    record;
  return {
    key,
    round,
    build,
    configuration,
    unit,
    tools,
    caseKey,
    caseRevision,
    case: caseJson(record.case),
    row,
    tester,
    startedAt,
    finishedAt,
    seconds,
    steps: record.steps.map(stepJson),
    evidence: record.evidence.map(evidenceJson),
    verdict,
  };
}

/** Frozen: the text that the signatures of a run are bound to, in the format that the run was planned in. */
export function runText(format: RecordFormat, record: RunRecord): string {
  const shared = sharedJson(record);
  if (format === 1) return canonicalJson(shared);
  if (format >= 5) {
    const more = record.more ?? noMore;
    return canonicalJson({
      format,
      kind: 'run',
      ...shared,
      ...(format >= 6 ? moreJson(more) : {}),
      ...(format >= 7 ? { device: deviceJson(more.device) } : {}),
      case: caseJson5(record.case),
      steps: record.steps.map(stepJson5),
      corrections: record.corrections.map(({ steps, ...correction }) => ({
        ...(correctionJson({ ...correction, steps: [] }) as { readonly [name: string]: Json }),
        steps: steps.map(stepJson5),
      })),
    });
  }
  return canonicalJson({ format: 2, kind: 'run', ...shared, corrections: record.corrections.map(correctionJson) });
}

/** SHA-256 of `runText`. */
export function runHash(format: RecordFormat, record: RunRecord): string {
  return textHash(runText(format, record));
}
