import { TestBed } from '@angular/core/testing';
import { MAT_DIALOG_DATA, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { NEVER, of } from 'rxjs';
import { mount, openWeb } from '../testing';
import { askSignature, SignDialog, type SignRequest } from './sign-dialog';

describe('Signing', () => {
  const ask: SignRequest = { title: 'Sign it', meaning: 'It was done.', printedName: 'Ada Lund', needsReason: false };
  const open = async (more: Partial<SignRequest> = {}) => {
    const closed: unknown[] = [];
    openWeb(
      ['tester'],
      [],
      [
        { provide: MAT_DIALOG_DATA, useValue: { ...ask, ...more } },
        { provide: MatDialogRef, useValue: { close: (answer: unknown) => closed.push(answer) } },
      ],
    );
    return { closed, page: await mount(SignDialog) };
  };
  afterEach(() => TestBed.resetTestingModule());

  it('says who signs what, and asks for the password', async () => {
    const { closed, page } = await open({ hash: 'ab'.repeat(32) });
    for (const words of ['It was done.', 'Ada Lund', 'abababababababab…abababab']) expect(page.text()).toContain(words);
    expect(page.missing(/^Sign/)).toBe('Type your password.');
    await page.write(/password/, 'larkfell-demo');
    await page.press(/^Sign/);
    expect(closed).toEqual([{ password: 'larkfell-demo', reason: '', acceptDeviation: false }]);
  });

  it('is typed into from the first field on, at once: no password lands in the reason', async () => {
    const { page } = await open({ needsReason: true });
    expect(document.activeElement).toBe(page.one('textarea'));
    const opened: { autoFocus?: unknown }[] = [];
    const dialogs = { open: (_: unknown, config: { autoFocus?: unknown }) => (opened.push(config), { afterClosed: () => NEVER }) };
    askSignature(dialogs as unknown as MatDialog, ask).subscribe();
    expect(opened[0].autoFocus).toBeFalse();
  });

  it('asks for the reason first where one is needed, and where a deviation is accepted', async () => {
    const { closed, page } = await open({ deviation: 'a scratch' });
    await page.write(/password/, 'larkfell-demo');
    expect(page.missing(/^Sign/)).toBe('');
    page.one<HTMLInputElement>('input[type=checkbox]').click();
    await page.settled();
    expect(page.missing(/^Sign/)).toBe('Say the reason.');
    await page.write(/Reason/, 'Harmless.');
    await page.press(/^Sign/);
    expect(closed).toEqual([{ password: 'larkfell-demo', reason: 'Harmless.', acceptDeviation: true }]);
  });

  it('answers nothing where nobody signed', () => {
    const dialogs = { open: () => ({ afterClosed: () => of(undefined) }) };
    const answers: unknown[] = [];
    askSignature(dialogs as unknown as MatDialog, ask).subscribe((answer) => answers.push(answer));
    expect(answers).toEqual([]);
  });
});
