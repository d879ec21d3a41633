import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import { problemWords } from '../api';
import { selectRequest } from '../command';

/** Stands where a record will stand: it is being opened, or why it is not shown. */
@Component({
  selector: 'cp-opening',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (why(); as words) {
      <div class="empty" role="alert">
        <h2>{{ key() }} is not shown</h2>
        <p>{{ words }}</p>
      </div>
    } @else {
      <p class="empty" role="status">Opening {{ key() }} …</p>
    }
  `,
})
export class Opening {
  readonly key = input.required<string>();
  /** The command that opens it. */
  readonly by = input.required<string>();
  /** Said where the command was answered and it was not among what came. */
  readonly otherwise = input('');
  private readonly store = inject(Store);
  protected readonly why = computed(() => {
    const { problem, pending } = this.store.selectSignal(selectRequest(this.by()))();
    if (pending) return '';
    return problem ? problemWords(problem) : this.otherwise();
  });
}
