import { ChangeDetectionStrategy, Component, computed, signal } from '@angular/core';
import { listUploads, type CoverageUpload } from '@contract/measure';
import {
  momentWords,
  ProblemNote,
  recordFilterFields,
  RecordList,
  RowLines,
  RowTemplate,
  selectList,
  selectRequest,
  useProject,
  useStatement,
  type ListKind,
} from '../base';
import { measureCommands } from './state';

const more = (count: number): string => (count > 0 ? `and ${count} more` : '');

/** What an upload was bound to, in few words. */
export function boundWords({ bound }: CoverageUpload): string {
  const names = [...new Set(bound.map(({ to }) => to))];
  return [names.slice(0, 3).join(', '), more(names.length - 3)].filter(Boolean).join(' ');
}

/** How uploads of a build are listed. */
export const uploadKind: ListKind<CoverageUpload> = {
  name: 'uploads',
  endpoint: listUploads,
  noun: ['upload', 'uploads'],
  changedBy: ['upload'],
  fields: [...recordFilterFields, { name: 'state', words: 'State', type: 'text', values: ['loaded', 'withdrawn'] }],
  views: [
    { name: 'all', words: 'All' },
    { name: 'withdrawn', words: 'Withdrawn', filter: { field: 'state', is: ['withdrawn'] } },
  ],
  sorts: [
    ['-createdAt', 'Loaded'],
    ['key', 'Key'],
  ],
  columns: [
    { name: 'key', words: 'Upload', width: 92, sort: 'key', usual: true, show: (u) => u.key },
    { name: 'state', words: 'State', width: 96, sort: 'state', usual: true, show: (u) => u.state },
    { name: 'createdAt', words: 'Loaded', width: 136, sort: 'createdAt', usual: true, show: (u) => momentWords(u.at) },
    { name: 'createdBy', words: 'By', width: 120, sort: 'createdBy', usual: true, show: (u) => u.by },
    { name: 'files', words: 'Files, as they came', width: 220, usual: true, show: (u) => u.files.map((f) => f.name).join(', ') },
    { name: 'bound', words: 'Bound to', width: 240, usual: true, show: boundWords },
    { name: 'matched', words: 'Source files', width: 100, usual: true, number: true, show: (u) => String(u.matched) },
    { name: 'points', words: 'Points', width: 80, usual: true, number: true, show: (u) => String(u.points) },
    { name: 'findings', words: 'Findings', width: 84, number: true, show: (u) => String(u.findings.length) },
  ],
  rowHeight: 50,
};

/** The uploads of coverage of a build: found as everywhere, each with its files as they came, what it was bound to and why, and its withdrawal. */
@Component({
  selector: 'cp-uploads-list',
  imports: [ProblemNote, RecordList, RowLines, RowTemplate],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <cp-problem [of]="withdrawing" />
    <cp-record-list class="listed" [kind]="kind" [of]="of()" [current]="shownKey()" (opened)="shownKey.set($event)">
      <ng-template [cpRow]="kind" let-u let-found="found">
        <cp-row-lines [row]="{ key: u.key, title: bound(u) }" [found]="found" [below]="below(u)" />
        @if (u.state === 'withdrawn') {
          <span class="tag broken">withdrawn</span>
        } @else if (u.findings.length) {
          <span class="tag waiting">{{ u.findings.length }} {{ u.findings.length === 1 ? 'finding' : 'findings' }}</span>
        }
      </ng-template>
      <ng-container empty><p class="empty">No coverage was loaded for this build yet.</p></ng-container>
    </cp-record-list>
    @if (shown(); as u) {
      <section class="sheet pad stack-s" [attr.aria-label]="u.key">
        <div class="between">
          <h3>{{ u.key }}</h3>
          @if (mayDecide()) {
            <button class="chip" type="button" [disabled]="pending()" (click)="withdraw(u)">
              {{ u.state === 'loaded' ? 'Withdraw' : 'Bring back' }}
            </button>
          }
        </div>
        <dl class="facts">
          <dt>Loaded</dt>
          <dd>{{ moment(u.at) }}, {{ u.by }}</dd>
          <dt>Files</dt>
          <dd>
            @for (f of u.files; track f.id) {
              <div class="name">
                <a [href]="'/api/projects/' + scope.slug() + '/upload-files/' + f.id">{{ f.name }}</a>
                <span class="second small"> {{ f.format }}, SHA-256 {{ f.sha256 }}</span>
              </div>
            }
          </dd>
          <dt>Bound to</dt>
          <dd>
            @for (b of u.bound; track b.to) {
              <div>{{ b.to }}: {{ b.files }} {{ b.files === 1 ? 'file' : 'files' }}</div>
            }
          </dd>
          @if (u.rules; as r) {
            <dt>Rule of paths</dt>
            <dd>
              <code>{{ r.from || '–' }}</code> → <code>{{ r.to || '–' }}</code>{{ r.ignoreCase ? ', capitals aside' : '' }}: {{ r.reason }}
            </dd>
          }
          @if (u.accepted) {
            <dt>In doubt</dt>
            <dd>Functions in doubt accepted: {{ u.accepted }}</dd>
          }
          @if (u.findings.length) {
            <dt>Findings</dt>
            <dd>
              @for (f of u.findings; track $index) {
                <div>{{ f.cell }}: {{ f.text }}</div>
              }
            </dd>
          }
        </dl>
      </section>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
    .listed {
      height: 320px;
    }
    .name {
      overflow-wrap: anywhere;
      min-width: 0;
    }
  `,
})
export class UploadsList {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly statement = useStatement();
  protected readonly kind = uploadKind;
  protected readonly of = computed(() => ({ build: this.scope.build() }));
  protected readonly shownKey = signal('');
  private readonly window = this.store.selectSignal(selectList(uploadKind.name));
  protected readonly shown = computed(() => this.window()?.rows.find((row) => row?.key === this.shownKey()) as CoverageUpload | undefined);
  protected readonly withdrawing = measureCommands.withdrawUpload.name;
  private readonly request = this.store.selectSignal(selectRequest(this.withdrawing));
  protected readonly pending = computed(() => this.request().pending > 0);
  protected readonly mayDecide = computed(() => this.scope.roles().some((role) => ['author', 'tester', 'reviewer'].includes(role)));
  protected readonly moment = momentWords;
  protected readonly bound = boundWords;
  protected readonly below = ({ at, by, matched, points }: CoverageUpload): string =>
    `${momentWords(at)}, ${by} · ${matched} source ${matched === 1 ? 'file' : 'files'}, ${points} points`;

  protected withdraw(upload: CoverageUpload): void {
    const withdrawn = upload.state === 'loaded';
    const meaning = withdrawn
      ? 'What it measured no longer counts. It stays stored and readable, and can be brought back.'
      : 'What it measured counts again.';
    this.statement({ title: `${withdrawn ? 'Withdraw' : 'Bring back'} ${upload.key}`, meaning }).subscribe(({ password, reason }) =>
      this.store.dispatch(
        measureCommands.withdrawUpload.start({ project: this.scope.slug(), key: upload.key, withdrawn, reason, password }),
      ),
    );
  }
}
