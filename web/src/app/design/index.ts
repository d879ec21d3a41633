import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { effectsOf } from '../base';
import { modelCommands, modelFeature } from './models/state';
import { designCommands, designFeature } from './state';

export * from './case-list';
export * from './state';

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
      { path: ':record', loadComponent: page },
      { path: '', pathMatch: 'full', loadComponent: page },
    ],
  },
];
