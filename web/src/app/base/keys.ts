import { computed, DestroyRef, inject, Injectable, signal } from '@angular/core';

/** Something that a key does: in words, where it works, and its keys as they are at first. */
interface KeyCommand {
  readonly words: string;
  readonly place: KeyPlace;
  readonly usual: string;
}
export const keyPlaces = ['Everywhere', 'Lists', 'Record', 'Bench', 'Steps of a case', 'Suspect traces', 'Document'] as const;
export type KeyPlace = (typeof keyPlaces)[number];

const at = (place: KeyPlace, usual: string, words: string): KeyCommand => ({ place, usual, words });
export const keyCommands = {
  jump: at('Everywhere', 'Ctrl+K', 'jump to a key or a word'),
  cord: at('Everywhere', 'Alt+0', 'the Cord board'),
  specify: at('Everywhere', 'Alt+1', 'Specify'),
  design: at('Everywhere', 'Alt+2', 'Design'),
  run: at('Everywhere', 'Alt+3', 'Run'),
  measure: at('Everywhere', 'Alt+4', 'Measure'),
  prove: at('Everywhere', 'Alt+5', 'Prove'),
  keys: at('Everywhere', '?', 'this page'),
  filter: at('Lists', '/', 'filter the list'),
  next: at('Lists', 'Alt+PageDown', 'open the next record of the list'),
  before: at('Lists', 'Alt+PageUp', 'open the record before'),
  rowUp: at('Lists', 'Alt+Shift+ArrowUp', 'in a tree: move the row up'),
  rowDown: at('Lists', 'Alt+Shift+ArrowDown', 'in a tree: move the row down'),
  rowIn: at('Lists', 'Alt+Shift+ArrowRight', 'in a tree: put the row under the one above'),
  rowOut: at('Lists', 'Alt+Shift+ArrowLeft', 'in a tree: put the row a level higher'),
  copyLink: at('Record', 'Alt+Shift+L', 'copy a link to the record'),
  speak: at('Record', 'Alt+Shift+C', 'comment on the words that are chosen'),
  connections: at('Record', 'Alt+Shift+1', 'connections'),
  comments: at('Record', 'Alt+Shift+2', 'comments'),
  files: at('Record', 'Alt+Shift+3', 'files'),
  history: at('Record', 'Alt+Shift+4', 'history'),
  activity: at('Record', 'Alt+Shift+5', 'activity'),
  pass: at('Bench', '1', 'Pass'),
  fail: at('Bench', '2', 'Fail'),
  deviation: at('Bench', '3', 'Deviation'),
  blocked: at('Bench', '4', 'Blocked'),
  passOn: at('Bench', '5', 'Pass, and the next step'),
  observed: at('Bench', 'O', 'write what you observed'),
  raise: at('Bench', 'R', 'raise a problem report'),
  redline: at('Bench', 'E', 'change the step for this run only'),
  pause: at('Bench', 'P', 'stop the clock, and let it go on'),
  stepUp: at('Steps of a case', 'Alt+ArrowUp', 'move the step up'),
  stepDown: at('Steps of a case', 'Alt+ArrowDown', 'move the step down'),
  traceNext: at('Suspect traces', 'J', 'the next trace in doubt'),
  traceBefore: at('Suspect traces', 'K', 'the one before'),
  traceChoose: at('Suspect traces', 'X', 'choose it'),
  traceConfirm: at('Suspect traces', 'C', 'confirm what is chosen, or the one that is shown'),
  traceBreak: at('Suspect traces', 'B', 'break it'),
  passagePart: at('Document', 'Alt+Shift+S', 'part the passage where the cursor stands'),
  passageJoin: at('Document', 'Alt+Shift+M', 'join the passage with the one above'),
  stepBelow: at('Steps of a case', 'Ctrl+Enter', 'a new step below'),
  stepSplit: at('Steps of a case', 'Alt+Enter', 'part the step where the cursor stands'),
  stepTwice: at('Steps of a case', 'Alt+D', 'the step once more'),
  stepMore: at('Steps of a case', 'Alt+M', 'readings, data and evidence of the step'),
  stepUndo: at('Steps of a case', 'Alt+Z', 'take the last change of the steps back'),
  stepRedo: at('Steps of a case', 'Alt+Shift+Z', 'and make it again'),
} as const satisfies Record<string, KeyCommand>;
export type KeyName = keyof typeof keyCommands;
export const keyNames = Object.keys(keyCommands) as KeyName[];

