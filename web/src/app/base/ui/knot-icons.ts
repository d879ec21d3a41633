import type { Knot } from '@core/base';

/** The icon of each knot, wherever it stands. */
export const knotIcons: Readonly<Record<Knot, string>> = {
  specify: 'edit_note',
  design: 'account_tree',
  run: 'library_books',
  measure: 'monitoring',
  prove: 'verified',
};
