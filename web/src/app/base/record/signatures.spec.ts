import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { of } from 'rxjs';
import { getRecord, signRecord, type RecordSignature } from '@contract/base';
import type { Role } from '@core/base';
import type { OwnMeaning } from '@core/prove';
import { baseCommands } from '../state';
import type { SignRequest } from '../ui/sign-dialog';
import { mount, openWeb, type FakeApi, type Mounted } from '../testing';
import { Signatures } from './signatures';
import { recordCommands, recordOpened } from './state';

const hash = 'a'.repeat(64);
const signature = (more: Partial<RecordSignature> = {}): RecordSignature => ({
  meaning: 'approved',
  revision: 2,
  login: 'tom',
  printedName: 'Tom Vale',
  at: '2026-03-01T10:00:00.000Z',
  format: 2,
  hash,
  reason: '',
  ...more,
});
const meanings: readonly OwnMeaning[] = [
  { name: 'witnessed', says: 'I saw it done.', roles: ['tester', 'reviewer'], kinds: ['run'] },
  { name: 'released', says: 'I release it.', roles: ['reviewer'], kinds: ['requirement'] },
  { name: 'printed', says: 'I printed it.', roles: ['reviewer'], kinds: ['requirement'] },
];

@Component({
  selector: 'cp-signatures-host',
  imports: [Signatures],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-signatures [kind]="kind()" key="BRK-001" />`,
})
class Host {
  readonly kind = signal('requirement');
  readonly store = inject(Store);
}

describe('signatures of a record', () => {
  let api: FakeApi;
  let page: Mounted<Host>;
  let asked: SignRequest[];
  let signed: RecordSignature[];

  const open = async (roles: Role[], kind = 'requirement', present: string | null = hash): Promise<void> => {
    asked = [];
    const dialogs = {
      open: (_: unknown, { data }: { data: SignRequest }) => {
        asked.push(data);
        return { afterClosed: () => of({ password: 'secret', reason: 'As agreed.', acceptDeviation: false }) };
      },
    };
    const { api: server, store } = openWeb(roles, [], [{ provide: MatDialog, useValue: dialogs }]);
    api = server;
    api
      .on(getRecord, () => ({ following: false, record: {}, traces: [], signatures: signed, hash: present }))
      .on(signRecord, ({ meaning }) => ({
        signatures: [...signed, signature({ meaning: meaning as string, login: 'ada', printedName: 'Ada Lund' })],
      }));
    const project = {
      slug: 'demo',
      profile: { reviewAt: [], policies: { meanings } },
      builds: [],
      members: [{ login: 'ada', printedName: 'Ada Lund', roles }],
    };
    store.dispatch(baseCommands.getProject.done({ input: { project: 'demo' }, answer: project as never, command: '', phase: 'done' }));
    page = await mount(Host);
    page.fixture.componentInstance.kind.set(kind);
    store.dispatch(recordOpened({ key: 'BRK-001' }));
    store.dispatch(recordCommands.getRecord.start({ project: 'demo', key: 'BRK-001' }));
    await page.settled();
  };
  const offers = (): string[] => [...document.querySelectorAll('[mat-menu-item]')].map((item) => (item.textContent ?? '').trim());

  beforeEach(() => (signed = [signature({ revision: 1, hash: 'b'.repeat(64), printedName: 'Una Vale' }), signature()]));

  it('are told newest first, each with its meaning, revision and hash, and which are of an earlier text', async () => {
    await open(['auditor']);
    const lines = page.all('.sig').map((line) => (line.textContent ?? '').replace(/\s+/g, ' ').trim());
    expect(lines[0]).toContain('Tom Vale approved, 2026-03-01');
    expect(lines[0]).not.toContain('earlier text');
    expect(lines[1]).toContain('Una Vale');
    expect(lines[1]).toContain('revision 1, of an earlier text');
    expect(page.all('button').length).toBe(0);
  });

  it('are given in the meanings of the project that are for this kind and these roles, bound to what is read', async () => {
    await open(['reviewer']);
    await page.press(/Sign as/);
    expect(offers()).toEqual(['released', 'printed']);
    document.querySelector<HTMLElement>('[mat-menu-item]')?.click();
    await page.settled();
    expect(asked[0]).toEqual(
      jasmine.objectContaining({ title: 'Sign BRK-001: released', meaning: 'I release it.', hash, printedName: 'Ada Lund' }),
    );
    expect(api.of(signRecord)).toEqual([
      { project: 'demo', key: 'BRK-001', meaning: 'released', hash, password: 'secret', reason: 'As agreed.' },
    ]);
    expect(page.text()).toContain('Ada Lund released');
    // What one signed already is not offered again.
    await page.press(/Sign as/);
    expect(offers()).toEqual(['printed']);
  });

  it('tell why one is refused', async () => {
    await open(['reviewer']);
    api.refuse(signRecord, { title: 'refused', detail: 'BRK-001 was changed since you read it: read it again.' });
    await page.press(/Sign as/);
    document.querySelector<HTMLElement>('[mat-menu-item]')?.click();
    await page.settled();
    expect(page.text()).toContain('changed since you read it');
  });

  it('are not offered on a draft, nor to who may not, nor on a run that its tester has not signed', async () => {
    await open(['reviewer'], 'requirement', null);
    expect(page.all('button').length).toBe(0);
  });

  it('are offered on a run once its tester signed it', async () => {
    signed = [];
    await open(['tester'], 'run');
    expect(page.text()).toContain('Not signed yet');
    expect(page.all('button').length).toBe(0);
  });

  it('are offered on a run that is signed as performed', async () => {
    signed = [signature({ meaning: 'performed' })];
    await open(['tester'], 'run');
    await page.press(/Sign as/);
    expect(offers()).toEqual(['witnessed']);
  });
});
