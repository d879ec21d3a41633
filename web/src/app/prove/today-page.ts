import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { askedOf, type Selection, type WaitingItem } from '@contract/base';
import { groupBy, newsKinds, newsWords, type NewsKind } from '@core/base';
import {
  actionLink,
  baseCommands,
  baseFeature,
  BulkPanel,
  EntryLine,
  Icon,
  JobsPanel,
  onNews,
  RecordLink,
  reviewChoices,
  useProject,
} from '../base';

type Asked = WaitingItem['asked'];
const heads: Record<Asked, string> = {
  record: 'To record',
  sign: 'To sign',
  decide: 'To decide: carry over or rerun',
  answer: 'Reviews that ask you',
  review: 'To review',
  approve: 'To approve',
  confirm: 'Traces to confirm',
};
const icons: Record<Asked, string> = {
  record: 'play_arrow',
  sign: 'draw',
  decide: 'rule',
  answer: 'checklist',
  review: 'fact_check',
  approve: 'verified',
  confirm: 'add_link',
};
const shownAtFirst = 12;

/** Today: what waits for this person, what holds up most first, with what can be done at once; and what changed in what they follow. */
@Component({
  selector: 'cp-today-page',
  host: { '(keydown)': 'step($event)' },
  imports: [BulkPanel, EntryLine, Icon, JobsPanel, RecordLink, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page today">
      <section class="stack">
        <div class="page-head">
          <h1>Today</h1>
          <span class="second grow">{{ summary() }}</span>
        </div>
        @if (first(); as item) {
          <a class="sheet pad next" [routerLink]="link(item).path" [queryParams]="link(item).query">
            <cp-icon [name]="icons[item.asked]" />
            <span class="grow"
              ><span class="second small">Next, since it holds up most</span><br /><b>{{ item.key }} · {{ item.title }}</b
              ><br /><span class="small">{{ item.note }}{{ holds(item) }}</span></span
            >
            <cp-icon name="arrow_forward" />
          </a>
        }
        @for (group of groups(); track group.asked) {
          <section class="sheet pad group" [attr.aria-label]="heads[group.asked]">
            <div class="between">
              <h2><cp-icon [name]="icons[group.asked]" /> {{ heads[group.asked] }}</h2>
              <span class="row">
                <span class="second small">{{ group.items.length }}{{ minutes(group.items) }}</span>
                @if (group.together && group.items.length > 1) {
                  <a class="chip" [routerLink]="['/', scope.slug(), 'run', 'sign']">Sign several …</a>
                }
                @for (many of group.many; track many.kind) {
                  <button class="chip" type="button" [attr.aria-expanded]="acting() === many.kind" (click)="act(many.kind)">
                    {{ many.words }} …
                  </button>
                }
              </span>
            </div>
            @for (many of group.many; track many.kind) {
              @if (acting() === many.kind) {
                <cp-bulk-panel [of]="many.of" [choices]="approving()" (closed)="acting.set('')" />
              }
            }
            <ul>
              @for (item of shown(group); track item.key + item.note) {
                <li>
                  <cp-record [kind]="item.kind" [key]="item.key" />
                  <a class="what" [routerLink]="link(item).path" [queryParams]="link(item).query">{{ item.title }}</a>
                  <span class="second small told">{{ item.note }}{{ holds(item) }}</span>
                  <span class="second small num">{{ item.minutes === null ? '' : item.minutes + ' min' }}</span>
                </li>
              }
            </ul>
            @if (group.items.length > shown(group).length) {
              <div>
                <button class="chip" type="button" (click)="open(group.asked)">
                  Show {{ group.items.length - shown(group).length }} more
                </button>
              </div>
            }
          </section>
        } @empty {
          <section class="sheet empty">
            <h2>Nothing waits for you</h2>
            <p>
              What others ask of you comes here by itself. <a [routerLink]="['/', scope.slug(), 'cord']">The cord shows what is broken.</a>
            </p>
          </section>
        }
      </section>
      <aside class="stack" aria-label="What changed, and long work">
        <section class="sheet pad stack-s">
          <div class="between">
            <h2>News</h2>
            <button class="chip" type="button" [attr.aria-expanded]="choosing()" (click)="choosing.set(!choosing())">
              <cp-icon name="settings" /> Which
            </button>
          </div>
          @if (choosing()) {
            <div class="stack-s" role="group" aria-label="News that you want">
              @for (kind of newsKinds; track kind) {
                <label class="check"
                  ><input type="checkbox" [checked]="!off().includes(kind)" (change)="turn(kind)" /> {{ newsWords[kind] }}</label
                >
              }
            </div>
          }
          @for (entry of news(); track entry.seq) {
            <div [class.fresh]="entry.seq > seenBefore()">
              <cp-entry [of]="entry" [name]="names().get(entry.who)" />
            </div>
          } @empty {
            <p class="second">
              Follow a record, at its comments, and what others do to it is told here; so is what they decide about what you wrote or
              recorded.
            </p>
          }
        </section>
        <section class="sheet pad">
          <h2>Long work</h2>
          <cp-jobs-panel />
        </section>
      </aside>
    </div>
  `,
  styles: `
    .today {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      gap: 16px;
      align-items: start;
    }
    @media (min-width: 1100px) {
      .today {
        grid-template-columns: minmax(0, 1fr) 340px;
      }
    }
    .fresh {
      border-left: 3px solid var(--cord);
      padding-left: 8px;
    }
    .next {
      display: flex;
      gap: 14px;
      align-items: center;
      color: inherit;
      border-left: 4px solid var(--cord);
      text-decoration: none;
    }
    h2 {
      display: flex;
      gap: 8px;
      align-items: center;
    }
    ul {
      margin: 4px 0 0;
    }
    li {
      display: grid;
      grid-template-columns: 84px minmax(0, 1fr) minmax(0, auto) 56px;
      gap: 12px;
      align-items: baseline;
      padding: 6px 0;
      border-top: 1px solid var(--hairline);
      min-height: 34px;
    }
    .what {
      color: inherit;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .num {
      text-align: right;
      font-variant-numeric: tabular-nums;
    }
    @media (max-width: 700px) {
      li {
        grid-template-columns: 84px minmax(0, 1fr);
        min-height: 44px;
      }
      .told {
        grid-column: 2;
      }
      .num {
        display: none;
      }
    }
  `,
})
export class TodayPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly heads = heads;
  protected readonly icons = icons;
  protected readonly waiting = this.store.selectSignal(baseFeature.selectWaiting);
  private readonly told = this.store.selectSignal(baseFeature.selectNews);
  protected readonly news = computed(() => this.told()?.entries ?? []);
  protected readonly off = computed(() => this.told()?.off ?? []);
  /** Up to where they were seen when this page was opened: what is newer is marked. */
  protected readonly seenBefore = signal(Number.MAX_SAFE_INTEGER);
  protected readonly choosing = signal(false);
  protected readonly newsKinds = newsKinds;
  protected readonly newsWords = newsWords;
  /** The kind of record that is being approved in bulk; empty where none is. */
  protected readonly acting = signal('');
  private readonly whole = signal<ReadonlySet<Asked>>(new Set());
  protected readonly first = computed(() => this.waiting()[0]);
  protected readonly groups = computed(() => {
    const byAsked = groupBy(this.waiting(), (item) => item.asked);
    return askedOf.flatMap((asked) => {
      const items = byAsked.get(asked) ?? [];
      // Runs are signed together where they were looked at.
      const together = asked === 'sign' || asked === 'review';
      return items.length ? [{ asked, items, together, many: asked === 'approve' ? this.manyOf(items) : [] }] : [];
    });
  });
  protected readonly approving = computed(() => reviewChoices(this.scope.roles()).filter(({ act }) => act.act === 'approve'));
  protected readonly names = this.scope.names;
  protected readonly summary = computed(() => {
    const items = this.waiting();
    if (!items.length) return '';
    return `${items.length} thing${items.length === 1 ? '' : 's'} wait${items.length === 1 ? 's' : ''} for you${this.minutes(items)}`;
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      if (project) untracked(() => this.read(project));
    });
    onNews(5000, () => this.read(this.scope.slug()));
    // What stands here is seen.
    effect(() => {
      const told = this.told();
      const newest = told?.entries[0]?.seq ?? 0;
      if (!told) return;
      untracked(() => {
        this.seenBefore.set(Math.min(this.seenBefore(), told.seen));
        if (newest > told.seen) this.store.dispatch(baseCommands.setNews.start({ project: this.scope.slug(), seen: newest }));
      });
    });
  }

  private read(project: string): void {
    this.store.dispatch(baseCommands.listNews.start({ project }));
  }

  protected turn(kind: NewsKind): void {
    const off = this.off().includes(kind) ? this.off().filter((other) => other !== kind) : [...this.off(), kind];
    this.store.dispatch(baseCommands.setNews.start({ project: this.scope.slug(), off }));
  }

  /** What can be approved in one act: of each kind all that waits. */
  private manyOf(items: readonly WaitingItem[]) {
    return [...groupBy(items, (item) => (item.kind === 'case' ? 'case' : 'requirement'))].map(([kind, list]) => {
      const of: Selection = { kind, keys: list.map(({ key }) => key) };
      return { kind, of, words: list.length === 1 ? `Approve the ${kind}` : `Approve ${list.length} ${kind}s` };
    });
  }

  protected shown({ asked, items }: { readonly asked: Asked; readonly items: readonly WaitingItem[] }): readonly WaitingItem[] {
    return this.whole().has(asked) ? items : items.slice(0, shownAtFirst);
  }

  protected open(asked: Asked): void {
    this.whole.update((set) => new Set([...set, asked]));
  }

  protected act(kind: string): void {
    this.acting.update((now) => (now === kind ? '' : kind));
  }

  protected link(item: WaitingItem) {
    return actionLink(this.scope.slug(), { to: { kind: item.kind, key: item.key }, place: item.place });
  }

  protected holds({ holds }: WaitingItem): string {
    return holds ? ` · holds up ${holds} requirement${holds === 1 ? '' : 's'}` : '';
  }

  protected minutes(items: readonly WaitingItem[]): string {
    const sum = items.reduce((n, item) => n + (item.minutes ?? 0), 0);
    return sum ? ` · ${sum} min planned` : '';
  }

  /** Arrows go from one thing to the next, whatever group it stands in. */
  protected step(event: KeyboardEvent): void {
    const delta = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!delta || !(event.target as HTMLElement).closest('li')) return;
    const all = [...this.element.nativeElement.querySelectorAll<HTMLElement>('li .what')];
    const at = all.findIndex((link) => link === document.activeElement || link.parentElement?.contains(document.activeElement));
    event.preventDefault();
    all[Math.max(0, Math.min(all.length - 1, at + delta))]?.focus();
  }
}
