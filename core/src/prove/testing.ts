// For the specs of this room alone: one requirement that is proved, and the pieces of which it is made.
import { knots } from '../base';
import { noCoverage } from '../measure';
import {
  iec61508,
  judgeCords,
  reasonWords,
  summariseCode,
  type CodeSummary,
  type Cord,
  type CordCase,
  type CordInput,
  type CordRequirement,
  type CordRun,
  type CordTrace,
  type TracedUnit,
} from './index';

export const requirement = (key: string, more: Partial<CordRequirement> = {}): CordRequirement => ({
  key,
  title: key,
  revision: 1,
  state: 'approved',
  author: 'joe',
  approvals: [{ login: 'ann', matches: true }],
  level: 'SIL 2',
  method: 'test',
  topLevel: true,
  derived: false,
  hasRationale: false,
  notInCode: false,
  notInCodeRationale: false,
  ...more,
});
export const aCase = (more: Partial<CordCase> = {}): CordCase => ({
  key: 'C-1',
  revision: 1,
  approved: true,
  author: 'joe',
  approvals: [{ login: 'ann', matches: true }],
  unapprovedCalls: [],
  ...more,
});
export const trace = (from: string, to: string, more: Partial<CordTrace> = {}): CordTrace => ({
  from,
  to,
  fromRevision: 1,
  toRevision: 1,
  needsConfirmation: false,
  drawnBy: 'joe',
  confirmedBy: 'joe',
  ...more,
});
export const signed: CordRun['signatures'] = [
  { meaning: 'performed', login: 'tom', matches: true },
  { meaning: 'reviewed', login: 'ann', matches: true },
];
let finished = 0;
export const run = (more: Partial<CordRun> = {}): CordRun => ({
  key: 'RUN-1',
  caseKey: 'C-1',
  caseRevision: 1,
  row: null,
  configuration: 'rig',
  verdict: 'passed',
  finished: more.verdict === null ? null : ++finished,
  failedStep: null,
  deviationAccepted: false,
  returned: false,
  setAside: false,
  carriedOverTo: null,
  tester: 'tom',
  signatures: signed,
  ...more,
});
export const points = (found: number, credited: number, justified = 0) => ({ found, exercised: found, credited, justified });
export const unit = (more: Partial<TracedUnit> = {}): TracedUnit => ({
  path: 'a.c',
  name: 'held',
  status: 'measured',
  totals: { ...noCoverage, function: points(1, 1), line: points(4, 4), branch: points(2, 2) },
  firstGap: {},
  ...more,
});
export const code = (units: readonly TracedUnit[], own = ['a.c'], casesMeasured = true): Map<string, CodeSummary> =>
  new Map([['R-1', summariseCode(own, casesMeasured, units)]]);
export const sound: CordInput = {
  build: '1.0',
  profile: iec61508,
  requirements: [requirement('R-1')],
  cases: [aCase()],
  parents: [],
  verifies: [trace('C-1', 'R-1')],
  runs: [run()],
  problems: [],
  code: code([unit()]),
  missingMetrics: new Set(),
};
export const judge = (more: Partial<CordInput>): Cord => judgeCords({ ...sound, ...more })[0];
export const states = (cord: Cord): string =>
  knots
    .map((k) => ({ sound: 'S', waiting: 'W', broken: 'B', suspect: 'U', notReached: '-', notRequired: 'N' })[cord.knots[k].state])
    .join('');
export const why = (cord: Cord): string => (cord.firstBreak ? reasonWords(cord.knots[cord.firstBreak].reasons[0]) : 'proved');
