import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { CoverageUpload } from '@contract/measure';
import { groupBy } from '@core/base';
import {
  baseFeature,
  Icon,
  onAction,
  ProblemNote,
  selectRequest,
  useProject,
  type SignAnswer,
  type SignRequest,
  askSignature,
} from '../base';
import { measureCommands, measureFeature } from './state';

/** Loads sources and coverage of a build: coverage is shown with what it would be bound to before anything of it is stored. */
@Component({
  selector: 'cp-load-panel',
  imports: [FormsModule, MatButtonModule, MatProgressBarModule, Icon, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './load-panel.html',
  styles: `
    .seen li {
      border-top: 1px solid var(--hairline);
      padding: 6px 0;
    }
    .seen .in {
      width: 120px;
      padding: 4px 8px;
    }
    .name {
      overflow-wrap: anywhere;
    }
  `,
})
export class LoadPanel {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly dialog = inject(MatDialog);
  private readonly session = this.store.selectSignal(baseFeature.selectSession);
  protected readonly loaded = this.store.selectSignal(measureFeature.selectLoaded);
  protected readonly preview = this.store.selectSignal(measureFeature.selectPreview);
  protected readonly uploads = this.store.selectSignal(measureFeature.selectUploads);
  protected readonly names = {
    preview: measureCommands.previewCoverage.name,
    coverage: measureCommands.loadCoverage.name,
    sources: measureCommands.loadSources.name,
    withdraw: measureCommands.withdrawUpload.name,
  };
  private readonly requests = Object.values(this.names).map((name) => this.store.selectSignal(selectRequest(name)));
  protected readonly pending = computed(() => this.requests.some((request) => request().pending > 0));
  /** Files that were chosen and are not loaded yet, and what a person said they belong to. */
  protected readonly waiting = signal<readonly File[]>([]);
  protected readonly hand = signal<Readonly<Record<string, string>>>({});
  /** Each file with its format and what it would be bound to. */
  protected readonly seen = computed(() => {
    const preview = this.preview();
    if (!preview) return [];
    const bound = groupBy(preview.bound, ({ file }) => file);
    return preview.read.map(({ name, format, sections }) => ({ name, format, sections, bound: bound.get(name) ?? [] }));
  });
  protected readonly faults = computed(() => this.preview()?.findings.filter(({ severity }) => severity === 'error').length ?? 0);
  private sourcesFile: File | undefined;

  constructor() {
    effect(() => {
      this.scope.judged();
      const at = { project: this.scope.slug(), build: this.scope.build() };
      if (at.build) untracked(() => this.store.dispatch(measureCommands.listUploads.start({ ...at, limit: 20 })));
    });
    onAction(measureCommands.loadCoverage.done, () => this.leave());
    onAction(measureCommands.loadSources.failed, ({ problem }) => {
      if (problem.fields?.some(({ path }) => path === 'password' || path === 'reason')) this.exchange(problem.detail ?? problem.title);
    });
  }

  private at(): { project: string; build: string } {
    return { project: this.scope.slug(), build: this.scope.build() };
  }

  protected pickSources(input: HTMLInputElement): void {
    this.sourcesFile = input.files?.[0];
    input.value = '';
    if (this.sourcesFile) this.store.dispatch(measureCommands.loadSources.start(this.at(), [this.sourcesFile]));
  }

  /** Signed runs rest on the sources that the build has: they are exchanged with a reason, signed. */
  private exchange(meaning: string): void {
    const file = this.sourcesFile;
    if (!file) return;
    this.sign({ title: `Exchange the sources of ${this.scope.build()}`, meaning }, ({ password, reason }) =>
      this.store.dispatch(measureCommands.loadSources.start({ ...this.at(), reason, password }, [file])),
    );
  }

  protected pickCoverage(input: HTMLInputElement): void {
    this.waiting.set([...(input.files ?? [])]);
    this.hand.set({});
    input.value = '';
    this.look();
  }

  protected say(file: string, key: string): void {
    this.hand.update((hand) => ({ ...hand, [file]: key.trim().toUpperCase() }));
    this.look();
  }

  private look(): void {
    if (this.waiting().length) this.store.dispatch(measureCommands.previewCoverage.start(this.asked('yes'), this.waiting()));
  }

  protected load(faults: 'refuse' | 'keepGood'): void {
    this.store.dispatch(measureCommands.loadCoverage.start({ ...this.asked('no'), faults }, this.waiting()));
  }

  private asked(preview: 'yes' | 'no') {
    const hand = Object.entries(this.hand()).filter(([, key]) => key);
    return { ...this.at(), preview, ...(hand.length ? { bind: JSON.stringify(Object.fromEntries(hand)) } : {}) };
  }

  protected leave(): void {
    this.waiting.set([]);
    this.hand.set({});
  }

  protected withdraw(upload: CoverageUpload): void {
    const withdrawn = upload.state === 'loaded';
    const meaning = withdrawn
      ? 'What it measured no longer counts. It stays stored and readable, and can be brought back.'
      : 'What it measured counts again.';
    this.sign({ title: `${withdrawn ? 'Withdraw' : 'Bring back'} ${upload.key}`, meaning }, ({ password, reason }) =>
      this.store.dispatch(
        measureCommands.withdrawUpload.start({ project: this.scope.slug(), key: upload.key, withdrawn, reason, password }),
      ),
    );
  }

  private sign(ask: Pick<SignRequest, 'title' | 'meaning'>, then: (answer: SignAnswer) => void): void {
    askSignature(this.dialog, { ...ask, printedName: this.session()?.person?.printedName ?? '', needsReason: true }).subscribe(then);
  }
}
