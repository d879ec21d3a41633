import { envelope2, type Json } from '../base';
import type { CaseContent } from './case';

/** Frozen: what formats 1 and 2 hold of a case. Absent members are left out, as they always were. */
export function caseJson({ title, objective, preconditions, steps, plannedMinutes, rows }: CaseContent): Json {
  return {
    title,
    objective,
    preconditions,
    steps: steps.map(({ action, expected, call, from }) => ({
      action,
      expected,
      ...(call ? { call: { key: call.key, revision: call.revision, with: { ...call.with } } } : {}),
      ...(from === undefined ? {} : { from }),
    })),
    plannedMinutes,
    ...(rows ? { rows: rows.map(({ name, values }) => ({ name, values: { ...values } })) } : {}),
  };
}

/** Frozen, format 2: the text that an approval of a case is bound to. */
export function caseText2(key: string, revision: number, content: CaseContent): string {
  return envelope2('case', key, revision, caseJson(content));
}
