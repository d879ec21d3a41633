import { Directive, input } from '@angular/core';
import type { Endpoint } from '@contract/base';
import type { ListKind } from '../list/kind';
import type { ListRow } from '../list/state';
import type { TreeNode } from './tree-window';

/** How the records of a kind stand in a tree: told once, and the tree does the rest. */
export interface TreeKind<R extends TreeNode> {
  readonly name: string;
  /** Where its branches are asked for. */
  readonly branches: Endpoint;
  /** The list in which is found what is looked for: what its filter may name. */
  readonly list: Pick<ListKind<ListRow>, 'name' | 'endpoint' | 'noun' | 'fields' | 'bulk' | 'own'>;
  /** One of them, and several. */
  readonly noun: readonly [string, string];
  /** Kinds of ledger entries that may change its rows. */
  readonly changedBy: readonly string[];
  readonly rowHeight: number;
  /** Can others stand under it? */
  readonly holds: (row: R) => boolean;
}

/** The row of a tree, as its page draws it: `<ng-template [cpNode]="kind" let-row>`. */
@Directive({ selector: '[cpNode]' })
export class NodeTemplate<R extends TreeNode> {
  readonly cpNode = input.required<TreeKind<R>>();

  static ngTemplateContextGuard<R extends TreeNode>(_: NodeTemplate<R>, context: unknown): context is { $implicit: R } {
    return context !== undefined;
  }
}

/** Where rows are put: these, under one, before another; at the end without one. */
export interface Placing {
  readonly keys: readonly string[];
  readonly under: string | null;
  readonly before: string | null;
}
