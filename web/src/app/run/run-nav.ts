import { ChangeDetectionStrategy, Component } from '@angular/core';
import { PlaceNav } from '../base';

/** The places of Run. */
export const runPlaces = [
  ['results', 'Results'],
  ['sign', 'To sign'],
  ['programs', 'Programs'],
  ['again', 'Needed again'],
  ['problems', 'Problem reports'],
  ['tracker', 'Tracker outside'],
  ['configurations', 'Configurations'],
  ['device', 'On this device'],
] as const;

/** Where one can go in Run: rounds, results beside each other, what waits for a signature, what programs sent, what is needed again. */
@Component({
  selector: 'cp-run-nav',
  imports: [PlaceNav],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-place-nav room="run" label="Places of Run" first="Rounds" [of]="places" />`,
})
export class RunNav {
  protected readonly places = runPlaces;
}
