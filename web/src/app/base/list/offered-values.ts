import { computed, DestroyRef, effect, inject, untracked, type Signal } from '@angular/core';
import type { Filter } from '@contract/base';
import { useProject } from '../live';
import { groupValue } from './groups';
import { typedField, type FilterField } from './filter-text';
import { listActions, selectList, type ListQuestion } from './state';

/** The list of which values are asked. */
export interface ValuesOf {
  readonly kind: () => { readonly name: string; readonly sorts?: readonly (readonly [string, string])[] };
  readonly of: () => Readonly<Record<string, string>>;
  readonly within: () => Filter | undefined;
  readonly text: Signal<string>;
  readonly fields: Signal<readonly FilterField[]>;
}

/** The fields of a filter, where the one that is being typed has the values that stand in the list: they are asked for as it is reached. */
export function useOfferedValues({ kind, of, within, text, fields }: ValuesOf): Signal<readonly FilterField[]> {
  const { store, slug } = useProject();
  const asked = computed(() => {
    const field = typedField(text(), fields());
    return field?.grouped && !field.values ? field : undefined;
  });
  const list = computed(() => `${kind().name}#values`);
  const answer = computed(() => store.selectSignal(selectList(list())));
  effect(() => {
    const field = asked();
    const name = list();
    const question: ListQuestion | undefined = field && {
      kind: kind().name,
      of: { project: slug(), ...of() },
      filter: within(),
      sort: kind().sorts?.[0][0] ?? 'key',
      count: true,
      groups: field.field ?? field.name,
    };
    untracked(() => store.dispatch(question ? listActions.ask({ list: name, question }) : listActions.close({ list: name })));
  });
  inject(DestroyRef).onDestroy(() => store.dispatch(listActions.close({ list: untracked(list) })));
  return computed(() => {
    const field = asked();
    if (!field) return fields();
    const window = answer()();
    const groups = window?.question.groups === (field.field ?? field.name) ? (window.groups ?? []) : [];
    const values = groups.map(({ value }) => groupValue(field, value));
    return fields().map((one) => (one === field ? { ...one, values } : one));
  });
}
