import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import type { Requirement } from '@contract/specify';
import { type Draft, firstMissing, Needs, RichBox, type RichWritten, useDeviceMemory } from '../base';
import { ImpactNote } from './impact/impact-note';
import { WordingNote } from './wording/wording-note';
import { canonicalJson } from '@core/base';
import { saidDetails, verificationMethods, type RequirementContent } from '@core/specify';

/** The text of a requirement while it is edited. What is typed is kept on this device until it is saved. */
@Component({
  selector: 'cp-requirement-form',
  imports: [FormsModule, ImpactNote, MatButtonModule, Needs, RichBox, WordingNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="stack" (ngSubmit)="send()" (keydown.control.s)="$event.preventDefault(); send()" (keydown.escape)="cancelled.emit()">
      <label class="field"
        ><span>Title</span
        ><input
          class="in"
          name="title"
          [ngModel]="draft().title"
          (ngModelChange)="put({ title: $event })"
          [attr.aria-invalid]="!draft().title.trim()"
      /></label>
      @if (draft().kind !== 'heading') {
        <div class="field">
          <span>Text</span>
          <cp-rich-box
            label="Text"
            [value]="text()"
            [of]="of().key"
            placeholder="The … shall …; @ names a record"
            (written)="write($event)"
          />
          @if (draft().kind === 'requirement') {
            <cp-wording-note within=".ql-editor" [text]="draft().text" />
          }
        </div>
      }
      @if (draft().kind === 'requirement') {
        <label class="field"
          ><span>Rationale</span
          ><textarea
            class="in"
            rows="2"
            name="rationale"
            [ngModel]="draft().rationale"
            (ngModelChange)="put({ rationale: $event })"
          ></textarea>
        </label>
        <label class="field"
          ><span>Acceptance criteria, one a line</span
          ><textarea
            class="in"
            rows="2"
            name="criteria"
            [ngModel]="lines(draft().criteria)"
            (ngModelChange)="
              put({
                criteria:
                  $event.split(
                    '
'
                  ),
              })
            "
          ></textarea>
        </label>
        <div class="row">
          <label class="field"
            ><span>Level</span
            ><select class="in" name="level" [ngModel]="draft().level" (ngModelChange)="put({ level: $event })">
              <option value="">not given</option>
              @for (level of levels(); track level) {
                <option>{{ level }}</option>
              }
            </select></label
          >
          <label class="field"
            ><span>Verification method</span
            ><select class="in" name="method" [ngModel]="draft().method" (ngModelChange)="put({ method: $event })">
              <option value="">not given</option>
              @for (m of methods; track m) {
                <option>{{ m }}</option>
              }
            </select></label
          >
        </div>
        <div class="row">
          <label class="field wide"
            ><span>Source</span
            ><input
              class="in"
              name="source"
              maxlength="300"
              placeholder="a clause, a hazard, a contract"
              [ngModel]="draft().source ?? ''"
              (ngModelChange)="put({ source: $event })"
          /></label>
          <label class="field"
            ><span>Risk</span
            ><input
              class="in"
              name="risk"
              maxlength="40"
              list="cp-grades"
              [ngModel]="draft().risk ?? ''"
              (ngModelChange)="put({ risk: $event })"
          /></label>
          <label class="field"
            ><span>Priority</span
            ><input
              class="in"
              name="priority"
              maxlength="40"
              list="cp-grades"
              [ngModel]="draft().priority ?? ''"
              (ngModelChange)="put({ priority: $event })"
          /></label>
          <label class="field"
            ><span>Tags, with commas between</span
            ><input class="in" name="tags" [ngModel]="words(draft().tags)" (ngModelChange)="put({ tags: $event.split(',') })"
          /></label>
          <datalist id="cp-grades">
            <option value="low"></option>
            <option value="medium"></option>
            <option value="high"></option>
          </datalist>
        </div>
        <div class="row">
          <label class="check"
            ><input type="checkbox" name="top" [ngModel]="draft().topLevel" (ngModelChange)="put({ topLevel: $event })" /> Top level: needs
            no parent</label
          >
          <label class="check"
            ><input type="checkbox" name="derived" [ngModel]="draft().derived" (ngModelChange)="put({ derived: $event })" /> Derived: comes
            from the design</label
          >
          <label class="check"
            ><input type="checkbox" name="nocode" [ngModel]="draft().notInCode" (ngModelChange)="put({ notInCode: $event })" /> Not in
            code</label
          >
        </div>
        @if (draft().notInCode) {
          <label class="field"
            ><span>Why it is not in code</span
            ><textarea
              class="in"
              rows="2"
              name="why"
              [ngModel]="draft().notInCodeRationale"
              (ngModelChange)="put({ notInCodeRationale: $event })"
            ></textarea>
          </label>
        }
      }
      @if (changed() && draft().kind === 'requirement') {
        <cp-impact [of]="of().key" [before]="true" />
      }
      @if (of().state === 'approved') {
        <label class="field"
          ><span>Why it changes: it is approved</span
          ><input class="in" name="reason" maxlength="2000" [ngModel]="reason()" (ngModelChange)="reason.set($event)"
        /></label>
      }
      <div class="row">
        <button mat-flat-button type="submit" [disabled]="saving()" [cpNeeds]="missing">
          {{ saving() ? 'Saving …' : 'Save revision ' + (of().revision + 1) }}
        </button>
        <button mat-button type="button" (click)="cancelled.emit()">{{ changed() ? 'Discard what I typed' : 'Close' }}</button>
        <span class="second small" role="status">{{ changed() ? 'Not saved yet; kept on this device.' : 'Nothing changed.' }}</span>
      </div>
    </form>
  `,
})
export class RequirementForm {
  readonly of = input.required<Requirement>();
  readonly levels = input.required<readonly string[]>();
  readonly saving = input(false);
  readonly save = output<Draft<RequirementContent> & { readonly reason: string }>();
  protected readonly reason = signal('');
  readonly cancelled = output<void>();
  protected readonly methods = verificationMethods;
  protected readonly draft = signal<RequirementContent>({} as RequirementContent);
  protected readonly text = computed(() => ({ text: this.draft().text, html: this.draft().html }));
  private readonly base = signal('');
  protected readonly changed = computed(() => canonicalJson({ ...contentOf(this.draft()) }) !== this.base());
  protected readonly lines = (criteria: readonly string[] | undefined): string => (criteria ?? []).join('\n');
  protected readonly words = (tags: readonly string[] | undefined): string => (tags ?? []).join(',');
  protected readonly missing = (): string =>
    firstMissing(
      [!this.changed(), 'Nothing changed.'],
      [!this.draft().title.trim(), 'It needs a title.'],
      [this.of().state === 'approved' && this.reason().trim().length < 3, 'It is approved: say why it changes.'],
    );
  private readonly drafts = useDeviceMemory<Draft<RequirementContent>>('draft');
  private editing = '';
  /** The revision that was read when writing began: saving on top of a newer one must be a choice. */
  private basedOn = 0;

  constructor() {
    // The form begins once for each requirement: what somebody else saves meanwhile must not take away what is typed.
    effect(() => {
      const of = this.of();
      if (this.editing === of.key) return;
      this.editing = of.key;
      untracked(() => {
        const content = contentOf(of);
        const known = this.drafts.read(of.key);
        this.base.set(canonicalJson({ ...(known?.base ?? content) }));
        this.reason.set('');
        this.basedOn = known?.basedOn ?? of.revision;
        this.draft.set(known?.content ?? content);
      });
    });
  }

  private written(): Draft<RequirementContent> {
    return { content: contentOf(this.draft()), basedOn: this.basedOn, base: JSON.parse(this.base()) as RequirementContent };
  }

  protected send(): void {
    this.save.emit({ ...this.written(), reason: this.reason().trim() });
  }

  protected write({ text, html }: RichWritten): void {
    const { html: _, ...draft } = this.draft();
    this.draft.set({ ...draft, text, ...(html ? { html } : {}) });
    this.put({});
  }

  protected put(change: Partial<RequirementContent>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
    if (this.changed()) this.drafts.keep(this.of().key, this.written());
    else this.drafts.drop(this.of().key);
  }
}

/** What a requirement says, without empty members and without what its record has beside. */
export function contentOf(r: RequirementContent): RequirementContent {
  const { kind, title, text, html, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale } = r;
  const plain = {
    kind,
    title,
    text,
    ...(html ? { html } : {}),
    rationale,
    level,
    method,
    topLevel,
    derived,
    notInCode,
    notInCodeRationale,
  };
  return { ...plain, ...saidDetails(r) };
}
