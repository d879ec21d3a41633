import type { BulkAct } from '@contract/base';
import { articled, type Role } from '@core/base';
import { Refusal } from './errors';

/** Who may do which act. */
export const rolesFor: Record<BulkAct['act'], readonly Role[]> = {
  state: ['author', 'reviewer'],
  approve: ['reviewer'],
  retire: ['author'],
  restore: ['author'],
  own: ['author'],
  set: ['author'],
  move: ['author'],
  copy: ['author'],
  reassign: ['author', 'tester'],
  withdraw: ['author', 'tester', 'reviewer'],
  bringBack: ['author', 'tester', 'reviewer'],
  revert: ['author'],
  replace: ['author'],
  file: ['author'],
  import: ['author'],
};
/** Acts that are a signature. */
export const signed: readonly BulkAct['act'][] = ['approve', 'withdraw', 'bringBack'];
const reasoned: readonly BulkAct['act'][] = ['retire', 'restore', 'reassign', 'withdraw', 'bringBack'];

/** Refuses an act to who has none of the roles that may do it. */
export function refuseRoles(roles: readonly Role[], { act }: BulkAct): void {
  if (!rolesFor[act].some((role) => roles.includes(role)))
    throw new Refusal('forbidden', {
      detail: `This is done by ${rolesFor[act].map(articled).join(' or ')}.`,
    });
}

/** Refuses an act that needs a reason without one. */
export function refuseReason({ act }: BulkAct, reason: string): void {
  if (reasoned.includes(act) && reason.trim().length < 3)
    throw new Refusal('invalid', { fields: [{ path: 'reason', text: 'Give a reason of at least three letters.' }] });
}
