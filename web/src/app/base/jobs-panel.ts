import { ChangeDetectionStrategy, Component, computed, effect, input, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { RouterLink } from '@angular/router';
import type { Job } from '@contract/base';
import { onAction, useProject } from './live';
import { baseActions, baseCommands, baseFeature } from './state';
import { ProblemNote } from './ui/problem-note';

const names: Readonly<Record<string, string>> = {
  pack: 'Proof pack',
  bulk: 'Change of many records',
  import: 'Import',
  plan: 'Planned round',
};
const asking: readonly string[] = ['import asked for', 'round asked for'];
const states: Readonly<Record<Job['state'], string>> = {
  queued: 'waits for its turn',
  running: 'at work',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
};

/** Long work of the project in one place: how far it is, what it gave, and the way to stop it. */
@Component({
  selector: 'cp-jobs-panel',
  imports: [DatePipe, MatProgressBarModule, ProblemNote, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '[class.sheet]': '!!heading() && jobs().length > 0', '[class.pad]': '!!heading() && jobs().length > 0' },
  template: `
    @if (heading() && jobs().length) {
      <h2>{{ heading() }}</h2>
    }
    @for (job of jobs(); track job.id) {
      <div class="job stack-s">
        <div class="between">
          <span
            ><b>{{ name(job) }}</b> {{ job.build }}
            <span class="second small">{{ job.by }}, {{ job.createdAt | date: 'MMM d, HH:mm' }}</span></span
          >
          <span [class]="'small t-' + tone(job)">{{ states[job.state] }}</span>
        </div>
        @if (job.state === 'queued' || job.state === 'running') {
          <mat-progress-bar mode="determinate" [value]="100 * job.progress" [attr.aria-label]="'Progress of ' + name(job)" />
          <div class="between">
            <span class="second small">{{ job.message }}</span>
            @if (mayCancel(job)) {
              <button class="chip" type="button" (click)="cancel(job)">Cancel</button>
            }
          </div>
        } @else if (job.file; as file) {
          <a class="small" [href]="'/api/projects/' + slug() + '/packs/' + job.id + '/file'" [attr.download]="file.name">{{ file.name }}</a>
        } @else if (job.message) {
          <span class="second small">{{ job.message }}</span>
        }
      </div>
    } @empty {
      @if (!kind()) {
        <p class="second">Nothing long is at work. <a [routerLink]="['/', slug(), 'prove']">Proof packs are made in Prove.</a></p>
      }
    }
    <cp-problem [of]="cancelName" />
  `,
  styles: `
    :host {
      display: block;
    }
    .job {
      padding: 8px 0;
      border-top: 1px solid var(--hairline);
    }
    .job:first-child {
      border-top: 0;
    }
  `,
})
export class JobsPanel {
  /** Only jobs of this kind. */
  readonly kind = input<string>();
  /** Stands above them, where there are any. */
  readonly heading = input('');
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly slug = this.scope.slug;
  protected readonly states = states;
  protected readonly cancelName = baseCommands.cancelJob.name;
  private readonly all = this.store.selectSignal(baseFeature.selectJobs);
  protected readonly jobs = computed(() =>
    this.all()
      .filter(({ kind }) => kind === (this.kind() ?? kind))
      .slice(0, this.kind() ? 3 : 12),
  );

  constructor() {
    const read = (): void => {
      const project = this.scope.slug();
      if (project) this.store.dispatch(baseCommands.listJobs.start({ project }));
    };
    effect(() => {
      this.scope.slug();
      untracked(read);
    });
    onAction(baseCommands.cancelJob.done, read);
    onAction(baseActions.liveNews, ({ entries }) => {
      if (entries.some(({ kind, action }) => names[kind] || asking.includes(action))) read();
    });
    // Progress is no entry of the ledger: it is looked at while something is at work.
    effect((onCleanup) => {
      if (!this.jobs().some(({ state }) => state === 'queued' || state === 'running')) return;
      const timer = setTimeout(() => untracked(read), 1500);
      onCleanup(() => clearTimeout(timer));
    });
  }

  protected name({ kind }: Job): string {
    return names[kind] ?? kind;
  }

  protected tone(job: Job): string {
    return job.state === 'failed' ? 'broken' : job.state === 'done' ? 'sound' : 'waiting';
  }

  protected mayCancel(job: Job): boolean {
    return job.by === this.scope.session()?.person.login || this.scope.roles().includes('administrator');
  }

  protected cancel(job: Job): void {
    this.store.dispatch(baseCommands.cancelJob.start({ project: this.scope.slug(), id: job.id }));
  }
}
