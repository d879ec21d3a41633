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

/** How a case that another one rests on stands. */
export const standingWords = { passed: 'passed', failed: 'failed', blocked: 'is blocked', open: 'is not run yet' };

/** The mark of a run in the list of the bench. */
export function benchMark(item: RunSummary): string {
  return item.verdict === 'failed'
    ? 'failed'
    : item.verdict === 'blocked'
      ? 'blocked'
      : item.verdict === 'deviation'
        ? 'deviation'
        : item.verdict
          ? 'passed'
          : item.state === 'onBench'
            ? 'bench'
            : 'todo';
}

/** A size of a file, for people. */
export function sizeWords(bytes: number): string {
  return bytes < 1024 ? `${bytes} B` : bytes < 1 << 20 ? `${Math.round(bytes / 1024)} kB` : `${(bytes / (1 << 20)).toFixed(1)} MB`;
}

/** A picture from the clipboard has no name of its own: it is named by its step and place. */
export const namedPaste = (file: File, step: number, place: number): File =>
  file.name === 'image.png' ? new File([file], `pasted-${step}-${place}.png`, { type: file.type }) : file;
