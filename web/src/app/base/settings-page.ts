import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { roles, type Role } from '@core/base';
import { metrics, usualPolicy, type CreditPolicy, type Metric } from '@core/measure';
import { metricWords, policiesOf, type Policies, type StandardProfile } from '@core/prove';
import { onAction, useProject } from './live';
import { AccountPanel } from './settings/account-panel';
import { FactorsPanel } from './settings/factors-panel';
import { FieldsPanel } from './settings/fields-panel';
import { TraceKindsPanel } from './settings/trace-kinds-panel';
import { StoragePanel } from './settings/storage-panel';
import { AccountsPanel } from './settings/accounts-panel';
import { AuditPanel } from './settings/audit-panel';
import { MeaningsPanel } from './settings/meanings-panel';
import { ProblemLifePanel } from './settings/problem-life-panel';
import { ProfilePreview } from './settings/profile-preview';
import { RoleNote } from './settings/role-note';
import { RunPolicies } from './settings/run-policies';
import { ProgramsPanel } from './settings/programs-panel';
import { baseCommands } from './state';
import { Icon } from './ui/icon';
import { ProblemNote } from './ui/problem-note';
import { type SignRequest, askSignature } from './ui/sign-dialog';
import { Needs } from './ui/needs';

const creditChoices = [
  ['childCases', 'cases of derived requirements'],
  ['parentCases', 'cases of the parent'],
  ['deviations', 'runs passed with an accepted deviation'],
] as const;

const marks = [
  ['reviewAt', 'Second signature', 'needs a reviewer’s signature'],
  ['observationAt', 'Words on every pass', 'asks for words on every passed step'],
  ['ownApprovalAt', 'Own work approved', 'lets people approve their own work'],
] as const;
/** A list of levels that a mark of the table puts a level into. */
type LevelList = (typeof marks)[number][0];

const toggled = <T>(list: readonly T[], item: T): T[] => (list.includes(item) ? list.filter((other) => other !== item) : [...list, item]);

