import { effect, inject, Injectable, untracked } from '@angular/core';
import { onChanged, useProject } from '../live';
import { baseCommands, baseFeature } from '../state';

/** The project's own fields: read when the first part of a screen needs them, and again when somebody changes them. */
@Injectable({ providedIn: 'root' })
export class KnownFields {
  private readonly scope = useProject();
  readonly all = this.scope.store.selectSignal(baseFeature.selectFields);

  constructor() {
    const read = (): void => this.scope.store.dispatch(baseCommands.listFields.start({ project: this.scope.slug() }));
    effect(() => {
      if (this.scope.slug()) untracked(read);
    });
    onChanged(['field'], read);
  }
}

/** The project's own fields of every kind, by kind and position. */
export const useKnownFields = (): KnownFields['all'] => inject(KnownFields).all;
