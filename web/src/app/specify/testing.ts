import * as base from '@contract/base';
import * as contract from '@contract/specify';
import type { BranchRow, Branches, Requirement, RequirementDetail } from '@contract/specify';
import { getCord, getImpact } from '@contract/prove';
import { requirementCode } from '@contract/measure';
import { listOver, type FakeApi } from '../base/testing';
import { impactCommands, impactFeature } from './impact/state';
import { readingCommands, readingFeature } from './reading/state';
import { proposalCommands, proposalFeature } from './proposals/state';
import { suspectCommands, suspectFeature } from './suspects/state';
import { proofCommands, proofFeature } from './requirement-proof';
import { specifyCommands, specifyFeature } from './state';

/** A requirement of the test, by its number. */
export const row = (n: number, more: Partial<Requirement> = {}): Requirement => ({
  key: `BRK-00${n}`,
  specification: 'BRK',
  kind: 'requirement',
  title: `Title ${n}`,
  text: `The valve ${n} shall close.`,
  rationale: '',
  level: 'SIL 3',
  method: 'test',
  topLevel: true,
  derived: false,
  notInCode: false,
  notInCodeRationale: '',
  under: null,
  derivedFrom: [],
  position: n,
  revision: 1,
  state: 'draft',
  own: {},
  updatedBy: 'tom',
  updatedAt: '2026-03-01T10:00:00.000Z',
  ...more,
});
export const detail = (n: number, more: Partial<RequirementDetail> = {}): RequirementDetail => ({
  ...row(n),
  parents: [],
  children: [],
  cases: [],
  traces: [],
  author: 'tom',
  hash: 'a'.repeat(64),
  signatures: [],
  mentions: [],
  dismissals: [],
  ...more,
});
export const rooms = [
  { feature: specifyFeature, effects: specifyCommands },
  { feature: proofFeature, effects: proofCommands },
  { feature: impactFeature, effects: impactCommands },
  { feature: proposalFeature, effects: proposalCommands },
  { feature: readingFeature, effects: readingCommands },
  { feature: suspectFeature, effects: suspectCommands },
] as never;

/** A specification's tree over rows of the test, as the server answers it. */
export const branchesOver =
  (rows: () => readonly Requirement[]) =>
  ({ at, of, to }: Record<string, unknown>): Branches => {
    const all = rows().map((r): BranchRow => ({ ...r, children: rows().filter((o) => o.under === r.key).length }));
    const here = (under: string | null): BranchRow[] => all.filter((r) => r.under === under).sort((a, b) => a.position - b.position);
    const way: Branches['path'] = [];
    for (let up = all.find((r) => r.key === to); up; up = all.find((r) => r.key === up?.under))
      way.unshift({ row: up, at: here(up.under).indexOf(up) });
    return {
      total: all.length,
      branches: ((at as string | undefined)?.split(',') ?? []).map((page) => {
        const under = page.split('.')[0] || null;
        return { under, page: 0, total: here(under).length, rows: here(under) };
      }),
      rows: ((of as string | undefined)?.split(',') ?? []).flatMap((key) => all.find((r) => r.key === key) ?? []),
      path: way,
      seq: 7,
    };
  };

/** A server with these requirements. */
export function serve(api: FakeApi, rows: () => Requirement[]): void {
  api
    .on(contract.listSpecifications, () => [
      { key: 'BRK', title: 'Brake', prefix: 'BRK', requirements: 3 },
      { key: 'SYS', title: 'System', prefix: 'SYS', requirements: 0 },
    ])
    .on(contract.listRequirements, listOver(rows))
    .on(contract.listBranches, branchesOver(rows))
    .on(contract.getRequirement, ({ key }) => detail(Number(String(key).slice(-1))))
    .on(base.listFields, () => [])
    .on(base.getRecord, () => ({ following: false, record: {}, snapshot: null, traces: [], signatures: [], externalIds: [] }))
    .on(base.listComments, () => [])
    .on(base.listAttachments, () => [])
    .on(base.setPresence, () => [])
    .on(getCord, () => new Promise(() => undefined))
    .on(getImpact, () => ({
      suspect: [],
      reached: [],
      minutes: { near: 0, far: 0 },
      toDo: [],
      functions: 0,
      problems: [],
      more: false,
      seq: 1,
    }))
    .on(requirementCode, () => ({ units: [], total: null }))
    .on(base.previewBulk, () => ({ total: 2, changed: 2, refused: 0, items: [], digest: 'd'.repeat(64) }));
}
