import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { fieldTypes, type Field, type FieldDefinition, type Filter } from '@contract/base';
import { listCases } from '@contract/design';
import { listProblems } from '@contract/run';
import { listRequirements } from '@contract/specify';
import { askedFrom } from '@core/base';
import { Api } from '../api';
import { onAction, useProject } from '../live';
import { useKnownFields } from '../record/known-fields';
import { baseCommands } from '../state';
import { Icon } from '../ui/icon';
import { firstMissing, Needs } from '../ui/needs';
import { ProblemNote } from '../ui/problem-note';

const typeWords: Readonly<Record<(typeof fieldTypes)[number], string>> = {
  text: 'text',
  richText: 'text with lists and tables',
  number: 'number',
  choice: 'one of several',
  choices: 'some of several',
  person: 'person',
  date: 'date',
  yesNo: 'yes or no',
  address: 'web address',
};
const kinds = { requirement: 'requirements', case: 'cases', problem: 'problem reports' } as const;
type Kind = keyof typeof kinds;
const lists = { requirement: listRequirements, case: listCases, problem: listProblems } as const;
const fromWords = { draft: 'the first draft on', review: 'review on', approved: 'approval on' } as const;
const shownWords = { record: 'on the record', list: 'in lists', both: 'on the record and in lists' } as const;

interface Writing {
  readonly id: number | null;
  readonly kind: Kind;
  readonly name: string;
  readonly description: string;
  readonly definition: FieldDefinition;
  readonly position: number;
  readonly retired: boolean;
}
const empty: Writing = {
  id: null,
  kind: 'requirement',
  name: '',
  description: '',
  definition: { type: 'text', unit: '', choices: [], requiredFrom: null, levels: [], shown: 'record' },
  position: 0,
  retired: false,
};

