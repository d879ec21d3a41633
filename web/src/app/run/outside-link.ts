import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { RouterLink } from '@angular/router';
import { counted } from '@core/base';
import type { ExchangeConflict } from '@core/run';
import { askReason, onAction, onChanged, ProblemNote, useProject } from '../base';
import { runCommands, runFeature } from './state';

/** What stands for a problem report in the tracker outside: linked, what waits, and what somebody has to decide. */
@Component({
  selector: 'cp-outside-link',
  imports: [FormsModule, MatButtonModule, ProblemNote, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (outside()?.tracker; as tracker) {
      <section class="sheet pad stack-s" aria-label="In the tracker outside">
        <div class="between">
          <h2>{{ tracker }}</h2>
          <a class="small" [routerLink]="['/', scope.slug(), 'run', 'tracker']">the tracker outside ›</a>
        </div>
        @if (outside()?.link; as link) {
          <p>
            @if (link.theirUrl) {
              <a [href]="link.theirUrl" target="_blank" rel="noopener noreferrer">{{ link.theirId }}</a>
            } @else {
              <strong>{{ link.theirId ?? 'To be made there' }}</strong>
            }
            @if (link.theirs; as theirs) {
              · {{ theirs.state }} · {{ theirs.title }}
            }
            @if (link.waiting) {
              &ngsp;<span class="tag waiting">{{ counted(link.waiting, 'message') }} to be sent</span>
            }
          </p>
          @if (link.refused) {
            <p class="t-broken" role="alert">{{ link.refused }}</p>
          }
          @for (c of link.conflicts; track c.field) {
            <div class="sheet pad stack-s" role="group" [attr.aria-label]="'Both sides changed the ' + words(c)">
              <strong>Both sides changed the {{ words(c) }}</strong>
              <dl class="facts">
                @if (c.base) {
                  <dt>Before</dt>
                  <dd>{{ title(c, c.base) }}</dd>
                }
                <dt>Here</dt>
                <dd>{{ title(c, c.mine) }}</dd>
                <dt>There</dt>
                <dd>{{ title(c, c.theirs) }}</dd>
              </dl>
              @if (may()) {
                <div class="row">
                  <button mat-stroked-button type="button" (click)="decide(c, 'mine')">Send what stands here</button>
                  <button mat-stroked-button type="button" (click)="decide(c, 'theirs')">Take what stands there</button>
                </div>
              }
            </div>
          }
          @if (may()) {
            <div><button class="chip" type="button" (click)="end(link.theirId)">End the link</button></div>
          }
        } @else if (may()) {
          <form class="row end" (ngSubmit)="link(theirId().trim() || null)">
            <label class="field"
              ><span>Its name there, where it has one</span
              ><input
                class="in"
                name="theirId"
                maxlength="100"
                placeholder="ITEM-12"
                [ngModel]="theirId()"
                (ngModelChange)="theirId.set($event)"
            /></label>
            <button mat-stroked-button type="submit">{{ theirId().trim() ? 'Link with it' : 'Make it there' }}</button>
          </form>
        } @else {
          <p class="second">Not linked.</p>
        }
        <cp-problem [of]="names.link" /><cp-problem [of]="names.decide" /><cp-problem [of]="names.end" />
      </section>
    }
  `,
})
export class OutsideLinkView {
  readonly of = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  protected readonly counted = counted;
  protected readonly theirId = signal('');
  protected readonly names = {
    link: runCommands.linkOutside.name,
    decide: runCommands.decideOutside.name,
    end: runCommands.endOutside.name,
  };
  private readonly shown = this.store.selectSignal(runFeature.selectOutside);
  private readonly life = this.store.selectSignal(runFeature.selectLife);
  protected readonly outside = computed(() => (this.shown()?.key === this.of() ? this.shown()?.answer : undefined));
  protected readonly may = computed(() => this.scope.roles().some((r) => r === 'author' || r === 'tester' || r === 'reviewer'));

  constructor() {
    effect(() => {
      this.of();
      untracked(() => this.read());
    });
    onChanged(['problem'], (keys) => (keys === null || keys.includes(this.of())) && this.read());
    onAction(runCommands.endOutside.done, () => this.read());
  }

  private read(): void {
    this.store.dispatch(runCommands.getOutside.start({ project: this.scope.slug(), key: this.of() }));
  }
  protected words({ field }: ExchangeConflict): string {
    return field === 'stage' ? 'stage' : 'title';
  }
  protected title({ field }: ExchangeConflict, value: string): string {
    return field === 'stage' ? (this.life()?.stages.find(({ name }) => name === value)?.title ?? value) : value;
  }
  protected link(theirId: string | null): void {
    this.theirId.set('');
    this.store.dispatch(runCommands.linkOutside.start({ project: this.scope.slug(), key: this.of(), theirId }));
  }
  protected decide({ field }: ExchangeConflict, take: 'mine' | 'theirs'): void {
    this.store.dispatch(runCommands.decideOutside.start({ project: this.scope.slug(), key: this.of(), field, take }));
  }
  protected end(theirId: string | null): void {
    askReason(this.dialogs, {
      title: `End the link with ${theirId ?? 'the tracker'}`,
      text: 'Both sides stay as they are; what waits to be sent is not sent.',
      confirm: 'End it',
    }).subscribe((reason) => this.store.dispatch(runCommands.endOutside.start({ project: this.scope.slug(), key: this.of(), reason })));
  }
}
