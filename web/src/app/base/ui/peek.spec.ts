import { Component } from '@angular/core';
import { getRecord } from '@contract/base';
import { getCord } from '@contract/prove';
import { getRequirement } from '@contract/specify';
import { mount, openWeb } from '../testing';
import { RecordLink } from './record-link';

@Component({
  selector: 'cp-host',
  imports: [RecordLink],
  template: `<cp-record kind="requirement" key="BRK-001" />&ngsp;<cp-record kind="baseline" key="BL-001" />
    <cp-record kind="file" key="a.c:3" />`,
})
class Host {}

describe('The peek of a key', () => {
  const open = async () => {
    const { api } = openWeb(['author']);
    const states = { specify: 'sound', design: 'sound', run: 'waiting', measure: 'notReached', prove: 'notReached' };
    api
      .on(getRequirement, ({ key }) => ({
        key,
        title: 'Closes',
        text: 'It shall close.',
        level: 'SIL 2',
        method: 'test',
        revision: 3,
        state: 'approved',
      }))
      .on(getCord, () => ({ key: 'BRK-001', states, break: null }))
      .on(getRecord, ({ key }) => ({
        record: { key, kind: 'baseline', title: 'Release', state: 'signed', updatedBy: 'mira', updatedAt: '2026-03-01T10:00:00.000Z' },
        snapshot: { description: 'What the release was built against.' },
      }));
    const page = await mount(Host);
    const cards = () =>
      [...document.querySelectorAll('.card[role=tooltip]')].map((card) => card.textContent?.replace(/\s+/g, ' ').trim() ?? '');
    const over = async (i: number): Promise<void> => {
      page.all('a')[i].dispatchEvent(new FocusEvent('focus'));
      await new Promise((resolve) => setTimeout(resolve, 400));
      await page.until(() => cards().length || i === 2);
    };
    const away = (i: number): void => void page.all('a')[i].dispatchEvent(new FocusEvent('blur'));
    return { page, cards, over, away };
  };

  it('says what the record says, of every kind, and goes when one leaves', async () => {
    const { cards, over, away, page } = await open();
    await over(0);
    expect(cards()[0]).toContain('It shall close.');
    away(0);
    await over(1);
    await page.until(() => cards()[0]?.includes('built against'));
    expect(cards()).toEqual([jasmine.stringContaining('BL-001Release')]);
    expect(cards()[0]).toContain('baseline · signed · mira, 2026-03-01');
    away(1);
    expect(cards()).toEqual([]);
  });

  it('is none of a function, and goes by Escape', async () => {
    const { cards, over, page } = await open();
    await over(2);
    expect(cards()).toEqual([]);
    await over(1);
    await page.key(page.all('a')[1], 'Escape');
    expect(cards()).toEqual([]);
  });
});