/** The fields that a project adds to its records, with their types, units and rules; what a change touches is counted before. */
@Component({
  selector: 'cp-fields-panel',
  imports: [FormsModule, MatButtonModule, Icon, Needs, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack" tabindex="0" aria-label="Fields of this project">
      <div class="between">
        <h2>Fields of this project</h2>
        @if (admin() && !writing()) {
          <button class="chip" type="button" (click)="write(null)"><cp-icon name="add" /> Field</button>
        }
      </div>
      @if (fields().length) {
        <table class="list">
          <thead>
            <tr>
              <th scope="col">Field</th>
              <th scope="col">Of</th>
              <th scope="col">Holds</th>
              <th scope="col">Needed from</th>
              <th scope="col">Shown</th>
              <th scope="col"><span class="hidden-visually">Change</span></th>
            </tr>
          </thead>
          <tbody>
            @for (f of fields(); track f.id) {
              <tr>
                <th scope="row">
                  {{ f.name }}
                  @if (f.retired) {
                    <span class="tag">retired</span>
                  }
                </th>
                <td>{{ kindWords(f.kind) }}</td>
                <td>{{ holds(f.definition) }}</td>
                <td>{{ needed(f.definition) }}</td>
                <td>{{ shownWords[f.definition.shown] }}</td>
                <td>
                  @if (admin()) {
                    <button class="chip" type="button" (click)="write(f)">
                      Change<span class="hidden-visually"> {{ f.name }}</span>
                    </button>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
      } @else {
        <p class="second">
          None yet. A field holds what this project needs to know of each requirement or case beyond what is asked of all: an owner, a
          release, a mass in kilograms.
        </p>
      }
      @if (writing(); as w) {
        <form class="stack-s" (ngSubmit)="save(w)">
          <div class="row end">
            <label class="field"
              ><span>Name</span><input class="in" name="fn" maxlength="60" [ngModel]="w.name" (ngModelChange)="put({ name: $event })"
            /></label>
            <label class="field"
              ><span>Of each</span
              ><select class="in" name="fk" [disabled]="w.id !== null" [ngModel]="w.kind" (ngModelChange)="put({ kind: $event })">
                <option value="requirement">requirement</option>
                <option value="case">case</option>
                <option value="problem">problem report</option>
              </select></label
            >
            <label class="field"
              ><span>{{ w.id === null ? 'Holds' : 'Holds (a field keeps its type)' }}</span
              ><select
                class="in"
                name="ft"
                [disabled]="w.id !== null"
                [ngModel]="w.definition.type"
                (ngModelChange)="define({ type: $event })"
              >
                @for (t of types; track t) {
                  <option [value]="t">{{ typeWords[t] }}</option>
                }
              </select></label
            >
            @if (w.definition.type === 'number') {
              <label class="field"
                ><span>Unit</span
                ><input class="in tiny" name="fu" maxlength="30" [ngModel]="w.definition.unit" (ngModelChange)="define({ unit: $event })"
              /></label>
              <label class="field"
                ><span>At least</span
                ><input
                  class="in tiny"
                  type="number"
                  step="any"
                  name="fl"
                  [ngModel]="w.definition.least"
                  (ngModelChange)="bound('least', $event)"
              /></label>
              <label class="field"
                ><span>At most</span
                ><input
                  class="in tiny"
                  type="number"
                  step="any"
                  name="fm"
                  [ngModel]="w.definition.most"
                  (ngModelChange)="bound('most', $event)"
              /></label>
            }
          </div>
          @if (w.definition.type === 'choice' || w.definition.type === 'choices') {
            <label class="field"
              ><span>The choices, one a line</span
              ><textarea
                class="in"
                rows="4"
                name="fc"
                [ngModel]="w.definition.choices.join('\\n')"
                (ngModelChange)="choices($event)"
              ></textarea>
            </label>
          }
          <label class="field"
            ><span>What it means, shown where it is written</span
            ><input class="in" name="fd" maxlength="2000" [ngModel]="w.description" (ngModelChange)="put({ description: $event })"
          /></label>
          <div class="row end">
            <label class="field"
              ><span>Needed from</span
              ><select class="in" name="fr" [ngModel]="w.definition.requiredFrom" (ngModelChange)="define({ requiredFrom: $event })">
                <option [ngValue]="null">never: it may be left empty</option>
                @for (s of w.kind === 'problem' ? [] : askedFrom; track s) {
                  <option [ngValue]="s">{{ fromWords[s] }}</option>
                }
              </select></label
            >
            @if (w.definition.requiredFrom && w.kind === 'requirement') {
              <span class="row" role="group" aria-label="At these levels; at all where none is chosen">
                @for (level of levels(); track level) {
                  <label class="row"
                    ><input type="checkbox" [checked]="w.definition.levels.includes(level)" (change)="atLevel(level)" /> {{ level }}</label
                  >
                }
              </span>
            }
            <label class="field"
              ><span>Shown</span
              ><select class="in" name="fs" [ngModel]="w.definition.shown" (ngModelChange)="define({ shown: $event })">
                <option value="record">{{ shownWords.record }}</option>
                <option value="list">{{ shownWords.list }}</option>
                <option value="both">{{ shownWords.both }}</option>
              </select></label
            >
            <label class="field"
              ><span>Place among the fields</span
              ><input
                class="in tiny"
                type="number"
                min="0"
                max="1000"
                name="fp"
                [ngModel]="w.position"
                (ngModelChange)="put({ position: $event })"
            /></label>
            @if (w.id !== null) {
              <label class="row"
                ><input type="checkbox" [checked]="w.retired" (change)="put({ retired: !w.retired })" /> Retired: no longer written</label
              >
            }
          </div>
          @if (touched()) {
            <p class="note" role="status">{{ touched() }}</p>
          }
          <cp-problem [of]="names.add" /><cp-problem [of]="names.save" />
          <div class="row">
            <button mat-flat-button type="submit" [cpNeeds]="missing">
              {{ w.id === null ? 'Add the field' : 'Change the field' }}</button><button
              mat-button
              type="button"
              (click)="writing.set(null)"
            >
              Cancel
            </button>
          </div>
        </form>
      }
    </section>
  `,
  styles: `
    .tiny {
      width: 110px;
    }
  `,
})
export class FieldsPanel {
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly api = inject(Api);
  protected readonly fields = useKnownFields();
  protected readonly types = fieldTypes;
  protected readonly typeWords = typeWords;
  protected readonly askedFrom = askedFrom;
  protected readonly fromWords = fromWords;
  protected readonly shownWords = shownWords;
  protected readonly names = { add: baseCommands.addField.name, save: baseCommands.saveField.name };
  protected readonly admin = computed(() => this.scope.roles().includes('administrator'));
  protected readonly levels = computed(() => this.scope.project()?.profile.levels ?? []);
  protected readonly writing = signal<Writing | null>(null);
  /** What the change would touch, in a sentence. */
  protected readonly touched = signal('');
  protected readonly missing = (): string => {
    const w = this.writing();
    const chooses = w?.definition.type === 'choice' || w?.definition.type === 'choices';
    return firstMissing([!w?.name.trim(), 'Give it a name.'], [chooses && !w?.definition.choices.length, 'Write its choices.']);
  };
  private asked = 0;

  constructor() {
    for (const { done } of [baseCommands.addField, baseCommands.saveField]) onAction(done, () => this.writing.set(null));
    effect(() => {
      const w = this.writing();
      untracked(() => void this.count(w));
    });
  }

  protected kindWords(kind: string): string {
    return kinds[kind as Kind] ?? kind;
  }

  protected holds({ type, unit, least, most, choices }: FieldDefinition): string {
    const range = [least === undefined ? '' : `from ${least}`, most === undefined ? '' : `to ${most}`].filter(Boolean).join(' ');
    return [`${typeWords[type]}${unit ? ` in ${unit}` : ''}`, range, choices.join(', ')].filter(Boolean).join(': ');
  }

  protected needed({ requiredFrom, levels }: FieldDefinition): string {
    return requiredFrom === null
      ? 'not needed'
      : [fromWords[requiredFrom], levels.length ? `at ${levels.join(', ')}` : ''].join(' ').trim();
  }

  protected write(f: Field | null): void {
    this.writing.set(f === null ? { ...empty, position: this.fields().length } : { ...f, kind: f.kind as Kind });
  }

  protected put(change: Partial<Writing>): void {
    this.writing.update((w) => w && { ...w, ...change });
  }

  protected define(change: Partial<FieldDefinition>): void {
    this.writing.update((w) => w && { ...w, definition: { ...w.definition, ...change } });
  }

  protected bound(which: 'least' | 'most', value: number | null): void {
    const { [which]: _, ...rest } = this.writing()?.definition ?? empty.definition;
    this.put({ definition: value === null ? rest : { ...rest, [which]: value } });
  }

  protected choices(text: string): void {
    this.define({
      choices: text
        .split('\n')
        .map((line) => line.trim())
        .filter(Boolean),
    });
  }

  protected atLevel(level: string): void {
    const chosen = this.writing()?.definition.levels ?? [];
    this.define({ levels: this.levels().filter((l) => (l === level ? !chosen.includes(l) : chosen.includes(l))) });
  }

  /** Counts what a change touches: records that hold a value, and those that would lack one that they need. */
  private async count(w: Writing | null): Promise<void> {
    const asked = ++this.asked;
    if (!w) return this.touched.set('');
    const many = async (filter: Filter): Promise<number> => {
      const input = { project: this.scope.slug(), limit: 1, filter: JSON.stringify(filter) };
      return (await this.api.call(lists[w.kind], input as never)).total ?? 0;
    };
    const { requiredFrom, levels } = w.definition;
    const has: Filter[] = w.id === null ? [] : [{ not: { field: `own:${w.id}`, empty: true } }];
    const from = requiredFrom === null ? [] : askedFrom.slice(askedFrom.indexOf(requiredFrom));
    const lacking: Filter = {
      and: [
        { field: 'state', is: [...from] },
        ...(levels.length && w.kind === 'requirement' ? [{ field: 'level', is: levels }] : []),
        ...(w.kind === 'requirement' ? [{ field: 'kind', is: ['requirement'] }] : []),
        ...(w.id === null ? [] : [{ field: `own:${w.id}`, empty: true }]),
      ],
    };
    try {
      const [holding, wanting] = await Promise.all([has.length ? many(has[0]) : 0, from.length ? many(lacking) : 0]);
      if (asked !== this.asked) return;
      this.touched.set(
        [
          w.id === null ? '' : `${holding} of the ${kinds[w.kind]} hold a value: it stays, whatever changes here.`,
          from.length
            ? `${wanting} of the ${kinds[w.kind]} would lack a value that they need; they are asked for it at their next step.`
            : '',
        ]
          .filter(Boolean)
          .join(' '),
      );
    } catch {
      // What cannot be counted now is not told; saving says what is wrong.
    }
  }

  protected save({ id, kind, name, description, definition, position, retired }: Writing): void {
    const project = this.scope.slug();
    const body = { name: name.trim(), description: description.trim(), definition };
    if (id === null) this.store.dispatch(baseCommands.addField.start({ project, kind, ...body }));
    else this.store.dispatch(baseCommands.saveField.start({ project, id, ...body, position: Number(position) || 0, retired }));
  }
}