/** What browsers, screen readers and lists keep for themselves. */
const reserved = new Set(
  [
    'Ctrl+T Ctrl+W Ctrl+N Ctrl+R Ctrl+L Ctrl+P Ctrl+F Ctrl+C Ctrl+V Ctrl+X Ctrl+Z Ctrl+A Ctrl+Tab Ctrl+Shift+T Ctrl+Shift+N Ctrl+Shift+R',
    'Alt+ArrowLeft Alt+ArrowRight Alt+F4 F1 F3 F5 F6 F11 F12 Tab Shift+Tab Enter Escape Space Insert CapsLock',
    'ArrowUp ArrowDown ArrowLeft ArrowRight Home End PageUp PageDown Backspace Delete',
  ].flatMap((line) => line.split(' ')),
);
const memory = 'cord-proof.keys';
const held = new Set(['Control', 'Shift', 'Alt', 'AltGraph', 'Meta', 'Dead', 'Unidentified']);

/** The keys of an event as they are written: `Ctrl+K`, `Alt+Shift+1`, `?`; empty while only Ctrl and the like are held. */
export function combinationOf(event: Pick<KeyboardEvent, 'key' | 'code' | 'ctrlKey' | 'metaKey' | 'altKey' | 'shiftKey'>): string {
  if (held.has(event.key)) return '';
  const modified = event.ctrlKey || event.metaKey || event.altKey;
  // By its place on the keyboard: with Shift or Alt the same key gives another sign, and not every layout has digits without Shift.
  const digit = modified ? /^Digit(\d)$/.exec(event.code)?.[1] : undefined;
  const key = digit ?? (event.key === ' ' ? 'Space' : event.key.length === 1 ? event.key.toUpperCase() : event.key);
  // Of a sign that Shift makes, Shift is a part already.
  const shift = event.shiftKey && (digit !== undefined || key.length > 1 || /[A-Z]/.test(key));
  return [event.ctrlKey || event.metaKey ? 'Ctrl' : '', event.altKey ? 'Alt' : '', shift ? 'Shift' : '', key].filter(Boolean).join('+');
}

const arrows: Readonly<Record<string, string>> = { ArrowUp: '↑', ArrowDown: '↓', ArrowLeft: '←', ArrowRight: '→' };
/** The keys as people read them, one after the other. */
export const keysOf = (combination: string): string[] =>
  combination === '+' ? ['+'] : combination.split('+').map((key) => arrows[key] ?? key);

/** Which keys do what, as somebody chose them on this device; and which places of the application are on the screen. */
@Injectable({ providedIn: 'root' })
export class Keys {
  private readonly own = signal<Partial<Record<KeyName, string>>>(read());
  private readonly open = signal<readonly KeyPlace[]>(['Everywhere']);
  /** Places whose keys work now, in their usual order. */
  readonly places = computed(() => keyPlaces.filter((place) => this.open().includes(place)));

  of(name: KeyName): string {
    return this.own()[name] ?? keyCommands[name].usual;
  }

  is(event: KeyboardEvent, name: KeyName): boolean {
    return combinationOf(event) === this.of(name);
  }

  /** The first of these that the event means. */
  among<N extends KeyName>(event: KeyboardEvent, names: readonly N[]): N | undefined {
    const combination = combinationOf(event);
    return combination ? names.find((name) => this.of(name) === combination) : undefined;
  }

  isOwn(name: KeyName): boolean {
    return this.own()[name] !== undefined;
  }

  /** Why these keys cannot do this, in words; empty where they can. */
  fault(name: KeyName, combination: string): string {
    if (reserved.has(combination)) return `${keysOf(combination).join(' ')} belongs to the browser, the screen reader or the list.`;
    const taken = keyNames.find((other) => other !== name && this.of(other) === combination);
    return taken ? `${keysOf(combination).join(' ')} is taken: ${keyCommands[taken].words}.` : '';
  }

  change(name: KeyName, combination: string): void {
    this.keep({ ...this.own(), [name]: combination });
  }

  asUsual(name: KeyName): void {
    const { [name]: _, ...others } = this.own();
    this.keep(others);
  }

  private keep(own: Partial<Record<KeyName, string>>): void {
    this.own.set(own);
    if (Object.keys(own).length) localStorage.setItem(memory, JSON.stringify(own));
    else localStorage.removeItem(memory);
  }

  enter(place: KeyPlace): void {
    this.open.set([...this.open(), place]);
  }

  leave(place: KeyPlace): void {
    const at = this.open().indexOf(place);
    this.open.set(this.open().filter((_, i) => i !== at));
  }
}

function read(): Partial<Record<KeyName, string>> {
  try {
    const known = JSON.parse(localStorage.getItem(memory) ?? '{}') as Partial<Record<KeyName, string>>;
    return Object.fromEntries(Object.entries(known).filter(([name, keys]) => name in keyCommands && typeof keys === 'string'));
  } catch {
    return {};
  }
}

/** The keys, and that those of a place work while the component lives. */
export function useKeys(place?: KeyPlace): Keys {
  const keys = inject(Keys);
  if (place) {
    keys.enter(place);
    inject(DestroyRef).onDestroy(() => keys.leave(place));
  }
  return keys;
}
