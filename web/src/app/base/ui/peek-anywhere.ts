import { DOCUMENT, DestroyRef, inject } from '@angular/core';
import { keyInText } from '@core/base';
import { onAction } from '../live';
import { peekCommands } from './peek';
import { usePeek } from './use-peek';

/** What has a peek of its own, or is written in. */
const aside = 'cp-record, cp-peek, [contenteditable], input, textarea, select, code, pre';
/** What somebody moves to by keys. */
const reached = 'a, button, [role=gridcell], [role=treeitem], [role=option]';

/** A key in a text node, with the place where it stands. */
interface Found {
  readonly key: string;
  readonly range: Range;
}

/** The key that stands in a text around a place in it. */
export function keyAround(text: string, at: number): { readonly key: string; readonly start: number } | undefined {
  for (const match of text.matchAll(keyInText))
    if (match.index <= at && at <= match.index + match[0].length) return { key: match[0], start: match.index };
  return undefined;
}

function found(node: Text, at: number): Found | undefined {
  const around = keyAround(node.data, at);
  if (!around) return undefined;
  const range = node.ownerDocument.createRange();
  range.setStart(node, around.start);
  range.setEnd(node, around.start + around.key.length);
  return { key: around.key, range };
}

/** The first key that is seen in an element. */
function firstIn(element: Element): Found | undefined {
  const walker = element.ownerDocument.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode() as Text | null; node; node = walker.nextNode() as Text | null) {
    const at = node.data.search(keyInText);
    if (at >= 0 && node.parentElement?.checkVisibility()) return found(node, at);
  }
  return undefined;
}

/**
 * Shows the peek of a record wherever its key stands: under the pointer in any text, and in what is reached by keys. Links to records
 * bring their own; where somebody writes there is none, and what turned out to be no record's key is not asked for again.
 */
export function peekAnywhere(): void {
  const document = inject(DOCUMENT);
  const peek = usePeek();
  const strangers = new Set<string>();
  let shown = '';
  let frame = 0;

  const close = (): void => {
    if (shown) peek.close();
    shown = '';
  };
  const show = (of: Found | undefined): void => {
    const box = of?.range.getBoundingClientRect();
    if (!of || !box || strangers.has(of.key)) return close();
    const place = `${of.key} ${box.x} ${box.y}`;
    if (place === shown) return;
    close();
    shown = place;
    peek.soon({ key: of.key }, box);
  };
  const under = ({ clientX: x, clientY: y, target }: PointerEvent): Found | undefined => {
    if (!(target instanceof Element) || target.closest(aside)) return undefined;
    const caret = document.caretPositionFromPoint(x, y);
    const of = caret?.offsetNode instanceof Text ? found(caret.offsetNode, caret.offset) : undefined;
    const box = of?.range.getBoundingClientRect();
    // The nearest text answers for an empty place as well.
    return box && x >= box.left && x <= box.right && y >= box.top && y <= box.bottom ? of : undefined;
  };
  const moved = (event: PointerEvent): void => {
    cancelAnimationFrame(frame);
    if (event.pointerType !== 'mouse' || event.buttons) return close();
    frame = requestAnimationFrame(() => show(under(event)));
  };
  const focused = ({ target }: FocusEvent): void => {
    const element = target instanceof Element && target.matches(':focus-visible') ? target : undefined;
    if (element?.matches(reached) && !element.closest(aside)) show(firstIn(element));
    else close();
  };
  // It stays away until another place is gone to.
  const pressed = (event: Event): void => {
    if (event.type === 'pointerdown' || (event as KeyboardEvent).key === 'Escape') peek.close();
  };
  document.addEventListener('pointermove', moved);
  document.addEventListener('focusin', focused);
  for (const name of ['pointerdown', 'keydown']) document.addEventListener(name, pressed);
  onAction(peekCommands.record.failed, ({ input }) => {
    strangers.add(String(input['key']));
    close();
  });
  inject(DestroyRef).onDestroy(() => {
    cancelAnimationFrame(frame);
    document.removeEventListener('pointermove', moved);
    document.removeEventListener('focusin', focused);
    for (const name of ['pointerdown', 'keydown']) document.removeEventListener(name, pressed);
  });
}
