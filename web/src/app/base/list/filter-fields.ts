import { computed, type Signal } from '@angular/core';
import { useKnownFields } from '../record/known-fields';
import { ownFilterFields } from '../record/own-words';
import type { FilterField } from './filter-text';
import type { ListKind } from './kind';
import type { ListRow } from './state';

/** What a kind's filter may name: its own fields, those of the page, which may know more of one of them, and those of the project. */
export function useFilterFields<R extends ListRow>(
  kind: () => Pick<ListKind<R>, 'fields' | 'bulk' | 'own'>,
  more: () => readonly FilterField[],
): Signal<readonly FilterField[]> {
  const known = useKnownFields();
  return computed(() => {
    const { fields, bulk, own } = kind();
    const versioned = bulk ?? own;
    const page = more();
    const rest = fields.filter(({ name }) => !page.some((field) => field.name === name));
    return [...rest, ...page, ...(versioned ? ownFilterFields(known(), versioned) : [])];
  });
}
