/** Something that can be pressed on the page, by its name. */
export interface HereAct {
  readonly words: string;
  /** Other words under which people look for it. */
  readonly also: string;
  readonly button: HTMLElement;
}

/** Rows of lists and what stands in them, and what only looks otherwise: the jump finds records by itself. */
const apart =
  '[role=listbox], [role=tree], [role=treegrid], [role=grid], [role=table], [role=radiogroup], table, li, svg, [aria-hidden=true]';
const shortest = 3;
const longest = 60;

function nameOf(button: HTMLElement): string {
  const name = button.getAttribute('aria-label') ?? button.innerText;
  return name.replace(/\s+/g, ' ').trim();
}

/** What can be done on the page that is open: its buttons that are seen and can be pressed, each name once, in the order of the page. */
export function actsHere(page: HTMLElement | null): HereAct[] {
  const acts = new Map<string, HereAct>();
  for (const button of page?.querySelectorAll<HTMLElement>(
    'button:not(:disabled):not([aria-pressed=true]):not([aria-selected=true]), a.chip, a.mdc-button',
  ) ?? []) {
    const words = nameOf(button);
    const fits = words.length >= shortest && words.length <= longest && /\p{L}/u.test(words);
    if (fits && !acts.has(words) && !button.closest(apart) && button.ariaDisabled !== 'true' && button.checkVisibility())
      acts.set(words, { words, also: `${button.title} ${button.querySelector('cp-icon[name=add]') ? 'new add' : ''}`, button });
  }
  return [...acts.values()];
}
