import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';
import { bytesWords } from '@core/base';
import { useProject } from '../live';
import { Icon } from '../ui/icon';
import { ProblemNote } from '../ui/problem-note';
import { recordCommands, recordFeature } from './state';

/** The files at a record: dropped, pasted or chosen; each with the hash under which its bytes are kept. */
@Component({
  selector: 'cp-files-panel',
  imports: [DatePipe, Icon, ProblemNote],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <cp-problem [of]="names.add" /><cp-problem [of]="names.remove" />
    @for (f of files(); track f.id) {
      <div class="file">
        @if (f.mime.startsWith('image/')) {
          <img [src]="address(f.id)" [alt]="f.name" />
        } @else {
          <cp-icon name="draft" />
        }
        <div class="grow">
          <a [href]="address(f.id)" [attr.download]="f.name">{{ f.name }}</a>
          <div class="second small">{{ size(f.bytes) }}, {{ f.by }}, {{ f.at | date: 'yyyy-MM-dd HH:mm' }}</div>
          <code class="second small">SHA-256 {{ f.sha256.slice(0, 16) }}…</code>
        </div>
        @if (mayAdd()) {
          <button class="chip" type="button" (click)="remove(f.id)">
            Take off<span class="hidden-visually"> {{ f.name }}</span>
          </button>
        }
      </div>
    } @empty {
      <p class="second">No file is here.</p>
    }
    @if (mayAdd()) {
      <div
        class="drop"
        [class.over]="over()"
        tabindex="0"
        role="group"
        aria-label="Drop or paste files here"
        (dragover)="$event.preventDefault(); over.set(true)"
        (dragleave)="over.set(false)"
        (drop)="drop($event)"
        (paste)="paste($event)"
      >
        <cp-icon name="upload_file" /><span>Drop or paste files here, or</span
        ><label class="chip">choose some<input #box class="hidden-visually" type="file" multiple (change)="pick(box)" /></label>
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
    }
    .file {
      display: flex;
      gap: 12px;
      align-items: start;
    }
    img {
      width: 72px;
      max-height: 72px;
      object-fit: contain;
      border: 1px solid var(--hairline);
      border-radius: 4px;
    }
    a {
      overflow-wrap: anywhere;
    }
    .drop {
      display: flex;
      gap: 10px;
      align-items: center;
      padding: 10px;
      border: 1px dashed var(--hairline-strong);
      border-radius: 8px;
    }
    .drop.over {
      background: var(--cord-tint);
    }
  `,
})
export class FilesPanel {
  readonly key = input.required<string>();
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly files = this.store.selectSignal(recordFeature.selectFiles);
  protected readonly names = { add: recordCommands.addFiles.name, remove: recordCommands.removeFile.name };
  protected readonly size = bytesWords;
  protected readonly over = signal(false);
  protected readonly mayAdd = computed(() => this.scope.roles().some((role) => role !== 'auditor'));

  protected address(id: number): string {
    return `/api/projects/${this.scope.slug()}/files/${id}`;
  }

  private send(files: readonly File[]): void {
    if (files.length) this.store.dispatch(recordCommands.addFiles.start({ project: this.scope.slug(), key: this.key() }, files));
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    this.send([...(event.dataTransfer?.files ?? [])]);
  }

  protected paste(event: ClipboardEvent): void {
    const files = [...(event.clipboardData?.files ?? [])];
    if (!files.length) return;
    event.preventDefault();
    this.send(files);
  }

  protected pick(box: HTMLInputElement): void {
    this.send([...(box.files ?? [])]);
    box.value = '';
  }

  protected remove(id: number): void {
    this.store.dispatch(recordCommands.removeFile.start({ project: this.scope.slug(), key: this.key(), id }));
  }
}
