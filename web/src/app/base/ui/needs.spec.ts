import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { mount, openWeb } from '../testing';
import { firstMissing, Needs } from './needs';

@Component({
  selector: 'cp-spec-form',
  imports: [FormsModule, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form (ngSubmit)="sent.set(sent() + 1)">
      <label>Name <input name="name" [(ngModel)]="name" /></label>
      <button type="submit" [cpNeeds]="missing">Send</button>
    </form>
    <button type="button" [cpNeeds]="missing" (click)="pressed.set(pressed() + 1)">Press</button>
  `,
})
class Form {
  readonly name = signal('');
  readonly sent = signal(0);
  readonly pressed = signal(0);
  readonly missing = (): string => firstMissing([!this.name(), 'Give it a name.'], [this.name().length < 3, 'A longer one.']);
}

describe('a button that needs something first', () => {
  it('says what, the first thing first, and does nothing until it is there', async () => {
    openWeb([]);
    const page = await mount(Form);
    const form = page.fixture.componentInstance;
    expect([page.missing(/Send/), page.missing(/Press/)]).toEqual(['Give it a name.', 'Give it a name.']);
    await page.press(/Send/);
    await page.press(/Press/);
    expect([form.sent(), form.pressed()]).toEqual([0, 0]);
    expect(document.querySelector('mat-tooltip-component')?.textContent).toContain('Give it a name.');
    await page.write(/Name/, 'ab');
    expect(page.missing(/Send/)).toBe('A longer one.');
    await page.write(/Name/, 'abc');
    expect(page.missing(/Send/)).toBe('');
    await page.press(/Send/);
    await page.press(/Press/);
    expect([form.sent(), form.pressed()]).toEqual([1, 1]);
  });

  it('asks when it is pressed, not when it was drawn: whoever types fast is not ignored, nor is what was emptied sent', async () => {
    openWeb([]);
    const page = await mount(Form);
    const form = page.fixture.componentInstance;
    const [send] = page.all<HTMLButtonElement>('button');
    form.name.set('a scanned name');
    send.click();
    expect(form.sent()).toBe(1);
    await page.settled();
    form.name.set('');
    send.click();
    expect(form.sent()).toBe(1);
  });
});
