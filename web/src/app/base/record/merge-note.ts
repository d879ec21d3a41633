import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { passagesOf, type Passage } from '@core/base';
import { Needs } from '../ui/needs';
import { WordsDiff } from '../ui/words-diff';

/** A part of a record as two people left it, in passages: sentences, steps, or a value as a whole. */
export interface MergeField {
  readonly name: string;
  readonly label: string;
  /** As it was when writing began, as it is written here, and as somebody saved it meanwhile. */
  readonly base: readonly string[];
  readonly mine: readonly string[];
  readonly theirs: readonly string[];
  /** A passage as it is read, where it is not as it is stored. */
  readonly show?: (passage: string) => string;
}

type Whose = 'base' | 'mine' | 'theirs';

interface Choice extends Passage<string> {
  readonly id: string;
}

/**
 * Somebody saved a record while one wrote: what only one of both changed is taken, and where both changed the same passage, one chooses;
 * each choice can be another. Nothing is lost, and nothing is saved before it was looked at.
 */
@Component({
  selector: 'cp-merge-note',
  imports: [MatButtonModule, Needs, WordsDiff],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="note waiting" role="alert">
      <div class="grow stack-s">
        <strong>{{ by() }} saved revision {{ revision() }} while you were writing. Nothing is lost: choose.</strong>
        @for (field of fields(); track field.name) {
          <div class="stack-s">
            <h3>{{ field.label }}</h3>
            @for (p of field.passages; track p.id) {
              @if (p.kind === 'same') {
                <p class="same second">{{ shown(field.of, p.mine) }}</p>
              } @else {
                <fieldset class="passage">
                  <legend class="small">{{ words[p.kind] }}</legend>
                  @for (whose of offered[p.kind]; track whose) {
                    <label class="choice">
                      <input type="radio" [name]="p.id" [checked]="choices()[p.id] === whose" (change)="choose(p.id, whose)" />
                      <span class="second small">{{ names[whose] }}</span>
                      @if (whose === 'base') {
                        <span class="text">{{ shown(field.of, p.base) || '(nothing)' }}</span>
                      } @else if (p[whose].length) {
                        <cp-words-diff class="text" [before]="shown(field.of, p.base)" [after]="shown(field.of, p[whose])" />
                      } @else {
                        <span class="text">(taken out)</span>
                      }
                    </label>
                  }
                </fieldset>
              }
            }
          </div>
        }
        <div class="row">
          <button mat-flat-button type="button" [cpNeeds]="missing" (click)="save()">Save this as revision {{ revision() + 1 }}</button
          ><button mat-button type="button" (click)="taken.emit()">Take theirs, all of it</button>
        </div>
      </div>
    </section>
  `,
  styles: `
    h3 {
      margin: 4px 0 0;
    }
    .same,
    .text {
      white-space: pre-wrap;
    }
    .same {
      margin: 0;
    }
    .passage {
      border: 1px solid var(--hairline);
      border-radius: 8px;
      margin: 0;
      padding: 4px 10px 8px;
    }
    .choice {
      display: grid;
      grid-template-columns: auto 72px 1fr;
      gap: 8px;
      align-items: baseline;
      padding: 3px 0;
    }
  `,
})
export class MergeNote {
  /** Who saved meanwhile, and as which revision. */
  readonly by = input.required<string>();
  readonly revision = input.required<number>();
  readonly of = input.required<readonly MergeField[]>();
  /** What was chosen, by the names of its fields: all fields that were given, in their passages. */
  readonly saved = output<Readonly<Record<string, readonly string[]>>>();
  readonly taken = output<void>();
  /** What only one of both changed is theirs or as it was. */
  protected readonly offered = { mine: ['mine', 'base'], theirs: ['theirs', 'base'], both: ['mine', 'theirs', 'base'] } as const;
  protected readonly names: Record<Whose, string> = { mine: 'Yours', theirs: 'Theirs', base: 'As it was' };
  protected readonly words = { mine: 'You changed this', theirs: 'They changed this', both: 'You both changed this: choose' } as const;
  private readonly all = computed(() =>
    this.of().map((of) => ({
      name: of.name,
      label: of.label,
      of,
      passages: passagesOf(of.base, of.mine, of.theirs).map((passage, i): Choice => ({ ...passage, id: `${of.name}-${i}` })),
    })),
  );
  /** The fields in which something differs from what is stored now, or from what one wrote. */
  protected readonly fields = computed(() => this.all().filter(({ passages }) => passages.some((p) => p.kind !== 'same')));
  protected readonly choices = signal<Readonly<Record<string, Whose | undefined>>>({});
  private readonly open = computed(
    () => this.fields().flatMap(({ passages }) => passages.filter((p) => p.kind !== 'same' && !this.choices()[p.id])).length,
  );
  protected readonly missing = (): string =>
    this.open() ? `Choose at ${this.open()} passage${this.open() === 1 ? '' : 's'} that you both changed.` : '';

  constructor() {
    effect(() => {
      const all = this.all();
      untracked(() =>
        this.choices.set(
          Object.fromEntries(
            all.flatMap(({ passages }) => passages.flatMap((p) => (p.kind === 'mine' || p.kind === 'theirs' ? [[p.id, p.kind]] : []))),
          ) as Record<string, Whose>,
        ),
      );
    });
  }

  protected shown(of: MergeField, passages: readonly string[]): string {
    return of.show ? passages.map(of.show).join('\n') : passages.join('');
  }

  protected choose(id: string, whose: Whose): void {
    this.choices.update((choices) => ({ ...choices, [id]: whose }));
  }

  protected save(): void {
    this.saved.emit(
      Object.fromEntries(
        this.all().map(({ name, passages }) => [
          name,
          passages.flatMap((p) => p[p.kind === 'same' ? 'mine' : (this.choices()[p.id] ?? 'mine')]),
        ]),
      ),
    );
  }
}
