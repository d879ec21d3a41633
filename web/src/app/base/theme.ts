import { effect, signal } from '@angular/core';

const memory = 'cord-proof.theme';
const dark = signal((localStorage.getItem(memory) ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light')) === 'dark');

/** The light or dark roles; kept on this device. */
export const theme = {
  dark: dark.asReadonly(),
  toggle(): void {
    dark.update((value) => !value);
    localStorage.setItem(memory, dark() ? 'dark' : 'light');
  },
  /** To be called once, where an effect may live. */
  follow(): void {
    effect(() => (document.documentElement.dataset['theme'] = dark() ? 'dark' : 'light'));
  },
};

/** What a role of the look is now, as charts ask for it: `token('--cord')`. */
export const token = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
