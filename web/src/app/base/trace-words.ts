import type { MatDialog } from '@angular/material/dialog';
import { filter, type Observable } from 'rxjs';
import type { TraceRow } from '@contract/specify';
import { suspectEnds } from '@core/design';
import { ReasonDialog, type ReasonRequest } from './ui/reason-dialog';

/** Why a trace is suspect, in words; empty when it is not. */
export function suspectWords(trace: TraceRow): string {
  const ends = suspectEnds(trace, trace.fromNow, trace.toNow).map((end) => trace[end]);
  return ends.length ? `${ends.join(' and ')} revised since` : '';
}

/** Asks for the reason with which a suspect trace is confirmed. */
export function askConfirmation(dialogs: MatDialog, trace: TraceRow): Observable<string> {
  const text = `${trace.from} to ${trace.to}: ${suspectWords(trace)} it was confirmed at revisions ${trace.fromRevision} and ${trace.toRevision}.`;
  const data: ReasonRequest = { title: 'The trace still holds', text, confirm: 'Confirm the trace' };
  return dialogs
    .open<ReasonDialog, ReasonRequest, string>(ReasonDialog, { data })
    .afterClosed()
    .pipe(filter((reason) => reason !== undefined));
}
