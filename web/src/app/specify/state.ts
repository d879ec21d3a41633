import { createFeature, createReducer, on } from '@ngrx/store';
import * as contract from '@contract/specify';
import type { RequirementDetail, Specification } from '@contract/specify';
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
  previewImport: command('[Specify] preview import', contract.previewImport),
  importRequirements: command('[Specify] import', contract.importRequirements),
};

interface SpecifyState {
  readonly specifications: readonly Specification[];
  readonly detail: RequirementDetail | null;
}
const first: SpecifyState = { specifications: [], detail: null };
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
  ),
});
