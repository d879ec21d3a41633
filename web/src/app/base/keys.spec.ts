import { TestBed } from '@angular/core/testing';
import { combinationOf, keyCommands, keyNames, Keys, keysOf } from './keys';
import { KeysDialog } from './keys-dialog';
import { mount, openWeb, type Mounted } from './testing';

const press = (key: string, more: KeyboardEventInit = {}): KeyboardEvent => new KeyboardEvent('keydown', { key, ...more });

describe('keys', () => {
  beforeEach(() => localStorage.clear());
  afterEach(() => localStorage.clear());

  it('are written the same on every layout, with what is held', () => {
    expect([
      combinationOf(press('k', { ctrlKey: true, code: 'KeyK' })),
      combinationOf(press('K', { metaKey: true, shiftKey: true, code: 'KeyK' })),
      combinationOf(press('!', { altKey: true, shiftKey: true, code: 'Digit1' })),
      combinationOf(press('&', { altKey: true, code: 'Digit1' })),
      combinationOf(press('1', { code: 'Digit1' })),
      combinationOf(press('?', { shiftKey: true, code: 'Slash' })),
      combinationOf(press('PageDown', { altKey: true })),
      combinationOf(press(' ')),
      combinationOf(press('Control', { ctrlKey: true })),
    ]).toEqual(['Ctrl+K', 'Ctrl+Shift+K', 'Alt+Shift+1', 'Alt+1', '1', '?', 'Alt+PageDown', 'Space', '']);
    expect([keysOf('Alt+ArrowUp'), keysOf('+'), keysOf('?')]).toEqual([['Alt', '↑'], ['+'], ['?']]);
  });

  it('stand once each at first, and none is one that the browser keeps', () => {
    const keys = TestBed.inject(Keys);
    const usual = keyNames.map((name) => keyCommands[name].usual);
    expect(new Set(usual).size).toBe(usual.length);
    for (const name of keyNames) expect(keys.fault(name, keyCommands[name].usual)).withContext(name).toBe('');
  });

  it('are changed on this device, not to what is taken or the browser’s, and back', () => {
    const keys = TestBed.inject(Keys);
    expect(keys.fault('jump', 'Ctrl+W')).toContain('belongs to the browser');
    expect(keys.fault('jump', 'O')).toBe('O is taken: write what you observed.');
    keys.change('jump', 'Ctrl+J');
    expect(keys.is(press('j', { ctrlKey: true }), 'jump')).toBeTrue();
    expect(keys.among(press('k', { ctrlKey: true }), ['jump', 'keys'])).toBeUndefined();
    TestBed.resetTestingModule();
    const later = TestBed.inject(Keys);
    expect([later.of('jump'), later.isOwn('jump')]).toEqual(['Ctrl+J', true]);
    later.asUsual('jump');
    expect([later.of('jump'), localStorage.length]).toEqual(['Ctrl+K', 0]);
    localStorage.setItem('cord-proof.keys', '{"jump":7,"nothing":"A"}');
    TestBed.resetTestingModule();
    expect(TestBed.inject(Keys).of('jump')).toBe('Ctrl+K');
  });

  describe('shown', () => {
    let page: Mounted<KeysDialog>;
    beforeEach(async () => {
      openWeb([]);
      TestBed.inject(Keys).enter('Bench');
      page = await mount(KeysDialog);
    });
    const headings = (): string[] => page.all('h3').map((h) => h.textContent?.trim() ?? '');

    it('begin with those that work here', () => {
      expect(headings()).toEqual([
        'Everywhere',
        'Bench',
        'Lists (elsewhere)',
        'Record (elsewhere)',
        'Steps of a case (elsewhere)',
        'Suspect traces (elsewhere)',
        'Document (elsewhere)',
      ]);
    });

    it('are changed by pressing others; what is taken is said, Escape lets it be', async () => {
      await page.press(/Change Pass/);
      expect(page.text()).toContain('Press the keys …');
      await page.key(document.body, 'R');
      expect(page.text()).toContain('R is taken: raise a problem report.');
      await page.key(document.body, 'Shift', { shiftKey: true });
      await page.key(document.body, 'y');
      expect(page.text()).not.toContain('Press the keys …');
      expect(TestBed.inject(Keys).of('pass')).toBe('Y');
      await page.press(/As usual: Pass/);
      expect(TestBed.inject(Keys).of('pass')).toBe('1');
      await page.press(/Change Fail/);
      await page.key(document.body, 'Escape');
      expect(TestBed.inject(Keys).isOwn('fail')).toBeFalse();
    });
  });
});
