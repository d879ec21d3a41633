import { ChangeDetectionStrategy, Component, computed, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { passwordFault, passwordLeast, passwordStrength } from '@contract/base';

const strengthWords = ['very weak', 'weak', 'fair', 'good', 'strong'] as const;

/** A new password, with what is still wrong with it and how strong it is, told while it is typed. */
@Component({
  selector: 'cp-new-password',
  imports: [FormsModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <label class="field"
      ><span>New password ({{ least }} characters or more)</span
      ><input
        class="in"
        type="password"
        name="next"
        autocomplete="new-password"
        aria-describedby="password-strength"
        [ngModel]="value()"
        (ngModelChange)="value.set($event)"
    /></label>
    <div id="password-strength" class="strength small second" aria-live="polite">
      <meter min="0" max="4" low="2" high="3" optimum="4" [value]="value() ? strength() : 0" aria-label="Strength"></meter>
      {{ value() ? fault() || words() : '' }}
    </div>
  `,
  styles: `
    :host {
      display: grid;
      gap: 4px;
    }
    .strength {
      display: flex;
      gap: 8px;
      align-items: center;
      min-height: 20px;
    }
    meter {
      width: 96px;
    }
  `,
})
export class NewPassword {
  readonly person = input.required<{ readonly login: string; readonly printedName: string }>();
  readonly value = model('');
  protected readonly least = passwordLeast;
  protected readonly fault = computed(() => passwordFault(this.value(), this.person()));
  protected readonly strength = computed(() => passwordStrength(this.value()));
  protected readonly words = computed(() => strengthWords[this.strength()]);
  /** Nothing is wrong with it as far as can be said here. */
  readonly good = computed(() => this.fault() === undefined);
}
