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
  const [file] = code.own;
  const attest = { label: 'Load it, or attest', to: file ? { kind: 'file' as const, key: file } : at, place: 'code' as const };
  const reasons = code.unmeasured.map(({ status, first, count, paths }) =>
    say(
      `code-${status}`,
      { unit: first, count, build: input.build },
      status === 'absent' ? { label: 'Open the code', to: at, place: 'code' } : load,
      paths.map((key) => ({ kind: 'file', key })),
    ),
  );
  if (code.carried) {
    const { units, keys } = code.carried;
    reasons.push(
      say(
        'carried',
        { count: units, key: keys.join(', ') },
        { label: 'Read it', to: { kind: 'carry', key: keys[0] }, place: 'code' },
        keys.map((key) => ({ kind: 'carry', key })),
      ),
    );
  }
  for (const metric of asked) {
    const attested = code.attested?.[metric];
    const { found, credited, justified } = code.totals[metric];
    // What no tool can give somebody may attest, for every function of it: signed, and counted apart.
    if (found === 0 && attested && code.measured > 0 && attested.units === code.measured) {
      const [key] = attested.keys;
      reasons.push(
        say(
          'attested',
          { metric: capital(metricWords[metric]), count: attested.units, key: attested.keys.join(', ') },
          { label: 'Read it', to: { kind: 'attestation', key }, place: 'code' },
          attested.keys.map((name) => ({ kind: 'attestation', key: name })),
        ),
      );
      continue;
    }
    if (input.missingMetrics.has(metric)) {
      reasons.push(say('noMetric', { metric: metricWords[metric], level: r.level, build: input.build }, attest));
      continue;
    }
    if (found === 0) {
      if (code.measured) reasons.push(say('noPoints', { metric: metricWords[metric] }, attest));
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
