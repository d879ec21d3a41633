import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { effectsOf } from '../base';
import { designCommands, designFeature } from './state';

export * from './case-list';
export * from './state';

const page = () => import('./design-page').then((m) => m.DesignPage);

export const designRoutes: Routes = [
  {
    path: '',
    title: 'Design · Cord Proof',
    providers: [provideState(designFeature), provideEffects(effectsOf(designCommands))],
    children: [
      { path: ':record', loadComponent: page },
      { path: '', pathMatch: 'full', loadComponent: page },
    ],
  },
];
