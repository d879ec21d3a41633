import { ChangeDetectionStrategy, Component, effect, inject, input, signal, untracked } from '@angular/core';
import { previewProfile } from '@contract/prove';
import { knotWords, stateWords, type CordShifts, type KnotShift, type StandardProfile } from '@core/prove';
import { Api } from '../api';
import { useProject } from '../live';
import { RecordLink } from '../ui/record-link';

const afterTyping = 400;

/** What becomes of the cords of the build that is looked at, were a changed profile in force: told before it is signed. */
@Component({
  selector: 'cp-profile-preview',
  imports: [RecordLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div role="status" aria-label="What the changes touch" class="stack-s">
      @if (shifts(); as s) {
        @if (s.changed) {
          <p>
            On {{ scope.build() }} the cords of {{ s.changed }} of {{ s.of }} requirements change: {{ s.proved.after }} are proved,
            {{ s.proved.after === s.proved.before ? 'as many as now' : 'now ' + s.proved.before }}.
          </p>
          <ul>
            @for (shift of s.shifts; track $index) {
              <li>
                {{ words(shift) }}:
                @for (key of shift.keys; track key) {
                  <cp-record kind="requirement" [key]="key" />&ngsp;
                }
                @if (shift.count > shift.keys.length) {
                  <span class="second">and {{ shift.count - shift.keys.length }} more</span>
                }
              </li>
            }
          </ul>
        } @else {
          <p>On {{ scope.build() }} no cord of its {{ s.of }} requirements changes.</p>
        }
      } @else if (scope.build()) {
        <p class="second">{{ failed() || 'Looking at what the changes touch …' }}</p>
      }
    </div>
  `,
  styles: `
    li {
      padding: 2px 0;
    }
  `,
})
export class ProfilePreview {
  readonly of = input.required<StandardProfile>();
  protected readonly scope = useProject();
  private readonly api = inject(Api);
  protected readonly shifts = signal<CordShifts | null>(null);
  protected readonly failed = signal('');
  private asked = 0;

  constructor() {
    effect((onCleanup) => {
      const [profile, project, build] = [this.of(), this.scope.slug(), this.scope.build()];
      this.shifts.set(null);
      this.failed.set('');
      if (!build) return;
      const timer = setTimeout(() => untracked(() => void this.look(project, build, profile)), afterTyping);
      onCleanup(() => clearTimeout(timer));
    });
  }

  private async look(project: string, build: string, profile: StandardProfile): Promise<void> {
    const mine = ++this.asked;
    try {
      const shifts = await this.api.call(previewProfile, { project, build, profile: profile as never });
      if (mine === this.asked) this.shifts.set(shifts);
    } catch {
      if (mine === this.asked) this.failed.set('What they touch could not be looked at now; they can be signed all the same.');
    }
  }

  protected words({ knot, from, to, count }: KnotShift): string {
    return `${knotWords[knot]} ${stateWords[to]} instead of ${stateWords[from]} at ${count}`;
  }
}
