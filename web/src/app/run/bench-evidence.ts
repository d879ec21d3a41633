import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import type { RunDetail } from '@contract/run';
import { Icon, useProject } from '../base';
import { MarkPicture, type PictureToMark } from './mark-picture';
import { sizeWords } from './words';

/** What shows a step: files that are dropped or chosen, pictures that are taken where it is done. */
@Component({
  selector: 'cp-bench-evidence',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row evidence">
      @for (file of shown(); track file.id) {
        <span class="file">
          @if (file.id < 0) {
            <cp-icon name="cloud_off" /> {{ file.name }} · {{ size(file.bytes) }} · kept here
          } @else {
            <a [href]="file.address" target="_blank" rel="noopener"
              ><cp-icon [name]="file.image ? 'image' : 'description'" /> {{ file.name }} · {{ size(file.bytes) }}</a
            >
          }
          @if (!locked() && file.id >= 0 && file.image) {
            <button type="button" [attr.aria-label]="'Mark ' + file.name" title="Arrow, box, black out" (click)="mark(file)">
              <cp-icon name="edit_note" />
            </button>
          }
          @if (!locked()) {
            <button type="button" [attr.aria-label]="'Take ' + file.name + ' off'" (click)="detached.emit(file.id)">
              <cp-icon name="close" />
            </button>
          }
        </span>
      }
      @if (!locked()) {
        <label class="chip take"
          ><input
            #camera
            class="hidden-visually"
            type="file"
            accept="image/*"
            capture="environment"
            aria-label="Take a picture"
            (change)="pick(camera)"
          /><cp-icon name="photo_camera" /> Picture</label
        >
        <label class="hint"
          ><input #box class="hidden-visually" type="file" multiple (change)="pick(box)" /><span class="dropped">{{ words() }}</span
          ><span class="tapped"><cp-icon name="attach_file" /> File</span></label
        >
      }
    </div>
    @if (asked() && !locked()) {
      <p class="second small needed">Must be shown by a {{ asked() }}</p>
    }
    @for (file of shown(); track file.id) {
      @if (file.image && file.id >= 0) {
        <img class="shot" [src]="file.address" [alt]="'Evidence ' + file.name" />
      }
    }
  `,
  styles: `
    .file {
      display: inline-flex;
      align-items: center;
      gap: 4px;
      height: 32px;
      padding: 0 10px;
      border: 1px solid var(--hairline);
      border-radius: 999px;
      font-size: 13px;
    }
    .file a {
      display: inline-flex;
      gap: 6px;
      align-items: center;
      color: var(--ink);
      font-weight: 500;
    }
    .file button {
      border: 0;
      background: none;
      color: var(--ink-2);
      cursor: pointer;
      padding: 0;
      min-width: 26px;
      height: 26px;
    }
    .hint {
      display: inline-flex;
      align-items: center;
      height: 32px;
      padding: 0 12px;
      border: 1px dashed var(--hairline-strong);
      border-radius: 9px;
      color: var(--ink-2);
      font-size: 13px;
      cursor: pointer;
    }
    .hint:focus-within {
      outline: 2px solid var(--cord);
    }
    .shot {
      max-width: 240px;
      max-height: 120px;
      border-radius: 8px;
      border: 1px solid var(--hairline);
      margin-top: 10px;
      display: block;
    }
    .evidence {
      margin-top: 10px;
    }
    .take,
    .tapped,
    .needed {
      display: none;
    }
    @media (pointer: coarse) {
      .take,
      .tapped {
        display: inline-flex;
        align-items: center;
        gap: 6px;
      }
      .needed {
        display: block;
      }
      .dropped {
        display: none;
      }
      .hint {
        height: 44px;
        padding: 0 16px;
        border-style: solid;
        border-color: var(--hairline);
        border-radius: 999px;
        color: var(--ink);
      }
    }
  `,
})
export class BenchEvidence {
  readonly files = input.required<RunDetail['evidence']>();
  readonly locked = input.required<boolean>();
  /** The kind of evidence without which the step cannot pass; empty where none is asked for. */
  readonly asked = input('');
  readonly picked = output<readonly File[]>();
  readonly detached = output<number>();
  private readonly scope = useProject();
  private readonly dialogs = inject(MatDialog);
  protected readonly size = sizeWords;
  protected readonly shown = computed(() =>
    this.files().map((file) => ({
      ...file,
      address: `/api/projects/${this.scope.slug()}/evidence/${file.id}`,
      image: file.mime.startsWith('image/'),
    })),
  );
  protected readonly words = computed(() => {
    if (this.asked() === 'picture') return 'Must be shown by a picture: drop or paste it';
    return this.asked() === 'file' ? 'Must be shown by a file: drop it here' : 'Drop evidence here or paste a picture';
  });

  /** The picture stays; with its marks it becomes one more. */
  protected mark({ address, name }: PictureToMark): void {
    this.dialogs
      .open<unknown, PictureToMark, File>(MarkPicture, { data: { address, name }, maxWidth: '96vw', width: '900px' })
      .afterClosed()
      .subscribe((file) => file && this.picked.emit([file]));
  }

  protected pick(box: HTMLInputElement): void {
    this.picked.emit([...(box.files ?? [])]);
    box.value = '';
  }
}
