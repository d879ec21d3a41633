import { ChangeDetectionStrategy, Component, computed, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { listCases } from '@contract/design';
import { groupBy } from '@core/base';
import { fitsPattern } from '@core/measure';
import { firstMissing, Icon, Needs, onAction, ProblemNote, RecordPicker, selectRequest, useProject, useStatement } from '../base';
import { measureCommands, measureFeature } from './state';
import { UploadsList } from './uploads-list';

/** Loads sources and coverage of a build: coverage is shown with what it would be bound to before anything of it is stored. */
@Component({
  selector: 'cp-load-panel',
  imports: [MatButtonModule, MatProgressBarModule, Icon, Needs, ProblemNote, RecordPicker, UploadsList],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './load-panel.html',
  styles: `
    :host {
      display: block;
      overflow: auto;
    }
    .body {
      padding: 16px 20px;
    }
    .key {
      width: 120px;
      padding: 4px 8px;
    }
    .path {
      width: 180px;
      padding: 4px 8px;
    }
    .name {
      overflow-wrap: anywhere;
    }
    .note.stack-s {
      flex-direction: column;
    }
  `,
})
export class LoadPanel {
  readonly left = output();
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly statement = useStatement();
  protected readonly loaded = this.store.selectSignal(measureFeature.selectLoaded);
  protected readonly preview = this.store.selectSignal(measureFeature.selectPreview);
  protected readonly names = {
    preview: measureCommands.previewCoverage.name,
    coverage: measureCommands.loadCoverage.name,
    sources: measureCommands.loadSources.name,
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
  protected readonly mayLoad = computed(() => this.scope.roles().some((role) => role === 'author' || role === 'tester'));
  protected readonly reviewer = computed(() => this.scope.roles().includes('reviewer'));
  /** Which of the chosen files are bound together. */
  protected readonly pattern = signal('*');
  protected readonly fitting = computed(() => this.waiting().filter(({ name }) => fitsPattern(name, this.pattern())));
  protected readonly casesFrom = listCases;
  /** What somebody says for a file that belongs to nobody; empty is "as its name says". */
  protected readonly nobody = '–';
  /** How names of files lead to the source tree, and why; and why functions in doubt are right. */
  protected readonly rules = signal({ from: '', to: '', ignoreCase: false });
  protected readonly rulesReason = signal('');
  protected readonly accept = signal('');
  protected readonly missing = (): string =>
    firstMissing(
      [this.pending(), 'A moment: it is being looked at.'],
      [(this.preview()?.ruled.length ?? 0) > 0 && this.rulesReason().trim().length < 3, 'Say why the rules for paths hold.'],
    );
  private sourcesFile: File | undefined;

  constructor() {
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
    this.statement({ title: `Exchange the sources of ${this.scope.build()}`, meaning }).subscribe(({ password, reason }) =>
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

  protected sayAll(key: string): void {
    const names = this.fitting().map(({ name }) => name);
    this.hand.update((hand) => ({ ...hand, ...Object.fromEntries(names.map((name) => [name, key])) }));
    this.look();
  }

  protected rule(change: Partial<{ from: string; to: string; ignoreCase: boolean }>): void {
    this.rules.update((rules) => ({ ...rules, ...change }));
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
    const { from, to, ignoreCase } = this.rules();
    const bind = Object.fromEntries(hand.map(([name, key]) => [name, key === this.nobody ? '' : key]));
    return {
      ...this.at(),
      preview,
      ...(hand.length ? { bind: JSON.stringify(bind) } : {}),
      ...(from ? { from, to } : {}),
      ...(ignoreCase ? { ignoreCase: 'yes' as const } : {}),
      ...(this.rulesReason().trim() ? { rulesReason: this.rulesReason().trim() } : {}),
      ...(this.accept().trim() ? { accept: this.accept().trim() } : {}),
    };
  }

  protected leave(): void {
    this.waiting.set([]);
    this.hand.set({});
    this.rules.set({ from: '', to: '', ignoreCase: false });
    this.rulesReason.set('');
    this.accept.set('');
  }
}
