import { createFeature, createReducer, on } from '@ngrx/store';
import { listCords, type BoardRow } from '@contract/prove';
import * as contract from '@contract/specify';
import type { AnswerOf } from '@contract/base';
import type { Dismissal, MatrixAnswer, RequirementDetail, Specification, WordingReport } from '@contract/specify';
import { command } from '../base';

export const specifyCommands = {
  listSpecifications: command('[Specify] list specifications', contract.listSpecifications),
  addSpecification: command('[Specify] add specification', contract.addSpecification),
  getRequirement: command('[Specify] get requirement', contract.getRequirement),
  addRequirement: command('[Specify] add requirement', contract.addRequirement),
  saveRequirement: command('[Specify] save requirement', contract.saveRequirement),
  placeRequirement: command('[Specify] place requirement', contract.placeRequirement),
  setState: command('[Specify] set state', contract.setRequirementState),
  approve: command('[Specify] approve', contract.approveRequirement),
  getWording: command('[Specify] get wording', contract.getWording),
  saveWording: command('[Specify] save wording', contract.saveWording),
  reportWording: command('[Specify] report wording', contract.reportWording),
  dismissFinding: command('[Specify] dismiss finding', contract.dismissFinding),
  endDismissal: command('[Specify] end dismissal', contract.endDismissal),
  cordsOf: command('[Specify] cords of rows', listCords),
  getMatrix: command('[Specify] get matrix', contract.getMatrix),
  addOutline: command('[Specify] write outline', contract.addOutline),
  readWorkbook: command('[Specify] read workbook', contract.readWorkbook),
  copyOut: command('[Specify] copy into another project', contract.copyOut),
  theirSpecifications: command('[Specify] specifications of another project', contract.listSpecifications),
  previewImport: command('[Specify] preview import', contract.previewImport),
  previewSentTable: command('[Specify] preview sent table', contract.previewSentTable),
  importSentTable: command('[Specify] import sent table', contract.importSentTable),
  importRequirements: command('[Specify] import', contract.importRequirements),
};

interface SpecifyState {
  readonly specifications: readonly Specification[];
  readonly detail: RequirementDetail | null;
  /** The words by which wording is checked; null until they were read. */
  readonly wording: AnswerOf<typeof contract.getWording> | null;
  /** What one asked to see of a specification's wording: rows of several pages one after the other. */
  readonly wordingReport: WordingReport | null;
  readonly matrix: MatrixAnswer | null;
  /** Cords of requirements that stand in a tree, on one build. */
  readonly cords: { readonly build: string; readonly of: Readonly<Record<string, BoardRow['states']>> };
}
const first: SpecifyState = {
  specifications: [],
  detail: null,
  wording: null,
  wordingReport: null,
  matrix: null,
  cords: { build: '', of: {} },
};
const c = specifyCommands;

export const specifyFeature = createFeature({
  name: 'specify',
  reducer: createReducer(
    first,
    on(c.listSpecifications.done, (state, { answer }): SpecifyState => ({ ...state, specifications: answer })),
    on(c.addSpecification.done, (state, { answer }): SpecifyState => ({ ...state, specifications: [...state.specifications, answer] })),
    on(
      c.getRequirement.done,
      c.addRequirement.done,
      c.saveRequirement.done,
      c.placeRequirement.done,
      c.setState.done,
      c.approve.done,
      (state, { answer }): SpecifyState => ({ ...state, detail: answer }),
    ),
    on(c.getWording.done, c.saveWording.done, (state, { answer }): SpecifyState => ({ ...state, wording: answer })),
    on(c.getMatrix.done, (state, { answer }): SpecifyState => ({ ...state, matrix: answer })),
    on(c.cordsOf.done, (state, { input: { build }, answer: { rows } }): SpecifyState => {
      const read = Object.fromEntries(rows.map(({ key, states }) => [key, states]));
      return { ...state, cords: { build, of: state.cords.build === build ? { ...state.cords.of, ...read } : read } };
    }),
    on(c.reportWording.done, (state, { input, answer }): SpecifyState => {
      const rows =
        Number(input.skip ?? 0) && state.wordingReport
          ? [...state.wordingReport.rows.slice(0, Number(input.skip)), ...answer.rows]
          : answer.rows;
      return { ...state, wordingReport: { ...answer, rows } };
    }),
    on(c.dismissFinding.done, (state, { input, answer }): SpecifyState =>
      withDismissals(state, input.key, (all) => [...all.filter((d) => d.id !== answer.id), answer]),
    ),
    on(c.endDismissal.done, (state, { input }): SpecifyState =>
      withDismissals(state, input.key, (all) => all.filter((d) => d.id !== input.id)),
    ),
  ),
});

const withDismissals = (state: SpecifyState, key: string, change: (all: readonly Dismissal[]) => Dismissal[]): SpecifyState =>
  state.detail?.key === key ? { ...state, detail: { ...state.detail, dismissals: change(state.detail.dismissals) } } : state;
