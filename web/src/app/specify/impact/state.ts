import { createFeature, createReducer, on } from '@ngrx/store';
import { getImpact, type ImpactAnswer } from '@contract/prove';
import { command } from '../../base';

export const impactCommands = { get: command('[Impact] get', getImpact) };

interface ImpactState {
  /** What a change of the requirement that was last asked about reaches. */
  readonly of: string;
  readonly answer: ImpactAnswer | null;
}

export const impactFeature = createFeature({
  name: 'impact',
  reducer: createReducer(
    { of: '', answer: null } as ImpactState,
    on(impactCommands.get.done, (_, { input, answer }): ImpactState => ({ of: input.key, answer })),
  ),
});
