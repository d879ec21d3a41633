import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { Router } from '@angular/router';
import { askSignature, firstMissing, Icon, Needs, onAction, ProblemNote, RecordList, RowLines, RowTemplate, useProject } from '../../base';
import { SpecifyNav } from '../specify-nav';
import { specifyCommands, specifyFeature } from '../state';
import { baselineKind } from './baseline-list';
import { BaselineRecord } from './baseline-record';
import { baselineCommands } from './state';

/** Baselines: the list, and the chosen one beside it. A new one is signed where it is made. */
@Component({
  selector: 'cp-baselines-page',
  imports: [FormsModule, MatButtonModule, BaselineRecord, Icon, Needs, ProblemNote, RecordList, RowLines, RowTemplate, SpecifyNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panes beside" [class.one]="adding() || key()">
      <section class="pane pane-left side" aria-label="Baselines">
        <div class="row">
          <h1 class="grow">Baselines</h1>
          @if (may()) {
            <button class="chip" type="button" (click)="adding.set(true)"><cp-icon name="add" /> Baseline</button>
          }
        </div>
        <cp-specify-nav />
        <cp-record-list [kind]="kind" [current]="key() ?? ''" (opened)="open($event)">
          <ng-template [cpRow]="kind" let-b let-found="found">
            <cp-row-lines [row]="b" [found]="found" [below]="b.specifications.join(', ') + ', ' + b.createdAt.slice(0, 10)" />
          </ng-template>
          <ng-container empty>
            <h2>No baseline yet</h2>
            <p>A baseline keeps specifications as they stand: what a release was built and verified against.</p>
          </ng-container>
        </cp-record-list>
      </section>
      <section class="pane" aria-label="Baseline">
        <button class="chip back" type="button" (click)="open('')"><cp-icon name="chevron_left" /> Baselines</button>
        @if (adding()) {
          <form class="sheet pad stack" (ngSubmit)="add()">
            <h1>A new baseline</h1>
            <label class="field"><span>Name</span><input class="in" name="title" [(ngModel)]="title" /></label>
            <label class="field"
              ><span>What it is for</span><textarea class="in" rows="2" name="description" [(ngModel)]="description"></textarea>
            </label>
            <fieldset class="plain">
              <legend class="second small">Specifications, as they stand now</legend>
              @for (s of specifications(); track s.key) {
                <label class="check"
                  ><input type="checkbox" [checked]="chosen().includes(s.key)" (change)="choose(s.key)" /> {{ s.title }}
                  <span class="second">{{ s.requirements }}</span></label
                >
              }
            </fieldset>
            <cp-problem [of]="name" />
            <div class="row">
              <button mat-flat-button type="submit" [cpNeeds]="missing">Sign and keep</button>
              <button mat-button type="button" (click)="adding.set(false)">Close</button>
            </div>
          </form>
        } @else if (key(); as k) {
          <cp-baseline-record [key]="k" [show]="show()" [with]="with()" [what]="what()" [q]="q()" />
        } @else {
          <div class="empty">
            <h2>Choose a baseline</h2>
            <p>What it held stands here as it was, and what is otherwise now.</p>
          </div>
        }
      </section>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
    }
    .plain {
      border: 0;
      padding: 0;
      margin: 0;
      display: grid;
      gap: 6px;
    }
  `,
})
export class BaselinesPage {
  readonly key = input<string>();
  readonly show = input<string>();
  readonly with = input<string>();
  readonly what = input<string>();
  readonly q = input<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly dialogs = inject(MatDialog);
  protected readonly kind = baselineKind;
  protected readonly specifications = this.store.selectSignal(specifyFeature.selectSpecifications);
  protected readonly name = baselineCommands.add.name;
  protected readonly may = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'reviewer'));
  protected readonly adding = signal(false);
  protected readonly title = signal('');
  protected readonly description = signal('');
  private readonly left = signal<readonly string[]>([]);
  protected readonly chosen = computed(() => this.specifications().flatMap(({ key }) => (this.left().includes(key) ? [] : key)));
  protected readonly missing = (): string =>
    firstMissing([!this.title().trim(), 'Give it a name.'], [!this.chosen().length, 'Choose at least one specification.']);

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(specifyCommands.listSpecifications.start({ project })));
    });
    onAction(baselineCommands.add.done, ({ answer }) => {
      this.adding.set(false);
      this.title.set('');
      this.description.set('');
      this.open(answer.key);
    });
  }

  protected open(key: string): void {
    this.adding.set(false);
    void this.router.navigate(['/', this.scope.slug(), 'specify', 'baselines', ...(key ? [key] : [])]);
  }

  protected choose(key: string): void {
    this.left.update((left) => (left.includes(key) ? left.filter((other) => other !== key) : [...left, key]));
  }

  protected add(): void {
    const title = this.title().trim();
    const specifications = [...this.chosen()];
    askSignature(this.dialogs, {
      title: `Sign the baseline “${title}”`,
      meaning: `These are ${specifications.join(', ')} as they stand now, with all revisions and traces: what is verified against is this.`,
      printedName: this.scope.session()?.person.printedName ?? '',
      needsReason: false,
    }).subscribe(({ password }) =>
      this.store.dispatch(
        baselineCommands.add.start({ project: this.scope.slug(), title, description: this.description().trim(), specifications, password }),
      ),
    );
  }
}
