import { ChangeDetectionStrategy, Component, effect, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { BulkAct, Selection } from '@contract/base';
import { onAction, useProject } from '../live';
import { Icon } from '../ui/icon';
import { firstMissing, Needs } from '../ui/needs';
import { ProblemNote } from '../ui/problem-note';
import { RecordLink } from '../ui/record-link';
import { bulkCommands, bulkFeature } from './state';

/** An act that a list offers for what is chosen in it. */
export interface BulkChoice {
  readonly words: string;
  readonly act: BulkAct;
  /** What has to be given with it. */
  readonly asks: 'nothing' | 'reason' | 'signature';
}

/** Acts on many records: what it would do to each is shown before; then it is done at once or as a job, and can be taken back as one. */
@Component({
  selector: 'cp-bulk-panel',
  imports: [FormsModule, MatButtonModule, MatProgressBarModule, Icon, ProblemNote, RecordLink, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack" aria-label="Act on what is chosen">
      <div class="between">
        <h2>{{ of().keys?.length ?? preview()?.total ?? 'All that match are' }} chosen</h2>
        <button class="chip" type="button" (click)="closed.emit()"><cp-icon name="close" /> Close</button>
      </div>
      @if (done(); as bulk) {
        <div class="note" role="status">
          <div class="grow stack-s">
            <strong>{{ bulk.done }} of {{ bulk.total }} done{{ bulk.refused ? ', ' + bulk.refused + ' refused' : '' }}.</strong>
            @if (bulk.job && (bulk.job.state === 'queued' || bulk.job.state === 'running')) {
              <mat-progress-bar mode="determinate" [value]="(100 * (bulk.done + bulk.refused)) / bulk.total" aria-label="Progress" />
              <span class="second small">You can leave this page: the work goes on.</span>
            }
            <div class="row">
              @if (bulk.job && (bulk.job.state === 'queued' || bulk.job.state === 'running')) {
                <button mat-stroked-button type="button" (click)="cancel(bulk.job.id)">Cancel the rest</button>
              } @else if (!bulk.undone && bulk.done) {
                <button mat-stroked-button type="button" (click)="undo(bulk.id)">Take it back</button>
              }
              <button mat-button type="button" (click)="forget()">Another act</button>
            </div>
          </div>
        </div>
        <cp-problem [of]="names.undo" />
      } @else {
        <div class="row" role="group" aria-label="What is done">
          @for (choice of choices(); track choice.words) {
            <button class="chip" type="button" [attr.aria-pressed]="chosen() === choice" (click)="choose(choice)">
              {{ choice.words }}
            </button>
          }
        </div>
        <cp-problem [of]="names.preview" /><cp-problem [of]="names.do" />
        @if (chosen(); as choice) {
          @if (preview(); as p) {
            <p role="status">
              <strong>{{ p.changed }} would change{{ p.refused ? ', ' : '.' }}</strong>
              @if (p.refused) {
                <strong class="t-broken">{{ p.refused }} would be refused.</strong>
              }
            </p>
            <div class="items">
              @for (item of p.items; track item.key) {
                <div class="item">
                  <cp-record [kind]="of().kind" [key]="item.key" />
                  <span class="grow name">{{ item.title }}</span>
                  <span class="small" [class.t-broken]="item.outcome === 'refused'">{{ item.words }}</span>
                </div>
              }
            </div>
            @if (choice.asks !== 'nothing') {
              <label class="field"
                ><span>{{ choice.asks === 'signature' ? 'Reason (may stay empty)' : 'Reason' }}</span
                ><input class="in" name="reason" [ngModel]="reason()" (ngModelChange)="reason.set($event)"
              /></label>
            }
            @if (choice.asks === 'signature') {
              <label class="field"
                ><span>Your password, again: it signs each of them</span
                ><input
                  class="in"
                  type="password"
                  name="password"
                  autocomplete="current-password"
                  [ngModel]="password()"
                  (ngModelChange)="password.set($event)"
              /></label>
            }
            <div>
              <button mat-flat-button type="button" [cpNeeds]="missing" (click)="act()">{{ choice.words }}: {{ p.changed }}</button>
            </div>
          } @else {
            <mat-progress-bar mode="indeterminate" aria-label="Trying it on each" />
          }
        } @else {
          <p class="second">Nothing is done before you have seen what it would do to each.</p>
        }
      }
    </section>
  `,
  styles: `
    .items {
      max-height: 360px;
      overflow: auto;
      border: 1px solid var(--hairline);
      border-radius: 8px;
    }
    .item {
      display: flex;
      gap: 10px;
      padding: 6px 10px;
      border-top: 1px solid var(--hairline);
    }
    .item:first-child {
      border-top: 0;
    }
    .name {
      min-width: 0;
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
  `,
})
export class BulkPanel {
  readonly of = input.required<Selection>();
  readonly choices = input.required<readonly BulkChoice[]>();
  readonly closed = output();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly preview = this.store.selectSignal(bulkFeature.selectPreview);
  protected readonly done = this.store.selectSignal(bulkFeature.selectDone);
  protected readonly names = { preview: bulkCommands.preview.name, do: bulkCommands.do.name, undo: bulkCommands.undo.name };
  protected readonly chosen = signal<BulkChoice | null>(null);
  protected readonly reason = signal('');
  protected readonly password = signal('');
  protected readonly missing = (): string => {
    const asks = this.chosen()?.asks;
    return firstMissing(
      [!this.preview()?.changed, 'It would change none of them.'],
      [asks === 'reason' && this.reason().trim().length < 3, 'Say the reason.'],
      [asks === 'signature' && !this.password(), 'Type your password: it signs each of them.'],
    );
  };

  constructor() {
    // What is chosen changed: what was shown of it holds no longer.
    effect(() => {
      this.of();
      untracked(() => this.forget());
    });
    // Progress of a job is asked for while it is worked at.
    effect((onCleanup) => {
      const bulk = this.done();
      const state = bulk?.job?.state;
      if (!bulk || (state !== 'queued' && state !== 'running')) return;
      const timer = setInterval(() => this.store.dispatch(bulkCommands.get.start({ project: this.scope.slug(), id: bulk.id })), 800);
      onCleanup(() => clearInterval(timer));
    });
    onAction(bulkCommands.do.done, () => this.password.set(''));
  }

  protected choose(choice: BulkChoice): void {
    this.chosen.set(choice);
    this.ask(choice);
  }

  private ask({ act }: BulkChoice): void {
    this.store.dispatch(bulkCommands.preview.start({ project: this.scope.slug(), selection: this.of(), act, reason: this.reason() }));
  }

  protected act(): void {
    const [choice, preview] = [this.chosen(), this.preview()];
    if (!choice || !preview) return;
    this.store.dispatch(
      bulkCommands.do.start({
        project: this.scope.slug(),
        selection: this.of(),
        act: choice.act,
        reason: this.reason().trim(),
        digest: preview.digest,
        password: this.password(),
      }),
    );
  }

  protected undo(id: number): void {
    this.store.dispatch(bulkCommands.undo.start({ project: this.scope.slug(), id }));
  }

  protected cancel(id: number): void {
    this.store.dispatch(bulkCommands.cancel.start({ project: this.scope.slug(), id }));
  }

  protected forget(): void {
    this.chosen.set(null);
    this.store.dispatch(bulkCommands.forget());
  }
}
