import { ChangeDetectionStrategy, Component, computed, effect, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { caseParts, type CaseKind, type CasePart } from '@core/design';
import { firstMissing, Icon, Needs, onAction, ProblemNote, toggled, useKnownFields, useProject } from '../../base';
import { designCommands, designFeature } from '../state';

const partWords: Readonly<Record<CasePart, string>> = {
  steps: 'steps with expected results',
  checklist: 'points to look at',
  script: 'a script that runs it',
};
const fresh: CaseKind = { name: '', title: '', description: '', part: 'steps', evidence: false, fields: [], retired: false };

/** The kinds of case of a project: what a case of each is made of, which of the project’s fields it has, and whether it must hold evidence. */
@Component({
  selector: 'cp-kinds-page',
  imports: [FormsModule, Icon, MatButtonModule, Needs, ProblemNote, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="row">
        <a class="chip" [routerLink]="['/', scope.slug(), 'design']"><cp-icon name="chevron_left" /> Cases</a>
        <h1 class="grow">Kinds of case</h1>
        @if (admin()) {
          <button class="chip" type="button" (click)="begin(null)"><cp-icon name="add" /> Kind</button>
        }
      </div>
      <cp-problem [of]="name" />
      @if (writing(); as w) {
        <form class="sheet pad stack" (ngSubmit)="save(w)">
          <div class="row end">
            @if (adding()) {
              <label class="field"
                ><span>Short name, stays as it is</span
                ><input class="in" name="n" maxlength="30" [ngModel]="w.name" (ngModelChange)="put({ name: $event })"
              /></label>
            }
            <label class="field grow"
              ><span>Name</span><input class="in" name="t" [ngModel]="w.title" (ngModelChange)="put({ title: $event })"
            /></label>
            <label class="field"
              ><span>Is made of</span
              ><select class="in" name="p" [ngModel]="w.part" (ngModelChange)="put({ part: $event })">
                @for (part of parts; track part) {
                  <option [value]="part">{{ words[part] }}</option>
                }
              </select></label
            >
          </div>
          <label class="field"
            ><span>What it is for</span><input class="in" name="d" [ngModel]="w.description" (ngModelChange)="put({ description: $event })"
          /></label>
          @if (fields().length) {
            <div class="row" role="group" aria-label="Fields that it has; none chosen: all">
              <span class="second small">Its fields (none chosen: all)</span>
              @for (f of fields(); track f.id) {
                <button class="chip" type="button" [attr.aria-pressed]="w.fields.includes(f.id)" (click)="field(f.id)">{{ f.name }}</button>
              }
            </div>
          }
          <label class="row"
            ><input type="checkbox" [checked]="w.evidence" (change)="put({ evidence: !w.evidence })" /> A run must hold evidence before it
            passes</label
          >
          <label class="row"
            ><input type="checkbox" [checked]="w.retired" (change)="put({ retired: !w.retired })" /> No new case is of it</label
          >
          <div class="row">
            <button mat-flat-button type="submit" [cpNeeds]="missing">Keep</button>
            <button mat-button type="button" (click)="writing.set(null)">Close</button>
          </div>
        </form>
      }
      <section class="sheet pad" tabindex="0" aria-label="The kinds">
        <table class="list">
          <thead>
            <tr>
              <th scope="col">Kind</th>
              <th scope="col">For</th>
              <th scope="col">Made of</th>
              <th scope="col">Evidence</th>
              <th scope="col"><span class="hidden-visually">Change</span></th>
            </tr>
          </thead>
          <tbody>
            @for (k of kinds(); track k.name) {
              <tr>
                <th scope="row">{{ k.title }} {{ k.retired ? '(retired)' : '' }}</th>
                <td>{{ k.description }}</td>
                <td>{{ words[k.part] }}</td>
                <td>{{ k.evidence ? 'asked for' : '' }}</td>
                <td>
                  @if (admin()) {
                    <button class="chip" type="button" [attr.aria-label]="'Change ' + k.title" (click)="begin(k)">
                      <cp-icon name="edit_note" />
                    </button>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
      </section>
    </div>
  `,
})
export class KindsPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly kinds = this.store.selectSignal(designFeature.selectKinds);
  protected readonly name = designCommands.saveKind.name;
  protected readonly parts = caseParts;
  protected readonly words = partWords;
  protected readonly admin = computed(() => this.scope.roles().includes('administrator'));
  private readonly known = useKnownFields();
  protected readonly fields = computed(() => this.known().filter((f) => f.kind === 'case' && !f.retired));
  protected readonly writing = signal<CaseKind | null>(null);
  protected readonly adding = signal(false);
  protected readonly missing = (): string => {
    const w = this.writing();
    return firstMissing(
      [!/^[a-z][A-Za-z0-9]{1,29}$/.test(w?.name ?? ''), 'A short name: letters and digits, beginning with a small letter.'],
      [this.adding() && this.kinds().some((k) => k.name === w?.name), 'There is a kind of this short name.'],
      [!w?.title.trim(), 'Give it a name.'],
    );
  };

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      untracked(() => this.store.dispatch(designCommands.listKinds.start({ project })));
    });
    onAction(designCommands.saveKind.done, () => this.writing.set(null));
  }
  protected begin(kind: CaseKind | null): void {
    this.adding.set(kind === null);
    this.writing.set(kind ?? fresh);
  }
  protected put(change: Partial<CaseKind>): void {
    this.writing.update((w) => w && { ...w, ...change });
  }
  protected field(id: number): void {
    this.put({ fields: [...toggled(new Set(this.writing()?.fields), id)] });
  }
  protected save(kind: CaseKind): void {
    this.store.dispatch(designCommands.saveKind.start({ project: this.scope.slug(), ...kind, title: kind.title.trim() }));
  }
}
