import type { MatDialog } from '@angular/material/dialog';
import { filter, type Observable } from 'rxjs';
import type { TraceRow } from '@contract/base';
import { ReasonDialog, type ReasonRequest } from './ui/reason-dialog';

/** Why a trace is suspect, in words; empty when it is not. */
export function suspectWords(trace: TraceRow): string {
  const ends = trace.suspect.map((end) => trace[end]);
  return ends.length ? `${ends.join(' and ')} revised since` : '';
}

/** What a trace waits for before it counts, in words; empty when it counts. */
export function waitingWords(trace: TraceRow): string {
  return trace.waits ? 'waits for somebody else to confirm it' : '';
}

interface End {
  readonly key: string;
  readonly state?: string;
}
/** What a trace that is not drawn yet would do, in words: whom it waits for, and what follows from it. */
export function linkWords(kind: string, from: End, to: End): string {
  const waits = [from, to].some(({ state }) => state === 'approved');
  const follows =
    kind === 'parent'
      ? `a new revision of ${to.key} makes ${from.key} suspect`
      : kind === 'verifies'
        ? `runs of ${from.key} then credit ${to.key}`
        : `a new revision of ${from.key} or ${to.key} makes the trace suspect`;
  const parts = [
    ...(kind === 'verifies' && from.state !== 'approved' ? [`${to.key} waits until ${from.key} is approved`] : []),
    ...(waits ? ['counts once somebody else confirms it'] : []),
    follows,
  ];
  const words = parts.join('; ');
  return `${words[0].toUpperCase()}${words.slice(1)}.`;
}

/** Asks for the reason that an act is recorded with; nothing comes where it is called off. */
export function askReason(dialogs: MatDialog, data: ReasonRequest): Observable<string> {
  return dialogs
    .open<ReasonDialog, ReasonRequest, string>(ReasonDialog, { data })
    .afterClosed()
    .pipe(filter((reason) => reason !== undefined));
}

/** Asks for the reason with which a trace is confirmed. */
export function askConfirmation(dialogs: MatDialog, trace: TraceRow): Observable<string> {
  const suspect = suspectWords(trace);
  const text = suspect
    ? `${trace.from} to ${trace.to}: ${suspect} it was confirmed at revisions ${trace.fromRevision} and ${trace.toRevision}.`
    : `${trace.from} to ${trace.to}: drawn by ${trace.drawnBy} at revisions ${trace.fromRevision} and ${trace.toRevision}.`;
  return askReason(dialogs, { title: suspect ? 'The trace still holds' : 'The trace holds', text, confirm: 'Confirm the trace' });
}

const said: Readonly<Record<string, string>> = {
  group: 'group of cases',
  parameters: 'parameter sheet',
  decisionTable: 'decision table',
  stateTable: 'state table',
  problem: 'problem report',
};
/** What people call one of a kind of record. */
export const kindName = (kind: string): string => said[kind] ?? kind;
