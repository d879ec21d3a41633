import { sentencesOf } from '@core/base';
import { mount, openWeb, type Mounted } from '../testing';
import { MergeNote, type MergeField } from './merge-note';

describe('a record that somebody saved while one wrote', () => {
  const field = (name: string, base: string, mine: string, theirs: string): MergeField => ({
    name,
    label: name,
    base: sentencesOf(base),
    mine: sentencesOf(mine),
    theirs: sentencesOf(theirs),
  });
  const open = async (...fields: MergeField[]) => {
    openWeb(['author']);
    const page = await mount(MergeNote, { by: 'tom', revision: 4, of: fields });
    let saved: Readonly<Record<string, readonly string[]>> | undefined;
    let taken = 0;
    page.fixture.componentInstance.saved.subscribe((given) => (saved = given));
    page.fixture.componentInstance.taken.subscribe(() => taken++);
    return {
      page,
      saved: () => saved && Object.fromEntries(Object.entries(saved).map(([name, list]) => [name, list.join('')])),
      taken: () => taken,
    };
  };
  const passages = (page: Mounted<MergeNote>): string[] => page.all('legend').map((legend) => (legend.textContent ?? '').trim());
  const choose = async (page: Mounted<MergeNote>, passage: number, name: string): Promise<void> => {
    const labels = [...page.all('fieldset')[passage].querySelectorAll('label')];
    labels
      .find((label) => label.textContent?.includes(name))
      ?.querySelector('input')
      ?.click();
    await page.settled();
  };

  it('takes what only one of both changed, together, without asking', async () => {
    const base = 'It closes. It waits. It opens.';
    const { page, saved } = await open(
      field('text', base, 'It shuts. It waits. It opens.', 'It closes. It waits. It opens at once.'),
      field('title', 'T', 'T', 'T'),
    );
    expect(page.text()).toContain('tom saved revision 4 while you were writing');
    expect(passages(page)).toEqual(['You changed this', 'They changed this']);
    expect(page.text()).not.toContain('title');
    await page.press(/Save this as revision 5/);
    expect(saved()).toEqual({ text: 'It shuts. It waits. It opens at once.', title: 'T' });
  });

  it('asks where both changed one passage, and takes from each what one says', async () => {
    const { page, saved } = await open(field('text', 'It closes. It waits.', 'It shuts. It waits.', 'It closes fast. It sleeps.'));
    expect(passages(page)).toEqual(['You both changed this: choose']);
    expect(page.missing(/Save this/)).toContain('Choose at 1 passage');
    await page.press(/Save this/);
    expect(saved()).toBeUndefined();
    await choose(page, 0, 'Theirs');
    await page.press(/Save this/);
    expect(saved()).toEqual({ text: 'It closes fast. It sleeps.' });
    await choose(page, 0, 'As it was');
    await page.press(/Save this/);
    expect(saved()).toEqual({ text: 'It closes. It waits.' });
  });

  it('lets each choice be another one, and theirs be taken whole', async () => {
    const { page, saved, taken } = await open(field('a', 'One.', 'Mine.', 'One.'), field('b', 'Two.', 'Two.', 'Theirs.'));
    await choose(page, 0, 'As it was');
    await choose(page, 1, 'As it was');
    await page.press(/Save this/);
    expect(saved()).toEqual({ a: 'One.', b: 'Two.' });
    await page.press(/Take theirs/);
    expect(taken()).toBe(1);
  });

  it('shows passages as they are read, and what was taken out', async () => {
    const step = (action: string): string => JSON.stringify({ action });
    const { page } = await open({
      name: 'steps',
      label: 'Steps',
      base: [step('Press'), step('Wait')],
      mine: [step('Press')],
      theirs: [step('Press'), step('Wait')],
      show: (text) => (JSON.parse(text) as { action: string }).action,
    });
    expect(page.text()).toContain('(taken out)');
    expect(page.text()).toContain('Press');
    expect(page.text()).not.toContain('{"action"');
  });
});
