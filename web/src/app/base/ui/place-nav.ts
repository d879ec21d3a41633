import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';
import { useProject } from '../live';

/** The places of a room: where one can go in it, the first at its own address. */
@Component({
  selector: 'cp-place-nav',
  imports: [RouterLink, RouterLinkActive],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <nav [attr.aria-label]="label()">
      <a [routerLink]="['/', scope.slug(), room()]" routerLinkActive="on" [routerLinkActiveOptions]="{ exact: true }">{{ first() }}</a>
      @for (place of of(); track place[0]) {
        <a [routerLink]="['/', scope.slug(), room(), place[0]]" routerLinkActive="on" ariaCurrentWhenActive="page">{{ place[1] }}</a>
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
export class PlaceNav {
  readonly room = input.required<string>();
  readonly label = input.required<string>();
  /** What stands at the room’s own address. */
  readonly first = input.required<string>();
  readonly of = input.required<readonly (readonly [path: string, words: string])[]>();
  protected readonly scope = useProject();
}
