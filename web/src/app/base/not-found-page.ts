import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink } from '@angular/router';
import { useProject } from './live';

/** Where an address leads to nothing: it says so, and where to go on. */
@Component({
  selector: 'cp-not-found-page',
  imports: [RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page">
      <div class="sheet empty" role="alert">
        <h2>There is no such page</h2>
        <p>The address may be mistyped, or what it led to is somewhere else now.</p>
        <p><a class="chip" [routerLink]="['/', scope.slug(), 'today']">What waits for you</a></p>
      </div>
    </div>
  `,
})
export class NotFoundPage {
  protected readonly scope = useProject();
}
