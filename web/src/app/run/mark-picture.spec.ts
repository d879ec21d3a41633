import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { mount, openWeb, type Mounted } from '../base/testing';
import { markedName, MarkPicture } from './mark-picture';

/** A white picture of 200 by 100. */
async function white(): Promise<string> {
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [200, 100];
  const paper = canvas.getContext('2d') as CanvasRenderingContext2D;
  paper.fillStyle = '#ffffff';
  paper.fillRect(0, 0, 200, 100);
  return canvas.toDataURL();
}

describe('Marks on a picture', () => {
  let page: Mounted<MarkPicture>;
  let stored: Promise<File>;

  beforeEach(async () => {
    let close: (file: File) => void = () => undefined;
    stored = new Promise((resolve) => (close = resolve));
    openWeb(
      ['tester'],
      [],
      [
        { provide: MAT_DIALOG_DATA, useValue: { address: await white(), name: 'scope.jpg' } },
        { provide: MatDialogRef, useValue: { close } },
      ],
    );
    page = await mount(MarkPicture);
    await page.until(() => page.all('svg[role=group]').length > 0);
  });

  const drag = async (from: readonly [number, number], to: readonly [number, number]): Promise<void> => {
    const svg = page.one('svg[role=group]');
    svg.setPointerCapture = () => undefined;
    const box = page.one('img').getBoundingClientRect();
    const at = ([x, y]: readonly [number, number]) => ({
      clientX: box.left + (x / 200) * box.width,
      clientY: box.top + (y / 100) * box.height,
      pointerId: 1,
      bubbles: true,
    });
    svg.dispatchEvent(new PointerEvent('pointerdown', at(from)));
    svg.dispatchEvent(new PointerEvent('pointermove', at(to)));
    svg.dispatchEvent(new PointerEvent('pointerup', at(to)));
    await page.settled();
  };
  const marks = (): string[] => page.all('g[role=button]').map((g) => g.getAttribute('aria-label') ?? '');
  /** The colours of the stored picture at these places. */
  const colours = async (...places: (readonly [number, number])[]): Promise<string[]> => {
    const bitmap = await createImageBitmap(await stored);
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [bitmap.width, bitmap.height];
    const paper = canvas.getContext('2d') as CanvasRenderingContext2D;
    paper.drawImage(bitmap, 0, 0);
    return places.map(([x, y]) => [...paper.getImageData(x, y, 1, 1).data.slice(0, 3)].join());
  };

  it('are drawn into a copy: what is blacked out is gone from it, the rest stays', async () => {
    await page.press(/Black out/);
    await drag([20, 20], [80, 60]);
    await page.press(/^\s*Box/);
    await drag([120, 20], [180, 60]);
    expect(marks()).toEqual(['Black out 1', 'Box 2']);
    await page.press(/Store with its marks/);
    const file = await stored;
    expect([file.name, file.type]).toEqual(['scope-marked.png', 'image/png']);
    expect(await colours([50, 40], [150, 40], [120, 40], [5, 5])).toEqual(['0,0,0', '255,255,255', '194,38,29', '255,255,255']);
  });

  it('are put, moved, stretched and removed by keys too', async () => {
    await page.press(/Box/);
    await page.press(/Put one in the middle/);
    const rect = (): (string | null)[] => ['x', 'y', 'width', 'height'].map((name) => page.one('rect').getAttribute(name));
    expect(rect()).toEqual(['80', '40', '40', '20']);
    const key = async (name: string, shiftKey = false): Promise<void> => {
      page.one('g[role=button]').dispatchEvent(new KeyboardEvent('keydown', { key: name, shiftKey, bubbles: true }));
      await page.settled();
    };
    await key('ArrowRight');
    await key('ArrowDown', true);
    expect(rect()).toEqual(['84', '40', '40', '24']);
    await key('Delete');
    expect(marks()).toEqual([]);
  });

  it('that are slips of the hand are none, and the last one is taken back', async () => {
    await drag([20, 20], [20, 20]);
    expect(marks()).toEqual([]);
    await drag([20, 20], [90, 60]);
    expect(marks()).toEqual(['Arrow 1']);
    await page.press(/Take the last one back/);
    expect(marks()).toEqual([]);
    expect(markedName('a.b.png')).toBe('a.b-marked.png');
    expect(markedName('photo')).toBe('photo-marked.png');
  });
});
