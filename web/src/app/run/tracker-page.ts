import { ChangeDetectionStrategy, Component, computed, effect, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { OutsideLink, TrackerSettings } from '@contract/run';
import { counted } from '@core/base';
import { wordOfStage } from '@core/run';
import { firstMissing, momentWords, Needs, onAction, onChanged, ProblemNote, RecordLink, useProject } from '../base';
import { RunNav } from './run-nav';
import { runCommands, runFeature } from './state';

interface Draft extends TrackerSettings {
  readonly token: string;
  readonly secret: string;
}
const empty: Draft = { name: '', url: '', states: [], paused: false, token: '', secret: '' };
/** What happens there is not told of here: how the exchange stands is asked for so often, in milliseconds. */
const askEvery = 5000;

/** The tracker outside with which problem reports are exchanged: how the exchange stands, what is linked, and how it is reached. */
@Component({
  selector: 'cp-tracker-page',
  imports: [FormsModule, MatButtonModule, Needs, ProblemNote, RecordLink, RunNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head"><h1 class="grow">Tracker outside</h1></div>
      <cp-run-nav />
      @if (tracker(); as t) {
        @if (t.settings; as s) {
          <p role="status">
            @if (s.paused) {
              <span class="tag waiting">paused</span> Nothing is exchanged with {{ s.name }}.
            } @else if (t.fault) {
              <span class="tag broken">not reached</span> {{ s.name }} does not answer: {{ t.fault }}. It is tried again by itself.
            } @else if (t.heardAt) {
              <span class="tag sound">exchanging</span> {{ s.name }} last answered {{ moment(t.heardAt) }}.
            } @else {
              <span class="tag waiting">not yet asked</span> {{ s.name }} is asked within a few seconds.
            }
            {{ t.waiting ? counted(t.waiting, 'message') + ' to be sent, in order.' : 'Nothing waits to be sent.' }}
          </p>
          <section class="sheet" aria-label="Linked problem reports">
            <table class="list">
              <thead>
                <tr>
                  <th scope="col">Report</th>
                  <th scope="col">There</th>
                  <th scope="col">State there</th>
                  <th scope="col">To be decided</th>
                  <th scope="col" class="num">To be sent</th>
                </tr>
              </thead>
              <tbody>
                @for (link of t.links; track link.problem) {
                  <tr>
                    <td><cp-record kind="problem" [key]="link.problem" /></td>
                    <td>
                      @if (link.theirUrl) {
                        <a [href]="link.theirUrl" target="_blank" rel="noopener noreferrer">{{ link.theirId }}</a>
                      } @else {
                        {{ link.theirId ?? 'to be made' }}
                      }
                      <span class="second"> {{ link.theirs?.title }}</span>
                    </td>
                    <td>{{ link.theirs?.state }}</td>
                    <td>
                      @if (decided(link); as words) {
                        <span class="t-broken">{{ words }}</span>
                      }
                    </td>
                    <td class="num">{{ link.waiting || '' }}</td>
                  </tr>
                } @empty {
                  <tr>
                    <td colspan="5" class="second">No report is linked. A report’s page links it, or has it made there.</td>
                  </tr>
                }
              </tbody>
            </table>
          </section>
        } @else {
          <p class="empty">
            Problem reports are not exchanged with a tracker outside. {{ admin() ? '' : 'An administrator can set one.' }}
          </p>
        }
        @if (admin()) {
          <form class="sheet pad stack" (ngSubmit)="save()">
            <h2>How it is reached</h2>
            <div class="row end">
              <label class="field"
                ><span>Name</span
                ><input class="in" name="name" maxlength="40" [ngModel]="draft().name" (ngModelChange)="put({ name: $event })"
              /></label>
              <label class="field grow"
                ><span>Address</span
                ><input
                  class="in"
                  name="url"
                  maxlength="400"
                  placeholder="https://tracker.example"
                  [ngModel]="draft().url"
                  (ngModelChange)="put({ url: $event })"
              /></label>
            </div>
            <div class="row end">
              <label class="field grow"
                ><span>Token with which it is asked{{ t.settings ? ' (kept; give another to change it)' : '' }}</span
                ><input
                  class="in"
                  type="password"
                  autocomplete="off"
                  name="token"
                  [ngModel]="draft().token"
                  (ngModelChange)="put({ token: $event })"
              /></label>
              <label class="field grow"
                ><span>Secret under which it signs its calls{{ t.settings ? ' (kept; give another to change it)' : '' }}</span
                ><input
                  class="in"
                  type="password"
                  autocomplete="off"
                  name="secret"
                  [ngModel]="draft().secret"
                  (ngModelChange)="put({ secret: $event })"
              /></label>
            </div>
            <p class="second small">
              When something happens there it calls <code>{{ t.hook }}</code> of this server, signed.
            </p>
            <fieldset class="row end">
              <legend class="second">What our stages are called there</legend>
              @for (stage of life()?.stages; track stage.name) {
                <label class="field"
                  ><span>{{ stage.title }}</span
                  ><input
                    class="in"
                    maxlength="60"
                    [name]="'stage-' + stage.name"
                    [ngModel]="word(stage.name)"
                    (ngModelChange)="setWord(stage.name, $event)"
                /></label>
              }
            </fieldset>
            <label class="check"
              ><input type="checkbox" name="paused" [ngModel]="draft().paused" (ngModelChange)="put({ paused: $event })" /> Paused: nothing
              is exchanged, and what is done waits</label
            >
            <cp-problem [of]="names.save" />
            <div class="row">
              <button mat-flat-button type="submit" [cpNeeds]="missing">Save</button>
              <span class="second small" role="status">{{ typed() ? 'Not saved yet.' : '' }}</span>
            </div>
          </form>
        }
      } @else {
        <p class="empty" role="status">Opening …</p>
      }
      <cp-problem [of]="names.get" />
    </div>
  `,
  styles: `
    fieldset {
      flex-wrap: wrap;
      padding: 0;
      border: 0;
    }
    legend {
      padding: 0 0 6px;
    }
  `,
})
export class TrackerPage {
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly counted = counted;
  protected readonly moment = momentWords;
  protected readonly names = { get: runCommands.getTracker.name, save: runCommands.saveTracker.name };
  protected readonly tracker = this.store.selectSignal(runFeature.selectTracker);
  protected readonly life = this.store.selectSignal(runFeature.selectLife);
  protected readonly typed = signal<Partial<Draft> | null>(null);
  protected readonly draft = computed((): Draft => ({ ...empty, ...this.tracker()?.settings, ...this.typed() }));
  protected readonly admin = computed(() => this.scope.roles().includes('administrator'));
  protected readonly missing = (): string =>
    firstMissing(
      [!this.typed(), 'Nothing changed.'],
      [!this.draft().name.trim(), 'Give it a name.'],
      [!this.draft().url.trim(), 'Say where it is.'],
      [!this.tracker()?.settings && !(this.draft().token && this.draft().secret), 'Give token and secret.'],
    );

  constructor() {
    const read = (): void => this.store.dispatch(runCommands.getTracker.start({ project: this.scope.slug() }));
    effect((onCleanup) => {
      const project = this.scope.slug();
      untracked(() => {
        read();
        this.store.dispatch(runCommands.problemLife.start({ project }));
      });
      const timer = setInterval(read, askEvery);
      onCleanup(() => clearInterval(timer));
    });
    onChanged(['problem'], read);
    onAction(runCommands.saveTracker.done, () => this.typed.set(null));
  }

  protected put(change: Partial<Draft>): void {
    this.typed.update((before) => ({ ...before, ...change }));
  }
  protected word(stage: string): string {
    return wordOfStage(this.draft().states, stage) ?? '';
  }
  protected setWord(stage: string, theirs: string): void {
    const others = this.draft().states.filter((pair) => pair.stage !== stage);
    this.put({ states: theirs.trim() ? [...others, { stage, theirs }] : others });
  }
  protected decided({ conflicts, refused }: OutsideLink): string {
    const both = conflicts.map(({ field }) => `both changed the ${field}`).join(', ');
    return [both, refused].filter(Boolean).join('; ');
  }
  protected save(): void {
    const { name, url, states, paused, token, secret } = this.draft();
    this.store.dispatch(
      runCommands.saveTracker.start({ project: this.scope.slug(), name: name.trim(), url: url.trim(), states, paused, token, secret }),
    );
  }
}
