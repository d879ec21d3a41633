import type { Role } from '@core/base';
import type { BulkChoice } from './bulk-panel';

/** The acts that are offered for what is reviewed, to who may do them. */
export function reviewChoices(roles: readonly Role[]): BulkChoice[] {
  const author = roles.includes('author');
  const reviewer = roles.includes('reviewer');
  return [
    ...(author ? [{ words: 'Ask for review', act: { act: 'state', state: 'review' }, asks: 'nothing' } as const] : []),
    ...(author || reviewer ? [{ words: 'Back to draft', act: { act: 'state', state: 'draft' }, asks: 'nothing' } as const] : []),
    ...(reviewer ? [{ words: 'Approve', act: { act: 'approve' }, asks: 'signature' } as const] : []),
    ...(author
      ? ([
          { words: 'Copy', act: { act: 'copy', traces: false }, asks: 'nothing' },
          { words: 'Copy with traces', act: { act: 'copy', traces: true }, asks: 'nothing' },
          { words: 'Retire', act: { act: 'retire' }, asks: 'reason' },
          { words: 'Bring back', act: { act: 'restore' }, asks: 'reason' },
        ] as const)
      : []),
  ];
}

/** Setting a member of a content to a value, for all that are chosen. */
export const setChoice = (name: string, label: string, value: string): BulkChoice => ({
  words: `${label}: ${value}`,
  act: { act: 'set', values: { [name]: value } },
  asks: 'nothing',
});
