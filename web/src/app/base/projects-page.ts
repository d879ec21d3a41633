import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { Router, RouterLink } from '@angular/router';
import { profiles } from '@core/prove';
import { onAction, useProject } from './live';
import { baseCommands } from './state';
import { Icon } from './ui/icon';
import { ProblemNote } from './ui/problem-note';
import { firstMissing, Needs } from './ui/needs';

/** The projects of whoever is signed in; an administrator of the installation begins new ones here. */
@Component({
  selector: 'cp-projects-page',
  imports: [RouterLink, FormsModule, Icon, MatButtonModule, ProblemNote, Needs],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <main class="page stack">
      <div class="page-head">
        <h1>Projects</h1>
        <span class="grow"></span><button class="chip" type="button" (click)="signOut()">Sign out</button>
      </div>
      @if (missing(); as slug) {
        <p class="note broken" role="alert"><cp-icon name="warning" /> There is no project {{ slug }}, or you have no part in it.</p>
      }
      @for (p of projects(); track p.slug) {
        <a class="sheet pad" [routerLink]="['/', p.slug, 'cord']"
          ><h2>{{ p.name }}</h2>
          <span class="second small">You are {{ p.roles.join(', ') }}</span></a
        >
      } @empty {
        <div class="sheet empty">
          <h2>You have no project yet</h2>
          <p>{{ installs() ? 'Begin one below.' : 'An administrator can give you a role in one.' }}</p>
        </div>
      }
      @if (installs()) {
        <form class="sheet pad stack new" (ngSubmit)="begin()">
          <h2>Begin a project</h2>
          <label class="field"><span>Name</span><input class="in" name="name" [(ngModel)]="name" /></label>
          <label class="field"
            ><span>Short name for addresses (small letters, digits, hyphens)</span><input class="in" name="slug" [(ngModel)]="slug"
          /></label>
          <label class="field"
            ><span>Standard</span
            ><select class="in" name="standard" [(ngModel)]="standard">
              @for (p of profiles; track p.standard) {
                <option>{{ p.standard }}</option>
              }
            </select></label
          >
          <label class="field"
            ><span>Level</span
            ><select class="in" name="level" [(ngModel)]="level">
              @for (l of levels(); track l) {
                <option>{{ l }}</option>
              }
            </select></label
          >
          <cp-problem [of]="addName" />
          <div><button mat-flat-button type="submit" [cpNeeds]="lacks">Begin</button></div>
        </form>
      }
    </main>
  `,
  styles: `
    main {
      max-width: 720px;
      margin: 0 auto;
    }
    a.sheet {
      display: block;
      color: inherit;
      font-weight: 400;
    }
    .new {
      margin-top: 12px;
    }
  `,
})
export class ProjectsPage {
  private readonly scope = useProject();
  private readonly router = inject(Router);
  /** The project that somebody came for, in vain. */
  readonly missing = input('');
  protected readonly profiles = profiles;
  protected readonly projects = computed(() => this.scope.session()?.projects ?? []);
  protected readonly installs = computed(() => this.scope.session()?.person.installation ?? false);
  protected readonly name = signal('');
  protected readonly slug = signal('');
  protected readonly standard = signal(profiles[0].standard);
  protected readonly level = signal('SIL 3');
  protected readonly levels = computed(() => profiles.find((p) => p.standard === this.standard())?.levels ?? []);
  protected readonly lacks = (): string =>
    firstMissing([!this.name().trim(), 'Give it a name.'], [!this.slug().trim(), 'Give it a short name for addresses.']);
  protected readonly addName = baseCommands.addProject.name;

  constructor() {
    effect(() => {
      if (!this.levels().includes(this.level())) this.level.set(this.levels().at(-1) ?? '');
    });
    onAction(baseCommands.addProject.done, ({ answer }) => {
      this.scope.store.dispatch(baseCommands.getSession.start({}));
      void this.router.navigate(['/', answer.slug, 'settings']);
    });
    onAction(baseCommands.signOut.done, () => void this.router.navigateByUrl('/sign-in'));
    const only = this.projects();
    if (only.length === 1 && !this.installs() && !this.router.lastSuccessfulNavigation())
      void this.router.navigate(['/', only[0].slug, 'cord']);
  }

  protected begin(): void {
    this.scope.store.dispatch(
      baseCommands.addProject.start({ slug: this.slug(), name: this.name(), standard: this.standard(), level: this.level() }),
    );
  }

  protected signOut(): void {
    this.scope.store.dispatch(baseCommands.signOut.start({}));
  }
}
