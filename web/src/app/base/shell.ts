import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked, type OnDestroy } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButtonModule } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { ActivatedRoute, NavigationEnd, Router, RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { filter, Subject, throttleTime } from 'rxjs';
import { bytesWords, entrySentence, knots, type Knot } from '@core/base';
import { knotWords, stateWords, type KnotState } from '@core/prove';
import { selectRequest } from './command';
import { keysOf, useKeys } from './keys';
import { JumpDialog } from './jump-dialog';
import { Live, onAction, quietActions, useProject } from './live';
import { actionLink } from './links';
import type { News, WaitingItem } from '@contract/base';
import { baseActions, baseCommands, baseFeature } from './state';
import { KeptHere } from './device/kept-here';
import { deviceInUse } from './device/in-use';
import { theme } from './theme';
import { Icon } from './ui/icon';
import { initialsOf } from './ui/initials';
import { peekAnywhere } from './ui/peek-anywhere';
import { knotIcons } from './ui/knot-icons';
import { useVisited } from './visited';

const newsEvery = 10_000;
/** What the shell itself does by keys: what is no area is named by itself. */
const shellKeys = ['jump', 'cord', 'specify', 'design', 'run', 'measure', 'prove', 'keys', 'filter'] as const;

/** The frame of every screen: the rail that is the project's own cord, and the top bar with the build that is proved. */
@Component({
  selector: 'cp-shell',
  imports: [RouterOutlet, RouterLink, RouterLinkActive, MatMenuModule, MatButtonModule, Icon, KeptHere],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './shell.html',
  styleUrl: './shell.scss',
  host: { '(document:keydown)': 'keys($event)' },
})
export class Shell implements OnDestroy {
  protected readonly scope = useProject();
  private readonly store = this.scope.store;
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly dialogs = inject(MatDialog);
  private readonly live = inject(Live);
  private readonly asking = this.store.selectSignal(selectRequest(baseCommands.getProject.name));
  protected readonly rail = this.store.selectSignal(baseFeature.selectRail);
  protected readonly connected = this.store.selectSignal(baseFeature.selectConnected);
  /** What is left of the disk, where it is nearly nothing. */
  protected readonly diskLow = computed(() => {
    const left = this.scope.project()?.storage.diskLow;
    return left == null ? null : bytesWords(left);
  });
  protected readonly waiting = this.store.selectSignal(baseFeature.selectWaiting);
  private readonly visited = useVisited();
  /** The page that is open, without what it asks for. */
  private readonly address = signal('');
  protected readonly trail = this.store.selectSignal(baseFeature.selectTrail);
  protected readonly knots = knots;
  protected readonly words = knotWords;
  protected readonly stateWords = stateWords;
  protected readonly icons = knotIcons;
  protected readonly theme = theme;
  protected readonly deviceInUse = deviceInUse;
  protected readonly initials = computed(() => initialsOf(this.scope.session()?.person.printedName ?? ''));
  /** Somebody else did something that may be news. */
  private readonly stirred = new Subject<void>();
  private readonly news = this.store.selectSignal(baseFeature.selectNews);
  protected readonly unseen = computed(() => this.news()?.unseen ?? 0);
  protected readonly fresh = computed(() => this.news()?.entries.slice(0, Math.min(5, this.unseen())) ?? []);
  protected readonly keyNames = useKeys();
  protected readonly keysOf = keysOf;
  private following = '';

  constructor() {
    peekAnywhere();
    effect(() => {
      if (this.asking().problem?.code === 'notFound')
        untracked(() => void this.router.navigate(['/'], { queryParams: { missing: this.route.snapshot.paramMap.get('project') } }));
    });
    effect(() => {
      const project = this.scope.project();
      if (!project || this.following === project.slug) return;
      this.following = project.slug;
      untracked(() => this.live.follow(project.slug, project.seq));
    });
    effect(() => {
      const project = this.scope.slug();
      if (project) untracked(() => this.store.dispatch(baseCommands.listWaiting.start({ project })));
    });
    effect(() => {
      this.scope.judged();
      const [project, build] = [this.scope.slug(), this.scope.build()];
      if (project && build) untracked(() => this.store.dispatch(baseCommands.getRail.start({ project, build })));
    });
    effect(() => {
      const project = this.scope.slug();
      if (project) untracked(() => this.store.dispatch(baseCommands.listNews.start({ project })));
    });
    this.stirred
      .pipe(throttleTime(newsEvery, undefined, { leading: true, trailing: true }), takeUntilDestroyed())
      .subscribe(() => this.store.dispatch(baseCommands.listNews.start({ project: this.scope.slug() })));
    onAction(baseActions.liveNews, ({ entries }) => {
      const project = this.scope.slug();
      const me = this.scope.session()?.person.login;
      if (entries.some(({ who, action }) => who !== me && !quietActions.has(action))) this.stirred.next();
      if (entries.some(({ kind }) => kind === 'build' || kind === 'person' || kind === 'project'))
        this.store.dispatch(baseCommands.getProject.start({ project }));
      // A step that somebody records moves nothing in what waits for others.
      if (entries.some(({ kind, action }) => ['run', 'round', 'requirement', 'case', 'build'].includes(kind) && !quietActions.has(action)))
        this.store.dispatch(baseCommands.listWaiting.start({ project }));
    });
    onAction(baseCommands.signOut.done, () => void this.router.navigateByUrl('/sign-in'));
    this.router.events
      .pipe(filter((event) => event instanceof NavigationEnd))
      .subscribe(({ urlAfterRedirects }) => this.address.set(urlAfterRedirects.split('?')[0]));
    // Where one enters by an address of a record, the project is known only later.
    effect(() => {
      const [project, url] = [this.scope.slug(), this.address()];
      const label = /\/([A-Z][\w-]*-\d+)$/.exec(url)?.[1];
      if (!project || !label) return;
      untracked(() => {
        this.store.dispatch(baseActions.placeVisited({ url, label }));
        this.visited.add({ url, label });
      });
    });
  }

  ngOnDestroy(): void {
    this.live.stop();
  }

  /** A piece of news in a sentence. */
  protected newsText(entry: News['entries'][number]): string {
    const { lead, tail } = entrySentence(entry);
    return `${this.scope.names().get(entry.who) ?? entry.who} ${lead} ${entry.key}${tail}`;
  }

  protected choose(build: string): void {
    this.store.dispatch(baseActions.buildChosen({ build }));
  }

  protected signOut(): void {
    this.store.dispatch(baseCommands.signOut.start({}));
  }

  protected open(item: WaitingItem): void {
    const link = actionLink(this.scope.slug(), { to: { kind: item.kind, key: item.key }, place: item.place });
    void this.router.navigate([...link.path], { queryParams: link.query });
  }

  protected jump(): void {
    if (!this.dialogs.openDialogs.length)
      this.dialogs.open(JumpDialog, {
        position: { top: '64px' },
        width: '560px',
        autoFocus: 'input',
        restoreFocus: true,
        enterAnimationDuration: 0,
        exitAnimationDuration: 0,
      });
  }

  protected async showKeys(): Promise<void> {
    const { KeysDialog } = await import('./keys-dialog');
    if (!this.dialogs.openDialogs.length) this.dialogs.open(KeysDialog, { width: '520px' });
  }

  protected keys(event: KeyboardEvent): void {
    const typing = /^(INPUT|TEXTAREA|SELECT)$/.test((event.target as HTMLElement).tagName);
    const name = this.keyNames.among(event, shellKeys);
    // A sign alone is typed where one writes.
    if (!name || (typing && this.keyNames.of(name).length === 1) || this.dialogs.openDialogs.length) return;
    if (name === 'filter') {
      const box = document.querySelector<HTMLInputElement>('input[data-filter]');
      if (!box) return;
      box.focus();
    } else if (name === 'jump') this.jump();
    else if (name === 'keys') void this.showKeys();
    else void this.router.navigate(['/', this.scope.slug(), name]);
    event.preventDefault();
  }

  protected stateOf(knot: Knot): KnotState {
    return this.rail()[knot];
  }
}
