import type { CreditPolicy, Metric } from '../measure';
import type { Policies } from './policy';

/** What a standard asks for, as data that a project may correct. */
export interface StandardProfile {
  readonly standard: string;
  readonly levels: readonly string[];
  /** Target of credited coverage in per cent, by level and metric; a metric that is absent is not asked for. */
  readonly targets: Readonly<Record<string, Partial<Record<Metric, number>>>>;
  /** At which levels a run needs a second person's signature. */
  readonly reviewAt: readonly string[];
  readonly note: string;
  /** What gives credit here; the usual where nothing is said. */
  readonly credit?: CreditPolicy;
  /** What the project asks of its people; the usual where nothing is said. */
  readonly policies?: Policies;
}

const note = 'Recalled from memory; to be checked against the standard before use.';

/**
 * IEC 61508-3:2010 table B.2, rows 7a to 7d (recalled): entry points HR at SIL 1 to 4; statements R HR HR HR; branches R R HR HR;
 * conditions, MC/DC R R R HR.
 * A metric is asked for where it is highly recommended (HR), with a target of 100 %.
 */
export const iec61508: StandardProfile = {
  standard: 'IEC 61508',
  levels: ['SIL 1', 'SIL 2', 'SIL 3', 'SIL 4'],
  targets: {
    'SIL 1': { function: 100 },
    'SIL 2': { function: 100, line: 100 },
    'SIL 3': { function: 100, line: 100, branch: 100 },
    'SIL 4': { function: 100, line: 100, branch: 100, mcdc: 100 },
  },
  reviewAt: ['SIL 1', 'SIL 2', 'SIL 3', 'SIL 4'],
  note,
};

/** DO-178C table A-7 (recalled): statement A to C, decision A and B, MC/DC A. */
export const do178c: StandardProfile = {
  standard: 'DO-178C',
  levels: ['DAL A', 'DAL B', 'DAL C', 'DAL D'],
  targets: { 'DAL A': { line: 100, branch: 100, mcdc: 100 }, 'DAL B': { line: 100, branch: 100 }, 'DAL C': { line: 100 }, 'DAL D': {} },
  reviewAt: ['DAL A', 'DAL B'],
  note,
};

/** ISO 26262-6:2018 tables 9 and 12 (recalled): asked for where ++. */
export const iso26262: StandardProfile = {
  standard: 'ISO 26262',
  levels: ['QM', 'ASIL A', 'ASIL B', 'ASIL C', 'ASIL D'],
  targets: {
    QM: {},
    'ASIL A': { line: 100 },
    'ASIL B': { line: 100, branch: 100 },
    'ASIL C': { branch: 100, function: 100, call: 100 },
    'ASIL D': { branch: 100, mcdc: 100, function: 100, call: 100 },
  },
  reviewAt: ['ASIL B', 'ASIL C', 'ASIL D'],
  note,
};

/** IEC 62304 names no metric (recalled): targets are the manufacturer's own acceptance criteria. */
export const iec62304: StandardProfile = {
  standard: 'IEC 62304',
  levels: ['class A', 'class B', 'class C'],
  targets: { 'class A': {}, 'class B': { line: 80 }, 'class C': { line: 100, branch: 100 } },
  reviewAt: ['class B', 'class C'],
  note: 'The standard names no metric: these targets are the project’s own acceptance criteria.',
};

export const profiles: readonly StandardProfile[] = [iec61508, do178c, iso26262, iec62304];

export const metricWords: Record<Metric, string> = {
  function: 'entry points',
  line: 'statements',
  branch: 'branches',
  condition: 'conditions',
  mcdc: 'MC/DC',
  call: 'calls',
};
