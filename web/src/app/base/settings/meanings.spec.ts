import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { countMeanings } from '@contract/base';
import type { OwnMeaning } from '@core/prove';
import { mount, openWeb, type Mounted } from '../testing';
import { MeaningsPanel } from './meanings-panel';

const witnessed: OwnMeaning = { name: 'witnessed', says: 'I saw it done.', roles: ['tester'], kinds: ['run'] };

@Component({
  selector: 'cp-meanings-host',
  imports: [MeaningsPanel],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-meanings-panel [of]="of()" [inForce]="inForce" [locked]="locked()" (changed)="of.set($event)" />`,
})
class Host {
  readonly inForce = [witnessed];
  readonly of = signal<readonly OwnMeaning[]>([witnessed]);
  readonly locked = signal(false);
}

describe('meanings of signatures in the settings', () => {
  let page: Mounted<Host>;
  let host: Host;
  beforeEach(async () => {
    const { api } = openWeb(['administrator']);
    api.on(countMeanings, () => [
      { name: 'performed', signatures: 12 },
      { name: 'witnessed', signatures: 3 },
    ]);
    page = await mount(Host);
    host = page.fixture.componentInstance;
    await page.settled();
  });

  it('tell those that the rules know with how many there are, and keep the name of one that is signed in', () => {
    expect(page.text()).toContain('performed (12)');
    expect(page.text()).toContain('3 signatures mean this: its name stays.');
    expect(page.one<HTMLInputElement>('input[maxlength="30"]').disabled).toBeTrue();
    expect(page.one<HTMLInputElement>('input[maxlength="500"]').disabled).toBeFalse();
  });

  it('are added, and what is missing or taken is said as one writes', async () => {
    await page.press(/^ ?Meaning/);
    expect(page.text()).toContain('It needs a name.');
    const [, name] = page.all<HTMLInputElement>('input[maxlength="30"]');
    await page.type(name, 'Performed');
    expect(page.text()).toContain('“Performed” is a meaning that the rules know');
    await page.type(page.all<HTMLInputElement>('input[maxlength="30"]')[1], 'released');
    await page.type(page.all<HTMLInputElement>('input[maxlength="500"]')[1], 'I release it.');
    const own = page.all('fieldset')[1];
    const box = (label: string): HTMLInputElement =>
      [...own.querySelectorAll('label')].find((l) => l.textContent?.trim() === label)?.querySelector('input') as HTMLInputElement;
    box('administrator').click();
    box('runs').click();
    await page.settled();
    expect(page.text()).toContain('Say what is signed so.');
    box('requirements').click();
    await page.settled();
    expect(page.all('[role=alert]').length).toBe(0);
    expect(host.of()[1]).toEqual({ name: 'released', says: 'I release it.', roles: ['reviewer', 'administrator'], kinds: ['requirement'] });
  });

  it('tell what taking one out touches', async () => {
    await page.press(/Take out/);
    expect(host.of()).toEqual([]);
    expect(page.text()).toContain('“witnessed” is taken out: 3 signatures keep it, and nobody signs so any more.');
  });

  it('are only read by who may not change them', async () => {
    host.locked.set(true);
    await page.settled();
    expect(page.all('button').length).toBe(0);
    expect(page.all<HTMLInputElement>('input').every((box) => box.disabled)).toBeTrue();
  });
});
