import { addCoverage, metrics, noCoverage, type Metric } from '../measure';
import type { Attested, CodeSummary, TracedUnit, UnitStatus } from './cord-input';

/** Sums up what is traced to a requirement and to those derived from it, in the order of paths and lines that the units come in. */
export function summariseCode(own: readonly string[], casesMeasured: boolean, units: readonly TracedUnit[]): CodeSummary {
  const measured = units.filter((unit) => unit.status === 'measured');
  const gaps: Partial<Record<Metric, string>> = {};
  for (const metric of metrics) {
    const gap = measured.find((unit) => unit.firstGap[metric] !== undefined);
    if (gap) gaps[metric] = `${gap.path}:${gap.firstGap[metric]}`;
  }
  const statuses = ['neverLoaded', 'otherText', 'partial', 'absent'] as const satisfies readonly Exclude<UnitStatus, 'measured'>[];
  return {
    own,
    casesMeasured,
    units: units.length,
    unmeasured: statuses.flatMap((status) => {
      const found = units.filter((unit) => unit.status === status);
      if (!found.length) return [];
      const paths = [...new Set(found.map((unit) => unit.path))].slice(0, 20);
      return [{ status, first: `${found[0].path} ${found[0].name}`, count: found.length, paths }];
    }),
    measured: measured.length,
    totals: measured.reduce((sum, unit) => addCoverage(sum, unit.totals), noCoverage),
    gaps,
    ...carriedOf(measured),
    ...attestedOf(measured),
  };
}

function carriedOf(measured: readonly TracedUnit[]): Pick<CodeSummary, 'carried'> {
  const keys = measured.flatMap((unit) => unit.carried ?? []);
  return keys.length ? { carried: { units: keys.length, keys: [...new Set(keys)].sort() } } : {};
}

/** What was attested of the measured functions; nothing where nothing was. */
function attestedOf(measured: readonly TracedUnit[]): Pick<CodeSummary, 'attested'> {
  const attested: Partial<Record<Metric, Attested>> = {};
  for (const metric of metrics) {
    const keys = measured.flatMap((unit) => unit.attested?.[metric] ?? []);
    if (keys.length) attested[metric] = { units: keys.length, keys: [...new Set(keys)].sort() };
  }
  return Object.keys(attested).length ? { attested } : {};
}
