import { getBoundaries } from '@contract/design';
import { mount, openWeb } from '../base/testing';
import { RequirementBoundaries } from './requirement-boundaries';

const point = (value: number, at: string | null, valid = true) => ({
  words: 'at most 250 N',
  at: 0,
  name: 'force',
  value,
  unit: 'N',
  valid,
  case: at,
});

describe('the limits of a requirement', () => {
  it('say at which of them a case stands, and what must be refused', async () => {
    const { api } = openWeb(['author']);
    api.on(getBoundaries, () => ({ points: [point(249, 'C-001'), point(250, null), point(251, null, false)] }));
    const page = await mount(RequirementBoundaries, { of: 'BRK-038' });
    expect(page.text()).toContain('1 of 3 have a case at them');
    expect(page.all('li.waiting').length).toBe(2);
    expect(page.all('li')[2].textContent).toContain('refused');
  });

  it('are those of the requirement that is shown, and of one without limits nothing is said', async () => {
    const { api } = openWeb(['author']);
    api.on(getBoundaries, (input) => ({ points: input['key'] === 'BRK-038' ? [point(250, null)] : [] }));
    const page = await mount(RequirementBoundaries, { of: 'BRK-038' });
    expect(page.text()).toContain('0 of 1');
    page.fixture.componentRef.setInput('of', 'BRK-001');
    await page.settled();
    expect(page.text()).toBe('');
  });

  it('leads from a limit without a case to the case whose rows could stand there', async () => {
    const { api } = openWeb(['author']);
    const point = { name: 'time', value: 120, unit: 'ms', words: 'within 120 ms', at: 0, valid: true };
    api.on(getBoundaries, () => ({
      points: [
        { ...point, case: null },
        { ...point, value: 119, case: 'C-001' },
      ],
    }));
    const page = await mount(RequirementBoundaries, { of: 'BRK-001', cases: ['C-001'] });
    await page.settled();
    expect(page.text()).toContain('1 of 2 have a case at them');
    const [link] = page.all<HTMLAnchorElement>('p a');
    expect(link.getAttribute('href')).toBe('/demo/design/C-001?edit=1&propose=1');
    page.fixture.componentRef.setInput('cases', []);
    await page.settled();
    expect(page.text()).toContain('Draft a case');
  });
});
