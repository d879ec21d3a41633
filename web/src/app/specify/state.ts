import { createFeature, createReducer, on } from '@ngrx/store';
import { addTrace, confirmTrace, removeTrace } from '@contract/base';
import * as contract from '@contract/specify';
import type { Requirement, RequirementDetail, Specification } from '@contract/specify';
import { compareKeys } from '@core/base';
import { command, noList, pagedCommand, withPage, type PagedList } from '../base';

export const specifyCommands = {
  listSpecifications: command('[Specify] list specifications', contract.listSpecifications),
  addSpecification: command('[Specify] add specification', contract.addSpecification),
  listRequirements: pagedCommand('[Specify] list requirements', contract.listRequirements),
  getRequirement: command('[Specify] get requirement', contract.getRequirement),
  addRequirement: command('[Specify] add requirement', contract.addRequirement),
  saveRequirement: command('[Specify] save requirement', contract.saveRequirement),
  placeRequirement: command('[Specify] place requirement', contract.placeRequirement),
  setState: command('[Specify] set state', contract.setRequirementState),
  approve: command('[Specify] approve', contract.approveRequirement),
  addTrace: command('[Specify] add trace', addTrace),
  confirmTrace: command('[Specify] confirm trace', confirmTrace),
  removeTrace: command('[Specify] remove trace', removeTrace),
  previewImport: command('[Specify] preview import', contract.previewImport),
  importRequirements: command('[Specify] import', contract.importRequirements),
};

interface SpecifyState {
  readonly specifications: readonly Specification[];
  readonly requirements: PagedList<Requirement>;
  /** The specification that was asked for last, and the one whose first page is here: answers of another one come too late. */
  readonly asked: string;
  readonly read: string;
  readonly detail: RequirementDetail | null;
}
const first: SpecifyState = { specifications: [], requirements: noList, asked: '', read: '', detail: null };
const c = specifyCommands;

const byKey = (a: Requirement, b: Requirement): number => compareKeys(a.key, b.key);

/** The list with one row as it was just answered. */
function withRow(list: PagedList<Requirement>, row: Requirement): PagedList<Requirement> {
  const known = list.rows.some((r) => r.key === row.key);
  const rows = known ? list.rows.map((r) => (r.key === row.key ? row : r)) : [...list.rows, row].sort(byKey);
  return { ...list, rows };
}

export const specifyFeature = createFeature({
  name: 'specify',
  reducer: createReducer(
    first,
    on(c.listSpecifications.done, (state, { answer }): SpecifyState => ({ ...state, specifications: answer })),
    on(c.addSpecification.done, (state, { answer }): SpecifyState => ({ ...state, specifications: [...state.specifications, answer] })),
    on(c.listRequirements.start, (state, { input }): SpecifyState => ({ ...state, asked: input.specification ?? '' })),
    on(c.listRequirements.done, (state, { input, answer }): SpecifyState => {
      const of = input.specification ?? '';
      return of === state.asked ? { ...state, read: of, requirements: withPage(state.requirements, input, answer, byKey) } : state;
    }),
    on(
      c.getRequirement.done,
      c.addRequirement.done,
      c.saveRequirement.done,
      c.placeRequirement.done,
      c.setState.done,
      c.approve.done,
      (state, { answer }): SpecifyState => ({ ...state, detail: answer, requirements: withRow(state.requirements, answer) }),
    ),
  ),
});
