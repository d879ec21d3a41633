import * as contract from '@contract/specify';
import { usualWording } from '@core/specify';
import { mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { WordingLists } from './wording-lists';
import { WordingNote } from './wording-note';
import { WordingPage } from './wording-page';

const lists = () => ({
  ...(JSON.parse(JSON.stringify(usualWording)) as contract.WordingReport & typeof usualWording),
  glossary: [{ term: 'XCU', meaning: 'The unit.' }],
});

describe('what a text lacks in wording', () => {
  const open = async (inputs: Record<string, unknown>, roles: Parameters<typeof openWeb>[0] = ['author']) => {
    const { api } = openWeb(roles, rooms);
    serve(api, () => []);
    api.on(contract.getWording, () => ({ lists: lists(), usual: false }));
    const page = await mount(WordingNote, { within: '.none', ...inputs });
    await new Promise((resolve) => setTimeout(resolve, 350));
    await page.settled();
    return { api, page };
  };
  const found = (page: Awaited<ReturnType<typeof open>>['page']): string[] => page.all('.tag').map((t) => t.textContent.trim());

  it('is told as one writes, with the defined terms that stand in it', async () => {
    const { page } = await open({ text: 'The XCU shall start fast.' });
    expect(found(page)).toEqual(['Vague word']);
    expect(page.text()).toContain('XCU: The unit.');
    expect(page.text()).not.toContain('Let it stand');
    page.fixture.componentRef.setInput('text', 'The XCU shall start within 2 s, if possible.');
    await new Promise((resolve) => setTimeout(resolve, 350));
    await page.settled();
    expect(found(page)).toEqual(['Escape clause']);
  });

  it('is underlined where it stands, and so is each defined term, as a whole word', async () => {
    const text = 'The XCUs and the xcu start fast.';
    const words = document.createElement('p');
    words.className = 'words-here';
    words.textContent = text;
    document.body.append(words);
    const { page } = await open({ text: '', within: '.words-here' });
    page.element.parentElement?.append(words);
    page.fixture.componentRef.setInput('text', text);
    await page.until(() => CSS.highlights.has('term'));
    const underlined = (name: string) =>
      [...(CSS.highlights.get(name) ?? [])].map((range) => [range.startOffset, (range as Range).toString()]);
    expect([underlined('term'), underlined('wording')]).toEqual([[[17, 'xcu']], [[27, 'fast']]]);
    page.fixture.destroy();
    expect([CSS.highlights.has('term'), CSS.highlights.has('wording')]).toEqual([false, false]);
    words.remove();
  });

  it('can be let stand by whoever writes or reviews, with a reason, and looked at anew', async () => {
    const stands = { id: 4, rule: 'vague', words: 'fast', reason: 'A trade name.', by: 'tom', at: '' };
    const { api, page } = await open({ text: 'The pump shall start fast and slowly.', of: 'BRK-001', dismissals: [stands] });
    expect(found(page)).toEqual(['Vague word']);
    expect(page.text()).toContain('stands: A trade name.');
    api.on(contract.dismissFinding, () => ({ ...stands, id: 5, words: 'slowly' }));
    await page.press(/Let it stand/);
    const box = document.querySelector<HTMLTextAreaElement>('mat-dialog-container textarea');
    if (!box) throw new Error('no reason is asked for');
    box.value = 'Measured elsewhere.';
    box.dispatchEvent(new Event('input'));
    await page.settled();
    document.querySelector<HTMLButtonElement>('mat-dialog-container button[type=submit]')?.click();
    await new Promise((resolve) => setTimeout(resolve, 300));
    await page.settled();
    expect(api.of(contract.dismissFinding)[0]).toEqual({
      project: 'demo',
      key: 'BRK-001',
      rule: 'vague',
      words: 'slowly',
      reason: 'Measured elsewhere.',
    });
    api.on(contract.endDismissal, () => ({ ok: true }));
    await page.press(/Look anew/);
    expect(api.of(contract.endDismissal)[0]).toEqual({ project: 'demo', key: 'BRK-001', id: 4 });
  });

  it('offers an auditor nothing to press', async () => {
    const { page } = await open({ text: 'The pump shall start fast.', of: 'BRK-001' }, ['auditor']);
    expect(page.all('button').length).toBe(0);
  });
});

describe('the wording of a specification', () => {
  const report = (skip = 0): contract.WordingReport => ({
    checked: 9,
    open: 2,
    rules: [
      { rule: 'vague', open: 2, dismissed: 1 },
      { rule: 'open', open: 0, dismissed: 0 },
    ],
    rows: [
      {
        key: `BRK-00${skip + 1}`,
        title: 'T',
        text: 'It shall be fast, now.',
        findings: [{ rule: 'vague', from: 12, to: 16, words: 'fast', dismissed: null }],
      },
    ],
    total: 2,
    seq: 1,
  });
  const open = async (inputs: Record<string, unknown>) => {
    const { api } = openWeb(['author'], rooms);
    serve(api, () => []);
    api.on(contract.getWording, () => ({ lists: lists(), usual: true })).on(contract.reportWording, ({ skip }) => report(Number(skip)));
    return { api, page: await mount(WordingPage, inputs) };
  };

  it('is counted by rule, marks the words, and comes page by page', async () => {
    const { api, page } = await open({ of: 'BRK', rule: 'vague' });
    expect(page.text()).toContain('2 of 9 requirements have an open finding');
    expect(page.button(/Vague word/).getAttribute('aria-pressed')).toBe('true');
    expect(page.all('.found').map((f) => f.textContent)).toEqual(['fast']);
    await page.press(/Show more of 2/);
    expect(api.of(contract.reportWording).map((i) => [i['rule'], i['skip']])).toEqual([
      ['vague', 0],
      ['vague', 1],
    ]);
    expect(page.all('tbody tr').length).toBe(2);
  });

  it('goes by words that an author sets: one a line, terms with their meaning', async () => {
    const { api } = openWeb(['author'], rooms);
    api.on(contract.getWording, () => ({ lists: lists(), usual: true }));
    const page = await mount(WordingLists);
    expect(page.missing(/Save the words/)).toBe('Nothing changed.');
    await page.write(/^Vague/, 'snappy\n\nsnappy\n swift ');
    await page.write(/^Glossary/, 'XCU: The unit.\nEVAC');
    api.on(contract.saveWording, (input) => ({ lists: input, usual: false }));
    await page.press(/Save the words/);
    const [saved] = api.of(contract.saveWording);
    expect([saved['vague'], saved['glossary']]).toEqual([
      ['snappy', 'swift'],
      [
        { term: 'XCU', meaning: 'The unit.' },
        { term: 'EVAC', meaning: '' },
      ],
    ]);
    await page.write(/^Words that make/, ' ');
    expect(page.missing(/Save the words/)).toContain('At least one word');
  });
});
