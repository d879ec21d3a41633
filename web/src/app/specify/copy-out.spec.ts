import * as contract from '@contract/specify';
import { baseCommands } from '../base';
import { mount, openWeb } from '../base/testing';
import { CopyOut } from './copy-out';
import { rooms, serve } from './testing';

describe('Copying into another project', () => {
  const open = async (keys: string[] | undefined, roles: readonly ('author' | 'auditor')[] = ['author']) => {
    const { api, store } = openWeb(['author'], rooms);
    serve(api, () => []);
    const person = { login: 'ada', printedName: 'Ada Lund', installation: false, disabled: false };
    const session = {
      person,
      projects: [
        { slug: 'demo', name: 'Demo', roles: ['author' as const] },
        { slug: 'other', name: 'Other', roles: [...roles] },
      ],
      setPassword: false,
      factor: null,
      factorShown: false,
      tried: 0,
    };
    store.dispatch(baseCommands.getSession.done({ input: {}, answer: session, command: '', phase: 'done' }));
    api
      .on(contract.listSpecifications, ({ project }) =>
        project === 'other' ? [{ key: 'OTH', title: 'Theirs', prefix: 'OTH', requirements: 0 }] : [],
      )
      .on(contract.copyOut, () => ({ copies: [{ from: 'BRK-001', to: 'OTH-007' }], left: ['BRK-001: the trace to SYS-001.'] }));
    return { api, page: await mount(CopyOut, { of: { kind: 'requirement', ...(keys ? { keys } : {}) } }) };
  };

  it('asks for project and specification, and says what could not come along', async () => {
    const { api, page } = await open(['BRK-001']);
    expect(page.missing(/Copy 1/)).toBe('Choose the project.');
    await page.write(/^Project/, 'other');
    await page.press(/Copy 1/);
    expect(api.of(contract.copyOut)).toEqual([
      { project: 'demo', keys: ['BRK-001'], into: { project: 'other', specification: 'OTH', under: null }, traces: true },
    ]);
    expect(page.one('[role=status]').textContent).toContain('One is copied, as drafts: OTH-007');
    expect(page.one('details').textContent).toContain('the trace to SYS-001');
  });

  it('takes single ones, not all of a list; and is not offered where one is an author nowhere else', async () => {
    const { page } = await open(undefined);
    expect(page.missing(/Copy/)).toContain('Choose single requirements');
    const { TestBed } = await import('@angular/core/testing');
    TestBed.resetTestingModule();
    expect((await open(['BRK-001'], ['auditor'])).page.all('form').length).toBe(0);
  });
});
