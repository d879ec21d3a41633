import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { meaningsFor, type OwnMeaning } from '@core/prove';
import { useProject } from '../live';
import { Icon } from '../ui/icon';
import { ProblemNote } from '../ui/problem-note';
import { askSignature } from '../ui/sign-dialog';
import { recordCommands, recordFeature } from './state';

/** Offers to sign a record in a meaning that the project has, to whom may: nothing where there is none. */
@Component({
  selector: 'cp-sign-as',
  imports: [Icon, MatButtonModule, MatMenuModule, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (open().length) {
      <button mat-stroked-button type="button" [matMenuTriggerFor]="meanings"><cp-icon name="signature" /> Sign as …</button>
      <mat-menu #meanings="matMenu">
        @for (m of open(); track m.name) {
          <button mat-menu-item type="button" (click)="sign(m)">{{ m.name }}</button>
        }
      </mat-menu>
    }
    <cp-problem [of]="command" />
  `,
})
export class SignAs {
  readonly kind = input.required<string>();
  readonly key = input.required<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  private readonly record = this.store.selectSignal(recordFeature.selectRecordState);
  protected readonly command = recordCommands.sign.name;
  /** The meanings that this person has not signed the present text in. */
  protected readonly open = computed((): readonly OwnMeaning[] => {
    const { key, hash, signatures } = this.record();
    if (key !== this.key() || !hash) return [];
    // A run is closed by its tester first.
    if (this.kind() === 'run' && !signatures.some(({ meaning }) => meaning === 'performed' || meaning === 'reviewed')) return [];
    const me = this.scope.session()?.person.login;
    const mine = signatures.filter((s) => s.login === me && s.hash === hash).map(({ meaning }) => meaning);
    const all = meaningsFor(this.scope.project()?.profile.policies?.meanings, this.kind(), this.scope.roles());
    return all.filter(({ name }) => !mine.includes(name));
  });

  protected sign({ name, says }: OwnMeaning): void {
    const { hash } = this.record();
    if (!hash) return;
    askSignature(this.dialogs, {
      title: `Sign ${this.key()}: ${name}`,
      meaning: says,
      printedName: this.scope.session()?.person.printedName ?? '',
      hash,
      needsReason: false,
    }).subscribe(({ password, reason }) =>
      this.store.dispatch(
        recordCommands.sign.start({ project: this.scope.slug(), key: this.key(), meaning: name, hash, password, reason }),
      ),
    );
  }
}

/** Who signed a record, in which meaning and revision; whether it is the text that is there now. */
@Component({
  selector: 'cp-signatures',
  imports: [DatePipe, Icon, SignAs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack-s" aria-label="Signatures">
      <div class="between">
        <h2>Signatures</h2>
        <cp-sign-as [kind]="kind()" [key]="key()" />
      </div>
      @for (s of signatures(); track $index) {
        <div class="sig">
          <cp-icon [name]="s.hash === hash() ? 'draw' : 'history'" />
          <div>
            <b>{{ s.printedName }}</b> {{ s.meaning }}, {{ s.at | date: 'yyyy-MM-dd HH:mm:ss' }}
            <span class="second small">revision {{ s.revision }}{{ s.hash === hash() ? '' : ', of an earlier text' }}</span
            ><br /><code class="second small" [title]="s.hash">{{ s.hash.slice(0, 16) }}…</code>
            @if (s.reason) {
              <span class="second small">{{ s.reason }}</span>
            }
          </div>
        </div>
      } @empty {
        <p class="second">Not signed yet.</p>
      }
    </section>
  `,
  styles: `
    .sig {
      display: flex;
      gap: 10px;
      align-items: flex-start;
    }
  `,
})
export class Signatures {
  readonly kind = input.required<string>();
  readonly key = input.required<string>();
  private readonly record = useProject().store.selectSignal(recordFeature.selectRecordState);
  protected readonly hash = computed(() => (this.record().key === this.key() ? this.record().hash : null));
  /** The newest first. */
  protected readonly signatures = computed(() => (this.record().key === this.key() ? [...this.record().signatures].reverse() : []));
}
