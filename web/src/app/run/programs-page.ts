import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { listCases } from '@contract/design';
import type { ResultDetail } from '@contract/run';
import { bytesWords, counted } from '@core/base';
import {
  askReason,
  firstMissing,
  Icon,
  Needs,
  onAction,
  onNews,
  type PickedRow,
  ProblemNote,
  RecordLink,
  RecordPicker,
  selectRequest,
  useProject,
} from '../base';
import { RunNav } from './run-nav';
import { runCommands, runFeature } from './state';

/** What programs sent: each upload with the runs that it became, what matched nothing, and the rules that people correct. */
@Component({
  selector: 'cp-programs-page',
  imports: [DatePipe, FormsModule, MatButtonModule, Icon, Needs, ProblemNote, RecordLink, RecordPicker, RunNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <div class="page-head">
        <h1 class="grow">Results of programs on {{ scope.build() || 'no build yet' }}</h1>
        <a class="chip" href="/cord-send.mjs" download><cp-icon name="terminal" /> cord-send</a>
      </div>
      <cp-run-nav />
      <cp-problem [of]="names.list" /><cp-problem [of]="names.send" /><cp-problem [of]="names.match" /><cp-problem [of]="names.rule" />
      @if (mayRecord()) {
        <form class="sheet pad row end" (ngSubmit)="send(files)" aria-label="Send results by hand">
          <label class="field"
            ><span>Tool</span><input class="in" name="tool" maxlength="100" [ngModel]="tool()" (ngModelChange)="tool.set($event)"
          /></label>
          <label class="field"
            ><span>Its version</span
            ><input class="in short" name="version" maxlength="60" [ngModel]="version()" (ngModelChange)="version.set($event)"
          /></label>
          <label class="field grow"
            ><span>Configuration</span
            ><input class="in" name="configuration" maxlength="300" [ngModel]="configuration()" (ngModelChange)="configuration.set($event)"
          /></label>
          <label class="field grow"
            ><span>JUnit XML or TAP, with logs</span><input #files class="in" type="file" multiple accept=".xml,.tap,.txt,.log"
          /></label>
          <button mat-stroked-button type="submit" [disabled]="sending().pending > 0" [cpNeeds]="missing(files)">Send</button>
        </form>
        <p class="second small">
          A build server sends the same by itself:
          <code>node cord-send.mjs --url … --project {{ scope.slug() }} --build {{ scope.build() }} --tool … --results unit.xml</code>, with
          its token in CORD_TOKEN. Programs get their tokens in the settings.
        </p>
      }
      @if (sent(); as s) {
        <div class="note" role="status">
          <cp-icon name="check" /><span class="grow"
            >{{ counted(s.runs.length, 'run') }} recorded{{
              s.unmatched.length ? ', ' + counted(s.unmatched.length, 'result') + ' matched nothing' : ''
            }}.
            @for (r of s.refused; track r.key) {
              <br />{{ r.why }}
            }
          </span>
        </div>
      }
      <div class="two">
        <section class="sheet" tabindex="0" aria-label="Uploads">
          <table class="list">
            <thead>
              <tr>
                <th scope="col">Sent</th>
                <th scope="col">Tool</th>
                <th scope="col">File</th>
                <th scope="col" class="num">Passed</th>
                <th scope="col" class="num">Failed</th>
                <th scope="col">Round</th>
                <th scope="col" class="num">Unmatched</th>
              </tr>
            </thead>
            <tbody>
              @for (u of uploads(); track u.id) {
                <tr [class.on]="u.id === detail()?.id">
                  <td>
                    {{ u.at | date: 'yyyy-MM-dd HH:mm' }}<br /><span class="second small">{{ u.sentBy }}</span>
                  </td>
                  <td>
                    {{ u.tool }} {{ u.version }}<br /><span class="second small">{{ u.configuration }}</span>
                  </td>
                  <td>
                    <button class="plain" type="button" (click)="open(u.id)">{{ u.name }}</button><br /><span class="second small"
                      >{{ size(u.bytes) }} · SHA-256 {{ u.sha256.slice(0, 12) }}…</span
                    >
                  </td>
                  <td class="num">{{ u.passed }}</td>
                  <td class="num" [class.t-broken]="u.failed">{{ u.failed }}</td>
                  <td>
                    @if (u.round) {
                      <cp-record kind="round" [key]="u.round" />
                    } @else {
                      <span class="second">none</span>
                    }
                  </td>
                  <td class="num" [class.t-waiting]="u.unmatched">{{ u.unmatched }}</td>
                </tr>
              } @empty {
                <tr>
                  <td colspan="7" class="second">No program sent anything for this build yet.</td>
                </tr>
              }
            </tbody>
          </table>
        </section>
        <aside class="stack">
          @if (detail(); as d) {
            <section class="sheet pad stack-s" aria-label="Results of the upload">
              <div class="between">
                <h2>{{ d.name }}</h2>
                @if (mayMap() && d.unmatched) {
                  <button class="chip" type="button" (click)="match(d.id)"><cp-icon name="refresh" /> Match again</button>
                }
              </div>
              @for (item of d.items.slice(0, shown()); track item.id) {
                <div class="item">
                  <i [class]="'v v-' + (item.outcome === 'skipped' ? 'blocked' : item.outcome)"></i>
                  <span class="grow">{{ item.suite ? item.suite + ' › ' : '' }}{{ item.name }}</span>
                  @if (item.run) {
                    <cp-record kind="run" [key]="item.run" [text]="item.run" />
                  } @else if (item.dismissed) {
                    <span class="second small" [title]="item.dismissed">belongs to no case</span>
                  } @else {
                    <span class="tag waiting">matched nothing</span>
                    @if (mayMap()) {
                      <button class="chip" type="button" (click)="mapping.set(item.id)">Which case?</button>
                      <button class="chip" type="button" (click)="dismiss(d, item.id)">None</button>
                    }
                  }
                </div>
                @if (mapping() === item.id) {
                  <div class="row end">
                    <label class="field grow"
                      ><span>Results of this name; * stands for anything</span
                      ><input class="in" name="pattern" maxlength="700" [ngModel]="patternOf(item)" (ngModelChange)="pattern.set($event)"
                    /></label>
                    <cp-record-picker
                      [from]="cases"
                      label="Case that they belong to"
                      placeholder="Case: key or words"
                      (picked)="map(item, $event)"
                    />
                  </div>
                }
              }
              @if (d.items.length > shown()) {
                <button class="chip" type="button" (click)="shown.set(shown() + 200)">Show more of {{ d.items.length }}</button>
              }
            </section>
          }
          <section class="sheet pad stack-s" aria-label="Rules">
            <h2>Which names belong to which case</h2>
            <p class="second small">
              A key in a test’s name, or in its suite’s, is enough: <code>C-012 closes in time</code>, <code>C-024 row cold</code>.
            </p>
            @for (rule of rules(); track rule.id) {
              <div class="item">
                <code class="grow">{{ rule.pattern }}</code>&ngsp;<cp-record kind="case" [key]="rule.caseKey" />{{
                  rule.row ? ' row ' + rule.row : ''
                }}
                @if (mayMap()) {
                  <button class="chip" type="button" [attr.aria-label]="'Without the rule ' + rule.pattern" (click)="remove(rule.id)">
                    <cp-icon name="close" />
                  </button>
                }
              </div>
            } @empty {
              <p class="second">No rule yet.</p>
            }
          </section>
        </aside>
      </div>
    </div>
  `,
  styleUrl: './programs-page.scss',
})
export class ProgramsPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialogs = inject(MatDialog);
  protected readonly size = bytesWords;
  protected readonly counted = counted;
  protected readonly cases = listCases;
  protected readonly names = {
    list: runCommands.listResults.name,
    send: runCommands.sendResults.name,
    match: runCommands.matchResults.name,
    rule: runCommands.addResultRule.name,
  };
  protected readonly sending = this.store.selectSignal(selectRequest(this.names.send));
  protected readonly uploads = computed(() => this.loaded() ?? []);
  private readonly loaded = this.store.selectSignal(runFeature.selectResults);
  protected readonly detail = this.store.selectSignal(runFeature.selectResultDetail);
  protected readonly rules = this.store.selectSignal(runFeature.selectResultRules);
  protected readonly sent = signal<{
    runs: readonly unknown[];
    unmatched: readonly string[];
    refused: readonly { key: string; why: string }[];
  } | null>(null);
  protected readonly tool = signal('');
  protected readonly version = signal('');
  protected readonly configuration = signal('');
  protected readonly mapping = signal(0);
  protected readonly pattern = signal('');
  protected readonly shown = signal(100);
  protected readonly mayRecord = computed(() => this.scope.roles().includes('tester') && !!this.scope.build());
  protected readonly mayMap = computed(() => this.scope.roles().some((role) => role === 'tester' || role === 'author'));

  constructor() {
    effect(() => {
      const [project, build] = [this.scope.slug(), this.scope.build()];
      untracked(() => {
        if (build) this.read();
        this.store.dispatch(runCommands.listResultRules.start({ project }));
      });
    });
    onNews(3000, () => this.scope.build() && this.read());
    for (const done of [runCommands.sendResults.done, runCommands.matchResults.done])
      onAction(done, ({ answer }) => {
        this.sent.set(answer);
        this.read();
        const [upload] = answer.uploads;
        if (upload) this.open(upload.id);
      });
    // A rule that was just said is what somebody wants applied.
    onAction(runCommands.addResultRule.done, () => {
      this.mapping.set(0);
      const id = this.detail()?.id;
      if (id !== undefined) this.match(id);
    });
  }

  private read(): void {
    this.store.dispatch(runCommands.listResults.start({ project: this.scope.slug(), build: this.scope.build() }));
  }
  protected missing(files: HTMLInputElement): () => string {
    return () =>
      firstMissing(
        [!this.tool().trim(), 'Say which tool it was.'],
        [!this.configuration().trim(), 'Say in which configuration it ran.'],
        [!files.files?.length, 'Choose the files.'],
      );
  }
  protected send(box: HTMLInputElement): void {
    const question = { project: this.scope.slug(), build: this.scope.build(), configuration: this.configuration().trim() };
    this.store.dispatch(
      runCommands.sendResults.start({ ...question, tool: this.tool().trim(), version: this.version().trim() }, [...(box.files ?? [])]),
    );
    box.value = '';
  }
  protected open(id: number): void {
    this.shown.set(100);
    this.store.dispatch(runCommands.getResults.start({ project: this.scope.slug(), id }));
  }
  protected match(id: number): void {
    this.store.dispatch(runCommands.matchResults.start({ project: this.scope.slug(), id }));
  }
  protected patternOf({ suite, name }: ResultDetail['items'][number]): string {
    return this.pattern() || (suite ? `${suite} › ${name}` : name);
  }
  protected map(item: ResultDetail['items'][number], [row]: readonly PickedRow[]): void {
    const pattern = this.patternOf(item);
    this.pattern.set('');
    this.store.dispatch(runCommands.addResultRule.start({ project: this.scope.slug(), pattern, caseKey: row.key, row: null }));
  }
  protected dismiss(d: ResultDetail, item: number): void {
    askReason(this.dialogs, {
      title: 'It belongs to no case',
      text: 'The result stays with its upload and is asked about no more.',
      confirm: 'It belongs to none',
    }).subscribe((reason) => this.store.dispatch(runCommands.dismissResult.start({ project: this.scope.slug(), id: d.id, item, reason })));
  }
  protected remove(id: number): void {
    this.store.dispatch(runCommands.removeResultRule.start({ project: this.scope.slug(), id }));
  }
}
