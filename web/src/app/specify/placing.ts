import type { placeRequirement } from '@contract/specify';
import { onAction, useProject, type Command, type Placing } from '../base';

/** Puts rows where somebody moved them: one after the other, so that they keep their order; where one cannot be put, those behind it stay. `put` is told of each. */
export function usePlacing(command: Command<typeof placeRequirement>, put: (key: string) => void): (placing: Placing) => void {
  const scope = useProject();
  const waiting: { readonly key: string; readonly under: string | null; readonly before: string | null }[] = [];
  const next = (): void => {
    const [first] = waiting;
    if (first) scope.store.dispatch(command.start({ project: scope.slug(), ...first }));
  };
  onAction(command.done, ({ answer }) => {
    put(answer.key);
    waiting.shift();
    next();
  });
  onAction(command.failed, () => waiting.splice(0));
  return ({ keys, under, before }) => {
    const waits = waiting.length > 0;
    waiting.push(...keys.map((key) => ({ key, under, before })));
    if (!waits) next();
  };
}
