import type { RecordRef } from '@core/base';
import type { Action } from '@contract/prove';

export interface Link {
  readonly path: readonly string[];
  readonly query?: Readonly<Record<string, string>>;
}

/** Where a record has its page. */
export function recordLink(project: string, { kind, key }: RecordRef): Link {
  switch (kind) {
    case 'requirement':
      return { path: ['/', project, 'specify', 'requirement', key] };
    case 'specification':
      return { path: ['/', project, 'specify', key] };
    case 'case':
      return { path: ['/', project, 'design', key] };
    case 'run':
      return { path: ['/', project, 'run', 'record', key] };
    case 'round':
      return { path: ['/', project, 'run', 'round', key] };
    case 'problem':
      return { path: ['/', project, 'run', 'problems', key] };
    case 'file': {
      const [path, line] = key.split(':');
      return { path: ['/', project, 'measure'], query: line ? { path, line } : { path } };
    }
    case 'project':
      return { path: ['/', project, 'settings'] };
    case 'pack':
      return { path: ['/', project, 'prove'] };
    case 'carry':
      return { path: ['/', project, 'measure'], query: { carried: '1' } };
    case 'carriedRuns':
      return { path: ['/', project, 'run', 'again'], query: { carried: key } };
    case 'review':
      return { path: ['/', project, 'specify', 'reviews', key] };
    case 'baseline':
      return { path: ['/', project, 'specify', 'baselines', key] };
    case 'folder':
      return { path: ['/', project, 'design'], query: { folder: key } };
    case 'group':
      return { path: ['/', project, 'design', 'groups', key] };
    case 'flow':
    case 'parameters':
    case 'decisionTable':
    case 'stateTable':
      return { path: ['/', project, 'design', 'models', key] };
    case 'upload':
      return { path: ['/', project, 'measure'], query: { load: '1' } };
    case 'attestation':
    case 'build':
      return { path: ['/', project, 'measure'] };
  }
}

/** Where a next action is done. */
export function actionLink(project: string, action: Pick<Action, 'to' | 'place'>): Link {
  if (action.place === 'bench') return { path: ['/', project, 'run', 'bench', action.to.key] };
  if (action.place === 'round') return { path: ['/', project, 'run', 'plan'], query: { cases: action.to.key } };
  return recordLink(project, action.to);
}
