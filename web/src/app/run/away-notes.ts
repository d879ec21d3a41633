import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { RunDetail } from '@contract/run';
import { clockAhead, clockTolerance, doneAt, type RecordedAway } from '@core/run';
import { formatDuration, intervalToDuration } from 'date-fns';
import { Icon, useProject } from '../base';

/** What was recorded of a run away from the server, with the times of the device; and what was handed in and did not fit any more. */
@Component({
  selector: 'cp-away-notes',
  imports: [DatePipe, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (notes().length) {
      <details class="note">
        <summary>
          <cp-icon name="cloud_off" /> Recorded on a device without network, {{ notes().length }}
          {{ notes().length === 1 ? 'act' : 'acts' }}; arrived {{ notes().at(-1)!.arrived | date: 'yyyy-MM-dd HH:mm' }}.
          @if (clock(); as c) {
            <b>{{ c }}</b>
          }
        </summary>
        <ul class="small">
          @for (n of notes(); track $index) {
            <li>
              {{ n.words }} at {{ n.at | date: 'yyyy-MM-dd HH:mm:ss' }} by the device’s clock
              @if (n.done !== n.at) {
                (by the server’s {{ n.done | date: 'yyyy-MM-dd HH:mm:ss' }})
              }
              · arrived {{ n.arrived | date: 'yyyy-MM-dd HH:mm:ss' }}
            </li>
          }
        </ul>
      </details>
    }
    @for (h of handed(); track $index) {
      <div class="note waiting">
        <cp-icon name="cloud_off" />
        <div class="grow">
          <b>Handed in from a device by {{ scope.names().get(h.by) ?? h.by }}, {{ h.at | date: 'yyyy-MM-dd HH:mm' }}</b
          >: it is no part of the result. {{ h.why }}
          @if (h.clock) {
            <b>{{ h.clock }}</b>
          }
          <ul class="small">
            @for (r of h.lines; track $index) {
              <li>
                {{ r.words }} <span class="second">· {{ r.at | date: 'yyyy-MM-dd HH:mm:ss' }} by the device’s clock</span>
              </li>
            }
          </ul>
        </div>
      </div>
    }
  `,
  styles: `
    :host {
      display: contents;
    }
    ul {
      margin: 4px 0 0;
      padding-left: 20px;
    }
    details.note {
      display: block;
    }
    li {
      white-space: pre-line;
    }
    summary {
      cursor: pointer;
    }
  `,
})
export class AwayNotes {
  readonly of = input.required<Pick<RunDetail, 'device' | 'handedIn'>>();
  protected readonly scope = useProject();
  protected readonly notes = computed(() =>
    this.of().device.map((note) => ({
      ...note,
      done: Math.abs(clockAhead(note)) > clockTolerance ? doneAt(note) : note.at,
      words: {
        begun: 'Begun',
        step: `Step ${note.step}`,
        evidence: `Evidence of step ${note.step}`,
        evidenceRemoved: `Evidence taken off step ${note.step}`,
        redlined: `Redline of step ${note.step}`,
        problem: `Problem report from step ${note.step}`,
        linked: 'Problem report linked',
        finished: 'Finished',
      }[note.what],
    })),
  );
  protected readonly clock = computed(() => {
    const last = this.of().device.at(-1);
    return last ? clockWords(clockAhead(last)) : '';
  });
  protected readonly handed = computed(() =>
    this.of().handedIn.map(({ by, at, sent, why, recorded }) => ({
      by,
      at,
      why,
      clock: clockWords(clockAhead({ sent, arrived: at })),
      lines: recorded.map((r) => ({
        at: r.at,
        words: recordedWords(r as RecordedAway) + (r.what === 'evidence' ? ', at the files of this record' : ''),
      })),
    })),
  );
}

/** What is wrong with a device's clock; nothing where it is right to two minutes. */
function clockWords(ahead: number): string {
  if (Math.abs(ahead) <= clockTolerance) return '';
  const duration = intervalToDuration({ start: 0, end: Math.abs(ahead) * 1000 });
  const words = formatDuration(duration, { format: ['days', 'hours', 'minutes'] });
  return `its clock is ${words} ${ahead < 0 ? 'behind' : 'ahead'}`;
}

/** What was recorded away from the server, in words. */
export function recordedWords(recorded: RecordedAway): string {
  const { what, step, verdict, observed, files, conclusion, redline, title, text } = recorded;
  switch (what) {
    case 'begun':
      return 'Begun';
    case 'finished':
      return `Finished${conclusion ? `: “${conclusion}”` : ''}`;
    case 'evidence':
      return `Step ${step}: ${files?.join(', ') ?? 'a file'}`;
    case 'evidenceRemoved':
      return `Step ${step}: ${files?.join(', ') ?? 'a file'} taken off`;
    case 'redlined': {
      const after = redline?.after ? `: ${redline.after.action}; expected: ${redline.after.expected}` : '';
      return `Step ${step} ${redline?.what ?? 'changed'} for this run${after} (${redline?.reason ?? ''})`;
    }
    case 'problem':
      return `Problem report from step ${step}: ${title}${text ? `\n${text}` : ''}`;
    case 'linked':
      return `It shows problem report ${title}`;
    default:
      return `Step ${step}: ${verdict ?? 'no verdict yet'}${observed ? `, “${observed}”` : ''}`;
  }
}
