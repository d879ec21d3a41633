import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { listRuns, type RunDetail, type RunSummary } from '@contract/run';
import { groupBy } from '@core/base';
import { Api, ApiFailure, Device, Icon, RecordLink, useProject, type Taken, type Waiting, problemWords, withWaiting } from '../base';
import { runKeeping } from './away';
import { openRunsOf } from './run-list';
import { RunNav } from './run-nav';

interface Held {
  readonly taken: Taken;
  readonly waiting: readonly Waiting[];
  readonly title: string;
  readonly problem: string;
  /** It was refused because somebody recorded the step elsewhere. */
  readonly mayGoOver: boolean;
}

/** What this device holds of runs: taken along, recorded and not sent yet, refused; and what else there is to take along. */
@Component({
  selector: 'cp-device-page',
  imports: [DatePipe, Icon, MatButtonModule, RecordLink, RouterLink, RunNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1 class="grow">On this device</h1>
        @if (waiting()) {
          <button mat-flat-button type="button" [disabled]="!!busy()" (click)="send()">
            Send {{ waiting() === 1 ? 'what is' : 'the ' + waiting() + ' that are' }} kept here
          </button>
        }
      </div>
      <cp-run-nav />
      <p class="second">
        Runs that you take along are recorded without network too. What you record stays in this browser until the server has it; it is sent
        by itself, in its order, once. Signing out takes off this device all that has been sent.
      </p>
      @if (device.away()) {
        <div class="note waiting" role="status">
          <cp-icon name="cloud_off" /><span>The server cannot be reached. It is tried again every ten seconds.</span>
        </div>
      }
      @if (device.signedOut() && waiting()) {
        <div class="note waiting" role="status">
          <cp-icon name="lock" /><span class="grow">Your session ended meanwhile: sign in, and what is kept here is sent.</span
          ><a class="chip" routerLink="/sign-in" [queryParams]="{ to: '/' + scope.slug() + '/run/device' }">Sign in</a>
        </div>
      }
      @if (failed()) {
        <div class="note broken" role="alert">
          <cp-icon name="warning" /><span>{{ failed() }}</span>
        </div>
      }
      @for (h of held(); track h.taken.place) {
        <article class="sheet" [attr.aria-label]="h.taken.key">
          <div class="row">
            <span class="grow"
              ><strong><cp-record kind="run" [key]="h.taken.key" [text]="h.taken.key" /> {{ h.title }}</strong>
              <span class="second small"> as the server had it {{ h.taken.readAt | date: 'yyyy-MM-dd HH:mm' }}</span></span
            >
            @if (h.waiting.length) {
              <span [class]="'tag ' + (h.problem ? 'broken' : 'waiting')">{{ h.waiting.length }} not sent</span>
            } @else {
              <span class="tag sound">all sent</span>
            }
            <a class="chip" [routerLink]="['/', scope.slug(), 'run', 'bench', h.taken.key]">Bench ›</a>
            @if (!h.waiting.length) {
              <button
                class="chip"
                type="button"
                [attr.aria-label]="'Leave ' + h.taken.key + ' here no longer'"
                (click)="device.release(h.taken.place)"
              >
                <cp-icon name="close" />
              </button>
            }
          </div>
          @for (said of h.taken.meanwhile; track said) {
            <p class="small"><cp-icon name="info" /> Meanwhile: {{ said }}</p>
          }
          @if (h.problem) {
            <div class="note broken" role="alert">
              <cp-icon name="warning" />
              <div class="grow">
                <strong>Not taken: {{ h.problem }}</strong>
                <p class="small">Nothing is lost: it stays here until you say what becomes of it.</p>
                <div class="row">
                  <button class="chip" type="button" [disabled]="!!busy()" (click)="act(device.again(h.taken.place))">Send it again</button>
                  @if (h.mayGoOver) {
                    <button class="chip" type="button" [disabled]="!!busy()" (click)="act(device.over(h.taken.place))">
                      Record mine over it
                    </button>
                  }
                  <button class="chip" type="button" [disabled]="!!busy()" (click)="act(device.handIn(h.taken.place, h.problem))">
                    Keep it with the run, beside what stands
                  </button>
                </div>
              </div>
            </div>
          }
          @if (h.waiting.length) {
            <ol class="small">
              @for (item of h.waiting; track item.n) {
                <li>
                  {{ words(item) }}
                  <span class="second"
                    >· {{ item.at | date: 'yyyy-MM-dd HH:mm' }} by this device{{ item.problem ? ' · not taken' : '' }}</span
                  >
                </li>
              }
            </ol>
          }
        </article>
      } @empty {
        <p class="empty">Nothing is on this device yet.</p>
      }
      <div class="page-head">
        <h2 class="grow">Yours to record</h2>
        @if (left().length) {
          <button class="chip" type="button" [disabled]="!!busy()" (click)="take(left())">
            <cp-icon name="download" /> Take all {{ left().length }} along
          </button>
        }
      </div>
      @if (busy()) {
        <p class="second" role="status">{{ busy() }}</p>
      }
      @for (round of rounds(); track round.key) {
        <div class="sheet row">
          <span class="grow"
            ><cp-record kind="round" [key]="round.key" [text]="round.key" /> {{ round.runs.length }}
            {{ round.runs.length === 1 ? 'run' : 'runs' }}, {{ round.minutes }} minutes: {{ round.words }}</span
          >
          <button
            class="chip"
            type="button"
            [disabled]="!!busy()"
            [attr.aria-label]="'Take ' + round.key + ' along'"
            (click)="take(round.runs)"
          >
            <cp-icon name="download" /> Take along
          </button>
        </div>
      } @empty {
        @if (open()) {
          <p class="second">No further run is planned for you.</p>
        }
      }
    </div>
  `,
  styles: `
    article {
      padding: 8px 16px;
    }
    ol {
      margin: 6px 0 0;
      padding-left: 20px;
      list-style: decimal;
    }
    li {
      white-space: pre-line;
    }
    h2 {
      margin: 0;
    }
    .page.stack > article + article {
      margin-top: -6px;
    }
    .sheet.row {
      padding: 8px 16px;
    }
  `,
})
export class DevicePage {
  protected readonly scope = useProject();
  protected readonly device = inject(Device);
  private readonly api = inject(Api);
  protected readonly open = signal<readonly RunSummary[] | null>(null);
  protected readonly busy = signal('');
  protected readonly failed = signal('');
  protected readonly words = (item: Waiting): string => runKeeping.words(item);
  protected readonly waiting = computed(() => this.device.waiting().length);
  protected readonly held = computed(() => {
    const waiting = groupBy(this.device.waiting(), ({ place }) => place);
    return this.device
      .taken()
      .filter(({ project }) => project === this.scope.slug())
      .map((taken): Held => {
        const mine = waiting.get(taken.place) ?? [];
        const refused = mine.find(({ problem }) => problem);
        return {
          taken,
          waiting: mine,
          title: runKeeping.title(withWaiting(runKeeping, taken.record, mine)),
          problem: refused?.problem ? problemWords(refused.problem) : '',
          mayGoOver: refused !== undefined && runKeeping.over(refused) !== undefined,
        };
      })
      .sort((a, b) => b.waiting.length - a.waiting.length || (a.taken.key < b.taken.key ? -1 : 1));
  });
  protected readonly left = computed(() => {
    const here = new Set(this.device.taken().map(({ project, key }) => `${project} ${key}`));
    return (this.open() ?? []).filter(({ key }) => !here.has(`${this.scope.slug()} ${key}`));
  });
  protected readonly rounds = computed(() =>
    [...groupBy(this.left(), ({ round }) => round)].map(([key, runs]) => ({
      key,
      runs,
      minutes: runs.reduce((sum, { plannedMinutes }) => sum + plannedMinutes, 0),
      words: runs
        .slice(0, 6)
        .map(({ caseKey }) => caseKey)
        .join(', '),
    })),
  );

  constructor() {
    effect(() => {
      const [project, login] = [this.scope.slug(), this.scope.session()?.person.login];
      if (project && login) untracked(() => void this.ask(project, login));
    });
  }

  private async ask(project: string, login: string): Promise<void> {
    const filter = openRunsOf(login);
    // Without network there is nothing further to take along.
    const page = await this.api.call(listRuns, { project, filter, limit: 200 }).catch(() => undefined);
    this.open.set(page?.rows ?? null);
  }

  protected async take(runs: readonly Pick<RunDetail, 'key'>[]): Promise<void> {
    const keys = runs.map(({ key }) => key);
    const told = (key: string, at: number): void => this.busy.set(`Taking ${key} along, ${at + 1} of ${keys.length} …`);
    await this.done(this.device.take(this.scope.slug(), keys, told));
    this.busy.set('');
  }

  protected send(): void {
    void this.act(this.device.send());
  }

  protected async act(what: Promise<void>): Promise<void> {
    this.busy.set('Sending …');
    await this.done(what);
    this.busy.set('');
  }

  private async done(what: Promise<void>): Promise<void> {
    this.failed.set('');
    try {
      await what;
    } catch (error) {
      this.failed.set(error instanceof ApiFailure ? problemWords(error.problem) : String(error));
    }
  }
}
