import { ChangeDetectionStrategy, Component } from '@angular/core';
import { getRecord } from '@contract/base';
import { getCase } from '@contract/design';
import { ApiFailure } from '../api';
import { mount, openWeb, type FakeApi, type Mounted } from '../testing';
import { keyAround, peekAnywhere } from './peek-anywhere';
import { RecordLink } from './record-link';

@Component({
  selector: 'cp-peeks-host',
  imports: [RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div style="position: fixed; inset: 0 auto auto 0; width: 600px; background: white; font: 16px monospace">
    <p id="text">Rests on C-001 and BL-001, after UTF-8.</p>
    <p id="link"><cp-record kind="baseline" key="BL-002" /></p>
    <p><input id="box" value="C-001" /></p>
    <p><a id="to" href="#" tabindex="0">3 runs of C-001</a></p>
  </div>`,
})
class Host {
  constructor() {
    peekAnywhere();
  }
}

describe('a key that stands anywhere', () => {
  let api: FakeApi;
  let page: Mounted<Host>;
  const cards = (): string[] =>
    [...document.querySelectorAll('.card[role=tooltip]')].map((card) => card.textContent?.replace(/\s+/g, ' ').trim() ?? '');
  const stay = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 420));
    await page.until(() => cards().length);
    await page.settled();
  };
  /** The pointer goes onto a word of an element, or onto the middle of the element. */
  const point = async (selector: string, word = '', pointerType = 'mouse'): Promise<void> => {
    const element = page.one(selector);
    const text = element.firstChild as Text;
    const range = document.createRange();
    if (word) range.setStart(text, text.data.indexOf(word));
    if (word) range.setEnd(text, text.data.indexOf(word) + word.length);
    const { left, top, width, height } = (word ? range : element).getBoundingClientRect();
    element.dispatchEvent(
      new PointerEvent('pointermove', { bubbles: true, pointerType, clientX: left + width / 2, clientY: top + height / 2 }),
    );
    await new Promise((resolve) => requestAnimationFrame(resolve));
  };

  beforeEach(async () => {
    ({ api } = openWeb(['author']));
    api
      .on(getRecord, ({ key }) => {
        if (key === 'UTF-8') throw new ApiFailure({ type: '', title: 'gone', status: 404, code: 'notFound' });
        return {
          record: {
            key,
            kind: String(key).startsWith('C') ? 'case' : 'baseline',
            title: 'Of the release',
            state: 'signed',
            updatedBy: 'mira',
            updatedAt: '2026-03-01T10:00:00.000Z',
          },
          snapshot: null,
        };
      })
      .on(getCase, ({ key }) => ({
        key,
        title: 'Opens',
        objective: 'Shows that it opens.',
        steps: [1, 2],
        plannedMinutes: 5,
        revision: 2,
        state: 'approved',
      }));
    page = await mount(Host);
  });

  it('is found by the place in its text, whole', () => {
    const text = 'See BRK-010, then DR-CASE-22.';
    expect(keyAround(text, 6)).toEqual({ key: 'BRK-010', start: 4 });
    expect(keyAround(text, 20)).toEqual({ key: 'DR-CASE-22', start: 18 });
    expect(keyAround(text, 1)).toBeUndefined();
    expect(keyAround('xBRK-010', 4)).toBeUndefined();
  });

  it('shows its record under the pointer, with all that its kind says, and none beside it', async () => {
    await point('#text', 'BL-001');
    await stay();
    expect(cards()).toEqual([jasmine.stringContaining('BL-001Of the release')]);
    await point('#text', 'C-001');
    await stay();
    await page.until(() => cards()[0]?.includes('Shows that it opens.'));
    expect(cards()).toEqual([jasmine.stringContaining('2 steps · 5 min')]);
    await point('#text', 'and');
    expect(cards()).toEqual([]);
  });

  it('is pressed through, and stays away once pressed or sent away', async () => {
    await point('#text', 'BL-001');
    await stay();
    expect(getComputedStyle(document.querySelector('.card')?.closest('.cdk-overlay-pane') as Element).pointerEvents).toBe('none');
    await page.key(document.body, 'Escape');
    expect(cards()).toEqual([]);
    await point('#text', 'BL-001');
    await new Promise((resolve) => setTimeout(resolve, 420));
    expect(cards()).toEqual([]);
  });

  it('is none for a finger, where somebody writes, and beside a link that has its own', async () => {
    await point('#text', 'BL-001', 'touch');
    await point('#box');
    await point('#link');
    await new Promise((resolve) => setTimeout(resolve, 420));
    await page.settled();
    expect(api.of(getRecord)).toEqual([]);
  });

  it('is not asked for again where no record has it', async () => {
    for (const word of ['UTF-8', 'after', 'UTF-8']) {
      await point('#text', word);
      await new Promise((resolve) => setTimeout(resolve, 420));
      await page.settled();
    }
    expect(api.of(getRecord).map(({ key }) => key)).toEqual(['UTF-8']);
    expect(cards()).toEqual([]);
  });

  it('shows the first of what is reached by keys, until one goes on', async () => {
    // Whoever presses keys sees where the focus is.
    page.one('#to').focus({ focusVisible: true } as FocusOptions);
    page.one('#to').dispatchEvent(new FocusEvent('focusin', { bubbles: true }));
    await stay();
    expect(cards()).toEqual([jasmine.stringContaining('Shows that it opens.')]);
    page.one('#box').focus();
    page.one('#box').dispatchEvent(new FocusEvent('focusin', { bubbles: true }));
    expect(cards()).toEqual([]);
  });
});
