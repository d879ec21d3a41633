import * as run from '@contract/run';
import { usualStages } from '@core/run';
import { mount, openWeb } from '../testing';
import { ProblemLifePanel } from './problem-life-panel';

describe('the life of problem reports in the settings', () => {
  const open = async (roles: Parameters<typeof openWeb>[0]) => {
    const { api } = openWeb(roles);
    api
      .on(run.getProblemLife, () => ({ stages: usualStages, severities: ['minor', 'major'], areas: [] }))
      .on(run.saveProblemLife, ({ project: _, ...life }) => life);
    const page = await mount(ProblemLifePanel, {});
    await page.until(() => page.all('tbody tr').length);
    return { api, page };
  };
  /** The box before some words in a row. */
  const box = (row: HTMLElement, words: string) =>
    [...row.querySelectorAll('label')].find((label) => label.textContent?.trim() === words)?.querySelector('input') as HTMLInputElement;

  it('is kept with what was changed: who gives a stage, what it asks for, where it leads, severities and areas', async () => {
    const { api, page } = await open(['administrator']);
    expect(page.missing(/Keep this life/)).toContain('Nothing changed');
    const closed = page.all('tbody tr')[3];
    box(closed, 'reviewer').click();
    await page.settled();
    box(page.all('tbody tr')[3], 'severity').click();
    await page.settled();
    const severities = page.one<HTMLInputElement>('input[class=in]:not([aria-label])');
    severities.value = 'low, high , high';
    severities.dispatchEvent(new Event('change'));
    await page.settled();
    await page.press(/Keep this life/);
    const [kept] = api.of(run.saveProblemLife) as unknown as run.ProblemLife[];
    expect([kept.stages[3].roles, kept.stages[3].needs, kept.severities]).toEqual([
      ['reviewer'],
      ['closedReason', 'severity'],
      ['low', 'high'],
    ]);
    expect(page.missing(/Keep this life/)).toContain('Nothing changed');
  });

  it('is not kept while a stage has no title or nobody could come to it, and says what the server refuses', async () => {
    const { api, page } = await open(['administrator']);
    await page.press(/Stage/);
    expect(page.text()).toContain('No report can come here.');
    expect(page.missing(/Keep this life/)).toContain('Mend the findings');
    // The first stage leads to the new one.
    [...page.all('tbody tr')[0].querySelectorAll<HTMLInputElement>('td:nth-child(3) input')].at(-1)?.click();
    await page.settled();
    expect(page.missing(/Keep this life/)).toContain('needs a title');
    const title = page.one<HTMLInputElement>('[aria-label="Title of stage 5"]');
    title.value = 'Deferred';
    title.dispatchEvent(new Event('input'));
    await page.settled();
    api.refuse(run.saveProblemLife, { detail: 'Reports stand at fixed: move them first.' });
    await page.press(/Keep this life/);
    expect(page.text()).toContain('move them first');
  });

  it('is only read by others', async () => {
    const { page } = await open(['reviewer']);
    expect(page.all<HTMLInputElement>('input').every((input) => input.disabled)).toBeTrue();
    expect(page.all('button').length).toBe(0);
  });
});
