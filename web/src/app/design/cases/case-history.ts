import { rowChanges, rowWords, stepChanges, stepWords, type CaseContent, type ItemChange } from '@core/design';
import type { ItemDifferences, ItemLine } from '../../base';

const lists = (snapshot: unknown): Pick<CaseContent, 'steps' | 'rows'> => {
  const { steps = [], rows = [] } = (snapshot ?? {}) as Partial<CaseContent>;
  return { steps, rows };
};

function lines<T>(noun: string, changes: readonly ItemChange<T>[], words: (item: T) => string): ItemLine[] {
  return changes.map(({ what, from, to, before, after }) => ({
    name: what === 'moved' ? `${noun} ${from}, now ${to}` : `${noun} ${to ?? from}`,
    what,
    before: before === null ? '' : words(before),
    after: after === null ? '' : words(after),
  }));
}

/** A case's history, told step by step and row by row: added, changed, moved, gone. */
export const caseDifferences: ItemDifferences = {
  members: ['steps', 'rows'],
  between: (before, after) => {
    const [old, now] = [lists(before), lists(after)];
    return [...lines('Step', stepChanges(old, now), stepWords), ...lines('Data row', rowChanges(old, now), rowWords)];
  },
};
