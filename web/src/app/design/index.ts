import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { effectsOf } from '../base';
import { modelCommands, modelFeature } from './models/state';
import { designCommands, designFeature } from './state';

export * from './case-list';
export * from './state';

const groups = () => import('./groups/groups-page').then((m) => m.GroupsPage);
const page = () => import('./design-page').then((m) => m.DesignPage);

export const designRoutes: Routes = [
  {
    path: '',
    title: 'Design · Cord Proof',
    providers: [
      provideState(designFeature),
      provideState(modelFeature),
      provideEffects(effectsOf(designCommands), effectsOf(modelCommands)),
    ],
    children: [
      { path: 'models', title: 'Models · Cord Proof', loadComponent: () => import('./models/models-page').then((m) => m.ModelsPage) },
      { path: 'models/:key', title: 'Model · Cord Proof', loadComponent: () => import('./models/model-page').then((m) => m.ModelPage) },
      { path: 'drafts', title: 'Draft cases · Cord Proof', loadComponent: () => import('./library/drafts-page').then((m) => m.DraftsPage) },
      { path: 'groups', title: 'Groups · Cord Proof', loadComponent: groups },
      { path: 'groups/:key', title: 'Groups · Cord Proof', loadComponent: groups },
      {
        path: 'sufficiency',
        title: 'Enough cases? · Cord Proof',
        loadComponent: () => import('./library/sufficiency-page').then((m) => m.SufficiencyPage),
      },
      {
        path: 'selection',
        title: 'The fewest cases · Cord Proof',
        loadComponent: () => import('./library/selection-page').then((m) => m.SelectionPage),
      },
      {
        path: 'import',
        title: 'Import cases · Cord Proof',
        loadComponent: () => import('./library/import-page').then((m) => m.CaseImportPage),
      },
      { path: 'kinds', title: 'Kinds of case · Cord Proof', loadComponent: () => import('./library/kinds-page').then((m) => m.KindsPage) },
      { path: ':record', loadComponent: page },
      { path: '', pathMatch: 'full', loadComponent: page },
    ],
  },
];
