import { metrics } from '../measure';
import { knotOf, type JudgedKnot } from './knot';
import type { CordInput, CordRequirement } from './cord-input';
import { metricWords } from './profile';
import { requirementAction, type Reason } from './reason';

/**
 * Measure, rule 4: over all code traced to the requirement or to those derived from it, the points credited to it against each
 * target at its level. Where nothing can be said, that is the reason; 0 of 0 is never all.
 */
export function judgeMeasure(r: CordRequirement, input: CordInput): JudgedKnot {
  const records: Reason['records'] = [{ kind: 'requirement', key: r.key }];
  const at = { kind: 'build' as const, key: input.build };
  const say = (code: Reason['code'], values: Reason['values'], action: Reason['action'], more: Reason['records'] = []): Reason => ({
    code,
    records: [...records, ...more],
    values,
    action,
  });
  const code = input.code.get(r.key);
  if (r.notInCode) {
    if (code?.own.length)
      return knotOf([
        say('notInCodeButNamed', { place: code.own[0] }, { label: 'Open the code', to: { kind: 'file', key: code.own[0] }, place: 'code' }),
      ]);
    if (!r.notInCodeRationale) return knotOf([say('notInCodeNoRationale', {}, requirementAction('Write the rationale', r.key))]);
    return knotOf([say('notInCode', {}, requirementAction('Open', r.key))], 'notRequired');
  }
  const targets = input.profile.targets[r.level] ?? {};
  const asked = [...metrics].reverse().filter((metric) => (targets[metric] ?? 0) > 0);
  if (!asked.length) return knotOf([], 'notRequired');
  if (!code?.units) return knotOf([say('noCode', {}, { label: 'Trace code', to: at, place: 'code' })]);
  const load = { label: 'Load coverage', to: at, place: 'sources' as const };
  if (!code.casesMeasured) return knotOf([say('noCoverage', { build: input.build }, load)]);
  const reasons = code.unmeasured.map(({ status, first, count, paths }) =>
    say(
      `code-${status}`,
      { unit: first, count, build: input.build },
      status === 'absent' ? { label: 'Open the code', to: at, place: 'code' } : load,
      paths.map((key) => ({ kind: 'file', key })),
    ),
  );
  for (const metric of asked) {
    if (input.missingMetrics.has(metric)) {
      reasons.push(say('noMetric', { metric: metricWords[metric], level: r.level, build: input.build }, load));
      continue;
    }
    const { found, credited, justified } = code.totals[metric];
    if (found === 0) {
      if (code.measured) reasons.push(say('noPoints', { metric: metricWords[metric] }, load));
      continue;
    }
    if ((credited + justified) * 100 >= (targets[metric] ?? 0) * found) continue;
    const place = code.gaps[metric] ?? '';
    reasons.push(
      say(
        'underTarget',
        { metric: capital(metricWords[metric]), credited: credited + justified, found, place },
        { label: 'Review credit', to: { kind: 'file', key: place }, place: 'code' },
        [{ kind: 'file', key: place }],
      ),
    );
  }
  return knotOf(reasons);
}

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
