import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import * as contract from '@contract/specify';
import type { Requirement, RequirementDetail, Revision, Specification } from '@contract/specify';
import { command } from '../base';

export const specifyCommands = {
  listSpecifications: command('[Specify] list specifications', contract.listSpecifications),
  addSpecification: command('[Specify] add specification', contract.addSpecification),
  listRequirements: command('[Specify] list requirements', contract.listRequirements),
  getRequirement: command('[Specify] get requirement', contract.getRequirement),
  history: command('[Specify] history', contract.requirementHistory),
  addRequirement: command('[Specify] add requirement', contract.addRequirement),
  saveRequirement: command('[Specify] save requirement', contract.saveRequirement),
  placeRequirement: command('[Specify] place requirement', contract.placeRequirement),
  setState: command('[Specify] set state', contract.setRequirementState),
  addTrace: command('[Specify] add trace', contract.addTrace),
  confirmTrace: command('[Specify] confirm trace', contract.confirmTrace),
  removeTrace: command('[Specify] remove trace', contract.removeTrace),
  importRequirements: command('[Specify] import', contract.importRequirements),
};

interface SpecifyState {
  readonly specifications: readonly Specification[];
  readonly requirements: EntityState<Requirement>;
  readonly detail: RequirementDetail | null;
  readonly history: readonly Revision[];
}
const adapter = createEntityAdapter<Requirement>({ selectId: (requirement) => requirement.key });
const first: SpecifyState = { specifications: [], requirements: adapter.getInitialState(), detail: null, history: [] };
const c = specifyCommands;

export const specifyFeature = createFeature({
  name: 'specify',
  reducer: createReducer(
    first,
    on(c.listSpecifications.done, (state, { answer }): SpecifyState => ({ ...state, specifications: answer })),
    on(c.addSpecification.done, (state, { answer }): SpecifyState => ({ ...state, specifications: [...state.specifications, answer] })),
    on(c.listRequirements.done, (state, { answer }): SpecifyState => ({
      ...state,
      requirements: adapter.setAll([...answer], state.requirements),
    })),
    on(
      c.getRequirement.done,
      c.addRequirement.done,
      c.saveRequirement.done,
      c.placeRequirement.done,
      c.setState.done,
      (state, { answer }): SpecifyState => ({ ...state, detail: answer, requirements: adapter.upsertOne(answer, state.requirements) }),
    ),
    on(c.history.done, (state, { answer }): SpecifyState => ({ ...state, history: answer })),
  ),
  extraSelectors: ({ selectRequirements }) => ({
    selectAll: createSelector(selectRequirements, adapter.getSelectors().selectAll),
  }),
});
