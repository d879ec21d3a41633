import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  linkedSignal,
  output,
  signal,
  untracked,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { countMeanings } from '@contract/base';
import { roles, type Role } from '@core/base';
import { meaningFaults, signableKinds, type OwnMeaning, type SignableKind } from '@core/prove';
import { signatureMeanings } from '@core/run';
import { Api } from '../api';
import { useProject } from '../live';
import { toggled } from '../picking';
import { Icon } from '../ui/icon';

const kindWords: Readonly<Record<SignableKind, string>> = {
  requirement: 'requirements',
  case: 'cases',
  run: 'runs',
  flow: 'flows',
  parameters: 'parameter sheets',
  decisionTable: 'decision tables',
  stateTable: 'state tables',
};
const signers = roles.filter((role) => role !== 'auditor');
const empty: OwnMeaning = { name: '', says: '', roles: ['reviewer'], kinds: ['run'] };

/**
 * What signatures may mean in a project: those that the rules know, with how many there are, and the project's own, which are part of
 * its signed profile. A signature keeps its meaning, whatever becomes of the list.
 */
@Component({
  selector: 'cp-meanings-panel',
  imports: [FormsModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="stack-s">
      <div class="between">
        <h3>Meanings of signatures</h3>
        @if (!locked()) {
          <button class="chip" type="button" (click)="add()"><cp-icon name="add" /> Meaning</button>
        }
      </div>
      <p class="second small">
        The rules know:
        @for (m of known(); track m.name; let last = $last) {
          {{ m.name }}{{ m.signatures ? ' (' + m.signatures + ')' : '' }}{{ last ? '.' : ', ' }}
        }
        The project’s own are signed beside them; no rule rests on them, and they stand in record and pack.
      </p>
      @for (m of list(); track $index; let i = $index) {
        <fieldset class="own stack-s" [attr.aria-label]="'Meaning ' + (m.name || 'without a name')">
          <div class="row end">
            <label class="field"
              ><span>Meaning, such as witnessed</span
              ><input
                class="in"
                maxlength="30"
                [disabled]="locked() || used(m.name) > 0"
                [ngModel]="m.name"
                (ngModelChange)="put(i, { name: $event })"
            /></label>
            <label class="field grow"
              ><span>The sentence that is signed</span
              ><input class="in" maxlength="500" [disabled]="locked()" [ngModel]="m.says" (ngModelChange)="put(i, { says: $event })"
            /></label>
            @if (!locked()) {
              <button class="chip" type="button" (click)="drop(i)"><cp-icon name="delete" /> Take out</button>
            }
          </div>
          <div class="row" role="group" aria-label="Who may sign so">
            <span class="second">Signed by</span>
            @for (role of signers; track role) {
              <label class="row"
                ><input
                  type="checkbox"
                  [disabled]="locked()"
                  [checked]="m.roles.includes(role)"
                  (change)="put(i, { roles: flip(m.roles, role) })"
                />
                {{ role }}</label
              >
            }
          </div>
          <div class="row" role="group" aria-label="What is signed so">
            <span class="second">on</span>
            @for (kind of kinds; track kind) {
              <label class="row"
                ><input
                  type="checkbox"
                  [disabled]="locked()"
                  [checked]="m.kinds.includes(kind)"
                  (change)="put(i, { kinds: flip(m.kinds, kind) })"
                />
                {{ words[kind] }}</label
              >
            }
          </div>
          @for (text of faultsOf(i); track text) {
            <p class="fault small" role="alert">{{ text }}</p>
          }
          @if (used(m.name); as n) {
            <p class="second small">{{ n }} {{ n === 1 ? 'signature means' : 'signatures mean' }} this: its name stays.</p>
          }
        </fieldset>
      }
      @for (gone of takenOut(); track gone.name) {
        <p class="note small">
          “{{ gone.name }}” is taken out: {{ gone.signatures }} {{ gone.signatures === 1 ? 'signature keeps' : 'signatures keep' }} it, and
          nobody signs so any more.
        </p>
      }
    </div>
  `,
  styles: `
    .own {
      border: 1px solid var(--hairline);
      border-radius: 10px;
      padding: 10px 12px;
    }
    .grow {
      flex: 1;
    }
  `,
})
export class MeaningsPanel {
  readonly of = input.required<readonly OwnMeaning[]>();
  /** Those that are in force: what is taken out of them is told. */
  readonly inForce = input<readonly OwnMeaning[]>([]);
  readonly locked = input(false);
  readonly changed = output<readonly OwnMeaning[]>();
  private readonly api = inject(Api);
  private readonly scope = useProject();
  private readonly counts = signal<readonly { readonly name: string; readonly signatures: number }[]>([]);
  protected readonly list = linkedSignal(() => this.of());
  protected readonly signers = signers;
  protected readonly kinds = signableKinds;
  protected readonly words = kindWords;
  protected readonly known = computed(() => signatureMeanings.map((name) => ({ name, signatures: this.used(name) })));
  private readonly faults = computed(() => meaningFaults(this.list()));
  protected readonly takenOut = computed(() => {
    const here = new Set(this.list().map(({ name }) => name));
    return this.inForce()
      .filter(({ name }) => !here.has(name))
      .map(({ name }) => ({ name, signatures: this.used(name) }));
  });

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      this.inForce();
      if (project)
        untracked(
          () =>
            void this.api.call(countMeanings, { project }).then(
              (counts) => this.counts.set(counts),
              () => undefined,
            ),
        );
    });
  }

  protected used(name: string): number {
    return this.counts().find((count) => count.name === name)?.signatures ?? 0;
  }

  protected faultsOf(at: number): readonly string[] {
    return this.faults()
      .filter((fault) => fault.at === at)
      .map(({ text }) => text);
  }

  protected flip<T extends Role | SignableKind>(list: readonly T[], one: T): T[] {
    return [...toggled(new Set(list), one)];
  }

  protected add(): void {
    this.set([...this.list(), empty]);
  }

  protected put(at: number, change: Partial<OwnMeaning>): void {
    this.set(this.list().map((meaning, i) => (i === at ? { ...meaning, ...change } : meaning)));
  }

  protected drop(at: number): void {
    this.set(this.list().filter((_, i) => i !== at));
  }

  private set(list: readonly OwnMeaning[]): void {
    this.list.set(list);
    this.changed.emit(list);
  }
}
