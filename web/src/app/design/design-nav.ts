import { ChangeDetectionStrategy, Component } from '@angular/core';
import { PlaceNav } from '../base';

/** The places of Design. */
export const designPlaces = [
  ['models', 'Models'],
  ['drafts', 'Drafts'],
  ['groups', 'Groups'],
  ['sufficiency', 'Enough?'],
  ['selection', 'Fewest'],
] as const;

/** Where one can go in Design: the library of cases, what they are made of, and whether they suffice. */
@Component({
  selector: 'cp-design-nav',
  imports: [PlaceNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-place-nav room="design" label="Places of Design" first="Cases" [of]="places" />`,
})
export class DesignNav {
  protected readonly places = designPlaces;
}
