import { InjectionToken } from '@angular/core';
import type { Filter } from '@contract/base';
import type { Api } from '../api';
import type { TreeKind } from '../tree/kind';
import type { TreeNode } from '../tree/tree-window';
import type { ListKind } from './kind';
import type { ListRow } from './state';

/** A place where records stand: a specification, a folder. */
export interface BrowsePlace {
  readonly key: string;
  readonly title: string;
  readonly depth: number;
  /** What holds of the records that stand there. */
  readonly filter: Filter;
}

/** How records of a kind are looked through by whoever chooses some: their list, the places where they stand, and their tree in one. */
export interface Browsable<R extends ListRow = ListRow> {
  readonly kind: ListKind<R>;
  /** What stands below a title, where that is more than its text. */
  readonly below?: (row: R) => string;
  readonly places?: (api: Api, project: string) => Promise<readonly BrowsePlace[]>;
  /** The tree of a place: what it is called, and of what its branches and its list are asked. */
  readonly tree?: {
    readonly kind: TreeKind<TreeNode & { readonly title: string }>;
    readonly of: (place: string) => Readonly<Record<string, string>>;
    readonly listOf: (place: string) => Readonly<Record<string, string>>;
  };
}

/** What can be looked through, by the address of its list: each room tells its own, and is read when somebody looks. */
export const browsable = new InjectionToken<Readonly<Record<string, () => Promise<Browsable>>>>('browsable', {
  providedIn: 'root',
  factory: () => ({}),
});
