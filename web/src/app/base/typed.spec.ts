import { signal } from '@angular/core';
import { typedOver } from './typed';

describe('a value that is typed over', () => {
  it('is kept while the same is read anew, and begins again with another', () => {
    const record = signal({ title: 'Brake' });
    const title = typedOver(() => record().title);
    expect(title()).toBe('Brake');
    title.set('Brake, cold');
    record.set({ title: 'Brake' });
    expect(title()).toBe('Brake, cold');
    record.set({ title: 'Door' });
    expect(title()).toBe('Door');
  });
});
