import { ChangeDetectionStrategy, Component, computed, effect, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { Field, OwnValue } from '@contract/base';
import { isEmptyValue, neededFrom, needsValue, type VersionedKind } from '@core/base';
import { selectRequest } from '../command';
import { useDeviceMemory } from '../device-memory';
import { onAction, useProject } from '../live';
import { Icon } from '../ui/icon';
import { firstMissing, Needs } from '../ui/needs';
import { ProblemNote } from '../ui/problem-note';
import { RichText } from '../rich/rich-text';
import { useKnownFields } from './known-fields';
import { ownWords } from './own-words';
import { OwnValueBox } from './own-value';
import { recordCommands } from './state';

const stateWords = { draft: 'the first draft', review: 'review', approved: 'approval' } as const;

/** The project's own fields of a record in their place: shown and written with their types, units and rules. */
@Component({
  selector: 'cp-own-fields',
  imports: [FormsModule, MatButtonModule, Icon, Needs, OwnValueBox, ProblemNote, RichText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (fields().length) {
      <section class="sheet pad stack-s">
        <div class="between">
          <h2>Fields of this project</h2>
          @if (mayWrite() && !writing()) {
            <button class="chip" type="button" (click)="begin()"><cp-icon name="edit_note" /> Edit fields</button>
          }
        </div>
        <form class="stack-s" (ngSubmit)="save()">
          <dl class="facts wide">
            @for (f of fields(); track f.id) {
              <dt>{{ f.name }}</dt>
              <dd>
                @if (writing()) {
                  <cp-own-value [of]="f" [record]="of().key" [value]="valueOf(f)" (written)="put(f, $event)" />
                } @else if (isEmpty(valueOf(f))) {
                  <span class="second">{{ lacks(f) || 'not given' }}</span>
                } @else if (f.definition.type === 'richText') {
                  <cp-rich-text text="" [html]="laidOut(valueOf(f))" />
                } @else {
                  {{ words(f, valueOf(f)) }}
                }
                @if (writing() && (f.description || lacks(f))) {
                  <span class="second small">{{ [f.description, lacks(f)].join(' ').trim() }}</span>
                }
              </dd>
            }
          </dl>
          <cp-problem [of]="name" />
          @if (writing()) {
            @if (of().state === 'approved') {
              <label class="field"
                ><span>Why they change: it is approved</span><input class="in" name="why" maxlength="2000" [(ngModel)]="reason"
              /></label>
            }
            <div class="row">
              <button mat-flat-button type="submit" [disabled]="saving().pending > 0" [cpNeeds]="missing">
                {{ saving().pending ? 'Saving …' : 'Save the fields' }}</button><button mat-button type="button" (click)="forget()">
                {{ changed() ? 'Discard what I wrote' : 'Close' }}
              </button>
              @if (changed()) {
                <span class="second small" role="status">Not saved yet; kept on this device.</span>
              }
            </div>
          }
        </form>
      </section>
    }
  `,
  styles: `
    /* Where a project has no fields there is no place for them either. */
    :host {
      display: contents;
    }
  `,
})
export class OwnFields {
  readonly kind = input.required<VersionedKind>();
  readonly of = input.required<{
    readonly key: string;
    readonly revision: number;
    readonly state: string;
    readonly own: Readonly<Record<string, OwnValue>>;
  }>();
  readonly level = input('');
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly memory = useDeviceMemory<Record<string, OwnValue>>('draft');
  private readonly all = useKnownFields();
  protected readonly fields = computed(() =>
    this.all().filter((f) => f.kind === this.kind() && f.definition.shown !== 'list' && (!f.retired || this.of().own[f.id] !== undefined)),
  );
  protected readonly saving = this.store.selectSignal(selectRequest(recordCommands.setOwn.name));
  protected readonly name = recordCommands.setOwn.name;
  protected readonly words = ownWords;
  protected readonly laidOut = (value: OwnValue): string => String(value ?? '');
  protected readonly isEmpty = isEmptyValue;
  protected readonly mayWrite = computed(() => {
    const roles = this.scope.roles();
    const writes =
      this.kind() === 'problem' ? roles.some((role) => role !== 'auditor' && role !== 'administrator') : roles.includes('author');
    return writes && this.of().state !== 'retired';
  });
  protected readonly writing = signal(false);
  protected readonly reason = signal('');
  /** What was written and is not saved: only that is sent, so that what somebody else wrote in another field stays. */
  private readonly written = signal<Readonly<Record<string, OwnValue>>>({});
  protected readonly changed = computed(() => Object.keys(this.written()).length > 0);
  protected readonly missing = (): string =>
    firstMissing(
      [!this.changed(), 'Nothing changed.'],
      [this.of().state === 'approved' && this.reason().trim().length < 3, 'It is approved: say why they change.'],
    );

  constructor() {
    effect(() => {
      const { key } = this.of();
      untracked(() => {
        const known = this.memory.read(`own.${key}`);
        this.written.set(known ?? {});
        this.writing.set(known !== undefined);
      });
    });
    onAction(recordCommands.setOwn.done, ({ input: { key } }) => key === this.of().key && this.forget());
  }

  protected valueOf({ id }: Field): OwnValue {
    const written = this.writing() ? this.written()[id] : undefined;
    return written !== undefined ? written : (this.of().own[id] ?? null);
  }

  /** What is said where a value is missing that is needed, now or later. */
  protected lacks(f: Field): string {
    const from = neededFrom(f.definition, this.level());
    if (f.retired || from === null || !isEmptyValue(this.valueOf(f))) return '';
    const now = needsValue(f.definition, this.of().state, this.level());
    return now ? `Needed from ${stateWords[from]} on, and missing.` : `Needed from ${stateWords[from]} on.`;
  }

  protected begin(): void {
    this.writing.set(true);
  }

  protected put({ id }: Field, value: OwnValue): void {
    const { [id]: _, ...others } = this.written();
    const same = JSON.stringify(value) === JSON.stringify(this.of().own[id] ?? null);
    this.written.set(same ? others : { ...others, [id]: value });
    if (this.changed()) this.memory.keep(`own.${this.of().key}`, { ...this.written() });
    else this.memory.drop(`own.${this.of().key}`);
  }

  protected forget(): void {
    this.memory.drop(`own.${this.of().key}`);
    this.written.set({});
    this.reason.set('');
    this.writing.set(false);
  }

  protected save(): void {
    const { key, revision } = this.of();
    this.store.dispatch(
      recordCommands.setOwn.start({
        project: this.scope.slug(),
        key,
        basedOn: revision,
        own: this.written(),
        reason: this.reason().trim(),
      }),
    );
  }
}
