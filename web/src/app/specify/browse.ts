import { listSpecifications } from '@contract/specify';
import type { Browsable } from '../base';
import { requirementKind, specificationTree } from './requirement-list';

/** Requirements as other rooms look through them: by specification, as a list or as its tree. */
export const requirementBrowse: Browsable = {
  kind: requirementKind as unknown as Browsable['kind'],
  places: async (api, project) =>
    (await api.call(listSpecifications, { project })).map(({ key, title }) => ({
      key,
      title: `${key} ${title}`,
      depth: 0,
      filter: { field: 'specification', is: [key] },
    })),
  tree: {
    kind: { ...specificationTree, name: 'specification#browsed' } as unknown as NonNullable<Browsable['tree']>['kind'],
    of: (key) => ({ key }),
    listOf: (specification) => ({ specification }),
  },
};
