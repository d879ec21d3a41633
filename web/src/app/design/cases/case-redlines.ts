import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal, untracked } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { answerRedlines, listRedlines, type CaseRedlines } from '@contract/run';
import { Api, ApiFailure, askReason, Icon, RecordLink, useProject } from '../../base';

/** What runs changed of the steps of a case, offered to its author: taken into the case as a revision, or left. */
@Component({
  selector: 'cp-case-redlines',
  imports: [Icon, RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (offer of offers(); track offer.run) {
      <div class="note waiting">
        <cp-icon name="edit_note" />
        <span class="grow">
          <cp-record kind="run" [key]="offer.run" [text]="offer.run" /> of revision {{ offer.revision }} was done otherwise:
          @for (l of offer.redlines; track $index) {
            <br />step {{ l.step }} {{ l.what }}{{ l.before ? ': “' + l.before.action + ' → ' + l.before.expected + '”' : ''
            }}{{ l.after ? (l.before ? ' became ' : ': ') + '“' + l.after.action + ' → ' + l.after.expected + '”' : '' }}, because:
            {{ l.reason }}
          }
          @if (offer.left) {
            <br /><span class="t-suspect"
              >{{ offer.left }} of these {{ offer.left === 1 ? 'finds' : 'find' }} no place in the case as it is now.</span
            >
          }
        </span>
        @if (author()) {
          @if (offer.left < offer.redlines.length) {
            <button class="chip" type="button" (click)="answer(offer.run, true)">Take it into the case</button>
          }
          <button class="chip" type="button" (click)="answer(offer.run, false)">Leave the case</button>
        }
      </div>
    }
    @if (problem()) {
      <p class="t-broken" role="alert">{{ problem() }}</p>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 8px;
    }
    :host:empty {
      display: none;
    }
  `,
})
export class CaseRedlinesNote {
  readonly key = input.required<string>();
  readonly revision = input.required<number>();
  readonly author = input(false);
  /** One was taken: the case has another revision. */
  readonly taken = output();
  private readonly scope = useProject();
  private readonly api = inject(Api);
  private readonly dialogs = inject(MatDialog);
  protected readonly offers = signal<CaseRedlines>([]);
  protected readonly problem = signal('');

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      this.revision();
      untracked(() => void this.read(at));
    });
  }

  private async read(at: { project: string; key: string }): Promise<void> {
    // What cannot be read now is read with the next change.
    const offers = await this.api.call(listRedlines, at).catch(() => []);
    if (at.key === this.key()) this.offers.set(offers);
  }

  protected answer(run: string, take: boolean): void {
    askReason(this.dialogs, {
      title: take ? `Take the redline of ${run}` : `Leave ${this.key()} as it is`,
      text: take
        ? 'It becomes a revision of the case: results of earlier revisions become suspect until somebody decides.'
        : 'The run stays as it was done; the case is not changed.',
      confirm: take ? 'Take it' : 'Leave it',
    }).subscribe((reason) => void this.send(run, take, reason));
  }

  private async send(run: string, take: boolean, reason: string): Promise<void> {
    try {
      const at = { project: this.scope.slug(), key: this.key() };
      this.offers.set(await this.api.call(answerRedlines, { ...at, run, take, reason, basedOn: this.revision() }));
      this.problem.set('');
      if (take) this.taken.emit();
    } catch (error) {
      if (!(error instanceof ApiFailure)) throw error;
      this.problem.set(error.problem.detail ?? error.problem.title);
    }
  }
}
