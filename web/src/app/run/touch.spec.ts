import { Component } from '@angular/core';
import type { RunDetail } from '@contract/run';
import { Swipe } from '../base';
import { mount, openWeb } from '../base/testing';
import { BenchEvidence } from './bench-evidence';
import { mayBeShort } from './short-record';

@Component({
  imports: [Swipe],
  template: `<section (cpSwipe)="moves.push($event)">
    <p>Step</p>
    <textarea></textarea>
  </section>`,
})
class Swiped {
  readonly moves: number[] = [];
}

describe('a finger on the Bench', () => {
  /** From one place to another, with so many fingers. */
  const moved = (target: Element, [fromX, fromY]: number[], [toX, toY]: number[], fingers = 1): void => {
    const at = (clientX: number, clientY: number) =>
      Array.from({ length: fingers }, (_, identifier) => new Touch({ identifier, target, clientX, clientY }));
    target.dispatchEvent(new TouchEvent('touchstart', { bubbles: true, touches: at(fromX, fromY), changedTouches: at(fromX, fromY) }));
    target.dispatchEvent(new TouchEvent('touchend', { bubbles: true, touches: [], changedTouches: at(toX, toY) }));
  };

  it('moves on to the left and back to the right, and means nothing where it scrolls, zooms or writes', async () => {
    openWeb(['tester']);
    const page = await mount(Swiped, {});
    const words = page.one('p');
    const cases: [Element, number[], number[], number, number[]][] = [
      [words, [200, 300], [80, 310], 1, [1]],
      [words, [80, 300], [200, 290], 1, [-1]],
      [words, [200, 300], [150, 300], 1, []],
      [words, [200, 300], [120, 380], 1, []],
      [words, [200, 300], [60, 300], 2, []],
      [page.one('textarea'), [200, 300], [60, 300], 1, []],
    ];
    for (const [target, from, to, fingers, expected] of cases) {
      page.fixture.componentInstance.moves.length = 0;
      moved(target, from, to, fingers);
      expect(page.fixture.componentInstance.moves).withContext(`${from.join()} to ${to.join()}, ${fingers}`).toEqual(expected);
    }
  });
});

describe('what shows a step', () => {
  const file = (id: number, name: string, mime: string) => ({ id, name, mime, bytes: 2048, step: 1, sha256: 'a'.repeat(64) });
  const open = async (inputs: object = {}) => {
    openWeb(['tester']);
    const files = [file(1, 'scope.png', 'image/png'), file(2, 'log.txt', 'text/plain')] as unknown as RunDetail['evidence'];
    const page = await mount(BenchEvidence, { files, locked: false, asked: 'picture', ...inputs });
    const picked: string[][] = [];
    const detached: number[] = [];
    page.fixture.componentInstance.picked.subscribe((list) => picked.push(list.map(({ name }) => name)));
    page.fixture.componentInstance.detached.subscribe((id) => detached.push(id));
    return { page, picked, detached };
  };

  it('is dropped, chosen or taken by the camera, shown, and taken off', async () => {
    const { page, picked, detached } = await open();
    expect(page.text()).toContain('Must be shown by a picture');
    expect(page.all('img').map((image) => image.getAttribute('alt'))).toEqual(['Evidence scope.png']);
    expect(page.one<HTMLAnchorElement>('a').getAttribute('href')).toBe('/api/projects/demo/evidence/1');
    const camera = page.one<HTMLInputElement>('[aria-label="Take a picture"]');
    expect([camera.accept, camera.getAttribute('capture')]).toEqual(['image/*', 'environment']);
    for (const [box, name] of [
      [camera, 'display.jpg'],
      [page.one<HTMLInputElement>('.hint input'), 'trace.csv'],
    ] as const) {
      const transfer = new DataTransfer();
      transfer.items.add(new File(['x'], name));
      box.files = transfer.files;
      box.dispatchEvent(new Event('change'));
      // The same file may be chosen again.
      expect(box.files.length).toBe(0);
    }
    expect(picked).toEqual([['display.jpg'], ['trace.csv']]);
    page.one<HTMLButtonElement>('[aria-label="Take log.txt off"]').click();
    expect(detached).toEqual([2]);
  });

  it('is only looked at once the run is signed', async () => {
    const { page } = await open({ locked: true });
    expect([page.all('input').length, page.all('button').length, page.all('a').length]).toEqual([0, 0, 2]);
    expect(page.text()).not.toContain('Must be shown');
  });
});

describe('a run recorded as a whole', () => {
  const run = (more: object = {}) =>
    ({ case: { kind: 'inspection' }, steps: [{ verdict: null }], finishedAt: null, ...more }) as unknown as RunDetail;

  it('is one of a kind that allows it, of which nothing is recorded yet', () => {
    expect(mayBeShort(run(), ['inspection'])).toBeTrue();
    expect(mayBeShort(run(), ['analysis'])).toBeFalse();
    expect(mayBeShort(run({ steps: [{ verdict: 'pass' }] }), ['inspection'])).toBeFalse();
    expect(mayBeShort(run({ finishedAt: '2026-03-01' }), ['inspection'])).toBeFalse();
    expect(mayBeShort(null, ['inspection'])).toBeFalse();
  });
});
