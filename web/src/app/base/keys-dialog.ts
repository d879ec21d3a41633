import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule } from '@angular/material/dialog';
import { combinationOf, keyCommands, keyNames, keyPlaces, keysOf, Keys, type KeyName, type KeyPlace } from './keys';

/** Keys that every list, editor and dialog has after the patterns of its kind: these are not changed. */
const fixed: Readonly<Partial<Record<KeyPlace, readonly (readonly [string, string])[]>>> = {
  Lists: [
    ['↑ ↓', 'move'],
    ['Enter', 'open; in a table, write the cell'],
    ['Space', 'choose, with Shift a stretch'],
    ['Home End', 'first, last'],
  ],
  Record: [['Ctrl S', 'save what is written']],
  Bench: [
    ['Enter', 'next step'],
    ['↑ ↓', 'step before, after'],
  ],
};

/** The keys that work where one is, each with what it does; each of the application's own can be given other keys. */
@Component({
  selector: 'cp-keys-dialog',
  imports: [MatDialogModule, MatButtonModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2 mat-dialog-title>Keys</h2>
    <mat-dialog-content class="groups">
      @for (group of groups(); track group.place) {
        <section>
          <h3>{{ group.place }}{{ group.here ? '' : ' (elsewhere)' }}</h3>
          <dl>
            @for (name of group.names; track name) {
              <dt>
                @if (changing() === name) {
                  <b role="status">Press the keys …</b>
                } @else {
                  @for (key of keysOf(keys.of(name)); track $index) {
                    <kbd>{{ key }}</kbd>
                  }
                }
              </dt>
              <dd class="between">
                {{ commands[name].words }}
                <span class="row">
                  @if (changing() === name) {
                    <button class="chip" type="button" (click)="stop()">As it was</button>
                  } @else {
                    @if (keys.isOwn(name)) {
                      <button class="chip" type="button" (click)="keys.asUsual(name)">
                        As usual<span class="hidden-visually">: {{ commands[name].words }}</span>
                      </button>
                    }
                    <button class="chip" type="button" (click)="begin(name)">
                      Change<span class="hidden-visually"> {{ commands[name].words }}</span>
                    </button>
                  }
                </span>
              </dd>
              @if (fault() && faulty() === name) {
                <dd class="fault" role="alert">{{ fault() }}</dd>
              }
            }
            @for (key of group.fixed; track key[0]) {
              <dt>
                <kbd>{{ key[0] }}</kbd>
              </dt>
              <dd>{{ key[1] }}</dd>
            }
          </dl>
        </section>
      }
      <p class="second small">Everything that a key does has a button as well. What you change holds on this device.</p>
    </mat-dialog-content>
    <mat-dialog-actions align="end"><button mat-button mat-dialog-close>Close</button></mat-dialog-actions>
  `,
  styles: `
    .groups {
      display: grid;
      gap: 14px;
    }
    dl {
      display: grid;
      grid-template-columns: 150px 1fr;
      gap: 4px 12px;
      margin-top: 4px;
      align-items: center;
    }
    dd {
      margin: 0;
    }
    .fault {
      grid-column: 1 / -1;
      color: var(--broken);
    }
    kbd + kbd {
      margin-left: 3px;
    }
  `,
  host: { '(document:keydown)': 'given($event)' },
})
export class KeysDialog {
  protected readonly keys = inject(Keys);
  protected readonly commands = keyCommands;
  protected readonly keysOf = keysOf;
  protected readonly changing = signal<KeyName | null>(null);
  protected readonly fault = signal('');
  protected readonly faulty = signal<KeyName | null>(null);
  /** Those of the places that are on the screen first. */
  protected readonly groups = computed(() => {
    const here = this.keys.places();
    return [...here, ...keyPlaces.filter((place) => !here.includes(place))].map((place) => ({
      place,
      here: here.includes(place),
      names: keyNames.filter((name) => keyCommands[name].place === place),
      fixed: fixed[place] ?? [],
    }));
  });

  protected begin(name: KeyName): void {
    this.fault.set('');
    this.changing.set(name);
  }

  protected stop(): void {
    this.changing.set(null);
  }

  /** Takes what is pressed while keys are asked for. */
  protected given(event: KeyboardEvent): void {
    const name = this.changing();
    if (!name) return;
    event.preventDefault();
    event.stopPropagation();
    const combination = combinationOf(event);
    if (!combination) return;
    if (combination === 'Escape') return this.stop();
    const fault = this.keys.fault(name, combination);
    this.fault.set(fault);
    this.faulty.set(name);
    if (!fault) {
      this.keys.change(name, combination);
      this.stop();
    }
  }
}
