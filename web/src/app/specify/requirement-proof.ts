import { ChangeDetectionStrategy, Component, computed, effect, input, untracked } from '@angular/core';
import { DatePipe } from '@angular/common';
import { RouterLink } from '@angular/router';
import { createFeature, createReducer, on } from '@ngrx/store';
import { getCord, type CordDetail } from '@contract/prove';
import { requirementCode } from '@contract/measure';
import { type AnswerOf } from '@contract/base';
import { requirementRuns } from '@contract/run';
import { counted, knots } from '@core/base';
import { ratioOf, shareOf, metrics } from '@core/measure';
import { knotWords, metricWords } from '@core/prove';
import { actionLink, command, CordDrawing, Icon, KnotMark, recordLink, RecordLink, useProject } from '../base';

export const proofCommands = {
  cord: command('[Proof] cord', getCord),
  code: command('[Proof] code', requirementCode),
  runs: command('[Proof] runs', requirementRuns),
};
interface ProofState {
  readonly cord: Of<CordDetail> | null;
  readonly code: Of<AnswerOf<typeof requirementCode>> | null;
  readonly runs: Of<AnswerOf<typeof requirementRuns>> | null;
}
/** An answer with the requirement and the build that it is of. */
type Of<A> = A & { readonly of: string };
const first: ProofState = { cord: null, code: null, runs: null };
const nameOf = ({ key, build }: { readonly key: string; readonly build: string }): string => `${key} ${build}`;

export const proofFeature = createFeature({
  name: 'proof',
  reducer: createReducer(
    first,
    on(proofCommands.cord.done, (state, { answer, input }): ProofState => ({ ...state, cord: { ...answer, of: nameOf(input) } })),
    on(proofCommands.code.done, (state, { answer, input }): ProofState => ({ ...state, code: { ...answer, of: nameOf(input) } })),
    on(proofCommands.runs.done, (state, { answer, input }): ProofState => ({ ...state, runs: { ...answer, of: nameOf(input) } })),
  ),
});

