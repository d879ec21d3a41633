import { ChangeDetectionStrategy, Component, computed, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { bytesWords } from '@core/base';
import { onAction, useProject } from '../live';
import { baseCommands } from '../state';
import { ProblemNote } from '../ui/problem-note';
import { Needs } from '../ui/needs';

const gib = 1024 ** 3;

/** What a project holds of files, and may hold; whoever administers the installation allows more. */
@Component({
  selector: 'cp-storage-panel',
  imports: [FormsModule, MatButtonModule, ProblemNote, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (storage(); as s) {
      <section class="sheet pad stack">
        <h2>Files of this project</h2>
        <div class="row">
          <meter min="0" [max]="s.allowed" [high]="s.allowed * 0.9" [value]="s.used" aria-label="Used"></meter>
          <span
            >{{ words(s.used) }} of {{ words(s.allowed) }}: evidence, attachments, uploads and sources as they came. None is deleted.</span
          >
        </div>
        @if (scope.session()?.person?.installation) {
          <form class="row end" (ngSubmit)="allow()">
            <label class="field"
              ><span>Allow, in GiB</span><input class="in narrow" type="number" min="0.001" step="any" name="allowed" [(ngModel)]="wanted"
            /></label>
            <button mat-stroked-button type="submit" [cpNeeds]="missing">Allow it</button>
          </form>
          <cp-problem [of]="name" />
        }
      </section>
    }
  `,
  styles: `
    .narrow {
      width: 120px;
    }
    meter {
      width: 180px;
    }
  `,
})
export class StoragePanel {
  protected readonly scope = useProject();
  protected readonly storage = computed(() => this.scope.project()?.storage);
  protected readonly wanted = signal<number | null>(null);
  protected readonly missing = (): string => (this.wanted() ? '' : 'Say how much.');
  protected readonly name = baseCommands.allowStorage.name;
  protected readonly words = bytesWords;

  constructor() {
    onAction(baseCommands.allowStorage.done, () => {
      this.wanted.set(null);
      this.scope.store.dispatch(baseCommands.getProject.start({ project: this.scope.slug() }));
    });
  }

  protected allow(): void {
    const allowed = Math.round((this.wanted() ?? 0) * gib);
    this.scope.store.dispatch(baseCommands.allowStorage.start({ project: this.scope.slug(), allowed }));
  }
}
