import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { listCases } from '@contract/design';
import type { RoundDetail } from '@contract/run';
import { onAction, type PickedRow, ProblemNote, RecordPicker, typedOver, useProject } from '../base';
import { runCommands } from './state';
import { useTesters } from './testers';

/** Where a round stands, when it is wanted, and whether it is a pattern for others. */
@Component({
  selector: 'cp-round-place',
  imports: [FormsModule, MatButtonModule, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad row end" (ngSubmit)="place()">
      <label class="field grow"
        ><span>Release or phase, with slashes for folders in folders</span
        ><input
          class="in"
          name="folder"
          maxlength="300"
          placeholder="2.4.0 / cold"
          [ngModel]="folder()"
          (ngModelChange)="folder.set($event)"
      /></label>
      <label class="field"
        ><span>Wanted by</span><input class="in" type="date" name="due" [ngModel]="due()" (ngModelChange)="due.set($event)"
      /></label>
      <label class="check"
        ><input type="checkbox" name="pattern" [ngModel]="pattern()" (ngModelChange)="pattern.set($event)" /> kept as a pattern for
        others</label
      >
      <button mat-stroked-button type="submit">Keep it so</button>
      <cp-problem [of]="name" />
    </form>
  `,
})
export class RoundPlace {
  readonly of = input.required<RoundDetail>();
  readonly closed = output();
  private readonly scope = useProject();
  protected readonly name = runCommands.placeRound.name;
  protected readonly folder = typedOver(() => this.of().folder);
  protected readonly due = typedOver(() => this.of().due ?? '');
  protected readonly pattern = typedOver(() => this.of().isPattern);

  constructor() {
    onAction(runCommands.placeRound.done, () => this.closed.emit());
  }

  protected place(): void {
    const place = { folder: this.folder(), due: this.due() || null, isPattern: this.pattern() };
    this.scope.store.dispatch(runCommands.placeRound.start({ project: this.scope.slug(), key: this.of().key, ...place }));
  }
}

/** Cases that come into a round afterwards. */
@Component({
  selector: 'cp-round-add',
  imports: [FormsModule, ProblemNote, RecordPicker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="sheet pad row end">
      <cp-record-picker
        class="grow"
        [from]="cases"
        label="Case to be added"
        placeholder="Add a case: key or words"
        (picked)="add($event)"
      />
      <label class="field"
        ><span>Done by</span
        ><select class="in" name="who" [ngModel]="tester()" (ngModelChange)="tester.set($event)">
          @for (t of testers(); track t.login) {
            <option [value]="t.login">{{ t.printedName }}</option>
          }
        </select></label
      >
      <label class="field grow"
        ><span>Why, where it has a result already</span
        ><input class="in" name="why" maxlength="2000" [ngModel]="why()" (ngModelChange)="why.set($event)"
      /></label>
      <cp-problem [of]="name" />
    </div>
  `,
})
export class RoundAdd {
  readonly key = input.required<string>();
  private readonly scope = useProject();
  protected readonly name = runCommands.addToRound.name;
  protected readonly cases = listCases;
  protected readonly why = signal('');
  protected readonly testers = useTesters();
  protected readonly tester = typedOver(() => {
    const me = this.scope.session()?.person.login;
    return (this.testers().find(({ login }) => login === me) ?? this.testers().at(0))?.login ?? '';
  });

  constructor() {
    onAction(runCommands.addToRound.done, () => this.why.set(''));
  }

  protected add(rows: readonly PickedRow[]): void {
    this.scope.store.dispatch(
      runCommands.addToRound.start({
        project: this.scope.slug(),
        key: this.key(),
        cases: rows.map((row) => row.key),
        tester: this.tester(),
        reason: this.why().trim(),
      }),
    );
  }
}
