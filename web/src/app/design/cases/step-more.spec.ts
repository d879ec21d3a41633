import type { CaseStep } from '@core/design';
import { mount, openWeb } from '../../base/testing';
import { StepMore } from './step-more';

describe('what a step asks for beside its action', () => {
  const open = async (step: Partial<CaseStep> = {}, requirements: readonly string[] = []) => {
    openWeb(['author']);
    const page = await mount(StepMore, { of: { action: 'Press', expected: 'It closes', ...step }, at: 0, requirements });
    const changed: Partial<CaseStep>[] = [];
    page.fixture.componentInstance.changed.subscribe((change) => changed.push(change));
    return { page, changed };
  };
  const reading = { name: 'time', unit: '', resolution: 1, limits: '' };

  it('takes the unit that its limits name, until somebody says another', async () => {
    const { page, changed } = await open({ readings: [reading] });
    await page.write(/^Limits/, 'at most 120 ms');
    expect(changed.at(-1)?.readings).toEqual([{ ...reading, limits: 'at most 120 ms', unit: 'ms' }]);
    page.fixture.componentRef.setInput('of', { action: '', expected: '', readings: [{ ...reading, limits: 'at most 120 ms', unit: 's' }] });
    await page.settled();
    await page.write(/^Limits/, 'at most 90 ms');
    expect(changed.at(-1)?.readings?.[0].unit).toBe('s');
  });

  it('says what is wrong with limits where they are typed', async () => {
    const { page } = await open({ readings: [{ ...reading, limits: 'quick enough' }] });
    expect(page.all('.t-broken').length).toBeGreaterThan(0);
    page.fixture.componentRef.setInput('of', { action: '', expected: '', readings: [reading] });
    await page.settled();
    expect(page.text()).not.toContain('quick enough');
  });

  it('adds and drops readings, asks for a kind of evidence, and says what it shows of the case', async () => {
    const { page, changed } = await open({ readings: [reading, { ...reading, name: 'force' }], verifies: ['BRK-001'] }, [
      'BRK-001',
      'BRK-002',
    ]);
    await page.press(/^\s*Reading/);
    expect(changed.at(-1)?.readings?.map(({ name }) => name)).toEqual(['time', 'force', '']);
    page.one<HTMLButtonElement>('[aria-label="Delete reading 1 of step 1"]').click();
    expect(changed.at(-1)?.readings?.map(({ name }) => name)).toEqual(['force']);
    const shownBy = page.one<HTMLSelectElement>('select');
    shownBy.value = 'picture';
    shownBy.dispatchEvent(new Event('change'));
    expect(changed.at(-1)).toEqual({ evidence: 'picture' });
    await page.press(/BRK-002/);
    expect(changed.at(-1)).toEqual({ verifies: ['BRK-001', 'BRK-002'] });
    await page.press(/BRK-001/);
    expect(changed.at(-1)).toEqual({ verifies: [] });
  });

  it('offers no choice of what it shows where the case verifies one requirement', async () => {
    const { page } = await open({}, ['BRK-001']);
    expect(page.text()).not.toContain('This step shows');
  });
});
