import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/measure';
import type { Carried, CarryOffer, Code, Diagnosis, FileDetail, LoadAnswer, TraceOffer } from '@contract/measure';
import { addTrace } from '@contract/base';
import { command } from '../base';

export const measureCommands = {
  getCode: command('[Measure] get code', contract.getCode),
  getFile: command('[Measure] get file', contract.getFile),
  diagnose: command('[Measure] diagnose', contract.diagnose),
  previewCoverage: command('[Measure] preview coverage', contract.loadCoverage),
  loadCoverage: command('[Measure] load coverage', contract.loadCoverage),
  loadSources: command('[Measure] load sources', contract.loadSources),
  traceCode: command('[Measure] trace code', contract.traceCode),
  linkCase: command('[Measure] link case', addTrace),
  withdrawUpload: command('[Measure] withdraw upload', contract.withdrawUpload),
  attest: command('[Measure] attest', contract.attest),
  offerTraces: command('[Measure] offer traces', contract.offerTraces),
  offerCarries: command('[Measure] offer carries', contract.offerCarries),
  listCarries: command('[Measure] list carries', contract.listCarries),
  carryMeasured: command('[Measure] carry measured', contract.carryMeasured),
  withdrawCarry: command('[Measure] withdraw carry', contract.withdrawCarry),
  withdrawAttestation: command('[Measure] withdraw attestation', contract.withdrawAttestation),
};

interface MeasureState {
  readonly code: Code | null;
  readonly file: FileDetail | null;
  readonly diagnosis: Diagnosis | null;
  /** What an upload would store, before anything is stored. */
  readonly preview: LoadAnswer | null;
  /** What was measured on sources that were exchanged since: what may be carried, and what was. */
  readonly offers: { readonly same: number; readonly changed: number; readonly rows: readonly CarryOffer[] };
  readonly carries: readonly Carried[];
  /** Traces made by hand on the build before, of functions that are others now. */
  readonly traceOffers: readonly TraceOffer[];
  readonly loaded:
    | (LoadAnswer & { readonly what: 'coverage' })
    | {
        readonly what: 'sources';
        readonly files: number;
        readonly functions: number;
        readonly traces: number;
        readonly findings: LoadAnswer['findings'];
      }
    | null;
}
const first: MeasureState = {
  code: null,
  file: null,
  diagnosis: null,
  preview: null,
  offers: { same: 0, changed: 0, rows: [] },
  carries: [],
  traceOffers: [],
  loaded: null,
};
const c = measureCommands;
type Attested = FileDetail['units'][number]['attested'];

/** The shown file with what is attested of one of its functions changed. */
function withAttested(state: MeasureState, path: string, unit: string, change: (list: Attested) => Attested): MeasureState {
  if (state.file?.path !== path) return state;
  const units = state.file.units.map((u) => (u.name === unit ? { ...u, attested: change(u.attested) } : u));
  return { ...state, file: { ...state.file, units } };
}

export const measureFeature = createFeature({
  name: 'measure',
  reducer: createReducer(
    first,
    on(c.getCode.done, (state, { answer }): MeasureState => ({ ...state, code: answer })),
    on(c.getFile.done, c.traceCode.done, (state, { answer }): MeasureState => ({ ...state, file: answer })),
    on(c.attest.done, (state, { answer: { key, path, unit, metric } }): MeasureState =>
      withAttested(state, path, unit, (list) => [...list, { key, metric }]),
    ),
    on(c.withdrawAttestation.done, (state, { answer: { key, path, unit } }): MeasureState =>
      withAttested(state, path, unit, (list) => list.filter((a) => a.key !== key)),
    ),
    on(c.diagnose.start, (state, { input }): MeasureState =>
      state.diagnosis?.line === Number(input.line) ? state : { ...state, diagnosis: null },
    ),
    on(c.diagnose.done, (state, { answer }): MeasureState => ({ ...state, diagnosis: answer })),
    on(c.diagnose.failed, (state): MeasureState => ({ ...state, diagnosis: null })),
    on(c.loadCoverage.done, (state, { answer }): MeasureState => ({ ...state, loaded: { ...answer, what: 'coverage' } })),
    on(c.loadSources.done, (state, { answer }): MeasureState => ({ ...state, loaded: { ...answer, what: 'sources' } })),
    on(c.loadCoverage.start, c.loadSources.start, (state): MeasureState => ({ ...state, loaded: null, preview: null })),
    on(c.previewCoverage.done, (state, { answer }): MeasureState => ({ ...state, preview: answer, loaded: null })),
    on(c.previewCoverage.failed, (state): MeasureState => ({ ...state, preview: null })),
    on(c.offerTraces.done, (state, { answer }): MeasureState => ({ ...state, traceOffers: answer })),
    on(c.offerCarries.done, (state, { answer }): MeasureState => ({ ...state, offers: answer })),
    on(c.listCarries.done, (state, { answer }): MeasureState => ({ ...state, carries: answer.rows })),
    on(c.carryMeasured.done, (state, { answer }): MeasureState => ({ ...state, carries: [...state.carries, answer] })),
    on(c.withdrawCarry.done, (state, { answer }): MeasureState => ({
      ...state,
      carries: state.carries.map((carried) => (carried.key === answer.key ? answer : carried)),
    })),
  ),
});
