import { Directive, input } from '@angular/core';
import type { Endpoint, Filter } from '@contract/base';
import type { FilterField } from './filter-text';
import type { FoundPassage, ListRow } from './state';

/** A part of a list that is one press away, with its count. */
export interface ListView {
  readonly name: string;
  readonly words: string;
  readonly filter?: Filter;
}

/** How the records of a kind are listed: told once, and the list does the rest. */
export interface ListKind<R extends ListRow> {
  /** Which list it is among those of the application. */
  readonly name: string;
  readonly endpoint: Endpoint;
  /** One of them, and several. */
  readonly noun: readonly [string, string];
  /** Kinds of ledger entries that may change its rows. */
  readonly changedBy: readonly string[];
  readonly fields: readonly FilterField[];
  readonly views: readonly ListView[];
  /** Orders that are offered: the field, and its words. The first is the usual one; `-` before it turns it round. */
  readonly sorts: readonly (readonly [string, string])[];
  readonly rowHeight: number;
  /** What groups sum up: the field, and its unit. */
  readonly sum?: readonly [string, string];
  /** The list as its export is addressed; one without is not exported. */
  readonly exported?: 'requirements' | 'cases' | 'runs' | 'problems';
  /** The kind as acts on many name it, and as the project's own fields are told of it: its rows can be chosen. */
  readonly bulk?: 'requirement' | 'case' | 'run';
  /** Never read: tells which rows it has. */
  readonly row?: R;
}

/** The row of a list, as its page draws it: `<ng-template [cpRow]="kind" let-row>`. */
@Directive({ selector: '[cpRow]' })
export class RowTemplate<R extends ListRow> {
  readonly cpRow = input.required<ListKind<R>>();

  static ngTemplateContextGuard<R extends ListRow>(
    _: RowTemplate<R>,
    context: unknown,
  ): context is { $implicit: R; found: FoundPassage | null } {
    return context !== undefined;
  }
}

/** Fields that every record has. */
export const recordFilterFields: readonly FilterField[] = [
  { name: 'key', words: 'Key', type: 'text' },
  { name: 'title', words: 'Title', type: 'text' },
  { name: 'revision', words: 'Revision', type: 'number' },
  { name: 'createdBy', words: 'Made by (sign-in name)', type: 'text' },
  { name: 'updatedBy', words: 'Changed by (sign-in name)', type: 'text' },
  { name: 'createdAt', words: 'Made on (2026-01-31, or two with ..)', type: 'text' },
  { name: 'updatedAt', words: 'Changed on (2026-01-31, or two with ..)', type: 'text' },
  { name: 'retired', words: 'Retired', type: 'yesNo' },
];
export const reviewStates = ['draft', 'review', 'approved'];
