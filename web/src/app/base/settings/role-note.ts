import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import type { Project } from '@contract/base';
import { listRuns } from '@contract/run';
import { counted, type Role } from '@core/base';
import { Api } from '../api';
import { useProject } from '../live';
import { Icon } from '../ui/icon';

const open = ['planned', 'onBench', 'returned'];

/** What hangs on a role, told before it is taken from somebody. */
@Component({
  selector: 'cp-role-note',
  imports: [Icon, MatButtonModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="note waiting" role="alert">
      <cp-icon name="person" /><span class="grow">{{ words() }}</span
      ><button mat-flat-button type="button" (click)="taken.emit()">Take the role away</button
      ><button mat-button type="button" (click)="left.emit()">Leave it</button>
    </div>
  `,
})
export class RoleNote {
  readonly login = input.required<string>();
  readonly role = input.required<Role>();
  readonly members = input.required<Project['members']>();
  readonly taken = output<void>();
  readonly left = output<void>();
  private readonly api = inject(Api);
  private readonly scope = useProject();
  /** Runs that wait to be recorded by them; null while nobody knows. */
  private readonly runs = signal<number | null>(null);
  private readonly others = computed(() =>
    this.members().filter(({ login, roles }) => login !== this.login() && roles.includes(this.role())),
  );
  protected readonly words = computed(() => {
    const name = this.members().find(({ login }) => login === this.login())?.printedName ?? this.login();
    const alone = this.others().length
      ? `${this.others()
          .map(({ printedName }) => printedName)
          .join(', ')} ${this.others().length === 1 ? 'has' : 'have'} the role as well.`
      : 'Nobody else has it.';
    const runs = this.runs();
    const waiting = runs
      ? ` ${counted(runs, 'run')} ${runs === 1 ? 'waits' : 'wait'} to be recorded by them, and cannot be until somebody else is given ${runs === 1 ? 'it' : 'them'}.`
      : '';
    return `Without the role of ${this.role()}: ${name}. ${alone}${waiting} What they recorded and signed stays as it is.`;
  });

  constructor() {
    effect(() => {
      const [project, login, role] = [this.scope.slug(), this.login(), this.role()];
      this.runs.set(null);
      if (role !== 'tester') return;
      const filter = {
        and: [
          { field: 'tester', is: [login] },
          { field: 'state', is: open },
        ],
      };
      untracked(
        () =>
          void this.api.call(listRuns, { project, filter: JSON.stringify(filter), limit: 1 }).then(
            ({ total }) => this.runs.set(total),
            () => undefined,
          ),
      );
    });
  }
}
