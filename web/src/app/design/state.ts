import { createFeature, createReducer, on } from '@ngrx/store';
import type { AnswerOf } from '@contract/base';
import * as contract from '@contract/design';
import type { CaseDetail, CaseImport, CaseUses, DraftPlan, Folder, GroupDetail, SelectionPlan, Sufficiency } from '@contract/design';
import { getWording } from '@contract/specify';
import { command } from '../base';

export const designCommands = {
  getCase: command('[Design] get case', contract.getCase),
  addCase: command('[Design] add case', contract.addCase),
  saveCase: command('[Design] save case', contract.saveCase),
  setState: command('[Design] set state', contract.setCaseState),
  approve: command('[Design] approve', contract.approveCase),
  listFolders: command('[Design] list folders', contract.listFolders),
  addFolder: command('[Design] add folder', contract.addFolder),
  saveFolder: command('[Design] save folder', contract.saveFolder),
  removeFolder: command('[Design] remove folder', contract.removeFolder),
  copyCases: command('[Design] copy cases into another project', contract.copyCases),
  fileCases: command('[Design] file cases', contract.fileCases),
  listKinds: command('[Design] list kinds of case', contract.listCaseKinds),
  saveKind: command('[Design] save kind of case', contract.saveCaseKind),
  uses: command('[Design] uses of a case', contract.getCaseUses),
  takeCalled: command('[Design] take called', contract.takeCalled),
  dismiss: command('[Design] let wording stand', contract.dismissCaseFinding),
  endDismissal: command('[Design] look anew at wording', contract.endCaseDismissal),
  wording: command('[Design] words of wording', getWording),
  getGroup: command('[Design] get group', contract.getGroup),
  addGroup: command('[Design] add group', contract.addGroup),
  saveGroup: command('[Design] save group', contract.saveGroup),
  planDrafts: command('[Design] plan drafts', contract.planDrafts),
  makeDrafts: command('[Design] make drafts', contract.makeDrafts),
  previewImport: command('[Design] preview import', contract.previewCaseImport),
  importCases: command('[Design] import cases', contract.importCases),
  sufficiency: command('[Design] sufficiency', contract.getSufficiency),
  select: command('[Design] select cases', contract.selectCases),
};

interface DesignState {
  readonly detail: CaseDetail | null;
  readonly folders: readonly Folder[];
  readonly unfiled: AnswerOf<typeof contract.listFolders>['unfiled'] | null;
  readonly kinds: AnswerOf<typeof contract.listCaseKinds>;
  readonly uses: { readonly key: string; readonly of: CaseUses } | null;
  readonly group: GroupDetail | null;
  readonly drafts: DraftPlan | null;
  readonly made: AnswerOf<typeof contract.makeDrafts> | null;
  readonly preview: CaseImport | null;
  readonly imported: readonly string[] | null;
  readonly sufficiency: Sufficiency | null;
  readonly selection: SelectionPlan | null;
  readonly wording: AnswerOf<typeof getWording>['lists'] | null;
}
const first: DesignState = {
  detail: null,
  folders: [],
  unfiled: null,
  kinds: [],
  uses: null,
  group: null,
  drafts: null,
  made: null,
  preview: null,
  imported: null,
  sufficiency: null,
  selection: null,
  wording: null,
};
const c = designCommands;

export const designFeature = createFeature({
  name: 'design',
  reducer: createReducer(
    first,
    on(c.getCase.done, c.addCase.done, c.saveCase.done, c.setState.done, c.approve.done, (state, { answer }): DesignState => ({
      ...state,
      detail: answer,
    })),
    on(c.listFolders.done, (state, { answer }): DesignState => ({ ...state, folders: answer.folders, unfiled: answer.unfiled })),
    on(c.listKinds.done, c.saveKind.done, (state, { answer }): DesignState => ({ ...state, kinds: answer })),
    on(c.uses.done, c.takeCalled.done, (state, { input, answer }): DesignState => ({ ...state, uses: { key: input.key, of: answer } })),
    on(c.getGroup.done, c.addGroup.done, c.saveGroup.done, (state, { answer }): DesignState => ({ ...state, group: answer })),
    on(c.planDrafts.done, (state, { answer }): DesignState => ({ ...state, drafts: answer })),
    on(c.makeDrafts.done, (state, { answer }): DesignState => ({ ...state, made: answer, drafts: null })),
    on(c.planDrafts.start, (state): DesignState => ({ ...state, made: null })),
    on(c.previewImport.done, (state, { answer }): DesignState => ({ ...state, preview: answer, imported: null })),
    on(c.importCases.done, (state, { answer }): DesignState => ({ ...state, preview: null, imported: answer.written })),
    on(c.sufficiency.done, (state, { input, answer }): DesignState => ({
      ...state,
      // A further page stands behind those that are shown.
      sufficiency: input.skip && state.sufficiency ? { ...answer, rows: [...state.sufficiency.rows, ...answer.rows] } : answer,
    })),
    on(c.select.done, (state, { answer }): DesignState => ({ ...state, selection: answer })),
    on(c.wording.done, (state, { answer }): DesignState => ({ ...state, wording: answer.lists })),
  ),
});
