import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';
import { useProject } from '../base';

/** The places of Specify. */
export const specifyPlaces = [
  ['read', 'Document'],
  ['reviews', 'Reviews'],
  ['matrix', 'Matrix'],
  ['threads', 'Threads'],
  ['suspect', 'Suspect'],
  ['proposed', 'Proposed'],
  ['gaps', 'Gaps'],
  ['wording', 'Wording'],
  ['baselines', 'Baselines'],
] as const;

/** Where one can go in Specify: the texts, and what is looked at over all of them. */
@Component({
  selector: 'cp-specify-nav',
  imports: [RouterLink, RouterLinkActive],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <nav aria-label="Places of Specify">
      <a [routerLink]="['/', scope.slug(), 'specify']" routerLinkActive="on" [routerLinkActiveOptions]="{ exact: true }">Texts</a>
      @for (place of places; track place[0]) {
        <a [routerLink]="['/', scope.slug(), 'specify', place[0]]" routerLinkActive="on" ariaCurrentWhenActive="page">{{ place[1] }}</a>
      }
    </nav>
  `,
  styles: `
    nav {
      display: flex;
      flex-wrap: wrap;
      gap: 2px 14px;
      border-bottom: 1px solid var(--hairline);
    }
    a {
      padding: 5px 0;
      color: var(--ink-2);
      border-bottom: 2px solid transparent;
    }
    a.on {
      color: var(--ink);
      border-color: var(--cord);
    }
    @media (pointer: coarse) {
      a {
        padding: 12px 0;
      }
    }
  `,
})
export class SpecifyNav {
  protected readonly scope = useProject();
  protected readonly places = specifyPlaces;
}
