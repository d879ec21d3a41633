import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Icon } from '../ui/icon';

/** A secret that is shown this once: a one-time code, or a program's token. */
@Component({
  selector: 'cp-one-time-code',
  imports: [MatButtonModule, Icon],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="note waiting" role="status">
      <cp-icon name="lock" />
      <div class="grow stack-s">
        <strong>{{ words() || 'One-time code for ' + login() }}</strong>
        <code class="code">{{ code() }}</code>
        <span class="small">It is shown this once and kept nowhere. Hand it over on a way that only its owner reads.</span>
      </div>
      <button mat-button type="button" (click)="closed.emit()">I have it</button>
    </div>
  `,
})
export class OneTimeCode {
  readonly login = input('');
  readonly code = input.required<string>();
  readonly words = input('');
  readonly closed = output();
}
