import { ChangeDetectionStrategy, Component, computed, effect, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { usualWording } from '@core/specify';
import { firstMissing, Needs, onAction, ProblemNote, useProject } from '../../base';
import { specifyCommands, specifyFeature } from '../state';

type ListName = 'binding' | 'weak' | 'vague' | 'escape' | 'open';
const names: Readonly<Record<ListName, string>> = {
  binding: 'Words that make a sentence binding',
  weak: 'Weak words',
  vague: 'Vague words',
  escape: 'Escape clauses',
  open: 'Open lists',
};
const lines = (text: string): string[] => [...new Set(text.split('\n').map((line) => line.trim()))].filter(Boolean);

/** The project's own lists of words, and its glossary: a line a word, a term with its meaning behind a colon. */
@Component({
  selector: 'cp-wording-lists',
  imports: [FormsModule, MatButtonModule, Needs, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet pad stack" (ngSubmit)="save()">
      <p class="second">A line a word or phrase. {{ usual() ? 'These are the usual ones.' : 'These are the project’s own.' }}</p>
      <div class="lists">
        @for (name of listNames; track name) {
          <label class="field"
            ><span>{{ names[name] }}</span
            ><textarea
              class="in"
              rows="8"
              [name]="name"
              [readonly]="!mayWrite()"
              [ngModel]="texts()[name]"
              (ngModelChange)="put(name, $event)"
            ></textarea>
          </label>
        }
        <label class="field wide"
          ><span>Glossary: term: meaning</span
          ><textarea
            class="in"
            rows="8"
            name="glossary"
            placeholder="EVAC: the mode in which cabins are brought home"
            [readonly]="!mayWrite()"
            [ngModel]="texts().glossary"
            (ngModelChange)="put('glossary', $event)"
          ></textarea>
        </label>
      </div>
      <cp-problem [of]="name" />
      <div class="row">
        @if (mayWrite()) {
          <button mat-flat-button type="submit" [cpNeeds]="missing">Save the words</button>
          @if (!usual()) {
            <button mat-button type="button" (click)="toUsual()">Take the usual words</button>
          }
        }
        <button mat-button type="button" (click)="closed.emit()">Close</button>
      </div>
    </form>
  `,
  styles: `
    .lists {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
      gap: 12px;
    }
    .wide {
      grid-column: span 2;
    }
    @media (max-width: 600px) {
      .wide {
        grid-column: auto;
      }
    }
  `,
})
export class WordingLists {
  readonly closed = output<void>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly stored = this.store.selectSignal(specifyFeature.selectWording);
  protected readonly name = specifyCommands.saveWording.name;
  protected readonly names = names;
  protected readonly listNames = Object.keys(names) as ListName[];
  protected readonly usual = computed(() => this.stored()?.usual ?? true);
  protected readonly mayWrite = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'administrator'));
  protected readonly texts = signal({ binding: '', weak: '', vague: '', escape: '', open: '', glossary: '' });
  private readonly base = signal('');
  protected readonly missing = (): string =>
    firstMissing(
      [JSON.stringify(this.texts()) === this.base(), 'Nothing changed.'],
      [!lines(this.texts().binding).length, 'At least one word makes a sentence binding.'],
    );

  constructor() {
    this.store.dispatch(specifyCommands.getWording.start({ project: this.scope.slug() }));
    effect(() => {
      const stored = this.stored();
      if (stored) untracked(() => this.show(stored.lists));
    });
    onAction(specifyCommands.saveWording.done, () => this.closed.emit());
  }

  private show({ glossary, ...lists }: typeof usualWording): void {
    const joined = Object.fromEntries(this.listNames.map((name) => [name, lists[name].join('\n')])) as Record<ListName, string>;
    const texts = { ...joined, glossary: glossary.map(({ term, meaning }) => (meaning ? `${term}: ${meaning}` : term)).join('\n') };
    this.base.set(JSON.stringify(texts));
    this.texts.set(texts);
  }

  protected put(name: ListName | 'glossary', text: string): void {
    this.texts.update((texts) => ({ ...texts, [name]: text }));
  }

  protected toUsual(): void {
    const { glossary } = this.texts();
    const joined = Object.fromEntries(this.listNames.map((name) => [name, usualWording[name].join('\n')])) as Record<ListName, string>;
    this.texts.set({ ...joined, glossary });
  }

  protected save(): void {
    const { glossary, ...texts } = this.texts();
    const lists = Object.fromEntries(this.listNames.map((name) => [name, lines(texts[name])])) as Record<ListName, string[]>;
    this.store.dispatch(
      specifyCommands.saveWording.start({
        project: this.scope.slug(),
        ...lists,
        glossary: lines(glossary).map((line) => {
          const at = line.indexOf(':');
          return at < 0 ? { term: line, meaning: '' } : { term: line.slice(0, at).trim(), meaning: line.slice(at + 1).trim() };
        }),
      }),
    );
  }
}
