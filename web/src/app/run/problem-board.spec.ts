import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { listProblems, type Problem, type ProblemLife } from '@contract/run';
import type { Role } from '@core/base';
import { usualStages } from '@core/run';
import { hear, listOver, mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { ProblemBoard, type BoardMove } from './problem-board';

const report = (n: number, more: Partial<Problem> = {}): Problem =>
  ({
    key: `PR-${String(n).padStart(3, '0')}`,
    title: `Report ${n}`,
    description: '',
    state: 'open',
    blocking: true,
    build: '1.0',
    fixedIn: null,
    requirements: [],
    severity: 'minor',
    priority: '',
    area: '',
    assigned: null,
    due: null,
    stage: 'open',
    closedReason: '',
    retired: false,
    revision: 1,
    ...more,
  }) as unknown as Problem;

@Component({
  selector: 'cp-board-host',
  imports: [ProblemBoard],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-problem-board [life]="life()" (opened)="opened.set($event)" (moved)="moved.set($event)" />`,
})
class Host {
  readonly life = signal<ProblemLife>({ stages: usualStages as ProblemLife['stages'], severities: ['minor'], areas: [] });
  readonly opened = signal('');
  readonly moved = signal<BoardMove | null>(null);
}

describe('problem reports by stage', () => {
  let api: FakeApi;
  let store: ReturnType<typeof openWeb>['store'];
  let page: Mounted<Host>;
  let host: Host;
  let reports: Problem[];

  const open = async (roles: Role[] = ['tester']): Promise<void> => {
    ({ api, store } = openWeb(roles));
    api.on(
      listProblems,
      listOver(() => reports),
    );
    page = await mount(Host);
    host = page.fixture.componentInstance;
    await page.until(() => page.all('.card').length);
  };
  const columns = (): string[] =>
    page.all('.column').map((column) => {
      const keys = [...column.querySelectorAll('.card b')].map((b) => b.textContent);
      return `${column.querySelector('h2')?.textContent?.replace(/\s+/g, ' ').trim()}: ${keys.join(' ')}`;
    });
  const press = (key: string, name: string): Promise<void> => page.key(page.one(`[data-key="${key}"]`), name, { altKey: true });

  beforeEach(() => {
    reports = [
      report(1, { assigned: 'ada' }),
      report(2, { stage: 'working', assigned: 'ada', due: '2026-04-01' }),
      report(3, { stage: 'fixed', fixedIn: '1.1' }),
      report(4, { stage: 'closed', state: 'closed' }),
    ];
  });

  it('stand in a column of each stage with how many there are, and say who has them and until when', async () => {
    await open();
    expect(columns()).toEqual(
      usualStages.map(({ title, name }) => {
        const here = reports.filter((p) => p.stage === name);
        return `${title} ${here.length}: ${here.map((p) => p.key).join(' ')}`;
      }),
    );
    expect(page.text()).toContain('Ada Lund · due 2026-04-01 · found in 1.0');
    expect(page.text()).toContain('fixed in 1.1');
    await page.key(page.one('[data-key="PR-002"]'), 'Enter');
    page.one('[data-key="PR-002"]').click();
    expect(host.opened()).toBe('PR-002');
  });

  it('are moved by keys to the next stage that their life lets them come to', async () => {
    await open();
    const { next } = usualStages[0];
    await press('PR-001', 'ArrowRight');
    expect(host.moved()?.problem.key).toBe('PR-001');
    expect(next).toContain(host.moved()?.stage ?? '');
    expect(host.moved()?.asks).toBeFalse();
    host.moved.set(null);
    await press('PR-001', 'ArrowLeft');
    expect(host.moved()).toBeNull();
    expect(page.one('[role=alert]').textContent).toContain('no stage');
  });

  it('ask first for what a stage wants to know, and for why one may be closed', async () => {
    await open();
    // From being worked on, it comes to fixed, which asks for the build that has the fix.
    await press('PR-002', 'ArrowRight');
    expect(host.moved()).toEqual(jasmine.objectContaining({ stage: 'fixed', asks: true }));
    await press('PR-003', 'ArrowRight');
    expect(host.moved()).toEqual(jasmine.objectContaining({ stage: 'closed', asks: true }));
  });

  it('stay where the life or somebody’s roles do not let them go, and say so', async () => {
    await open();
    const stages = usualStages.map((stage) => (stage.name === 'closed' ? { ...stage, roles: ['reviewer' as const] } : stage));
    host.life.set({
      ...host.life(),
      stages: stages.map((stage) => (stage.name === 'fixed' ? { ...stage, next: ['closed'] } : stage)) as ProblemLife['stages'],
    });
    await page.settled();
    await page.until(() => page.all('.card').length === 4);
    await press('PR-003', 'ArrowRight');
    expect(host.moved()).toBeNull();
    expect(page.one('[role=alert]').textContent).toContain('is given by a reviewer');
  });

  it('are only looked at by an auditor', async () => {
    await open(['auditor']);
    await press('PR-001', 'ArrowRight');
    expect(host.moved()).toBeNull();
    expect(page.all('.cdk-drag-disabled').length).toBe(4);
  });

  it('are read again when somebody changes one, and further ones on demand', async () => {
    reports = Array.from({ length: 70 }, (_, i) => report(i + 1));
    await open();
    expect(page.all('.card').length).toBe(30);
    await page.press(/Show more/);
    await page.until(() => page.all('.card').length === 60);
    reports = reports.map((p) => (p.key === 'PR-005' ? { ...p, stage: 'working' } : p));
    hear(store, 'problem', 'PR-005');
    await page.until(() => columns()[1].includes('PR-005'));
    expect(columns()[1]).toContain('1: PR-005');
    expect(columns()[0]).not.toContain('PR-005');
  });
});
