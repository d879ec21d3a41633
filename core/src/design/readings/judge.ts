import type { Finding } from '../../base';
import type { CaseContent, StepReading } from '../case';
import { readLimits, type Limits } from './limits';
import { convertUnit } from './units';

/** What a reading says of a step: a proposal, which the tester accepts or answers with words. */
export interface ReadingJudgement {
  readonly value: number;
  readonly verdict: 'pass' | 'fail';
  /** How far it is from the nearest limit, in the reading’s unit: above 0 inside, below 0 outside. */
  readonly margin: number;
}

const numberTyped = /^[-+−]?\d{1,15}(?:[.,]\d{1,12})?$/;

/** A number as it is typed, with a point or a comma; undefined where it is none. */
export const typedNumber = (text: string): number | undefined =>
  numberTyped.test(text.trim()) ? Number(text.trim().replace('−', '-').replace(',', '.')) : undefined;

/** The limits of a reading in the reading’s own unit; undefined where they cannot be read or compared. */
export function limitsOf({ limits: text, unit }: Pick<StepReading, 'limits' | 'unit'>): Limits | undefined {
  const read = readLimits(text);
  if ('fault' in read) return undefined;
  const { limits } = read;
  const from = limits.unit || unit;
  const to = unit || limits.unit;
  const converted = (value: number | undefined): number | undefined => (value === undefined ? undefined : convertUnit(value, from, to));
  const [low, high, nominal] = [converted(limits.low), converted(limits.high), converted(limits.nominal)];
  if ((limits.low !== undefined && low === undefined) || (limits.high !== undefined && high === undefined)) return undefined;
  return {
    ...(low === undefined ? {} : { low }),
    ...(high === undefined ? {} : { high }),
    ...(nominal === undefined ? {} : { nominal }),
    lowInside: limits.lowInside,
    highInside: limits.highInside,
    unit: to,
  };
}

/** The verdict that a reading proposes; undefined where the value is no number or the limits cannot be read. */
export function judgeReading(reading: Pick<StepReading, 'limits' | 'unit'>, typed: string): ReadingJudgement | undefined {
  const [limits, value] = [limitsOf(reading), typedNumber(typed)];
  if (!limits || value === undefined) return undefined;
  // Binary fractions must not decide: what is equal in twelve digits is equal.
  const apart = (a: number, b: number): number => (Number(a.toPrecision(12)) === Number(b.toPrecision(12)) ? 0 : a - b);
  const margins = [
    ...(limits.low === undefined ? [] : [{ margin: apart(value, limits.low), inside: limits.lowInside }]),
    ...(limits.high === undefined ? [] : [{ margin: apart(limits.high, value), inside: limits.highInside }]),
  ];
  const fails = margins.some(({ margin, inside }) => margin < 0 || (margin === 0 && !inside));
  const margin = Number(Math.min(...margins.map((m) => m.margin)).toPrecision(12));
  return { value, verdict: fails ? 'fail' : 'pass', margin };
}

/** What is wrong with a reading that a step asks for, each with the member that it is about. */
export function readingFindings({ name, unit, resolution, limits: text }: StepReading): Finding[] {
  const findings: Finding[] = [];
  const say = (cell: keyof StepReading, words: string, severity: Finding['severity'] = 'error'): void =>
    void findings.push({ severity, cell, text: words });
  if (!name.trim()) say('name', 'The reading has no name.');
  if (!(resolution >= 0)) say('resolution', 'The resolution is below 0.');
  const read = readLimits(text);
  if ('fault' in read) say('limits', read.fault);
  else if (!limitsOf({ limits: text, unit }))
    say('unit', `${read.limits.unit} cannot be compared with ${unit}: they measure different things, or one is not known.`);
  else if (resolution > 0) {
    const limits = limitsOf({ limits: text, unit });
    const { low, high } = limits ?? {};
    const width = low !== undefined && high !== undefined ? high - low : undefined;
    if (width !== undefined && width > 0 && resolution > width / 2)
      say(
        'resolution',
        `With a resolution of ${resolution} ${unit} a range of ${Number(width.toPrecision(6))} ${unit} cannot be told.`,
        'warning',
      );
  }
  return findings;
}

/** The same over all readings of a case, each with its step. */
export function readingsFindings({ steps }: Pick<CaseContent, 'steps'>): Finding[] {
  return steps.flatMap(({ readings = [] }, i) => {
    const names = readings.map((r) => r.name.trim().toLowerCase());
    return [
      ...(new Set(names).size < names.length
        ? [{ severity: 'error' as const, cell: `step ${i + 1}`, text: `Step ${i + 1} asks for two readings of one name.` }]
        : []),
      ...readings.flatMap((reading) =>
        // Names in braces are filled per row: what stands there is judged when the run is planned.
        /\{\{/.test(`${reading.limits}${reading.unit}`)
          ? []
          : readingFindings(reading).map((finding) => ({
              ...finding,
              cell: `step ${i + 1}`,
              text: `Step ${i + 1}, ${reading.name || 'reading'}: ${finding.text}`,
            })),
      ),
    ];
  });
}

/** Where limits, their aim and readings stand on a line from 0 to 1, with some room on both sides. */
export function numberLine(
  limits: Limits,
  values: readonly number[],
): { at(value: number): number; readonly low: number; readonly high: number } {
  const points = [limits.low, limits.high, limits.nominal, ...values].filter((v): v is number => v !== undefined);
  const [least, most] = [Math.min(...points), Math.max(...points)];
  const width = most - least || Math.abs(most) || 1;
  const [low, high] = [least - width * 0.25, most + width * 0.25];
  return { low, high, at: (value) => Math.max(0, Math.min(1, (value - low) / (high - low))) };
}

/** A tolerance in the reading’s unit, for showing margins. */
export const marginWords = ({ unit }: Pick<StepReading, 'unit'>, { margin, verdict }: ReadingJudgement): string =>
  `${Math.abs(margin)}${unit ? ` ${unit}` : ''} ${verdict === 'pass' ? 'inside' : 'outside'} the limit`;
