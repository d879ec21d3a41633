import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { RouterLink } from '@angular/router';
import type { SignedMany } from '@contract/run';
import { counted, fewOf } from '@core/base';
import { verdictWords } from '@core/run';
import { askSignature, firstMissing, Icon, Needs, onAction, onNews, ProblemNote, RecordLink, toggled, useProject } from '../base';
import { RunNav } from './run-nav';
import { runCommands, runFeature } from './state';

type Meaning = 'performed' | 'reviewed';

/** Finished runs that wait for one's own signature: those that one looked at are signed together, each bound to its own record. */
@Component({
  selector: 'cp-sign-page',
  imports: [MatButtonModule, RouterLink, Icon, Needs, ProblemNote, RecordLink, RunNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1 class="grow">To sign</h1>
      </div>
      <cp-run-nav />
      <cp-problem [of]="names.list" /><cp-problem [of]="names.sign" />
      @if (done(); as d) {
        <div class="note" role="status">
          <cp-icon name="signature" /><span class="grow"
            >{{ counted(d.signed.length, 'run') }} signed.
            @for (r of d.refused; track r.key) {
              <br /><cp-record kind="run" [key]="r.key" [text]="r.key" />: {{ r.why }}
            }
          </span>
        </div>
      }
      @for (g of groups(); track g.meaning) {
        <section class="sheet pad stack-s" [attr.aria-label]="g.title">
          <div class="row">
            <h2 class="grow">{{ g.title }} {{ g.rows.length }}</h2>
            <button class="chip" type="button" [disabled]="!g.looked.length" (click)="all(g.looked)">
              {{
                chosenOf(g.looked) === g.looked.length && g.looked.length
                  ? 'Choose none'
                  : 'Choose all that I looked at: ' + g.looked.length
              }}
            </button>
            <button mat-flat-button type="button" [cpNeeds]="missing(g.looked)" (click)="sign(g.meaning)">
              <cp-icon name="signature" /> Sign {{ chosenOf(g.looked) || '' }}
            </button>
          </div>
          <table class="list">
            <thead>
              <tr>
                <th scope="col"><span class="hidden-visually">Chosen</span></th>
                <th scope="col">Run</th>
                <th scope="col">Case</th>
                <th scope="col">Verdict</th>
                <th scope="col">Tester</th>
                <th scope="col">Looked at</th>
              </tr>
            </thead>
            <tbody>
              @for (s of g.rows; track s.run.key) {
                <tr>
                  <td>
                    <input
                      type="checkbox"
                      [attr.aria-label]="'Sign ' + s.run.key"
                      [disabled]="!s.looked"
                      [checked]="chosen().has(s.run.key)"
                      (change)="toggle(s.run.key)"
                    />
                  </td>
                  <td><cp-record kind="run" [key]="s.run.key" /></td>
                  <td>
                    <cp-record kind="case" [key]="s.run.caseKey" />&ngsp;{{ s.run.caseTitle
                    }}{{ s.run.row === null ? '' : ' · row ' + s.run.row }}
                  </td>
                  <td>
                    <span [class]="'tag ' + (s.run.verdict === 'passed' ? 'sound' : s.run.verdict === 'failed' ? 'broken' : 'waiting')">{{
                      s.run.verdict ? verdictWords[s.run.verdict] : ''
                    }}</span>
                  </td>
                  <td>{{ s.run.testerName }}</td>
                  <td>
                    @if (s.looked) {
                      <cp-icon name="visibility" /> as it is now
                    } @else {
                      <a [routerLink]="['/', scope.slug(), 'run', 'record', s.run.key]">Not yet: look at it ›</a>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        </section>
      } @empty {
        <div class="empty" role="status">
          @if (loaded()) {
            <h2>Nothing waits for your signature</h2>
            <p>Finished runs of yours, and those that others performed and you may review, stand here.</p>
          } @else {
            <p>Looking for what waits …</p>
          }
        </div>
      }
    </div>
  `,
})
export class SignPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  protected readonly counted = counted;
  protected readonly verdictWords = verdictWords;
  protected readonly names = { list: runCommands.listSignable.name, sign: runCommands.signMany.name };
  protected readonly loaded = this.store.selectSignal(runFeature.selectSignable);
  protected readonly done = signal<SignedMany | null>(null);
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly groups = computed(() =>
    (
      [
        ['performed', 'Performed by me'],
        ['reviewed', 'To review'],
      ] as const
    ).flatMap(([meaning, title]) => {
      const rows = (this.loaded() ?? []).filter((s) => s.meaning === meaning);
      return rows.length ? [{ meaning, title, rows, looked: rows.flatMap((s) => (s.looked ? s.run.key : [])) }] : [];
    }),
  );

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(runCommands.listSignable.start({ project })));
    });
    onNews(3000, () => this.store.dispatch(runCommands.listSignable.start({ project: this.scope.slug() })));
    onAction(runCommands.signMany.done, ({ answer }) => {
      this.done.set(answer);
      this.chosen.set(new Set());
      this.store.dispatch(runCommands.listSignable.start({ project: this.scope.slug() }));
    });
  }

  protected chosenOf(looked: readonly string[]): number {
    return looked.filter((key) => this.chosen().has(key)).length;
  }
  protected missing(looked: readonly string[]): () => string {
    return () => firstMissing([!looked.length, 'Look at the records first.'], [!this.chosenOf(looked), 'Choose what is to be signed.']);
  }
  protected toggle(key: string): void {
    this.chosen.update((set) => toggled(set, key));
  }
  protected all(looked: readonly string[]): void {
    const every = this.chosenOf(looked) === looked.length;
    this.chosen.update((set) => new Set(every ? [...set].filter((key) => !looked.includes(key)) : [...set, ...looked]));
  }

  protected sign(meaning: Meaning): void {
    const runs = (this.loaded() ?? []).flatMap((s) =>
      s.meaning === meaning && s.looked && this.chosen().has(s.run.key) ? [{ key: s.run.key, hash: s.hash }] : [],
    );
    const said = fewOf(
      runs.map(({ key }) => key),
      8,
    );
    askSignature(this.dialogs, {
      title: `Sign ${counted(runs.length, 'run')}`,
      meaning:
        meaning === 'performed'
          ? `I performed each of these runs and recorded what I observed: ${said}.`
          : `I reviewed each of these records, its observations and its evidence: ${said}.`,
      printedName: this.scope.session()?.person.printedName ?? '',
      needsReason: false,
    }).subscribe(({ password }) =>
      this.store.dispatch(runCommands.signMany.start({ project: this.scope.slug(), meaning, password, runs })),
    );
  }
}
