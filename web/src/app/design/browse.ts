import { listFolders, type CaseSummary } from '@contract/design';
import { reviewWords, type Browsable } from '../base';
import { caseKind } from './case-list';

/** Cases as other rooms look through them: by the folders of the library. */
export const caseBrowse: Browsable = {
  kind: caseKind as unknown as Browsable['kind'],
  below: (row) => {
    const { state, verifies, steps, plannedMinutes } = row as unknown as CaseSummary;
    const traced = verifies.length ? verifies.join(', ') : 'verifies nothing';
    return `${reviewWords(state)} · ${traced} · ${steps} ${steps === 1 ? 'step' : 'steps'} · ${plannedMinutes} min`;
  },
  places: async (api, project) => {
    const { folders } = await api.call(listFolders, { project });
    const depth = new Map<string, number>();
    return folders.map(({ key, title, under }) => {
      depth.set(key, under === null ? 0 : (depth.get(under) ?? 0) + 1);
      return { key, title, depth: depth.get(key) ?? 0, filter: { field: 'folder', is: [key] } };
    });
  },
};
