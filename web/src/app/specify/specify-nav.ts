import { ChangeDetectionStrategy, Component } from '@angular/core';
import { PlaceNav } from '../base';

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
  imports: [PlaceNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-place-nav room="specify" label="Places of Specify" first="Texts" [of]="places" />`,
})
export class SpecifyNav {
  protected readonly places = specifyPlaces;
}
