import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { getBoundaries } from '@contract/design';
import type { AnswerOf } from '@contract/base';
import { Api, RecordLink, useProject } from '../base';

type Points = AnswerOf<typeof getBoundaries>['points'];

/** The limits that a requirement states, with the case that stands at each and one step beside it; nothing where it states none. */
@Component({
  selector: 'cp-requirement-boundaries',
  imports: [RecordLink, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (points().length) {
      <h3>Its limits: {{ met() }} of {{ points().length }} have a case at them</h3>
      <ul class="row">
        @for (p of points(); track p.value + p.unit + p.words) {
          <li class="tag" [class.waiting]="!p.case" [title]="'“' + p.words + '”, ' + (p.valid ? 'allowed' : 'not allowed')">
            {{ p.name }} {{ p.value }} {{ p.unit }}{{ p.valid ? '' : ', refused' }}:
            @if (p.case) {
              <cp-record kind="case" [key]="p.case" [text]="p.case" />
            } @else {
              no case
            }
          </li>
        }
      </ul>
      @if (author() && met() < points().length) {
        <p class="row small">
          @for (key of cases().slice(0, 3); track key) {
            <a [routerLink]="['/', scope.slug(), 'design', key]" [queryParams]="{ edit: 1, propose: 1 }"
              >Propose the missing as rows of {{ key }}</a
            >
          } @empty {
            <a [routerLink]="['/', scope.slug(), 'design', 'drafts']" [queryParams]="{ under: of() }">Draft a case that stands at them</a>
          }
        </p>
      }
    }
  `,
  styles: `
    :host:empty {
      display: none;
    }
    ul {
      flex-wrap: wrap;
      gap: 6px;
      margin-top: 6px;
    }
  `,
})
export class RequirementBoundaries {
  readonly of = input.required<string>();
  /** The cases that verify it: rows at a limit become theirs. */
  readonly cases = input<readonly string[]>([]);
  protected readonly scope = useProject();
  protected readonly author = computed(() => this.scope.roles().includes('author'));
  private readonly api = inject(Api);
  protected readonly points = signal<Points>([]);
  protected readonly met = computed(() => this.points().filter((p) => p.case !== null).length);

  constructor() {
    effect(() => {
      this.scope.judged();
      const at = { project: this.scope.slug(), key: this.of() };
      untracked(() => void this.read(at));
    });
  }

  private async read(at: { project: string; key: string }): Promise<void> {
    // What cannot be read now is read with the next change; the page says elsewhere that the server is away.
    const points = await this.api.call(getBoundaries, at).then(
      (answer) => answer.points,
      () => [],
    );
    if (at.key === this.of()) this.points.set(points);
  }
}