/** Who is what in the project, what its standard asks for, programs and accounts, and one's own sessions and password. */
@Component({
  selector: 'cp-settings-page',
  imports: [
    MeaningsPanel,
    ProfilePreview,
    RoleNote,
    ProblemLifePanel,
    RunPolicies,
    FormsModule,
    MatButtonModule,
    Icon,
    ProblemNote,
    ProgramsPanel,
    AccountsPanel,
    AccountPanel,
    FactorsPanel,
    StoragePanel,
    FieldsPanel,
    TraceKindsPanel,
    AuditPanel,
    Needs,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page stack">
      <h1>Project and people</h1>
      @if (!admin()) {
        <p class="second">What is greyed here is changed by an administrator of the project.</p>
      }
      <cp-problem [of]="names.member" />
      <section class="sheet pad stack" tabindex="0" aria-label="People in this project">
        <h2>People in this project</h2>
        <table class="list">
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">Sign-in name</th>
              @for (role of roles; track role) {
                <th scope="col">{{ role }}</th>
              }
            </tr>
          </thead>
          <tbody>
            @for (m of members(); track m.login) {
              <tr>
                <th scope="row">{{ m.printedName }}</th>
                <td>{{ m.login }}</td>
                @for (role of roles; track role) {
                  <td>
                    <input
                      type="checkbox"
                      [attr.aria-label]="m.printedName + ' is ' + role"
                      [checked]="m.roles.includes(role)"
                      [disabled]="!admin()"
                      (change)="toggle($event, m.login, m.roles, role)"
                    />
                  </td>
                }
              </tr>
            }
          </tbody>
        </table>
        @if (leaving(); as l) {
          <cp-role-note
            [login]="l.login"
            [role]="l.role"
            [members]="members()"
            (taken)="setRoles(l.login, l.roles)"
            (left)="leaving.set(null)"
          />
        }
        @if (admin()) {
          <form class="row end" (ngSubmit)="join()">
            <label class="row"
              ><span class="second">Add a person by sign-in name</span
              ><input class="in narrow" name="joining" [(ngModel)]="joining" /></label
            ><button mat-stroked-button type="submit" [cpNeeds]="joiningMissing">Add as tester</button>
          </form>
        }
      </section>
      @if (profile(); as p) {
        <section class="sheet pad stack" tabindex="0" aria-label="What the standard asks here">
          <h2>What {{ p.standard }} asks here</h2>
          <p class="second">{{ p.note }} A blank cell is not asked for. Targets are per cent of credited coverage.</p>
          <table class="list">
            <thead>
              <tr>
                <th scope="col">Level</th>
                @for (m of metrics; track m) {
                  <th scope="col">{{ metricWords[m] }}</th>
                }
                @for (mark of marks; track mark[0]) {
                  <th scope="col">{{ mark[1] }}</th>
                }
              </tr>
            </thead>
            <tbody>
              @for (level of p.levels; track level) {
                <tr>
                  <th scope="row">{{ level }}</th>
                  @for (m of metrics; track m) {
                    <td>
                      <input
                        #targetBox
                        class="in tiny"
                        type="number"
                        min="0"
                        max="100"
                        [attr.aria-label]="level + ' ' + metricWords[m]"
                        [disabled]="!admin()"
                        [value]="p.targets[level]?.[m] ?? ''"
                        (change)="target(level, m, targetBox.value)"
                      />
                    </td>
                  }
                  @for (mark of marks; track mark[0]) {
                    <td>
                      <input
                        type="checkbox"
                        [attr.aria-label]="level + ' ' + mark[2]"
                        [disabled]="!admin()"
                        [checked]="levelsOf(mark[0], p).includes(level)"
                        (change)="setMark(mark[0], level)"
                      />
                    </td>
                  }
                </tr>
              }
            </tbody>
          </table>
          <fieldset class="row">
            <legend class="second">Code gets credit also from</legend>
            @for (c of creditChoices; track c[0]) {
              <label class="row"
                ><input
                  #creditBox
                  type="checkbox"
                  [disabled]="!admin()"
                  [checked]="(p.credit ?? usualPolicy)[c[0]]"
                  (change)="credit(c[0], creditBox.checked)"
                />
                {{ c[1] }}</label
              >
            }
          </fieldset>
          <label class="row"
            ><input
              #creditNeedsSignatureBox
              type="checkbox"
              [disabled]="!admin()"
              [checked]="policies()?.creditNeedsSignature"
              (change)="policy({ creditNeedsSignature: creditNeedsSignatureBox.checked })"
            />
            A result gives credit only once its tester signed it</label
          >
          <label class="row"
            ><input
              #signingNeedsFactorBox
              type="checkbox"
              [disabled]="!admin()"
              [checked]="policies()?.signingNeedsFactor ?? false"
              (change)="policy({ signingNeedsFactor: signingNeedsFactorBox.checked })"
            />
            Whoever signs here has signed in with a second factor</label
          >
          @if (policies(); as of) {
            <cp-run-policies [of]="of" [levels]="p.levels" [locked]="!admin()" (changed)="policy($event)" />
            <cp-meanings-panel
              [of]="of.meanings ?? []"
              [inForce]="scope.project()?.profile?.policies?.meanings ?? []"
              [locked]="!admin()"
              (changed)="policy({ meanings: $event })"
            />
          }
          <cp-problem [of]="names.profile" />
          @if (changed()) {
            <cp-profile-preview [of]="p" />
            <div class="note waiting">
              <cp-icon name="edit_note" /><span class="grow">Not in force yet: changes of the profile are signed, with a reason.</span
              ><button mat-flat-button type="button" (click)="sign()"><cp-icon name="signature" /> Sign the changes</button
              ><button mat-button type="button" (click)="forget()">Forget them</button>
            </div>
          }
        </section>
      }
      <cp-problem-life-panel />
      <cp-fields-panel />
      <cp-trace-kinds-panel />
      <cp-storage-panel />
      @if (admin() || scope.roles().includes('auditor')) {
        <cp-programs-panel />
      }
      @if (scope.session()?.person?.installation) {
        <cp-accounts-panel />
        <cp-audit-panel />
      }
      <cp-account-panel />
      <cp-factors-panel />
    </div>
  `,
  styles: `
    .narrow {
      width: 200px;
    }
    .tiny {
      width: 80px;
    }
    input[type='checkbox'] {
      width: 16px;
      height: 16px;
    }
  `,
})
export class SettingsPage {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  protected readonly roles = roles;
  protected readonly metrics = metrics;
  protected readonly usualPolicy = usualPolicy;
  protected readonly marks = marks;
  protected readonly creditChoices = creditChoices;
  protected readonly metricWords = metricWords;
  protected readonly members = computed(() => this.scope.project()?.members ?? []);
  private readonly draft = signal<StandardProfile | null>(null);
  /** What the standard asks, with changes that are not signed yet. */
  protected readonly profile = computed(() => this.draft() ?? (this.scope.project()?.profile as StandardProfile | undefined));
  protected readonly changed = computed(() => this.draft() !== null);
  protected readonly policies = computed(() => {
    const profile = this.profile();
    return profile && policiesOf(profile);
  });
  private readonly dialogs = inject(MatDialog);
  protected readonly admin = computed(() => this.scope.roles().includes('administrator'));
  protected readonly names = {
    member: baseCommands.setMember.name,
    profile: baseCommands.setProfile.name,
  };
  /** A role that somebody is about to lose. */
  protected readonly leaving = signal<{ readonly login: string; readonly role: Role; readonly roles: Role[] } | null>(null);
  protected readonly joining = signal('');
  protected readonly joiningMissing = (): string => (this.joining().trim() ? '' : 'Type a sign-in name.');

  constructor() {
    onAction(baseCommands.setProfile.done, () => this.draft.set(null));
  }

  /** A role is given at once; what hangs on one is told before it is taken away. */
  protected toggle(event: Event, login: string, has: readonly Role[], role: Role): void {
    const roles = toggled(has, role);
    if (!has.includes(role)) return this.setRoles(login, roles);
    (event.target as HTMLInputElement).checked = true;
    this.leaving.set({ login, role, roles });
  }

  protected setRoles(login: string, roles: Role[]): void {
    this.leaving.set(null);
    this.store.dispatch(baseCommands.setMember.start({ project: this.scope.slug(), login, roles }));
  }

  protected join(): void {
    this.store.dispatch(baseCommands.setMember.start({ project: this.scope.slug(), login: this.joining().trim(), roles: ['tester'] }));
    this.joining.set('');
  }

  private correct(change: (profile: StandardProfile) => StandardProfile): void {
    const profile = this.profile() as StandardProfile | undefined;
    if (!profile) return;
    this.draft.set(change(profile));
  }

  /** The profile and every policy are changed with a reason and a signature: all changes at once. */
  protected sign(): void {
    const [project, draft] = [this.scope.project(), this.draft()];
    if (!project || !draft) return;
    const data: SignRequest = {
      title: `Change what ${draft.standard} asks here`,
      meaning: 'I change what this project asks for. Every cord of every open build is judged anew by it.',
      printedName: this.scope.session()?.person.printedName ?? '',
      needsReason: true,
    };
    askSignature(this.dialogs, data).subscribe((answer) => {
      const { levels, reviewAt, targets, policies, ...rest } = draft;
      this.store.dispatch(
        baseCommands.setProfile.start({
          project: project.slug,
          basedOn: project.revision,
          profile: {
            ...rest,
            levels: [...levels],
            reviewAt: [...reviewAt],
            targets: { ...targets },
            ...(policies
              ? { policies: { ...policies, ownApprovalAt: [...policies.ownApprovalAt], observationAt: [...policies.observationAt] } }
              : {}),
          },
          reason: answer.reason,
          password: answer.password,
        }),
      );
    });
  }

  protected forget(): void {
    this.draft.set(null);
  }

  /** The levels that a mark of the table is set at. */
  protected levelsOf(list: LevelList, p: StandardProfile): readonly string[] {
    return list === 'reviewAt' ? p.reviewAt : policiesOf(p)[list];
  }

  protected setMark(list: LevelList, level: string): void {
    this.correct((p) => {
      const levels = toggled(this.levelsOf(list, p), level);
      return list === 'reviewAt' ? { ...p, reviewAt: levels } : { ...p, policies: { ...policiesOf(p), [list]: levels } };
    });
  }

  protected policy(change: Partial<Policies>): void {
    this.correct((p) => ({ ...p, policies: { ...policiesOf(p), ...change } }));
  }

  protected target(level: string, metric: Metric, value: string): void {
    this.correct((p) => ({
      ...p,
      targets: {
        ...p.targets,
        [level]: { ...p.targets[level], [metric]: value === '' ? undefined : Math.min(100, Math.max(0, Number(value))) },
      },
    }));
  }

  protected credit(choice: keyof CreditPolicy, chosen: boolean): void {
    this.correct((p) => ({ ...p, credit: { ...(p.credit ?? usualPolicy), [choice]: chosen } }));
  }
}
