import { ChangeDetectionStrategy, Component, computed, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import type { CarryOffer, TraceOffer } from '@contract/measure';
import { firstMissing, momentWords, Needs, ProblemNote, RecordLink, toggled, useProject, useStatement } from '../base';
import { measureCommands, measureFeature } from './state';

const idOf = ({ path, unit }: Pick<CarryOffer, 'path' | 'unit'>): string => `${path}\n${unit}`;
const whyNot: Record<CarryOffer['state'], string> = {
  same: '',
  changed: 'its text was changed',
  functionGone: 'it is gone from its file',
  fileGone: 'its file is gone',
  ambiguous: 'its text stands in several places',
};

/** What was measured on sources that the build had before: a reviewer carries it, signed, to functions whose text is the same. */
@Component({
  selector: 'cp-carry-panel',
  imports: [MatButtonModule, MatCheckboxModule, Needs, ProblemNote, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="body stack">
      <div class="between">
        <h2>Measured on the sources before</h2>
        <button mat-button type="button" (click)="left.emit()">Back to the code</button>
      </div>
      @if (same().length) {
        <p class="second">
          The sources of {{ scope.build() }} were exchanged after these functions were measured. Their text is the same, white space aside.
          A reviewer who did not exchange them may say, signed, that what was measured holds for them; it then counts until the file is
          exchanged again.
        </p>
        <table class="list">
          <thead>
            <tr>
              <th>
                <mat-checkbox
                  [checked]="chosen().length === same().length"
                  [indeterminate]="chosen().length > 0 && chosen().length < same().length"
                  (change)="chooseAll($event.checked)"
                  aria-label="All of them"
                />
              </th>
              <th>Function</th>
              <th>Implements</th>
              <th>Its file measured by</th>
            </tr>
          </thead>
          <tbody>
            @for (offer of same(); track id(offer)) {
              <tr>
                <td>
                  <mat-checkbox
                    [checked]="!leftOut().has(id(offer))"
                    (change)="choose(offer)"
                    [aria-label]="offer.unit + ' of ' + offer.path"
                  />
                </td>
                <td>
                  <b>{{ offer.unit }}</b>
                  <div class="small second">{{ place(offer) }}</div>
                </td>
                <td>
                  @for (key of offer.requirements; track key; let last = $last) {
                    <cp-record kind="requirement" [key]="key" />{{ last ? '' : ', ' }}
                  } @empty {
                    <span class="second">no requirement</span>
                  }
                </td>
                <td class="small">{{ offer.measuredBy.slice(0, 3).join(', ') }}{{ more(offer.measuredBy.length - 3) }}</td>
              </tr>
            }
          </tbody>
        </table>
        @if (reviewer()) {
          <div class="row end act">
            <button mat-flat-button type="button" [cpNeeds]="missing" (click)="carry()">
              Carry {{ chosen().length === 1 ? 'one function' : chosen().length + ' functions' }}
            </button>
          </div>
        } @else {
          <p class="second small">A reviewer of the project can carry them.</p>
        }
      }
      @if (others().length) {
        <h3>{{ others().length === 1 ? 'One cannot be carried' : others().length + ' cannot be carried' }}: to be measured again</h3>
        <ul class="stack-s">
          @for (offer of others().slice(0, 50); track id(offer)) {
            <li>
              <b>{{ offer.unit }}</b> of {{ offer.fromPath }}: {{ whyNot[offer.state] }}
            </li>
          }
        </ul>
        @if (others().length > 50) {
          <p class="small second">and {{ others().length - 50 }} more</p>
        }
      }
      @if (traceOffers().length) {
        <h3>Traces by hand that were not carried: their functions are others now</h3>
        <ul class="stack-s">
          @for (t of traceOffers().slice(0, 100); track t.path + t.unit + t.requirement) {
            <li class="between">
              <span
                ><b>{{ t.unit }}</b> of {{ t.path }} implemented <cp-record kind="requirement" [key]="t.requirement" /> in {{ t.from }}
                <span class="second small">{{ t.by }}: {{ t.reason || 'no reason given' }}</span></span
              >
              @if (t.state === 'changed' && author()) {
                <button class="chip" type="button" (click)="traceAgain(t)">It still does</button>
              } @else {
                <span class="second">{{ whyNot[t.state] }}</span>
              }
            </li>
          }
        </ul>
        <cp-problem [of]="names.trace" />
      }
      @if (carries().length) {
        <h3>Carried</h3>
        <ul class="stack-s">
          @for (c of carries(); track c.key) {
            <li class="sheet pad stack-s">
              <div class="between">
                <span
                  ><b>{{ c.key }}</b> · {{ c.units.length === 1 ? 'one function' : c.units.length + ' functions' }} · signed by {{ c.by }},
                  {{ moment(c.at) }}
                  @if (c.state === 'withdrawn') {
                    <span class="t-broken"> withdrawn</span>
                  }
                </span>
                @if (reviewer() && c.state === 'stands') {
                  <button class="chip" type="button" (click)="withdraw(c.key)">Withdraw</button>
                }
              </div>
              <span>{{ c.argument }}</span>
              <span class="small second">{{ unitWords(c.units) }}</span>
            </li>
          }
        </ul>
      }
      <cp-problem [of]="names.carry" /><cp-problem [of]="names.withdraw" />
    </div>
  `,
  styles: `
    :host {
      display: block;
      overflow: auto;
    }
    .body {
      padding: 16px 20px;
    }
    .act {
      position: sticky;
      bottom: 0;
      padding: 10px 0;
      background: var(--surface);
    }
  `,
})
export class CarryPanel {
  readonly left = output();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly statement = useStatement();
  private readonly offers = this.store.selectSignal(measureFeature.selectOffers);
  protected readonly carries = this.store.selectSignal(measureFeature.selectCarries);
  protected readonly traceOffers = this.store.selectSignal(measureFeature.selectTraceOffers);
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  protected readonly names = {
    trace: measureCommands.traceCode.name,
    carry: measureCommands.carryMeasured.name,
    withdraw: measureCommands.withdrawCarry.name,
  };
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  protected readonly same = computed(() => this.offers().rows.filter(({ state }) => state === 'same'));
  protected readonly others = computed(() => this.offers().rows.filter(({ state }) => state !== 'same'));
  /** All are chosen that somebody did not leave out. */
  protected readonly leftOut = signal<ReadonlySet<string>>(new Set());
  protected readonly chosen = computed(() => this.same().filter((offer) => !this.leftOut().has(idOf(offer))));
  protected readonly whyNot = whyNot;
  protected readonly id = idOf;
  protected readonly moment = momentWords;
  protected readonly missing = (): string => firstMissing([!this.chosen().length, 'Choose a function at least.']);

  protected place({ path, fromPath }: CarryOffer): string {
    return path === fromPath ? path : `${path}, before in ${fromPath}`;
  }
  protected more(count: number): string {
    return count > 0 ? ` and ${count} more` : '';
  }
  protected unitWords(units: readonly { readonly unit: string }[]): string {
    return `${units
      .slice(0, 12)
      .map(({ unit }) => unit)
      .join(', ')}${this.more(units.length - 12)}`;
  }

  protected choose(offer: CarryOffer): void {
    this.leftOut.update((set) => toggled(set, idOf(offer)));
  }
  protected chooseAll(chosen: boolean): void {
    this.leftOut.set(new Set(chosen ? [] : this.same().map(idOf)));
  }

  protected carry(): void {
    const units = this.chosen().map(({ path, unit }) => ({ path, unit }));
    const meaning =
      'You state, with your reason, that what was measured before the sources were exchanged holds for these functions as they are now. Their cords and the pack say so.';
    this.statement({
      title: `Carry what was measured of ${units.length === 1 ? units[0].unit : `${units.length} functions`}`,
      meaning,
    }).subscribe(({ reason: argument, password }) =>
      this.store.dispatch(
        measureCommands.carryMeasured.start({ project: this.scope.slug(), build: this.scope.build(), units, argument, password }),
      ),
    );
  }

  /** Somebody looked at the function as it is now: it implements the requirement as before. */
  protected traceAgain({ path, unit, requirement, from }: TraceOffer): void {
    const at = { project: this.scope.slug(), build: this.scope.build() };
    this.store.dispatch(
      measureCommands.traceCode.start({ ...at, path, unit, requirement, traced: true, reason: `As in ${from}, looked at again.` }),
    );
  }

  protected withdraw(key: string): void {
    const meaning = 'Its functions are measured on other text again, and wait.';
    this.statement({ title: `Withdraw ${key}`, meaning }).subscribe(({ reason, password }) =>
      this.store.dispatch(measureCommands.withdrawCarry.start({ project: this.scope.slug(), key, reason, password })),
    );
  }
}
