import { envelope2, envelope5, type Json, type RecordFormat } from '../base';
import { caseDetailsOf, saysMore, type CaseContent, type CaseStep } from './case';

const stepJson = ({ action, expected, call, from }: CaseStep) => ({
  action,
  expected,
  ...(call ? { call: { key: call.key, revision: call.revision, with: { ...call.with } } } : {}),
  ...(from === undefined ? {} : { from }),
});

/** Frozen: what formats 1 and 2 hold of a case. Absent members are left out, as they always were. */
export function caseJson({ title, objective, preconditions, steps, plannedMinutes, rows }: CaseContent): Json {
  return {
    title,
    objective,
    preconditions,
    steps: steps.map(stepJson),
    plannedMinutes,
    ...(rows ? { rows: rows.map(({ name, values }) => ({ name, values: { ...values } })) } : {}),
  };
}

/** Frozen: what format 5 holds of a case, all of it. */
export function caseJson5(content: CaseContent): Json {
  const { title, objective, preconditions, steps, plannedMinutes, rows } = content;
  const { samples, tags, addresses, dependsOn, layout, ...texts } = caseDetailsOf(content);
  return {
    title,
    objective,
    preconditions,
    steps: steps.map((step) => ({
      ...stepJson(step),
      data: step.data ?? '',
      readings: (step.readings ?? []).map(({ name, unit, resolution, limits }) => ({ name, unit, resolution, limits })),
      evidence: step.evidence ?? '',
      verifies: [...(step.verifies ?? [])],
      layout: { action: step.layout?.action ?? '', expected: step.layout?.expected ?? '' },
    })),
    plannedMinutes,
    rows: (rows ?? []).map(({ name, values }) => ({ name, values: { ...values } })),
    postconditions: texts.postconditions,
    kind: texts.kind,
    priority: texts.priority,
    tags: [...tags],
    addresses: [...addresses],
    dependsOn: [...dependsOn],
    script: texts.script,
    arguments: texts.arguments,
    samples: samples && { confidence: samples.confidence, reliability: samples.reliability, failures: samples.failures },
    layout: { objective: layout.objective ?? '', preconditions: layout.preconditions ?? '', postconditions: layout.postconditions ?? '' },
  };
}

/** Frozen, format 2: the text that an approval of a case is bound to. */
export function caseText2(key: string, revision: number, content: CaseContent): string {
  return envelope2('case', key, revision, caseJson(content));
}

/** Frozen, format 5: the same of a case that has more than steps, planned minutes and rows. */
export function caseText5(key: string, revision: number, content: CaseContent): string {
  return envelope5('case', key, revision, caseJson5(content));
}

/** The format in which a case, and a run of it, is signed. */
export const caseFormat = (content: CaseContent): RecordFormat => (saysMore(content) ? 5 : 2);

/** What an approval of a revision is bound to. */
export const caseText = (key: string, revision: number, content: CaseContent): string =>
  (saysMore(content) ? caseText5 : caseText2)(key, revision, content);
