import type { RunSummary } from '@contract/run';
import { verdictWords } from '@core/run';

/** What state a run is in, in words. */
export function runStateWords(run: Pick<RunSummary, 'state' | 'verdict' | 'carriedOver'>): string {
  if (run.state === 'planned') return 'To do';
  if (run.state === 'onBench') return 'On the bench';
  if (run.state === 'withdrawn') return 'Withdrawn';
  const verdict = run.verdict ? verdictWords[run.verdict] : 'Recorded';
  if (run.state === 'superseded') return `Superseded (${verdict.toLowerCase()})`;
  return `${verdict}, ${{ recorded: 'to sign', performed: 'to review', reviewed: 'reviewed', returned: 'returned' }[run.state]}`;
}

/** Minutes and seconds as a clock shows them. */
export function clockWords(seconds: number): string {
  const hours = Math.floor(seconds / 3600);
  const rest = `${String(Math.floor((seconds % 3600) / 60)).padStart(2, '0')}:${String(Math.floor(seconds % 60)).padStart(2, '0')}`;
  return hours ? `${hours}:${rest}` : rest;
}
