import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, signal, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { arrowHead, markBox, markOn, markStroke, movedMark, stretchedMark, type PictureMark, type PictureSize } from '@core/run';
import { Icon } from '../base';

export interface PictureToMark {
  readonly address: string;
  readonly name: string;
}

const tools: readonly { readonly kind: PictureMark['kind']; readonly words: string; readonly icon: string }[] = [
  { kind: 'arrow', words: 'Arrow', icon: 'arrow_outward' },
  { kind: 'box', words: 'Box', icon: 'crop_square' },
  { kind: 'blackout', words: 'Black out', icon: 'square' },
];
const ink = '#c2261d';

/** The name of a picture with marks: that of the picture, and what was done. */
export const markedName = (name: string): string => `${name.replace(/\.\w{1,5}$/, '')}-marked.png`;

/** Marks on a picture that shows a step: arrows, boxes, and what nobody shall see blacked out. The picture itself stays as it is. */
@Component({
  selector: 'cp-mark-picture',
  imports: [Icon, MatButtonModule, MatDialogModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h2 mat-dialog-title>Mark {{ ask.name }}</h2>
    <mat-dialog-content class="stack">
      <div class="row" role="group" aria-label="What is drawn">
        @for (t of tools; track t.kind) {
          <button class="chip" type="button" [attr.aria-pressed]="kind() === t.kind" (click)="kind.set(t.kind)">
            <cp-icon [name]="t.icon" /> {{ t.words }}
          </button>
        }
        <button class="chip" type="button" [disabled]="!size()" (click)="add()"><cp-icon name="add" /> Put one in the middle</button>
      </div>
      <p class="second small">
        Draw on the picture. A mark that has the focus is moved by the arrows, with Shift stretched, and removed by Delete.
      </p>
      <div class="paper">
        <img #picture [src]="ask.address" [alt]="ask.name" (load)="loaded()" (error)="failed.set(true)" />
        @if (size(); as s) {
          <svg
            [attr.viewBox]="'0 0 ' + s.width + ' ' + s.height"
            role="group"
            aria-label="Marks"
            (pointerdown)="begin($event)"
            (pointermove)="draw($event)"
            (pointerup)="end()"
          >
            @for (m of drawn(); track $index) {
              <g
                role="button"
                [attr.tabindex]="m.begun ? -1 : 0"
                [attr.aria-label]="m.words"
                [class.begun]="m.begun"
                (keydown)="key($event, $index)"
              >
                @if (m.kind === 'arrow') {
                  <path class="line" [attr.d]="'M' + m.x1 + ' ' + m.y1 + 'L' + m.x2 + ' ' + m.y2" [attr.stroke-width]="stroke()" />
                  <polygon class="head" [attr.points]="m.head" />
                } @else {
                  <rect
                    [class]="m.kind"
                    [attr.x]="m.box.x"
                    [attr.y]="m.box.y"
                    [attr.width]="m.box.width"
                    [attr.height]="m.box.height"
                    [attr.stroke-width]="stroke()"
                  />
                }
              </g>
            }
          </svg>
        }
      </div>
      @if (failed()) {
        <p class="t-broken" role="alert">This picture cannot be read here.</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button mat-button type="button" [disabled]="!marks().length" (click)="marks.set(marks().slice(0, -1))">
        Take the last one back
      </button>
      <button mat-button type="button" mat-dialog-close>Cancel</button>
      <button mat-flat-button type="button" [disabled]="!marks().length || storing()" (click)="store()">Store with its marks</button>
    </mat-dialog-actions>
  `,
  styles: `
    .paper {
      position: relative;
      width: fit-content;
      max-width: 100%;
      border: 1px solid var(--hairline);
    }
    img {
      display: block;
      max-width: 100%;
      max-height: 58vh;
    }
    svg {
      position: absolute;
      inset: 0;
      width: 100%;
      height: 100%;
      touch-action: none;
      cursor: crosshair;
    }
    .line,
    .box {
      stroke: #c2261d;
      fill: none;
    }
    .head {
      fill: #c2261d;
    }
    .blackout {
      fill: #000;
    }
    .begun {
      opacity: 0.6;
    }
    g:focus-visible {
      outline: 3px solid var(--cord);
    }
  `,
})
export class MarkPicture {
  protected readonly ask = inject<PictureToMark>(MAT_DIALOG_DATA);
  private readonly dialog = inject<MatDialogRef<MarkPicture, File>>(MatDialogRef);
  private readonly picture = viewChild.required<ElementRef<HTMLImageElement>>('picture');
  protected readonly tools = tools;
  protected readonly kind = signal<PictureMark['kind']>('arrow');
  protected readonly marks = signal<readonly PictureMark[]>([]);
  /** The mark that is being drawn. */
  private readonly begun = signal<PictureMark | null>(null);
  protected readonly size = signal<PictureSize | null>(null);
  protected readonly failed = signal(false);
  protected readonly storing = signal(false);
  protected readonly stroke = computed(() => markStroke(this.size() ?? { width: 0, height: 0 }));
  protected readonly drawn = computed(() => {
    const size = this.size();
    const begun = this.begun();
    if (!size) return [];
    return [...this.marks(), ...(begun ? [begun] : [])].map((mark, i) => ({
      ...mark,
      begun: mark === begun,
      box: markBox(mark),
      head: arrowHead(size, mark)
        .map((point) => point.join())
        .join(' '),
      words: `${tools.find(({ kind }) => kind === mark.kind)?.words ?? ''} ${i + 1}`,
    }));
  });

  protected loaded(): void {
    const { naturalWidth: width, naturalHeight: height } = this.picture().nativeElement;
    this.size.set({ width, height });
  }

  /** Where the pointer is, in the picture's own pixels. */
  private at(event: PointerEvent): { x: number; y: number } {
    const shown = this.picture().nativeElement.getBoundingClientRect();
    const size = this.size() ?? { width: 0, height: 0 };
    return { x: ((event.clientX - shown.left) / shown.width) * size.width, y: ((event.clientY - shown.top) / shown.height) * size.height };
  }

  protected begin(event: PointerEvent): void {
    const { x, y } = this.at(event);
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    this.begun.set({ kind: this.kind(), x1: x, y1: y, x2: x, y2: y });
  }

  protected draw(event: PointerEvent): void {
    const begun = this.begun();
    if (!begun) return;
    const { x, y } = this.at(event);
    this.begun.set({ ...begun, x2: x, y2: y });
  }

  protected end(): void {
    const [begun, size] = [this.begun(), this.size()];
    this.begun.set(null);
    const mark = begun && size && markOn(size, begun);
    if (mark) this.marks.set([...this.marks(), mark]);
  }

  protected add(): void {
    const size = this.size();
    if (!size) return;
    const { width, height } = size;
    const mark = markOn(size, { kind: this.kind(), x1: width * 0.4, y1: height * 0.4, x2: width * 0.6, y2: height * 0.6 });
    if (mark) this.marks.set([...this.marks(), mark]);
  }

  protected key(event: KeyboardEvent, at: number): void {
    const size = this.size();
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (event.key === 'Delete' || event.key === 'Backspace') this.marks.set(this.marks().filter((_, i) => i !== at));
    else if (by && size) {
      const step = Math.max(size.width, size.height) / 50;
      const change = event.shiftKey ? stretchedMark : movedMark;
      this.marks.set(this.marks().map((mark, i) => (i === at ? change(size, mark, by[0] * step, by[1] * step) : mark)));
    } else return;
    event.preventDefault();
  }

  /** Draws the marks into a copy of the picture, which becomes a file of its own. */
  protected store(): void {
    const size = this.size();
    const canvas = document.createElement('canvas');
    const paper = canvas.getContext('2d');
    if (!size || !paper) return;
    this.storing.set(true);
    [canvas.width, canvas.height] = [size.width, size.height];
    paper.drawImage(this.picture().nativeElement, 0, 0);
    paper.lineWidth = markStroke(size);
    for (const mark of this.marks()) {
      const { x, y, width, height } = markBox(mark);
      paper.strokeStyle = paper.fillStyle = mark.kind === 'blackout' ? '#000000' : ink;
      if (mark.kind === 'blackout') paper.fillRect(x, y, width, height);
      else if (mark.kind === 'box') paper.strokeRect(x, y, width, height);
      else {
        paper.beginPath();
        paper.moveTo(mark.x1, mark.y1);
        paper.lineTo(mark.x2, mark.y2);
        paper.stroke();
        paper.beginPath();
        for (const point of arrowHead(size, mark)) paper.lineTo(...(point as [number, number]));
        paper.fill();
      }
    }
    canvas.toBlob((blob) => {
      this.storing.set(false);
      if (blob) this.dialog.close(new File([blob], markedName(this.ask.name), { type: 'image/png' }));
    }, 'image/png');
  }
}