/** Everything that proves a requirement on the build: its cord with every reason, runs with signatures, code with coverage. */
@Component({
  selector: 'cp-requirement-proof',
  imports: [DatePipe, RouterLink, CordDrawing, KnotMark, Icon, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack-s">
      <h2>Its cord on {{ scope.build() }}</h2>
      @if (cord(); as c) {
        <cp-cord [states]="c.states" [gap]="110" />
        <ul class="reasons">
          @for (knot of knots; track knot) {
            @for (reason of c.reasons[knot]; track $index) {
              <li>
                <cp-knot [state]="c.states[knot]" /><span class="second">{{ knotWords[knot] }}</span
                ><span [class]="'grow t-' + c.states[knot]">{{ reason.words }}</span
                ><a [routerLink]="go(reason.action).path" [queryParams]="go(reason.action).query">{{ reason.action.label }} ›</a>
              </li>
            }
          }
          @if (!c.break) {
            <li class="t-sound"><cp-icon name="verified" /> Proved on {{ scope.build() }}: every knot is sound.</li>
          }
        </ul>
      }
    </section>
    <section class="sheet pad stack-s">
      <h2>Runs on {{ scope.build() }}</h2>
      @for (run of runs(); track run.key) {
        <div class="run">
          <div class="row">
            <cp-record kind="run" [key]="run.key" /><span>{{ run.caseKey }} revision {{ run.caseRevision }}</span
            ><span [class]="'tag ' + (run.verdict === 'passed' ? 'sound' : run.verdict === 'failed' ? 'broken' : 'waiting')">{{
              run.verdict ?? run.state
            }}</span
            ><span class="second small">{{ run.configuration }}{{ run.row === null ? '' : ', ' + run.row }}</span>
            @if (run.carriedOver) {
              <span class="tag">carried over</span>
            }
            @if (run.outdated) {
              <span class="tag suspect">case revised since</span>
            }
          </div>
          @for (s of run.signatures; track s.at) {
            <div class="small second sign">
              <cp-icon [name]="s.matches ? 'draw' : 'warning'" /> {{ s.meaning }} by {{ s.printedName }},
              {{ s.at | date: 'yyyy-MM-dd HH:mm' }},
              {{ s.matches ? 'record ' + s.hash.slice(0, 12) + '…' : 'the record no longer matches' }}
            </div>
          }
          @for (p of run.problems; track p.key) {
            <div class="small sign">
              <cp-icon name="bug_report" /><cp-record kind="problem" [key]="p.key" /> {{ p.title }} ({{ p.state }})
            </div>
          }
        </div>
      } @empty {
        @if (known()) {
          <p class="second">No run is planned on this build.</p>
        }
      }
      @if (known()?.more; as more) {
        <p class="second">{{ counted(more, 'older run') }} more: see its cases.</p>
      }
    </section>
    <section class="sheet pad stack-s">
      <h2>Code that implements it</h2>
      @if (code()?.units?.length) {
        <p class="second small">Points credited, of those found</p>
        <table class="list">
          <thead>
            <tr>
              <th scope="col">Function</th>
              @for (m of metrics(); track m) {
                <th scope="col" class="num">{{ words[m] }}</th>
              }
            </tr>
          </thead>
          <tbody>
            @for (u of code()!.units; track u.path + u.name) {
              <tr>
                <td>
                  <a [routerLink]="fileLink(u.path, u.start).path" [queryParams]="fileLink(u.path, u.start).query" class="code">{{
                    u.name
                  }}</a>
                  <div class="second small">{{ u.path }}</div>
                </td>
                @for (m of metrics(); track m) {
                  <td class="num">{{ u.coverage[m].credited }} of {{ u.coverage[m].found }}</td>
                }
              </tr>
            }
            @if (code()!.total; as t) {
              <tr>
                <th scope="row">All</th>
                @for (m of metrics(); track m) {
                  <td class="num">
                    <b>{{ pct(t[m]) }}</b>
                  </td>
                }
              </tr>
            }
          </tbody>
        </table>
      } @else {
        <p class="second">No code is traced to it on this build.</p>
      }
    </section>
  `,
  styles: `
    :host {
      display: contents;
    }
    .reasons li {
      display: flex;
      align-items: center;
      gap: 8px;
      padding: 3px 0;
    }
    .reasons .second {
      width: 64px;
    }
    .list :is(th, td) {
      padding-inline: 6px;
    }
    .list :is(th, td):first-child {
      padding-left: 0;
    }
    .list .code {
      font-size: 13px;
    }
    .run {
      padding: 6px 0;
      border-top: 1px solid var(--hairline);
    }
    .sign {
      display: flex;
      gap: 6px;
      align-items: center;
      padding: 1px 0 1px 6px;
    }
  `,
})
export class RequirementProof {
  readonly key = input.required<string>();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly state = this.store.selectSignal(proofFeature.selectProofState);
  protected readonly knots = knots;
  protected readonly knotWords = knotWords;
  /** Of the metrics, those of which its code has any points. */
  protected readonly metrics = computed(() => metrics.filter((metric) => this.code()?.total?.[metric].found));
  protected readonly words = metricWords;
  protected readonly cord = computed(() => this.shown(this.state().cord));
  protected readonly code = computed(() => this.shown(this.state().code));
  protected readonly known = computed(() => this.shown(this.state().runs));
  protected readonly runs = computed(() => this.known()?.runs ?? []);
  protected readonly counted = counted;

  constructor() {
    effect(() => {
      this.scope.judged();
      const at = { project: this.scope.slug(), key: this.key(), build: this.scope.build() };
      if (!at.build) return;
      untracked(() => {
        this.store.dispatch(proofCommands.cord.start(at));
        this.store.dispatch(proofCommands.code.start(at));
        this.store.dispatch(proofCommands.runs.start(at));
      });
    });
  }

  /** What was answered of another requirement, or another build, is not shown of this one. */
  private shown<A>(answer: Of<A> | null): Of<A> | null {
    return answer?.of === nameOf({ key: this.key(), build: this.scope.build() }) ? answer : null;
  }

  protected go(action: CordDetail['reasons']['run'][number]['action']) {
    return actionLink(this.scope.slug(), action);
  }

  protected fileLink(path: string, line: number) {
    return recordLink(this.scope.slug(), { kind: 'file', key: `${path}:${line}` });
  }

  /** Per cent; of nothing there is none. */
  protected pct(coverage: Parameters<typeof ratioOf>[0]): string {
    return shareOf(ratioOf(coverage, 'credited'));
  }
}
