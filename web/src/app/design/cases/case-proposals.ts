import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { CaseDetail } from '@contract/design';
import { proposeNumbers, proposeSteps, type CaseContent, type CaseRow, type CaseStep } from '@core/design';
import { Icon } from '../../base';

interface Proposal {
  readonly id: string;
  readonly requirement: string;
  /** The words that it came from. */
  readonly words: string;
  readonly what: string;
  readonly change: (before: CaseContent) => Partial<CaseContent>;
}

const withSteps = (before: CaseContent, steps: readonly CaseStep[]): CaseStep[] => [
  ...before.steps.filter((step, i, all) => i < all.length - 1 || step.action || step.expected || step.call),
  ...steps,
];
/** Preconditions, with what is not said in them yet. */
const withLine = (before: string, more: string): string =>
  [before, ...more.split('\n').filter((line) => line && !before.includes(line))].filter(Boolean).join('\n');

/** What the words of the requirements that a case verifies propose: steps, conditions and boundary rows, each beside its words; taken, or left. */
@Component({
  selector: 'cp-case-proposals',
  imports: [Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (proposals().length) {
      <details [open]="open()">
        <summary>{{ proposals().length }} {{ proposals().length === 1 ? 'proposal' : 'proposals' }} from the words of {{ from() }}</summary>
        @for (p of proposals(); track p.id) {
          <div class="row proposal">
            <span class="grow"
              ><b class="key">{{ p.requirement }}</b
              >&ngsp;<q>{{ p.words }}</q
              >&ngsp;<span class="second">→ {{ p.what }}</span></span
            >
            <button class="chip" type="button" (click)="taken.emit(p.change(of()))"><cp-icon name="add" /> Take</button>
          </div>
        }
      </details>
    }
  `,
  styles: `
    .proposal {
      padding: 4px 0;
    }
    summary {
      cursor: pointer;
      color: var(--cord);
      font-weight: 600;
    }
  `,
})
export class CaseProposals {
  readonly of = input.required<CaseContent>();
  readonly verified = input.required<CaseDetail['verified']>();
  /** Shown at once: somebody came for them. */
  readonly open = input(false);
  readonly taken = output<Partial<CaseContent>>();
  protected readonly from = computed(() =>
    this.verified()
      .map(({ key }) => key)
      .join(', '),
  );
  protected readonly proposals = computed(() => this.verified().flatMap((r) => this.proposalsOf(r)));

  private proposalsOf({ key, text, criteria }: CaseDetail['verified'][number]): Proposal[] {
    const found: Proposal[] = [];
    for (const [i, { preconditions, steps }] of proposeSteps([text, ...criteria].join('\n')).entries())
      found.push({
        id: `${key} steps ${i}`,
        requirement: key,
        words: steps.map((s) => `${s.action} / ${s.expected}`).join('; '),
        what: `${steps.length} steps${preconditions ? ', with preconditions' : ''}`,
        change: (before) => ({ steps: withSteps(before, steps), preconditions: withLine(before.preconditions, preconditions) }),
      });
    const given = proposeSteps(criteria.join('\n')).length > 0;
    if (criteria.length && !given)
      found.push({
        id: `${key} criteria`,
        requirement: key,
        words: criteria.join('; '),
        what: `${criteria.length} steps that look at the acceptance criteria`,
        change: (before) => ({
          steps: withSteps(
            before,
            criteria.map((criterion) => ({ action: 'Look', expected: criterion })),
          ),
        }),
      });
    for (const { words, at, parameter, rows } of proposeNumbers(text)) {
      const unit = parameter.unit ? ` ${parameter.unit}` : '';
      found.push({
        id: `${key} ${at}`,
        requirement: key,
        words,
        what: `${rows.length} rows at the limit of ${parameter.name}: ${rows.map((row) => `${row.value}${row.valid ? '' : ' (refused)'}`).join(', ')}`,
        change: (before) => {
          const known = before.rows ?? [];
          const made = rows.map(({ value, valid }, n): CaseRow => ({
            name: `${parameter.name} ${value}${valid ? '' : ' refused'}`.slice(0, 60) || String(n + 1),
            values: { ...known.at(-1)?.values, [parameter.name]: String(value) },
          }));
          const used = before.steps.some((step) => step.action.includes(`{{${parameter.name}}}`));
          const step: CaseStep = { action: `Set ${parameter.name} to {{${parameter.name}}}${unit}`, expected: words };
          return {
            rows: [...known, ...made.filter((row) => !known.some((k) => k.name === row.name))],
            ...(used ? {} : { steps: withSteps(before, [step]) }),
          };
        },
      });
    }
    return found;
  }
}
