import { formatDate } from '@angular/common';
import { Directive, inject, input, TemplateRef } from '@angular/core';
import type { BulkAct, Endpoint, Filter } from '@contract/base';
import type { VersionedKind } from '@core/base';
import type { ExportedList } from '../ui/export-menu';
import type { Link } from '../links';
import type { FilterField } from './filter-text';
import type { FoundPassage, ListRow } from './state';

/** A part of a list that is one press away, with its count. */
export interface ListView {
  readonly name: string;
  readonly words: string;
  readonly filter?: Filter;
}

/** A column of a list as a table. */
export interface ListColumn<R> {
  /** As it is remembered. */
  readonly name: string;
  readonly words: string;
  /** Its width in pixels, before somebody draws it wider or narrower. */
  readonly width: number;
  readonly show: (row: R) => string;
  /** The records that stand in the cell, each a link; before them what `show` says is only its title. */
  readonly links?: (row: R) => readonly CellLink[] | undefined;
  /** How the words of the cell are to be taken, where that is to be seen. */
  readonly tone?: (row: R) => 'broken' | 'waiting' | 'suspect' | undefined;
  /** As it is written in its cell, where that is not as it is shown. */
  readonly text?: (row: R) => string;
  /** The field by which the list is ordered when its heading is pressed. */
  readonly sort?: string;
  /** Shown before somebody chooses columns; else only offered. */
  readonly usual?: boolean;
  /** Takes the room that the others leave. */
  readonly grows?: boolean;
  /** Where Enter in the cell leads, beside what the cell itself links; undefined opens the record. */
  readonly to?: (row: R) => Link | undefined;
  /** A number stands at the right. */
  readonly number?: boolean;
  /** How it is written in its cell; one without is only read. */
  readonly edit?: CellEdit;
}

/** A record in a cell, and what is to be known of it. */
export interface CellLink {
  readonly kind: VersionedKind;
  readonly key: string;
  readonly note?: string;
  readonly tone?: 'broken' | 'waiting' | 'suspect' | undefined;
}

export interface CellEdit {
  /** What is chosen from; what is written freely has none. */
  readonly values?: readonly string[];
  /** The value in the cell, as it is written, as an act on this record; undefined for what cannot be meant. */
  readonly act: (text: string) => BulkAct | undefined;
}

/** A member of the content, written in its cell. */
export const setCell = (member: string, values?: readonly string[]): CellEdit => ({
  ...(values ? { values } : {}),
  act: (text) => ({ act: 'set', values: { [member]: text.trim() } }),
});
/** A moment as lists show it. */
export const momentWords = (at: string): string => formatDate(at, 'yyyy-MM-dd HH:mm', 'en');
/** States of records that are reviewed, as people say them. */
export const reviewWords = (state: string): string => (state === 'review' ? 'in review' : state);
/** Who changed a record last, and when. */
export const changedColumns: readonly ListColumn<{ readonly updatedBy: string; readonly updatedAt: string }>[] = [
  { name: 'updatedBy', words: 'Changed by', width: 120, sort: 'updatedBy', show: (r) => r.updatedBy },
  { name: 'updatedAt', words: 'Changed', width: 130, sort: 'updatedAt', show: (r) => momentWords(r.updatedAt) },
];
/** The same for a number. */
export const setNumberCell = (member: string): CellEdit => ({
  act: (text) => {
    const value = Number(text.replace(',', '.'));
    return text.trim() && Number.isFinite(value) ? { act: 'set', values: { [member]: value } } : undefined;
  },
});

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
  /** The list as a table: its columns, in their usual order. Those of the project's own fields come behind them. */
  readonly columns?: readonly ListColumn<R>[];
  /** Shown as a table before somebody asks for rows. */
  readonly tableFirst?: true;
  /** The height of a row of the table, where a line of text is too low for what stands in it. */
  readonly tableRow?: number;
  /** The column that the keys begin in; the first, where none is said. */
  readonly startsAt?: string;
  /** Its rows say what was judged of the build that is shown: those whose requirements a judgement names, or any of them. */
  readonly judged?: 'keys' | 'all';
  /** What groups sum up: the field, and its unit. */
  readonly sum?: readonly [string, string];
  /** The list as its export is addressed; one without is not exported. */
  readonly exported?: ExportedList;
  /** Stands beside another list of the page: what it is asked is not kept in the address. */
  readonly aside?: true;
  /** The kind as acts on many name it: its rows can be chosen. */
  readonly bulk?: 'requirement' | 'case' | 'run';
  /** The kind of whose records the project has fields of its own, where it is not that of `bulk`. */
  readonly own?: 'problem';
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

/** A cell that its page draws itself: `<ng-template [cpCell]="kind" cpCellColumn="cord" let-row>`. Its words stay those of the column's `show`. */
@Directive({ selector: '[cpCell]' })
export class CellTemplate<R extends ListRow> {
  readonly cpCell = input.required<ListKind<R>>();
  readonly cpCellColumn = input.required<string>();
  readonly template: TemplateRef<{ $implicit: R }> = inject(TemplateRef);

  static ngTemplateContextGuard<R extends ListRow>(_: CellTemplate<R>, context: unknown): context is { $implicit: R } {
    return context !== undefined;
  }
}

/** The heading of a column that its page draws itself: `<ng-template cpHead="cord">`. */
@Directive({ selector: '[cpHead]' })
export class HeadTemplate {
  readonly cpHead = input.required<string>();
  readonly template: TemplateRef<unknown> = inject(TemplateRef);
}

/** Fields that every record has. */
export const recordFilterFields: readonly FilterField[] = [
  { name: 'key', words: 'Key', type: 'text' },
  { name: 'title', words: 'Title', type: 'text' },
  { name: 'revision', words: 'Revision', type: 'number' },
  { name: 'createdBy', words: 'Made by (sign-in name)', type: 'text', grouped: true },
  { name: 'updatedBy', words: 'Changed by (sign-in name)', type: 'text', grouped: true },
  { name: 'createdAt', words: 'Made on (2026-01-31, or two with ..)', type: 'text' },
  { name: 'updatedAt', words: 'Changed on (2026-01-31, or two with ..)', type: 'text' },
  { name: 'retired', words: 'Retired', type: 'yesNo' },
];
export const reviewStates = ['draft', 'review', 'approved'];
