import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, effect, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { onAction, useProject } from '../live';
import { baseCommands, baseFeature } from '../state';
import { ProblemNote } from '../ui/problem-note';
import { OneTimeCode } from './one-time-code';
import { Needs } from '../ui/needs';

const programRoles = ['author', 'tester', 'auditor'] as const;

/** Accounts of programs: a build server or a rig that delivers by itself, with what it may and until when. */
@Component({
  selector: 'cp-programs-panel',
  imports: [DatePipe, FormsModule, MatButtonModule, ProblemNote, OneTimeCode, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet pad stack">
      <h2>Programs</h2>
      <p class="second">
        A build server or a rig signs in with a token of its own. It never reviews, approves or signs: these are people’s.
      </p>
      <cp-problem [of]="names.add" /><cp-problem [of]="names.end" />
      @if (secret(); as s) {
        <cp-one-time-code [words]="'Token of ' + s.name" [code]="s.secret" (closed)="secret.set(null)" />
      }
      <table class="list">
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">May act as</th>
            <th scope="col">Made by</th>
            <th scope="col">Until</th>
            <th scope="col"><span class="hidden-visually">Change</span></th>
          </tr>
        </thead>
        <tbody>
          @for (t of tokens(); track t.id) {
            <tr>
              <th scope="row">{{ t.name }}</th>
              <td>{{ t.roles.join(', ') }}</td>
              <td>{{ t.createdBy }}</td>
              <td>{{ t.endedAt ? 'ended ' + (t.endedAt | date: 'yyyy-MM-dd') : (t.expiresAt | date: 'yyyy-MM-dd') }}</td>
              <td>
                @if (!t.endedAt && admin()) {
                  <button class="chip" type="button" (click)="end(t.id)">
                    End<span class="hidden-visually"> {{ t.name }}</span>
                  </button>
                }
              </td>
            </tr>
          } @empty {
            <tr>
              <td colspan="5" class="second">No program has an account here.</td>
            </tr>
          }
        </tbody>
      </table>
      @if (admin()) {
        <form class="row end" (ngSubmit)="add()">
          <label class="field"
            ><span>Name</span><input class="in" name="tn" autocomplete="off" placeholder="build-server" [(ngModel)]="name"
          /></label>
          <label class="field"
            ><span>May act as</span
            ><select class="in" name="tr" [(ngModel)]="role">
              @for (r of roles; track r) {
                <option [value]="r">{{ r }}</option>
              }
            </select></label
          >
          <label class="field"><span>Days</span><input class="in" name="td" type="number" min="1" max="366" [(ngModel)]="days" /></label>
          <button mat-stroked-button type="submit" [cpNeeds]="missing">Make the token</button>
        </form>
      }
    </section>
  `,
})
export class ProgramsPanel {
  private readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly tokens = this.store.selectSignal(baseFeature.selectTokens);
  protected readonly names = { add: baseCommands.addToken.name, end: baseCommands.endToken.name };
  protected readonly roles = programRoles;
  protected readonly name = signal('');
  protected readonly missing = (): string => (this.name().trim() ? '' : 'Name the program that will use it.');
  protected readonly role = signal<(typeof programRoles)[number]>('tester');
  protected readonly days = signal(90);
  protected readonly secret = signal<{ name: string; secret: string } | null>(null);
  protected readonly admin = () => this.scope.roles().includes('administrator');

  constructor() {
    effect(() => {
      const project = this.scope.slug();
      if (project) untracked(() => this.store.dispatch(baseCommands.listTokens.start({ project })));
    });
    onAction(baseCommands.addToken.done, ({ answer }) => {
      this.secret.set({ name: answer.token.name, secret: answer.secret });
      this.name.set('');
    });
  }

  protected add(): void {
    this.store.dispatch(
      baseCommands.addToken.start({ project: this.scope.slug(), name: this.name().trim(), roles: [this.role()], days: this.days() }),
    );
  }

  protected end(id: number): void {
    this.store.dispatch(baseCommands.endToken.start({ project: this.scope.slug(), id }));
  }
}
