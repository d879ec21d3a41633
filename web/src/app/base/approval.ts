import type { MatDialog } from '@angular/material/dialog';
import type { Observable } from 'rxjs';
import { askSignature, type SignAnswer } from './ui/sign-dialog';

/** What is approved, in the revision that is shown. */
export interface ApprovalRequest {
  readonly key: string;
  /** As people say it: requirement, case, flow. */
  readonly what: string;
  readonly revision: number;
  readonly hash: string;
  readonly printedName: string;
  /** Traces that this approval confirms along with it. */
  readonly confirms: readonly string[];
  /** What else it brings with it, in sentences. */
  readonly brings?: readonly string[];
}

/** Asks for the signature with which a revision is approved; says what else it confirms. */
export function askApproval(dialogs: MatDialog, ask: ApprovalRequest): Observable<SignAnswer> {
  const also = [...(ask.confirms.length ? [`This also confirms its traces to ${ask.confirms.join(', ')}.`] : []), ...(ask.brings ?? [])]
    .map((sentence) => ` ${sentence}`)
    .join('');
  return askSignature(dialogs, {
    title: `Approve ${ask.key}`,
    meaning: `I have read revision ${ask.revision} of this ${ask.what} and approve it.${also}`,
    printedName: ask.printedName,
    hash: ask.hash,
    needsReason: false,
  });
}
