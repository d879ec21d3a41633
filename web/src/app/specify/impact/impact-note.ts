import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { Router } from '@angular/router';
import { compareKeys } from '@core/base';
import type { ImpactAnswer } from '@contract/prove';
import { GraphBox, Icon, onChanged, type PictureEdge, type PictureNode, recordLink, RecordLink, useProject } from '../../base';
import { impactCommands, impactFeature } from './state';

const many = (n: number, one: string): string => `${n} ${one}${n === 1 ? '' : 's'}`;
const list = (parts: readonly string[]): string =>
  parts.length < 2 ? parts.join('') : `${parts.slice(0, -1).join(', ')} and ${parts[parts.length - 1]}`;

/** What a change of a requirement would make suspect and what running it costs; and, once it was changed, what of that is still to be done. */
@Component({
  selector: 'cp-impact',
  imports: [GraphBox, Icon, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (impact(); as i) {
      <section class="stack-s" [attr.aria-label]="'What a change of ' + of() + ' reaches'">
        <p class="told">
          <cp-icon name="account_tree" />
          <span class="grow">
            @if (before()) {
              A new revision makes {{ many(fresh(i), 'trace') }} suspect{{ i.suspect.length > fresh(i) ? alreadyWords(i) : '' }}.
            }
            {{ reachWords(i) }}
            @if (i.minutes.near + i.minutes.far > 0) {
              Running {{ i.minutes.far ? 'the cases of it' : 'its cases' }} again is planned with {{ i.minutes.near }} min{{
                i.minutes.far ? ', those further off with ' + i.minutes.far + ' min' : ''
              }}.
            }
          </span>
          <button class="chip" type="button" [attr.aria-expanded]="open()" (click)="open.set(!open())">
            {{ open() ? 'Less' : 'Show them' }}
          </button>
        </p>
        @if (!before() && i.toDo.length) {
          <div class="note suspect">
            <cp-icon name="link_off" />
            <span
              >Still to be done: {{ many(i.toDo.length, 'trace') }} in doubt.
              @for (t of i.toDo.slice(0, 12); track t.id) {
                <span class="pair"
                  ><cp-record [kind]="t.kind === 'verifies' ? 'case' : 'requirement'" [key]="t.from" /> →
                  <cp-record kind="requirement" [key]="t.to"
                /></span>
              }
              {{ i.toDo.length > 12 ? '…' : '' }}
            </span>
          </div>
        }
        @if (open()) {
          <cp-graph
            [nodes]="nodes()"
            [edges]="edges()"
            [root]="of()"
            [label]="'What a change of ' + of() + ' reaches, drawn'"
            (opened)="go($event)"
          />
          <table class="list">
            <thead>
              <tr>
                <th scope="col">Reached</th>
                <th scope="col">Title</th>
                <th scope="col">Over</th>
                <th scope="col" class="num">Steps</th>
                <th scope="col" class="num">Minutes</th>
              </tr>
            </thead>
            <tbody>
              @for (r of i.reached.slice(0, most); track r.key) {
                <tr>
                  <td><cp-record [kind]="r.kind" [key]="r.key" /></td>
                  <td>{{ r.title }}</td>
                  <td class="key">{{ r.from === of() ? '' : r.from }}</td>
                  <td class="num">{{ r.distance }}</td>
                  <td class="num">{{ r.kind === 'case' ? r.minutes * (r.runs || 1) : '' }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (i.more || i.reached.length > most) {
            <p class="second small">There is more than is shown here: the nearest {{ most }} are.</p>
          }
        }
      </section>
    }
  `,
  styles: `
    p {
      margin: 0;
    }
    .told {
      display: flex;
      gap: 10px;
      align-items: center;
    }
    .pair {
      white-space: nowrap;
      margin-right: 10px;
    }
  `,
})
export class ImpactNote {
  readonly of = input.required<string>();
  /** Is it looked at before something is saved? */
  readonly before = input(false);
  protected readonly most = 200;
  protected readonly many = many;
  protected readonly open = signal(false);
  private readonly scope = useProject();
  private readonly router = inject(Router);
  private readonly told = this.scope.store.selectSignal(impactFeature.selectImpactState);
  protected readonly impact = computed(() => (this.told().of === this.of() ? this.told().answer : null));
  protected readonly nodes = computed((): PictureNode[] => {
    const i = this.impact();
    if (!i) return [];
    const doubtful = new Set(i.toDo.flatMap(({ from, to }) => [from, to]));
    const above = i.suspect.filter((t) => t.from === this.of()).map(({ to }) => ({ key: to, title: 'parent' }));
    return [{ key: this.of(), title: '' }, ...above, ...i.reached].map(({ key, title }) => ({
      id: key,
      label: key,
      title: `${key} ${title}`.trim(),
      ...(doubtful.has(key) && key !== this.of() ? { tone: 'suspect' as const } : {}),
    }));
  });
  /** From what is above to what rests on it. */
  protected readonly edges = computed((): PictureEdge[] => {
    const i = this.impact();
    if (!i) return [];
    const over = i.reached.map(({ key, from, kind }) => ({ from, to: key, words: kind === 'case' ? 'is verified by' : 'has derived' }));
    const above = i.suspect.filter((t) => t.from === this.of()).map(({ to }) => ({ from: to, to: this.of(), words: 'has derived' }));
    return [...above, ...over].sort((a, b) => compareKeys(a.to, b.to));
  });

  constructor() {
    effect(() => {
      this.of();
      this.scope.slug();
      this.scope.build();
      untracked(() => this.read());
    });
    onChanged(['requirement', 'case'], (keys) => {
      const i = this.impact();
      const joined = new Set([this.of(), ...(i?.reached.map(({ key }) => key) ?? []), ...(i?.suspect.map(({ other }) => other) ?? [])]);
      if (!keys || keys.some((key) => joined.has(key))) this.read();
    });
  }

  private read(): void {
    const build = this.scope.build();
    this.scope.store.dispatch(impactCommands.get.start({ project: this.scope.slug(), key: this.of(), ...(build ? { build } : {}) }));
  }

  protected fresh({ suspect }: ImpactAnswer): number {
    return suspect.filter((t) => !t.suspect).length;
  }

  protected alreadyWords(i: ImpactAnswer): string {
    return `; ${i.suspect.length - this.fresh(i)} ${i.suspect.length - this.fresh(i) === 1 ? 'is' : 'are'} already`;
  }

  protected reachWords({ reached, functions, problems }: ImpactAnswer): string {
    const of = (kind: string): number => reached.filter((r) => r.kind === kind).length;
    const parts = [
      of('requirement') ? many(of('requirement'), 'requirement') : '',
      of('case') ? many(of('case'), 'case') : '',
      functions ? many(functions, 'function') : '',
      problems.length ? many(problems.length, 'open problem report') : '',
    ].filter(Boolean);
    return parts.length ? `${this.before() ? 'It' : 'A change of it'} reaches ${list(parts)}.` : 'Nothing rests on it yet.';
  }

  protected go(key: string): void {
    const kind = this.impact()?.reached.find((r) => r.key === key)?.kind ?? 'requirement';
    const link = recordLink(this.scope.slug(), { kind, key });
    void this.router.navigate([...link.path], { queryParams: link.query });
  }
}
